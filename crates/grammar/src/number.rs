//! Numbers as they are written, under what commas, points and blanks in them mean.

/// What a comma between digits is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Comma {
    /// It stands between two numbers.
    #[default]
    Between,
    /// The decimal point.
    Decimal,
    /// It parts groups of thousands.
    Groups,
}

/// What numbers are made of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Writing {
    /// What a comma is.
    pub comma: Comma,
    /// What else parts groups of thousands: a blank, an apostrophe or a point.
    pub groups: Option<char>,
}

impl Writing {
    /// The mark between groups of thousands, if there is one.
    pub(crate) fn group_mark(self) -> Option<char> {
        if self.comma == Comma::Groups { Some(',') } else { self.groups }
    }

    fn points(self) -> &'static [u8] {
        match (self.comma, self.groups) {
            (_, Some('.')) => b",",
            (Comma::Decimal, _) => b".,",
            _ => b".",
        }
    }
}

fn digits(text: &[u8]) -> usize {
    text.iter().take_while(|byte| byte.is_ascii_digit()).count()
}

/// The length of the number with which `text` begins, if it begins with one.
pub(crate) fn length(text: &[u8], writing: Writing) -> Option<usize> {
    let sign = usize::from(matches!(text.first(), Some(b'+' | b'-')));
    let mut at = sign + digits(&text[sign..]);
    let points = writing.points();
    let fraction = |at: usize| match text.get(at) {
        Some(point) if points.contains(point) => match digits(&text[at + 1..]) {
            0 => 0,
            length => 1 + length,
        },
        _ => 0,
    };
    if at == sign {
        // A point may come first.
        let length = if text.get(at) == Some(&b'.') { fraction(at) } else { 0 };
        return (length > 0).then_some(at + length);
    }
    if let Some(mark) = writing.group_mark().filter(|_| at - sign <= 3) {
        let mut end = at;
        while text.get(end) == Some(&(mark as u8)) && digits(&text[end + 1..]) == 3 {
            end += 4;
        }
        let is_exponent = matches!(text.get(end), Some(b'e' | b'E'));
        at = if is_exponent { at } else { end };
    }
    at += fraction(at);
    if matches!(text.get(at), Some(b'e' | b'E')) {
        let signed = usize::from(matches!(text.get(at + 1), Some(b'+' | b'-')));
        let count = digits(&text[(at + 1 + signed).min(text.len())..]);
        let end = at + 1 + signed + count;
        let is_torn = text.get(end) == Some(&b'.') && text.get(end + 1).is_some_and(u8::is_ascii_digit);
        let is_word = text.get(end).is_some_and(|byte| byte.is_ascii_alphanumeric() || *byte == b'_');
        if (1..=3).contains(&count) && !is_torn && (!is_word || (signed > 0 && count >= 2)) {
            at = end;
        }
    }
    Some(at)
}

/// A number that was read.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Read {
    pub(crate) value: f64,
    pub(crate) decimals: usize,
    /// The digits as a whole number, without point and exponent.
    pub(crate) mantissa: i128,
    pub(crate) exponent: Option<i32>,
}

/// The value of a text that [`length`] found.
pub(crate) fn read(text: &str, writing: Writing) -> Option<Read> {
    let mark = writing.group_mark();
    let mut plain = String::with_capacity(text.len());
    for c in text.chars().filter(|c| Some(*c) != mark && *c != ' ') {
        plain.push(if c == ',' { '.' } else { c });
    }
    let (mantissa, exponent) = match plain.find(['e', 'E']) {
        Some(at) => (&plain[..at], Some(plain[at + 1..].parse::<i32>().ok()?)),
        None => (plain.as_str(), None),
    };
    let decimals = mantissa.split_once('.').map_or(0, |(_, fraction)| fraction.len());
    let digits: String = mantissa.chars().filter(|c| *c != '.' && *c != '+').collect();
    let whole = digits.parse::<i128>().unwrap_or_default();
    Some(Read { value: plain.parse().ok()?, decimals, mantissa: whole, exponent })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_ends_where_its_writing_says() {
        let point = Writing::default();
        let comma = Writing { comma: Comma::Decimal, ..point };
        let groups = Writing { comma: Comma::Groups, ..point };
        let blanks = Writing { groups: Some(' '), ..point };
        for (text, writing, found) in [
            ("-12.5V", point, Some(-12.5)),
            ("1,78", point, Some(1.0)),
            ("1,78", comma, Some(1.78)),
            ("492,221", groups, Some(492_221.0)),
            ("492,2211", groups, Some(492.0)),
            ("4921,221", groups, Some(4921.0)),
            ("12 345 67", blanks, Some(12_345.0)),
            ("2,6040E+07", comma, Some(26_040_000.0)),
            ("1e5.3", point, Some(1.0)),
            ("3em", point, Some(3.0)),
            (".5", point, Some(0.5)),
            ("-", point, None),
        ] {
            let value = length(text.as_bytes(), writing).and_then(|length| read(&text[..length], writing));
            assert_eq!(value.map(|read| read.value), found, "{text}");
        }
    }
}
