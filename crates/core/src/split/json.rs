//! Lines of JSON (RFC 8259), nested values flattened to paths. What small boards print in its place is read too:
//! Python's `True`, `None` and single quotes, `nan`, a comma before the closing bracket and behind the last.

use super::number::{Number, scan_number};
use super::value::{Value, state};
use super::wall::{Written, moment};
use std::ops::Range;

/// How deep values may be nested.
const DEEPEST: usize = 16;

/// The longest path of a value.
const LONGEST_PATH: usize = 64;

/// The line is not JSON.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct NotJson;

/// Whether `line` looks as if it were to be JSON rather than numbers in brackets.
pub(super) fn begins(line: &[u8]) -> bool {
    let line = line.trim_ascii_start();
    match line.first() {
        Some(b'{') => matches!(line[1..].trim_ascii_start().first(), Some(b'"' | b'\'' | b'}') | None),
        Some(b'[') => matches!(line[1..].trim_ascii_start().first(), Some(b'{' | b'[' | b'"')),
        _ => false,
    }
}

/// A date or a time that is all of `text`.
fn whole_moment(text: &[u8]) -> Option<(super::wall::Moment, usize)> {
    moment(text, Written::default()).filter(|(_, used)| *used == text.len())
}

/// Whether a text stands for seconds: it is a date or a time, and nothing else that is read.
pub(super) fn is_moment(text: &[u8]) -> bool {
    super::value::value(text, false).is_none() && whole_moment(text).is_some()
}

/// Gives each number, state and gap (`null`, as NaN) of `line` to `found` with its path, as in `bed.p` or `imu.0`, and
/// its place, in order; other texts as `None`. A date with a time of day is its seconds.
///
/// # Errors
/// Where it is no JSON; what came before has been given then.
pub(super) fn scan(line: &[u8], found: impl FnMut(&[u8], Range<usize>, Option<Value>)) -> Result<(), NotJson> {
    let mut scanner = Scanner { line, at: 0, path: [0; LONGEST_PATH], length: 0, found };
    scanner.blanks();
    scanner.value(0)?;
    scanner.blanks();
    // The lines may be the elements of an array that never ends.
    scanner.sign(b',');
    scanner.blanks();
    if scanner.at == line.len() { Ok(()) } else { Err(NotJson) }
}

struct Scanner<'a, F> {
    line: &'a [u8],
    at: usize,
    path: [u8; LONGEST_PATH],
    length: usize,
    found: F,
}

