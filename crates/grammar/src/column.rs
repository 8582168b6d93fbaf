//! A place of a template over all its lines: what it is, and what it costs.

use crate::bits::{self, prior};
use crate::lex::{Kind, Options, Token, is_gap_word};
use crate::moment;
use crate::number::{self, Comma};
use std::cell::RefCell;
use std::collections::{HashMap, HashSet};

/// What a column is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    /// The same word on each line.
    Text,
    /// The same word on each line, where others may come.
    Single,
    /// Nothing on each line.
    Empty,
    /// Dates or times of day.
    Moment,
    /// Numbers.
    Number,
    /// The same number on each line.
    Constant,
    /// One of a few words.
    Words,
    /// Words without end.
    Free,
}

/// How its numbers are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Base {
    #[default]
    Decimal,
    /// With leading zeros to an even width.
    Zeros,
    Hex,
    Binary,
}

/// A column of a template.
#[derive(Clone, Debug)]
pub(crate) struct Column {
    pub(crate) role: Role,
    /// One for each line; none is a gap.
    pub(crate) values: Vec<Option<f64>>,
    pub(crate) bits: f64,
    /// The words of the codes 0, 1, 2 …
    pub(crate) words: Vec<String>,
    pub(crate) base: Base,
}

impl Column {
    fn new(role: Role, values: Vec<Option<f64>>, bits: f64) -> Column {
        Column { role, values, bits, words: Vec::new(), base: Base::Decimal }
    }

    /// How often each of its words comes.
    pub(crate) fn counts(&self) -> Vec<usize> {
        let count = |code: usize| self.values.iter().filter(|value| **value == Some(code as f64)).count();
        (0..self.words.len()).map(count).collect()
    }

    /// Whether it carries a value.
    pub(crate) fn is_slot(&self) -> bool {
        !matches!(self.role, Role::Text | Role::Empty)
    }

    /// Whether it is one that a table has.
    pub(crate) fn is_told(&self) -> bool {
        self.is_slot() && !matches!(self.role, Role::Free | Role::Single)
    }
}

/// Judges columns; the same one is judged once.
#[derive(Debug, Default)]
pub(crate) struct Judge<'a> {
    known: RefCell<HashMap<(number::Writing, Vec<Token<'a>>), Column>>,
}

impl<'a> Judge<'a> {
    /// The cheapest reading of a column.
    pub(crate) fn column(&self, tokens: Vec<Token<'a>>, options: &Options) -> Column {
        let key = (options.writing, tokens);
        if let Some(column) = self.known.borrow().get(&key) {
            return column.clone();
        }
        let column = judged(&key.1, options);
        self.known.borrow_mut().insert(key, column.clone());
        column
    }
}

/// How often each text comes, in the order in which they come first.
pub(crate) fn distinct<'t>(texts: impl Iterator<Item = &'t str>) -> Vec<(&'t str, usize)> {
    let mut places: HashMap<&str, usize> = HashMap::new();
    let mut found: Vec<(&str, usize)> = Vec::new();
    for text in texts {
        let place = *places.entry(text).or_insert(found.len());
        match found.get_mut(place) {
            Some((_, count)) => *count += 1,
            None => found.push((text, 1)),
        }
    }
    found
}

