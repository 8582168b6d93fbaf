//! Words for the codes of a channel: `words = { 0 = "idle", 3 = "blue" }`.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::collections::BTreeMap;

/// Words for codes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Words(BTreeMap<i64, String>);

impl Words {
    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Words for the codes 0, 1, 2 …
    pub fn of(words: &[String]) -> Words {
        Words((0..).zip(words.iter().cloned()).collect())
    }

    /// Whether each of these codes has the same word in `other`.
    pub fn is_part_of(&self, other: &Words) -> bool {
        self.0.iter().all(|(code, word)| other.0.get(code) == Some(word))
    }

    /// Whether there is one for 0, one for 1, and no other.
    pub fn is_pair(&self) -> bool {
        self.0.keys().eq([&0, &1])
    }

    /// The word for `code`; `None` for a code without one, for fractions and for NaN.
    pub fn word(&self, code: f64) -> Option<&str> {
        let whole = code.fract() == 0.0 && code.abs() < 9e15;
        whole.then(|| self.0.get(&(code as i64))).flatten().map(String::as_str)
    }

    /// The code that this word stands for.
    pub fn code(&self, word: &str) -> Option<f64> {
        self.0.iter().find(|(_, own)| *own == word).map(|(code, _)| *code as f64)
    }

    /// As a person types them: `0 idle, 3 blue`.
    pub fn spelled(&self) -> String {
        self.0.iter().map(|(code, word)| format!("{code} {word}")).collect::<Vec<_>>().join(", ")
    }

    /// Reads what a person typed.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence.
    pub fn parse(text: &str) -> Result<Words, String> {
        let pairs = text.split(',').map(str::trim).filter(|pair| !pair.is_empty());
        let pair = |pair: &str| {
            let (code, word) = pair.split_once([' ', '=']).unwrap_or((pair, ""));
            let word = word.trim_matches(['=', ' ']);
            match code.trim().parse() {
                Ok(code) if is_plain(word) => Ok((code, word.to_owned())),
                _ => Err(format!("'{pair}': type codes with their words, as in 0 idle, 3 blue")),
            }
        };
        Ok(Words(pairs.map(pair).collect::<Result<_, _>>()?))
    }
}

/// Whether `text` can stand in a table and on a screen: not empty, at most 32 characters, no comma, quote or control.
pub(crate) fn is_plain(text: &str) -> bool {
    !text.is_empty() && text.chars().count() <= 32 && !text.chars().any(|c| c.is_control() || matches!(c, ',' | '"'))
}

impl Serialize for Words {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_map(self.0.iter().map(|(code, word)| (code.to_string(), word)))
    }
}

impl<'de> Deserialize<'de> for Words {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        use serde::de::Error;
        let read = |(code, word): (String, String)| {
            let code =
                code.parse().map_err(|_| D::Error::custom(format!("expected a whole number, found `{code}`")))?;
            let plain = is_plain(&word);
            plain.then_some((code, word)).ok_or_else(|| D::Error::custom("a word is 1 to 32 characters without commas"))
        };
        let texts = BTreeMap::<String, String>::deserialize(from)?;
        Ok(Words(texts.into_iter().map(read).collect::<Result<_, _>>()?))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_typed_and_found() {
        let words = Words::parse("3 light blue,0=idle,").unwrap();
        assert_eq!(words.spelled(), "0 idle, 3 light blue");
        assert_eq!(
            [words.word(3.0), words.word(3.5), words.word(1.0), words.word(f64::NAN)],
            [Some("light blue"), None, None, None]
        );
        assert!(Words::parse("blue 3").is_err() && Words::parse("3").is_err() && Words::parse("").unwrap().is_empty());
    }
}