impl<F: FnMut(&[u8], Range<usize>, Option<Value>)> Scanner<'_, F> {
    fn peek(&self) -> Option<u8> {
        self.line.get(self.at).copied()
    }

    fn blanks(&mut self) {
        while matches!(self.peek(), Some(b' ' | b'\t')) {
            self.at += 1;
        }
    }

    fn sign(&mut self, sign: u8) -> bool {
        let there = self.peek() == Some(sign);
        self.at += usize::from(there);
        there
    }

    fn value(&mut self, depth: usize) -> Result<(), NotJson> {
        match self.peek().ok_or(NotJson)? {
            b'{' if depth < DEEPEST => self.object(depth),
            b'[' if depth < DEEPEST => self.array(depth),
            b'"' | b'\'' => {
                let text = self.text()?;
                let written = &self.line[text.clone()];
                let moment = || {
                    let (moment, _) = whole_moment(written)?;
                    Some(Value::from(Number { value: moment.seconds, decimals: moment.decimals }))
                };
                let value = super::value::value(written, false).or_else(moment);
                (self.found)(&self.path[..self.length], text, value);
                Ok(())
            }
            _ => self.plain(),
        }
    }

    /// A number, a word for a state, or a word for nothing.
    fn plain(&mut self) -> Result<(), NotJson> {
        let start = self.at;
        let text = &self.line[start..];
        if let Some((number, used)) = scan_number(text) {
            let ends = text.get(used).is_none_or(|b| matches!(b, b',' | b'}' | b']' | b' ' | b'\t'));
            if ends {
                self.at += used;
                self.give(start..start + used, number.into());
                return Ok(());
            }
        }
        let length = text.iter().take_while(|b| b.is_ascii_alphabetic()).count();
        let word = &text[..length];
        self.at += length;
        if word == b"null" || word == b"None" || word.eq_ignore_ascii_case(b"nan") {
            let gap = Number { value: f64::NAN, decimals: 0 };
            self.give(start..start + length, gap.into());
            return Ok(());
        }
        let value = state(word).filter(|_| word.eq_ignore_ascii_case(b"true") || word.eq_ignore_ascii_case(b"false"));
        self.give(start..start + length, value.ok_or(NotJson)?);
        Ok(())
    }

    fn give(&mut self, at: Range<usize>, value: Value) {
        (self.found)(&self.path[..self.length], at, Some(value));
    }

    /// The text between quotes; the escapes in it stay as they are.
    fn text(&mut self) -> Result<Range<usize>, NotJson> {
        let quote = self.peek().ok_or(NotJson)?;
        let start = self.at + 1;
        let mut at = start;
        loop {
            match self.line.get(at) {
                None => return Err(NotJson),
                Some(b'\\') => at += 2,
                Some(byte) if *byte == quote => break,
                Some(_) => at += 1,
            }
        }
        self.at = at + 1;
        Ok(start..at)
    }

    /// Runs `inside` with `part` added to the path; only plain characters come into it.
    fn within(
        &mut self,
        part: impl Iterator<Item = u8>,
        inside: impl FnOnce(&mut Self) -> Result<(), NotJson>,
    ) -> Result<(), NotJson> {
        let before = self.length;
        let point = (before > 0).then_some(b'.');
        for byte in point.into_iter().chain(part) {
            let plain = byte.is_ascii_alphanumeric() || !byte.is_ascii() || matches!(byte, b'_' | b'.' | b'-');
            *self.path.get_mut(self.length).ok_or(NotJson)? = if plain { byte } else { b'_' };
            self.length += 1;
        }
        inside(self)?;
        self.length = before;
        Ok(())
    }

    fn object(&mut self, depth: usize) -> Result<(), NotJson> {
        self.at += 1;
        self.blanks();
        while !self.sign(b'}') {
            if !matches!(self.peek(), Some(b'"' | b'\'')) {
                return Err(NotJson);
            }
            let name = self.text()?;
            self.blanks();
            if !self.sign(b':') {
                return Err(NotJson);
            }
            self.blanks();
            let line = self.line;
            self.within(line[name].iter().copied(), |scanner| scanner.value(depth + 1))?;
            self.next(b'}')?;
        }
        Ok(())
    }

    fn array(&mut self, depth: usize) -> Result<(), NotJson> {
        self.at += 1;
        self.blanks();
        let mut index = 0u32;
        while !self.sign(b']') {
            let mut digits = [0; 10];
            let mut left = index;
            let mut first = digits.len();
            loop {
                first -= 1;
                digits[first] = b'0' + (left % 10) as u8;
                left /= 10;
                if left == 0 {
                    break;
                }
            }
            self.within(digits[first..].iter().copied(), |scanner| scanner.value(depth + 1))?;
            index += 1;
            self.next(b']')?;
        }
        Ok(())
    }

    /// Behind a member: a comma, or the end to come.
    fn next(&mut self, end: u8) -> Result<(), NotJson> {
        self.blanks();
        let comma = self.sign(b',');
        self.blanks();
        if comma || self.peek() == Some(end) { Ok(()) } else { Err(NotJson) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(line: &str) -> Result<Vec<String>, NotJson> {
        let mut out = Vec::new();
        scan(line.as_bytes(), |path, at, value| {
            assert!(at.end <= line.len());
            let value = value.map_or("text".into(), |value| value.number.value.to_string());
            out.push(format!("{}={value}", String::from_utf8_lossy(path)));
        })
        .map(|()| out)
    }

    #[test]
    fn nested_values_become_paths() {
        assert_eq!(read(r#"{"bed":{"p":498},"on":true}"#).unwrap(), ["bed.p=498", "on=1"]);
        assert_eq!(
            read(r#" { "a" : [1, -2.5e1], "note":"say \"hi\" }", "b":null } "#).unwrap(),
            ["a.0=1", "a.1=-25", "note=text", "b=NaN"]
        );
        assert_eq!(
            read("{'t': 22.5, 'ok': True, 'x': None, 'door': 'open',}").unwrap(),
            ["t=22.5", "ok=1", "x=NaN", "door=1"]
        );
        assert_eq!(read(r#"[{"v":1},{"v":"2.5"}]"#).unwrap(), ["0.v=1", "1.v=2.5"]);
        for wrong in
            [r#"{"a":1"#, r#"{"a":1}}"#, r#"{"a" 1}"#, r#"{"a":12x}"#, r#"{"a":1 "b":2}"#, "{a:1}", r#"{"a":"1}"#]
        {
            assert_eq!(read(wrong), Err(NotJson), "{wrong}");
        }
        assert_eq!(read(&"[".repeat(4000)), Err(NotJson), "no recursion without bound");
    }

    proptest! {
        #[test]
        fn any_bytes_are_survived(bytes in proptest::collection::vec(prop_oneof![Just(b'{'), Just(b'['), Just(b'"'), Just(b'\\'), Just(b':'), Just(b','), any::<u8>()], 0..80)) {
            let _ = scan(&bytes, |_, at, _| assert!(at.end <= bytes.len()));
        }
    }
}
