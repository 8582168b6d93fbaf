//! What is sent to a board: a typed line and its ending, or bytes in hexadecimal.

use serde::{Deserialize, Serialize};

/// What is put behind a typed line.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Ending {
    /// Nothing.
    None,
    /// A line feed.
    #[default]
    Lf,
    /// A carriage return.
    Cr,
    /// Both.
    CrLf,
    /// Nothing, and the text itself is bytes in hexadecimal: `02 A0 FF`.
    Bytes,
}

impl Ending {
    /// All of them, in the order in which a person steps through them.
    pub const ALL: [Ending; 5] = [Ending::Lf, Ending::CrLf, Ending::Cr, Ending::None, Ending::Bytes];

    /// A few words for it.
    pub fn name(self) -> &'static str {
        match self {
            Ending::None => "line ending: none",
            Ending::Lf => "line ending: LF",
            Ending::Cr => "line ending: CR",
            Ending::CrLf => "line ending: CR LF",
            Ending::Bytes => "bytes in hexadecimal",
        }
    }

    fn bytes(self) -> &'static [u8] {
        match self {
            Ending::None | Ending::Bytes => b"",
            Ending::Lf => b"\n",
            Ending::Cr => b"\r",
            Ending::CrLf => b"\r\n",
        }
    }
}

/// A line with a name, kept to be sent again.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BoardCommand {
    /// What a person calls it.
    pub name: String,
    /// What is typed for it.
    pub text: String,
    /// What is put behind it.
    #[serde(default)]
    pub ending: Ending,
}

/// The bytes of a typed line. `\n`, `\r`, `\t`, `\0`, `\\` and `\xHH` stand for single bytes.
///
/// # Errors
/// What cannot be read, in a sentence.
pub fn encode(text: &str, ending: Ending) -> Result<Vec<u8>, String> {
    if ending == Ending::Bytes {
        return hexadecimal(text);
    }
    let mut out = Vec::with_capacity(text.len() + 2);
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        out.extend_from_slice(&rest.as_bytes()[..at]);
        let (sign, used) = match rest.as_bytes().get(at + 1) {
            Some(b'n') => (b'\n', 2),
            Some(b'r') => (b'\r', 2),
            Some(b't') => (b'\t', 2),
            Some(b'0') => (0, 2),
            Some(b'\\') => (b'\\', 2),
            Some(b'x') => {
                let digits = rest.get(at + 2..at + 4).and_then(|digits| u8::from_str_radix(digits, 16).ok());
                (digits.ok_or("type two hexadecimal digits behind \\x")?, 4)
            }
            _ => return Err("type \\n, \\r, \\t, \\0, \\\\ or \\xHH; \\\\ is one backslash".into()),
        };
        out.push(sign);
        rest = &rest[at + used..];
    }
    out.extend_from_slice(rest.as_bytes());
    out.extend_from_slice(ending.bytes());
    Ok(out)
}

fn hexadecimal(text: &str) -> Result<Vec<u8>, String> {
    let word = |word: &str| -> Option<Vec<u8>> {
        let digits = word.strip_prefix("0x").unwrap_or(word);
        let byte = |at: usize| u8::from_str_radix(digits.get(at..(at + 2).min(digits.len()))?, 16).ok();
        let sound = digits.len() == 1 || digits.len().is_multiple_of(2);
        if sound { (0..digits.len()).step_by(2).map(byte).collect() } else { None }
    };
    let words = text.split([' ', ',']).filter(|word| !word.is_empty());
    let bytes: Option<Vec<Vec<u8>>> = words.map(word).collect();
    bytes.map(|bytes| bytes.concat()).ok_or_else(|| "type bytes in hexadecimal, as in 02 A0 FF".into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_endings_escapes_and_bytes() {
        let sent = |text, ending| encode(text, ending).ok();
        assert_eq!(sent("stroke 40", Ending::CrLf).as_deref(), Some(&b"stroke 40\r\n"[..]));
        assert_eq!(sent("a\\x03\\\\n\\t", Ending::None).as_deref(), Some(&b"a\x03\\n\t"[..]));
        assert_eq!(sent("02 A0,ff 0x1 beef", Ending::Bytes).as_deref(), Some(&b"\x02\xA0\xFF\x01\xBE\xEF"[..]));
        for (text, ending) in [
            ("\\q", Ending::Lf),
            ("\\x1", Ending::Lf),
            ("a\\", Ending::Lf),
            ("xyz", Ending::Bytes),
            ("123", Ending::Bytes),
        ] {
            assert_eq!(sent(text, ending), None, "{text}");
        }
    }
}
