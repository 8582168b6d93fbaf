//! Addresses and versions: digits with signs between that are no reading.

/// The digits of the longest group of an identity, at least.
const LONG: usize = 8;

/// The length of the address or version at the start of `text`: six pairs of hexadecimal digits as in `3C:61:05:0A:F2:9B`,
/// groups of up to three digits with points between, three at least, as in `192.168.0.10` and `1.2.3`, or groups of
/// hexadecimal digits, letters among them, with dashes between, as in `28-0316a2794aff`.
pub(super) fn address(text: &[u8]) -> Option<usize> {
    let length = pairs(text).or_else(|| groups(text)).or_else(|| dashed(text))?;
    let goes_on = |byte: &u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b':' | b'-');
    let behind = &text[length..];
    let point = behind.first() == Some(&b'.') && behind.get(1).is_some_and(u8::is_ascii_alphanumeric);
    // A name's sign may follow.
    let named = behind.first() == Some(&b':') && !behind.get(1).is_some_and(u8::is_ascii_alphanumeric);
    (named || !(point || behind.first().is_some_and(goes_on))).then_some(length)
}

/// `text` without the addresses in it: a comma stands for each.
pub(super) fn without_addresses(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    let mut begins = true;
    while let Some(c) = rest.chars().next() {
        match if begins { address(rest.as_bytes()) } else { None } {
            Some(length) => {
                out.push_str(" , ");
                rest = &rest[length..];
            }
            None => {
                out.push(c);
                rest = &rest[c.len_utf8()..];
            }
        }
        begins = !c.is_alphanumeric() && c != '.' && c != '_';
    }
    out
}

fn pairs(text: &[u8]) -> Option<usize> {
    let text = text.get(..17)?;
    let sign = text[2];
    let is_pair = |pair: &[u8]| pair[..2].iter().all(u8::is_ascii_hexdigit) && pair.get(2).is_none_or(|b| *b == sign);
    (matches!(sign, b':' | b'-') && text.chunks(3).all(is_pair)).then_some(17)
}

fn groups(text: &[u8]) -> Option<usize> {
    let (mut at, mut count) = (0, 0);
    loop {
        let digits = text[at..].iter().take_while(|b| b.is_ascii_digit()).count();
        if !(1..=3).contains(&digits) {
            return None;
        }
        (at, count) = (at + digits, count + 1);
        if text.get(at) != Some(&b'.') || !text.get(at + 1).is_some_and(u8::is_ascii_digit) {
            return (count >= 3).then_some(at);
        }
        at += 1;
    }
}

fn dashed(text: &[u8]) -> Option<usize> {
    let length = text.iter().take_while(|b| b.is_ascii_hexdigit() || **b == b'-').count();
    let text = &text[..length];
    let groups = || text.split(|b| *b == b'-');
    let sound = groups().count() >= 2 && groups().all(|group| group.len() >= 2);
    let telling = groups().any(|group| group.len() >= LONG) && text.iter().any(u8::is_ascii_alphabetic);
    (sound && telling).then_some(length)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_told_from_readings() {
        for (text, length) in [
            ("3C:61:05:0A:F2:9B rssi", Some(17)),
            ("3c-61-05-0a-f2-9b", Some(17)),
            ("3C:61:05:0A:F2:9B: -70", Some(17)),
            ("192.168.0.10 v", Some(12)),
            ("1.2.3", Some(5)),
            ("3C:61:05:0A:F2:9B:11", None),
            ("3C:61-05:0A:F2:9B", None),
            ("12:59:00", None),
            ("1.234", None),
            ("05.03.2024", None),
            ("1.2.3.", Some(5)),
            ("1.2.3x", None),
            ("28-0316a2794aff: 21.5", Some(15)),
            ("550e8400-e29b-41d4-a716-446655440000", Some(36)),
            ("12-20250301", None),
            ("-0316a2794aff", None),
            ("", None),
        ] {
            assert_eq!(address(text.as_bytes()), length, "{text}");
        }
        assert_eq!(without_addresses("fw 1.2.3 v "), "fw  ,  v ");
        assert_eq!(without_addresses("a1.2.3 µ"), "a1.2.3 µ");
    }
}
