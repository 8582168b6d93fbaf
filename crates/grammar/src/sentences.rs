//! Whole lines that are the states of one channel.

use crate::channel::Channel;
use crate::column::distinct;
use crate::rows::Doubt;
use crate::spec::{Spec, SpecKind};
use regex::Regex;
use std::sync::LazyLock;

/// Whole lines, perhaps behind a clock, that are the states of one channel.
#[derive(Clone, Debug)]
pub(crate) struct Sentences {
    /// Each with a word that stands for it.
    codes: Vec<(String, String)>,
    /// The words that all have.
    shared: Vec<String>,
}

static CLOCK_PREFIX: LazyLock<Regex> = LazyLock::new(|| {
    #[expect(clippy::expect_used, reason = "the expression is that of this file")]
    Regex::new(
        r"^\W*(?:[A-Za-z]{1,9}[=:+]?\s*)?(?:\d[\d.,:/T -]*\d|\d)(?:Z|[+-]\d\d:\d\d)?\W*(?:s|ms|us)?[\])>]*[ :,\-]+",
    )
    .expect("a sound expression")
});

impl Sentences {
    pub(crate) fn of(lines: &[&str], is_ended: bool) -> Option<Sentences> {
        let end = lines.len() - usize::from(!is_ended && lines.len() > 1);
        let whole: Vec<&str> = lines.get(1..end)?.iter().copied().filter(|line| !line.trim().is_empty()).collect();
        let bare: Vec<&str> =
            whole.iter().map(|line| CLOCK_PREFIX.find(line).map_or(*line, |found| &line[found.end()..])).collect();
        let stripped = whole.iter().zip(&bare).filter(|(whole, bare)| whole != bare).count();
        let body = if stripped as f64 > 0.8 * whole.len() as f64 { bare } else { whole };
        let mut kinds = distinct(body.iter().map(|line| line.trim()));
        kinds.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        let least = 2.0f64.max(0.03 * body.len() as f64);
        let often: Vec<(&str, usize)> = kinds.into_iter().take(4).filter(|(_, count)| *count as f64 >= least).collect();
        let told: usize = often.iter().map(|(_, count)| count).sum();
        // Names with values of their own are no sentence.
        let pairs = |text: &str| text.matches([':', '=']).count();
        let sound = |(text, _): &(&str, usize)| {
            pairs(text) < 2 && text.contains(char::is_alphabetic) && !text.contains(|c: char| c.is_ascii_digit())
        };
        if often.len() < 2 || (told as f64) < 0.8 * body.len() as f64 || !often.iter().all(sound) {
            return None;
        }
        let words = |text: &str| -> Vec<String> {
            let words = text.split(|c: char| !c.is_alphabetic()).filter(|word| word.chars().count() > 1);
            words.map(str::to_lowercase).collect()
        };
        let mut shared = words(often[0].0);
        shared.retain(|word| often.iter().all(|(text, _)| words(text).contains(word)));
        shared.dedup();
        let codes = often
            .iter()
            .enumerate()
            .map(|(place, (text, _))| (format!("Qstate{}", char::from(b'a' + place as u8)), (*text).to_owned()));
        (!shared.is_empty()).then(|| Sentences { codes: codes.collect(), shared })
    }

    /// A line with the word for its sentence.
    pub(crate) fn coded(&self, line: &str) -> String {
        let bare = line.trim();
        let fits = |(_, text): &&(String, String)| bare.ends_with(text.as_str());
        match self.codes.iter().filter(fits).max_by_key(|(_, text)| text.len()) {
            Some((code, text)) => format!("{}{code}", &bare[..bare.len() - text.len()]),
            None => line.to_owned(),
        }
    }

    /// The sentences instead of the words that stand for them.
    pub(crate) fn put_back(&self, spec: &mut Option<Spec>, channels: &mut [Channel], doubts: &mut Vec<Doubt>) {
        let name = self.shared.join(" ");
        if let Some(spec) = spec {
            for column in &mut spec.columns {
                if let SpecKind::Words(words) = &mut column.kind
                    && words.iter().all(|word| self.codes.iter().any(|(code, _)| code == word))
                {
                    name.clone_into(&mut column.name);
                    for word in words {
                        if let Some((_, text)) = self.codes.iter().find(|(code, _)| code == word) {
                            text.clone_into(word);
                        }
                    }
                }
            }
        }
        for channel in channels {
            let mut is_own = false;
            for word in &mut channel.words {
                if let Some((_, text)) = self.codes.iter().find(|(code, _)| code == word) {
                    text.clone_into(word);
                    is_own = true;
                }
            }
            if is_own {
                name.clone_into(&mut channel.name);
                doubts.retain(|doubt| *doubt != Doubt::WordsOnly);
            }
        }
    }
}