fn judged(tokens: &[Token<'_>], options: &Options) -> Column {
    let n = tokens.len();
    let count = |kind: Kind| tokens.iter().filter(|token| token.kind == kind).count();
    let first = tokens[0];
    if matches!(first.kind, Kind::Word | Kind::Gap | Kind::Empty) && tokens.iter().all(|token| token.text == first.text)
    {
        return match first.kind {
            Kind::Word => {
                Column::new(Role::Text, vec![None; n], prior::TEXT_CHARACTER * first.text.chars().count() as f64)
            }
            _ => Column::new(Role::Empty, vec![None; n], 1.0),
        };
    }
    let (moments, words) = (count(Kind::Moment), count(Kind::Word));
    let (empty, gaps) = (count(Kind::Empty), count(Kind::Gap));
    let numbers = n - words - empty - gaps;
    if moments * 2 > n && moments >= count(Kind::Number) {
        return moments_of(tokens);
    }
    let said = n - empty - gaps;
    if numbers > 0
        && (numbers as f64 >= 0.3 * said as f64 || numbers > gaps + empty + words)
        && let Some(column) = numbers_of(tokens, options)
    {
        return column;
    }
    words_of(tokens)
}

fn moments_of(tokens: &[Token<'_>]) -> Column {
    let read: Vec<Option<(f64, usize)>> =
        tokens.iter().map(|token| moment::seconds(token.text).filter(|_| token.kind == Kind::Moment)).collect();
    let decimals = read.iter().flatten().map(|(_, decimals)| *decimals).max().unwrap_or(0).min(6);
    let per_second = 10f64.powi(decimals as i32);
    let ticks: Vec<i128> = read.iter().flatten().map(|(seconds, _)| (seconds * per_second).round() as i128).collect();
    let lost = (tokens.len() - ticks.len()) as f64;
    let bits = bits::clock(&ticks, per_second as i128) + 8.0 * lost;
    Column::new(Role::Moment, read.iter().map(|read| read.map(|(seconds, _)| seconds)).collect(), bits)
}

/// The number of a token, as whole number with a count of decimals.
pub(crate) fn number_of(token: &Token<'_>, base: Base, options: &Options) -> Option<number::Read> {
    let whole = |value: i128| number::Read { value: value as f64, decimals: 0, mantissa: value, exponent: None };
    let radix = |text: &str, radix: u32| i128::from_str_radix(text, radix).ok().map(whole);
    let text = token.text;
    match token.kind {
        Kind::Prefixed => match text.strip_prefix("0b").or_else(|| text.strip_prefix('B')) {
            Some(digits) => radix(digits, 2),
            None => radix(text.trim_start_matches(['#', '$']).trim_start_matches("0x").trim_start_matches("0X"), 16),
        },
        Kind::Hex | Kind::Number if base == Base::Binary => radix(text, 2),
        Kind::Hex | Kind::Number if base == Base::Hex && text.bytes().all(|b| b.is_ascii_hexdigit()) => radix(text, 16),
        Kind::Hex => radix(text, 10),
        Kind::Number if base != Base::Hex => {
            number::read(text, options.writing).filter(|read| read.value.abs() <= 1e18 || read.exponent.is_some())
        }
        _ => None,
    }
}

fn numbers_of(tokens: &[Token<'_>], options: &Options) -> Option<Column> {
    let bare = || tokens.iter().filter(|token| matches!(token.kind, Kind::Number | Kind::Hex));
    let has_letters = |text: &str| text.bytes().any(|b| b.is_ascii_alphabetic());
    let width = bare().next().map_or(0, |token| token.text.len());
    let is_even = bare().all(|token| token.text.len() == width);
    let is_binary = is_even
        && width >= 4
        && bare().all(|token| token.text.bytes().all(|b| matches!(b, b'0' | b'1')))
        && bare().any(|token| token.text.starts_with('0'))
        && bare().count() * 2 > tokens.len();
    let is_hex = tokens.iter().any(|token| token.kind == Kind::Hex && has_letters(token.text));
    let has_zeros = |token: &Token<'_>| {
        token.text.len() > 1 && token.text.starts_with('0') && token.text.as_bytes()[1].is_ascii_digit()
    };
    let base = match () {
        () if is_binary => Base::Binary,
        () if is_hex => Base::Hex,
        () if is_even && bare().any(has_zeros) => Base::Zeros,
        () => Base::Decimal,
    };
    let read: Vec<Option<number::Read>> = tokens.iter().map(|token| number_of(token, base, options)).collect();
    let real: Vec<number::Read> = read.iter().flatten().copied().collect();
    let first = real.first()?;
    let mut form = 8.0;
    if let Some(mark) = options.writing.group_mark() {
        let groups: Vec<usize> = bare().map(|token| token.text.matches(mark).count()).collect();
        if groups.iter().any(|count| *count > 0) {
            let alike = groups.windows(2).all(|pair| pair[0] == pair[1]);
            form += match (mark, options.writing.comma) {
                ('\'', _) => 0.0,
                (_, Comma::Groups) => 3.0,
                _ if alike => prior::GROUPS_ALIKE,
                _ => prior::GROUPS_ALIKE * 0.3,
            };
        }
    }
    if base == Base::Zeros && options.writing.comma == Comma::Decimal && bare().any(|token| token.text.contains(',')) {
        form += prior::ZEROS_BEFORE_COMMA;
    }
    let exponents = real.iter().filter(|read| read.exponent.is_some()).count();
    let cost = if first.exponent.is_some() && exponents * 2 > real.len() {
        let powers = bits::alphabet(real.iter().map(|read| read.exponent.unwrap_or(0)));
        let mantissas: Vec<i128> = real.iter().map(|read| read.mantissa).collect();
        bits::symbols(&powers, 1) + bits::whole(&mantissas)
    } else {
        let kinds: HashSet<usize> = real.iter().map(|read| read.decimals).collect();
        let usual = |decimals: &usize| real.iter().filter(|read| read.decimals == *decimals).count();
        let decimals = match kinds.len() {
            0..=3 => kinds.iter().max().copied(),
            _ => kinds.iter().max_by_key(|decimals| (usual(decimals), **decimals)).copied(),
        }
        .unwrap_or(0);
        if kinds.len() > 1 {
            form += 2.0 * real.iter().filter(|read| read.decimals != decimals).count() as f64;
        }
        let scaled = |read: &number::Read| match read.exponent {
            None if decimals >= read.decimals => {
                read.mantissa.saturating_mul(10i128.saturating_pow((decimals - read.decimals).min(30) as u32))
            }
            _ => (read.value * 10f64.powi(decimals as i32)).round() as i128,
        };
        bits::whole(&real.iter().map(|read| scaled(read).clamp(-(1 << 100), 1 << 100)).collect::<Vec<i128>>())
    };
    let missing: Vec<&str> =
        tokens.iter().zip(&read).filter(|(_, read)| read.is_none()).map(|(token, _)| token.text).collect();
    let mut gaps = 0.0;
    if !missing.is_empty() {
        let kinds = distinct(missing.iter().copied());
        let odd = missing.iter().filter(|text| !text.is_empty() && !is_gap_word(text.trim_matches('"'))).count();
        gaps +=
            kinds.iter().map(|(text, _)| prior::RAW_CHARACTER * text.chars().count() as f64 * 0.6 + 6.0).sum::<f64>();
        gaps += bits::symbols(&read.iter().map(|read| usize::from(read.is_none())).collect::<Vec<usize>>(), 1);
        gaps += 16.0 * (kinds.len() as f64 - 1.0) + 6.0 * odd as f64;
    }
    let values: Vec<Option<f64>> = read.iter().map(|read| read.map(|read| read.value)).collect();
    let is_constant = values.iter().all(|value| *value == values[0]);
    let role = if is_constant { Role::Constant } else { Role::Number };
    let is_prefixed = tokens.iter().any(|token| token.kind == Kind::Prefixed);
    let mut column = Column::new(role, values, cost + gaps + form);
    column.base = if is_prefixed && base == Base::Decimal { Base::Hex } else { base };
    Some(column)
}

/// Words for off and on, in this order: these are 0 and 1 whichever comes first.
const PAIRS: [(&str, &str); 19] = [
    ("low", "high"),
    ("off", "on"),
    ("closed", "open"),
    ("close", "open"),
    ("false", "true"),
    ("no", "yes"),
    ("released", "pressed"),
    ("not pressed", "pressed"),
    ("up", "down"),
    ("inactive", "active"),
    ("idle", "active"),
    ("l", "h"),
    ("n", "y"),
    ("f", "t"),
    ("dry", "wet"),
    ("clear", "blocked"),
    ("disabled", "enabled"),
    ("stop", "run"),
    ("disconnected", "connected"),
];

/// Whether a word is one of the usual ones for off and on.
pub(crate) fn is_state(word: &str) -> bool {
    PAIRS.iter().any(|(off, on)| word.eq_ignore_ascii_case(off) || word.eq_ignore_ascii_case(on))
}

/// The most words of a column that has codes.
const MOST_WORDS: usize = 12;

fn words_of(tokens: &[Token<'_>]) -> Column {
    let texts: Vec<&str> = tokens.iter().map(|token| token.text).collect();
    let kinds = distinct(texts.iter().copied());
    if kinds.len() > MOST_WORDS || (kinds.len() as f64 * 2.5 > texts.len() as f64 && kinds.len() > 3) {
        return Column::new(Role::Free, vec![None; texts.len()], texts.iter().map(|text| bits::spelled(text)).sum());
    }
    let is_gap = |text: &str| {
        text.is_empty() || (is_gap_word(text) && !matches!(text.to_ascii_lowercase().as_str(), "err" | "error"))
    };
    let mut states: Vec<&str> = kinds.iter().map(|(text, _)| *text).filter(|text| !is_gap(text)).collect();
    // One word and a word for nothing are two states.
    if states.len() < 2 {
        states = kinds.iter().map(|(text, _)| *text).filter(|text| !text.is_empty()).collect();
    }
    if let [first, second] = states[..]
        && PAIRS.iter().any(|(off, on)| first.eq_ignore_ascii_case(on) && second.eq_ignore_ascii_case(off))
    {
        states.swap(0, 1);
    }
    let code = |text: &&str| states.iter().position(|state| state == text).map(|code| code as f64);
    let mut column = Column::new(Role::Words, texts.iter().map(code).collect(), bits::words(&texts));
    column.words = states.into_iter().map(str::to_owned).collect();
    column
}
