//! Bytes as lines of text: escape sequences and control characters taken out, each way of ending a line undone.

/// The lines of a text.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Lines {
    /// Without their ends.
    pub lines: Vec<String>,
    /// Whether the last one is whole.
    pub is_ended: bool,
}

impl Lines {
    /// The lines of these bytes; what is no UTF-8 is Latin-1 where it comes again and again.
    pub fn of(bytes: &[u8]) -> Lines {
        let utf8 = String::from_utf8_lossy(bytes);
        let bad = utf8.matches('\u{fffd}').count();
        let text = if bad > 5 { bytes.iter().map(|byte| char::from(*byte)).collect() } else { utf8.into_owned() };
        let text = without_control(&text).replace("\r\r\n", "\n");
        let text = match text.matches("\n\r").count() > text.matches("\r\n").count() {
            true => text.replace("\n\r", "\n"),
            false => text.replace("\r\n", "\n"),
        };
        let text = text.replace('\r', "\n");
        let mut lines: Vec<String> = text.split('\n').map(str::to_owned).collect();
        let mut is_ended = text.ends_with('\n');
        if is_ended {
            lines.pop();
        }
        while lines.last().is_some_and(|line| line.trim().is_empty()) {
            lines.pop();
            is_ended = true;
        }
        Lines { lines, is_ended }
    }
}

/// Without escape sequences (ECMA-48) and control characters; tabs and ends of lines stay.
fn without_control(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '\u{1b}' => match rest.next() {
                Some('[') => while rest.next().is_some_and(|c| matches!(c, ' '..='?')) {},
                Some('(' | ')') => drop(rest.next()),
                _ => {}
            },
            '\t' | '\n' | '\r' => out.push(c),
            '\u{2212}' => out.push('-'),
            // The signs for ohm and micro that were made for old character sets.
            '\u{2126}' => out.push('Ω'),
            '\u{3bc}' => out.push('µ'),
            '\0'..='\u{1f}' | '\u{7f}' => {}
            _ => out.push(c),
        }
    }
    out
}
