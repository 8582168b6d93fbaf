//! A formula's text to its words.

use super::FormulaError;

/// A word.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Word {
    Number(f64),
    /// A name; `true` when it stood in quotes.
    Name(String, bool),
    /// An operator, bracket or comma.
    Sign(&'static str),
    End,
}

/// Signs, longer ones first.
const SIGNS: [&str; 25] = [
    "<=", ">=", "==", "!=", "&&", "||", "**", "+", "-", "*", "/", "%", "^", "(", ")", ",", "<", ">", "!", "?", ":",
    "=", "×", "·", "÷",
];

pub(super) fn error<T>(column: usize, message: impl Into<String>) -> Result<T, FormulaError> {
    Err(FormulaError { column, message: message.into() })
}

/// The words with their columns from 1; the last one is [`Word::End`].
pub(super) fn words(text: &str) -> Result<Vec<(Word, usize)>, FormulaError> {
    let chars: Vec<char> = text.chars().collect();
    if chars.len() > super::MAX_LENGTH {
        return error(super::MAX_LENGTH, format!("a formula has at most {} characters", super::MAX_LENGTH));
    }
    let mut words = Vec::new();
    let mut at = 0;
    while at < chars.len() {
        let (c, column) = (chars[at], at + 1);
        let next = chars.get(at + 1).copied().unwrap_or(' ');
        if c.is_whitespace() {
            at += 1;
        } else if c.is_ascii_digit() || (c == '.' && next.is_ascii_digit()) {
            let length = number_length(&chars[at..]);
            let digits: String = chars[at..at + length].iter().collect();
            words.push((Word::Number(number(&digits, column)?), column));
            at += length;
            if let Some(c) = chars.get(at).filter(|c| is_name(**c) || **c == '.') {
                return error(at + 1, format!("'{c}' behind a number: write 2 * x, or 1e-3"));
            }
        } else if c.is_alphabetic() || c == '_' {
            let part = |i: usize| {
                let inner = |i: usize| chars.get(i).is_some_and(|c| is_name(*c));
                inner(i) || (chars.get(i) == Some(&'.') && inner(i + 1))
            };
            let end = (at..).find(|i| !part(*i)).unwrap_or(chars.len());
            words.push((Word::Name(chars[at..end].iter().collect(), false), column));
            at = end;
        } else if c == '\'' || c == '"' {
            let Some(length) = chars[at + 1..].iter().position(|other| *other == c) else {
                return error(column, "this quote is never closed");
            };
            words.push((Word::Name(chars[at + 1..at + 1 + length].iter().collect(), true), column));
            at += length + 2;
        } else {
            let rest: String = chars[at..chars.len().min(at + 2)].iter().collect();
            let Some(sign) = SIGNS.iter().find(|sign| rest.starts_with(**sign)) else {
                return error(column, format!("'{}' means nothing here", crate::tail::visible_char(c)));
            };
            at += sign.chars().count();
            let plain = match *sign {
                "**" => "^",
                "×" | "·" => "*",
                "÷" => "/",
                "=" => return error(column, "one = means nothing here: compare with =="),
                sign => sign,
            };
            words.push((Word::Sign(plain), column));
        }
    }
    words.push((Word::End, chars.len() + 1));
    Ok(words)
}

fn is_name(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}

/// The length of the number at the beginning of `chars`: digits, point, exponent, or hexadecimal.
fn number_length(chars: &[char]) -> usize {
    if chars.len() > 2 && chars[0] == '0' && matches!(chars[1], 'x' | 'X') {
        return 2 + chars[2..].iter().take_while(|c| c.is_ascii_hexdigit()).count();
    }
    let digits = |from: usize| chars[from.min(chars.len())..].iter().take_while(|c| c.is_ascii_digit()).count();
    let mut end = digits(0);
    if chars.get(end) == Some(&'.') {
        end += 1 + digits(end + 1);
    }
    if matches!(chars.get(end), Some('e' | 'E')) {
        let sign = usize::from(matches!(chars.get(end + 1), Some('+' | '-')));
        let power = digits(end + 1 + sign);
        if power > 0 {
            end += 1 + sign + power;
        }
    }
    end
}

fn number(digits: &str, column: usize) -> Result<f64, FormulaError> {
    let hex = digits.strip_prefix("0x").or_else(|| digits.strip_prefix("0X"));
    let value = match hex {
        Some(hex) => u64::from_str_radix(hex, 16).ok().map(|value| value as f64),
        None => digits.parse().ok(),
    };
    match value.filter(|value: &f64| value.is_finite()) {
        Some(value) => Ok(value),
        None => error(column, format!("{digits} is not a number")),
    }
}
