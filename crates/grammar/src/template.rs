//! Lines of one form: the same marks with the same places for values between.

use crate::bits::{self, prior};
use crate::column::{Base, Column, Judge, Role, distinct, is_state};
use crate::lex::{Kind, Options, Token, is_gap_word};
use crate::units;
use std::collections::{BTreeSet, HashMap, HashSet};

/// Lines of one form.
#[derive(Clone, Debug)]
pub(crate) struct Template<'a> {
    /// The numbers of its lines, rising.
    pub(crate) lines: Vec<usize>,
    /// Their tokens, as many on each.
    pub(crate) rows: Vec<Vec<Token<'a>>>,
    /// Where among the tokens the atoms are.
    pub(crate) atoms: Vec<usize>,
    /// A column for each atom.
    pub(crate) columns: Vec<Column>,
    /// The words or numbers by which it was parted from lines of the same form.
    pub(crate) keys: Vec<String>,
    /// Its place among lines of the same form that come in turn.
    pub(crate) turn: Option<usize>,
    /// Whether a token and the next one are parts of one phrase.
    pub(crate) joined: Vec<bool>,
    /// The variants that were seen.
    pub(crate) variants: Vec<Variant>,
    /// The places among its atoms of fields that need not be there.
    pub(crate) optional: Vec<usize>,
    /// What it costs to tell which of these are there.
    pub(crate) presence: f64,
    pub(crate) bits: f64,
}

/// How the tokens of a template may stand on a line.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Variant {
    /// Which of them are there.
    pub(crate) there: Vec<bool>,
    /// Whether a token and the next one are parts of one phrase.
    pub(crate) joined: Vec<bool>,
}

/// A part of a form as others see it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Item<'a> {
    Text(&'a str),
    Slot(Role),
}

impl<'a> Template<'a> {
    pub(crate) fn new(
        lines: Vec<usize>,
        mut rows: Vec<Vec<Token<'a>>>,
        joined: Vec<bool>,
        keys: Vec<String>,
        judge: &Judge<'a>,
        options: &Options,
    ) -> Template<'a> {
        let joined = part_phrases(&mut rows, joined);
        let atoms: Vec<usize> = (0..rows[0].len()).filter(|place| rows[0][*place].is_atom()).collect();
        let column = |place: &usize| judge.column(rows.iter().map(|row| row[*place]).collect(), options);
        let mut columns: Vec<Column> = atoms.iter().map(column).collect();
        for (column, place) in columns.iter_mut().zip(&atoms) {
            let is_key = keys.iter().any(|key| key == rows[0][*place].text);
            let is_value = is_value_of_name(&rows[0], *place) || is_cell(&rows[0], *place);
            if column.role == Role::Text && !is_key && is_value {
                column.role = Role::Single;
                column.words = vec![rows[0][*place].text.to_owned()];
            }
            if column.role == Role::Constant && is_number_of_name(&rows[0], *place) {
                let text = rows[0][*place].text.len() as f64;
                *column = Column { role: Role::Text, bits: prior::TEXT_CHARACTER * text, ..column.clone() };
            }
        }
        // Where numbers alone stand beside, a state that never changed is one.
        let has_names = rows[0].iter().any(|token| matches!(token.text, ":" | "="));
        let words = columns.iter().filter(|column| column.role == Role::Text).count();
        if !has_names && words == 1 && columns.iter().any(|column| column.role == Role::Number) {
            let own = columns.iter_mut().zip(&atoms).filter(|(column, _)| column.role == Role::Text);
            for (column, place) in own.filter(|(_, place)| is_state(rows[0][**place].text)) {
                column.role = Role::Single;
                column.words = vec![rows[0][*place].text.to_owned()];
            }
        }
        let variants = vec![Variant { there: vec![true; rows[0].len()], joined: joined.clone() }];
        let mut template = Template {
            lines,
            rows,
            atoms,
            columns,
            keys,
            turn: None,
            joined,
            variants,
            optional: Vec::new(),
            presence: 0.0,
            bits: 0.0,
        };
        template.weigh();
        template
    }

    /// What it costs: its text once, its slots, and habits that it breaks.
    pub(crate) fn weigh(&mut self) {
        let text = self.rows[0].iter().filter(|token| !token.is_atom());
        let mut bits =
            prior::TEMPLATE + prior::TEXT_CHARACTER * text.map(|token| token.text.len()).sum::<usize>() as f64;
        let (mut marks, mut slots, mut named, mut zeros) = (HashSet::new(), 0.0, 0.0, 0.0);
        let (mut is_named, mut run, mut at) = (false, String::new(), 0);
        let mut has_word = false;
        for token in &self.rows[0] {
            if !token.is_atom() {
                if !has_word {
                    run += token.text;
                }
                continue;
            }
            let column = &self.columns[at];
            at += 1;
            bits += column.bits
                + match column.role {
                    Role::Text | Role::Empty | Role::Single => 0.0,
                    Role::Words => prior::WORD_SLOT,
                    _ => prior::SLOT,
                };
            zeros += f64::from(u8::from(column.base == Base::Zeros));
            if column.role == Role::Text {
                (is_named, has_word) = (true, true);
                continue;
            }
            if slots > 0.0 && !has_word && column.role != Role::Empty {
                marks.insert(run.clone());
            }
            slots += 1.0;
            named += f64::from(u8::from(is_named));
            (is_named, has_word) = (false, false);
            run.clear();
        }
        let is_fraction = |place: usize, column: &Column| {
            let at = self.atoms[place];
            let token = |back: usize| at.checked_sub(back).and_then(|at| self.rows[0].get(at));
            // Where both are padded, they are numbers of a fixed width.
            let is_padded = place > 0 && self.columns[place - 1].base == Base::Zeros;
            column.base == Base::Zeros
                && !is_padded
                && !self.rows[0][at].is_apart
                && token(1).is_some_and(|token| token.text == "," && !token.is_apart)
                && token(2).is_some_and(|token| token.kind == Kind::Number)
                && token(3).is_none_or(|token| token.text != ",")
                && self.rows[0].get(at + 1).is_none_or(|token| token.text != ",")
        };
        let fractions = self.columns.iter().enumerate().filter(|(place, column)| is_fraction(*place, column)).count();
        bits += prior::ZEROS_BEHIND_COMMA * fractions as f64;
        bits += prior::SECOND_MARK * (marks.len() as f64 - 1.0).max(0.0) + prior::ZEROS * zeros;
        if named * 2.0 > slots {
            bits += prior::UNNAMED * (slots - named);
        }
        self.bits = bits + self.presence;
    }

    /// Its texts and slots, in order.
    pub(crate) fn items(&self) -> Vec<Item<'a>> {
        let mut at = 0;
        let item = |token: &Token<'a>| {
            if !token.is_atom() {
                return Item::Text(token.text);
            }
            at += 1;
            match self.columns[at - 1].role {
                Role::Text => Item::Text(token.text),
                role => Item::Slot(role),
            }
        };
        self.rows[0].iter().map(item).collect()
    }

    /// How many columns carry a value that is told.
    pub(crate) fn slots(&self) -> usize {
        self.columns.iter().filter(|column| column.is_told()).count()
    }

    /// How many of them vary.
    pub(crate) fn varying(&self) -> usize {
        let varies = |column: &&Column| matches!(column.role, Role::Number | Role::Words | Role::Moment);
        self.columns.iter().filter(varies).count()
    }

    /// Whether atom `place` may tell what the rest of the line is of: near the start, with a value behind.
    fn may_be_a_key(&self, place: usize) -> bool {
        let behind = self.columns.get(place + 1..).unwrap_or_default();
        let slots = self.columns[..place].iter().filter(|column| column.is_slot()).count();
        slots < 3 && behind.iter().any(Column::is_slot)
    }

    /// Whether it is a name, a mark and a number: `Battery: 3.00 V`.
    pub(crate) fn is_reading(&self) -> bool {
        is_reading(&self.rows[0]) && self.rows[0].len() <= 6
    }

    /// Whether this mark stands right between two values.
    pub(crate) fn is_parted_by(&self, mark: &str) -> bool {
        self.rows[0].windows(3).any(|part| part[0].is_number() && part[1].text == mark && part[2].is_number())
    }

    /// The name in front of the value at atom `place`, and the value, where it is a word behind a name.
    pub(crate) fn named_word(&self, place: usize) -> Option<(&'a str, &'a str)> {
        let row = &self.rows[0];
        let at = self.atoms[place];
        let name = row[..at].iter().rev().find(|token| token.kind == Kind::Word)?;
        self.is_value_of_name(place).then_some((name.text, row[at].text))
    }

    /// Whether atom `place` stands where the value of a name does.
    pub(crate) fn is_value_of_name(&self, place: usize) -> bool {
        is_value_of_name(&self.rows[0], self.atoms[place])
    }

    /// Whether atom `place` stands where the name of a value does: in front of a colon or an equals sign, perhaps in quotes.
    pub(crate) fn is_name_of_value(&self, place: usize) -> bool {
        let mut behind = self.rows[0][self.atoms[place] + 1..].iter().map(|token| token.text);
        let mark = match behind.next() {
            Some("\"" | "'") => behind.next(),
            mark => mark,
        };
        matches!(mark, Some(":" | "=")) && self.columns[place + 1..].iter().any(Column::is_slot)
    }

    /// The mark behind atom `place`, if one is there.
    fn mark_behind(&self, place: usize) -> Option<&'a str> {
        self.rows[0].get(self.atoms[place] + 1).filter(|token| !token.is_atom()).map(|token| token.text)
    }
}

/// Whether the word at `place` is a cell of a list by itself, behind another one.
fn is_cell(row: &[Token<'_>], place: usize) -> bool {
    let mark =
        |at: Option<usize>| at.and_then(|at| row.get(at)).filter(|token| !token.is_atom()).map(|token| token.text);
    let is_delimiter = |mark: &str| matches!(mark, "," | ";" | "|" | "\t");
    // Where words stand between a number and this mark, they are names: so is this one.
    let is_name = |four: &[Token<'_>]| {
        four[0].is_number()
            && four[1].kind == Kind::Word
            && !units::is_unit(four[1].text)
            && is_delimiter(four[2].text)
            && four[3].is_number()
    };
    if row.windows(4).any(is_name) {
        return false;
    }
    let before = mark(place.checked_sub(1)).filter(|mark| is_delimiter(mark));
    let behind = place + 1 == row.len() || mark(Some(place + 1)) == before;
    let is_list = row.iter().filter(|token| token.is_atom()).count() > 1
        && row.iter().all(|token| token.is_atom() || !matches!(token.text, ":" | "="));
    before.is_some() && behind && is_list
}

/// Whether the number at `place` is a part of a name: `Sensor 1=`.
fn is_number_of_name(row: &[Token<'_>], place: usize) -> bool {
    // `bed-1: 574`
    let text = row[place].text.trim_start_matches(if row[place].is_apart { ' ' } else { '-' });
    let is_part = |b: u8| b.is_ascii_digit() || (b == b'.' && !row[place].is_apart);
    let is_digits = text.len() < 4 && text.bytes().all(is_part);
    let is_behind_word = place.checked_sub(1).is_some_and(|before| row[before].kind == Kind::Word);
    // `sensor[0] 512`
    let close = |at: Option<usize>, text: &str| {
        at.and_then(|at| row.get(at)).is_some_and(|token| token.text == text && !token.is_apart)
    };
    let has_value = row.get(place + 2).is_some_and(|token| token.is_number() || matches!(token.text, ":" | "=" | "\t"));
    let is_subscript = close(place.checked_sub(1), "[")
        && close(Some(place + 1), "]")
        && place.checked_sub(2).is_some_and(|before| row[before].kind == Kind::Word)
        && has_value;
    if is_digits && is_subscript && !row[place].is_apart {
        return true;
    }
    is_digits && is_behind_word && row.get(place + 1).is_some_and(|token| matches!(token.text, ":" | "="))
}

/// Whether the word at `place` stands where the value of a name does: `state=IDLE`, `"id": "a1"`.
fn is_value_of_name(row: &[Token<'_>], place: usize) -> bool {
    let mark =
        |at: Option<usize>| at.and_then(|at| row.get(at)).filter(|token| !token.is_atom()).map(|token| token.text);
    let is_word = |at: Option<usize>| at.and_then(|at| row.get(at)).is_some_and(|token| token.kind == Kind::Word);
    let quotes = |at: Option<usize>| matches!(mark(at), Some("\"" | "'"));
    let open = quotes(place.checked_sub(1));
    let colon = place.checked_sub(if open { 2 } else { 1 });
    let is_colon = matches!(mark(colon), Some(":" | "="));
    let named = colon.and_then(|at| at.checked_sub(1));
    let is_named = is_word(named) || (quotes(named) && is_word(named.and_then(|at| at.checked_sub(1))));
    let behind = mark(Some(place + if open { 2 } else { 1 }));
    // A name of its own, or the words in front of a number.
    let is_arrow = behind == Some("-") && mark(Some(place + 2)) == Some(">");
    let is_name =
        matches!(behind, Some(":" | "=" | "(" | "[")) || is_arrow || row.get(place + 1).is_some_and(Token::is_number);
    is_colon && is_named && !is_name
}

/// Phrases that differ are parted into the words that stay and those that change. Takes and gives whether a token and the next
/// one are parts of one phrase.
fn part_phrases(rows: &mut [Vec<Token<'_>>], mut joined: Vec<bool>) -> Vec<bool> {
    let mut place = 0;
    while place < rows[0].len() {
        let parts = part_phrase(rows, place).unwrap_or(1);
        joined.splice(place..place, (1..parts).map(|_| true));
        place += parts;
    }
    joined
}

/// Whether the phrase at `place` is a usual state behind a name, and the next name: `door: open lid: …`.
fn is_state_and_name(row: &[Token<'_>], place: usize) -> bool {
    let is_mark = |token: Option<&Token<'_>>| token.is_some_and(|token| matches!(token.text, ":" | "="));
    is_mark(place.checked_sub(1).and_then(|before| row.get(before)))
        && is_mark(row.get(place + 1))
        && row[place].text.split(' ').next().is_some_and(is_state)
}

/// Parts the phrases at `place`, and gives how many tokens came of each.
fn part_phrase(rows: &mut [Vec<Token<'_>>], place: usize) -> Option<usize> {
    let is_word = |row: &Vec<Token<'_>>| row[place].kind == Kind::Word;
    let count = rows.iter().filter(|row| is_word(row)).count();
    let kinds = distinct(rows.iter().filter(|row| is_word(row)).map(|row| row[place].text));
    if let [(text, _)] = kinds[..]
        && count == rows.len()
        && is_state_and_name(&rows[0], place)
        && let Some(at) = text.find(' ')
    {
        for row in rows {
            let token = row[place];
            let piece = |text, is_apart| Token { kind: Kind::Word, text, is_apart };
            row.splice(place..=place, [piece(&token.text[..at], token.is_apart), piece(&token.text[at + 1..], true)]);
        }
        return Some(2);
    }
    if count * 2 <= rows.len() || kinds.len() < 2 || !kinds.iter().any(|(text, _)| text.contains(' ')) {
        return None;
    }
    let phrases: Vec<Vec<&str>> = kinds.iter().map(|(text, _)| text.split(' ').collect()).collect();
    let shortest = phrases.iter().map(Vec::len).min()?;
    let is_even = count == rows.len() && phrases.iter().all(|words| words.len() == shortest);
    let agree = |place: usize, front: bool| {
        let word = |words: &Vec<&'_ str>| if front { words[place] } else { words[words.len() - 1 - place] }.to_owned();
        phrases.iter().all(|words| word(words) == word(&phrases[0]))
    };
    let (mut front, mut back) = (0, 0);
    if !is_even {
        while front < shortest && agree(front, true) {
            front += 1;
        }
        while back < shortest - front && agree(back, false) {
            back += 1;
        }
        if front + back >= shortest {
            if back > 0 { back -= 1 } else { front -= 1 }
        }
        if count < rows.len() && front + back > 0 {
            return None;
        }
    }
    let parts = if is_even { shortest } else { front + back + 1 };
    if parts == 1 {
        return None;
    }
    for row in rows {
        let token = row[place];
        // Words are parted where single blanks or the bounds of the middle are.
        let starts: Vec<usize> =
            std::iter::once(0).chain(token.text.match_indices(' ').map(|(at, _)| at + 1)).collect();
        let words = starts.len();
        let bounds: Vec<(usize, usize)> = match is_even {
            true => (0..words).map(|word| (word, word + 1)).collect(),
            false => (0..front)
                .map(|word| (word, word + 1))
                .chain([(front, words - back)])
                .chain((words - back..words).map(|word| (word, word + 1)))
                .collect(),
        };
        let piece = |(from, to): (usize, usize)| {
            let end = starts.get(to).map_or(token.text.len(), |start| start - 1);
            let text = &token.text[starts[from]..end];
            Token {
                kind: if is_even && is_gap_word(text) { Kind::Gap } else { Kind::Word },
                text,
                is_apart: from > 0 || token.is_apart,
            }
        };
        row.splice(place..=place, bounds.into_iter().map(piece));
    }
    Some(parts)
}

/// Whether these tokens begin with a name, a mark and a number.
pub(crate) fn is_reading(tokens: &[Token<'_>]) -> bool {
    let Some((name, rest)) = tokens.split_first() else { return false };
    let marks = rest.iter().take_while(|token| matches!(token.text, ":" | "=" | "-" | ">" | "->" | "\t")).count();
    name.kind == Kind::Word
        && (1..=3).contains(&marks)
        && rest.get(marks).is_some_and(|token| token.kind == Kind::Number)
}

/// A way to take the lines of one form: as they are, or parted by a word or number that tells what the rest is of.
#[derive(Clone, Debug)]
pub(crate) struct Parted<'a> {
    pub(crate) bits: f64,
    pub(crate) templates: Vec<Template<'a>>,
    /// The atom by which they are parted.
    pub(crate) by: Option<usize>,
    /// Lines of keys that come too rarely to be any.
    pub(crate) lost: Vec<usize>,
    /// The keys come in turn, which was taken off the bits.
    pub(crate) is_in_turn: bool,
}

/// The most values of a key.
const MOST_KEYS: usize = 16;

/// The ways to take the lines of a form, the cheapest first.
pub(crate) fn ways<'a>(
    whole: &Template<'a>,
    depth: usize,
    blank: &BTreeSet<usize>,
    is_first_alike: bool,
    judge: &Judge<'a>,
    options: &Options,
) -> Vec<Parted<'a>> {
    let mut ways = vec![Parted {
        bits: whole.bits,
        templates: vec![whole.clone()],
        by: None,
        lost: Vec::new(),
        is_in_turn: false,
    }];
    if depth <= 1 && whole.lines.len() >= 4 {
        ways.extend((0..whole.columns.len()).filter_map(|place| by_key(whole, place, judge, options)));
    }
    if depth == 0 {
        ways.extend(in_turn(whole, blank, is_first_alike, judge, options));
    }
    ways.sort_by(|a, b| a.bits.total_cmp(&b.bits));
    ways
}

/// The most lines of one form that make a row.
const MOST_TURNS: usize = 8;

/// The ways to take lines of bare numbers as rows of several lines, told apart by their order alone.
fn in_turn<'a>(
    whole: &Template<'a>,
    blank: &BTreeSet<usize>,
    is_first_alike: bool,
    judge: &Judge<'a>,
    options: &Options,
) -> Vec<Parted<'a>> {
    let is_number = |column: &Column| matches!(column.role, Role::Number | Role::Constant);
    if whole.columns.len() > 3 || !whole.columns.iter().all(is_number) || whole.lines.len() < 6 {
        return Vec::new();
    }
    // Where blank lines part them, the place in a block is the place in the turn.
    let mut in_block: Vec<usize> = Vec::with_capacity(whole.lines.len());
    // The very first line is no evidence, but it has its place.
    let offset = usize::from(is_first_alike);
    for (index, line) in whole.lines.iter().enumerate() {
        let before = index.checked_sub(1).map(|before| whole.lines[before]);
        let is_first = before.is_none_or(|before| blank.range(before..*line).next().is_some());
        in_block.push(if is_first {
            if index == 0 { offset } else { 0 }
        } else {
            in_block.last().map_or(0, |place| place + 1)
        });
    }
    let blocks = in_block.iter().filter(|place| **place == 0).count();
    let most = in_block.iter().max().map_or(0, |most| most + 1);
    let cut = |places: &dyn Fn(usize) -> usize, turns: usize, cost: f64| {
        let mut templates: Vec<Template<'a>> = Vec::with_capacity(turns);
        for turn in 0..turns {
            let own: Vec<usize> = (0..whole.lines.len()).filter(|index| places(*index) == turn).collect();
            if own.len() < 2 {
                return None;
            }
            let lines = own.iter().map(|index| whole.lines[*index]).collect();
            let rows = own.iter().map(|index| whole.rows[*index].clone()).collect();
            let mut template = Template::new(lines, rows, whole.joined.clone(), whole.keys.clone(), judge, options);
            template.turn = Some(turn);
            templates.push(template);
        }
        // Where a number tells the place, it is a key.
        let is_key = |column: usize| templates.iter().all(|template| template.columns[column].role == Role::Constant);
        if (0..whole.columns.len()).any(|column| whole.columns[column].role == Role::Number && is_key(column)) {
            return None;
        }
        let again = (prior::TEMPLATE) * (turns as f64 - 1.0);
        let bits = templates.iter().map(|template| template.bits).sum::<f64>() - again + cost;
        Some(Parted { bits, templates, by: Some(usize::MAX), lost: Vec::new(), is_in_turn: false })
    };
    if blocks > 2 {
        let is_whole = (2..=MOST_TURNS).contains(&most) && blocks * most <= whole.lines.len() + blocks;
        return if is_whole {
            cut(&|index| in_block[index], most, prior::BLOCK).into_iter().collect()
        } else {
            Vec::new()
        };
    }
    let told_apart = |turns: &usize| is_told_apart(whole, |index| (index + offset) % turns, *turns);
    let ways = (2..=MOST_TURNS).filter(told_apart);
    ways.filter_map(|turns| cut(&|index| (index + offset) % turns, turns, prior::TURNS)).collect()
}

/// Whether the values of a column differ less within the places of a turn than altogether: a wave whose period is a multiple of
/// the turn does not.
fn is_told_apart(whole: &Template<'_>, place: impl Fn(usize) -> usize, turns: usize) -> bool {
    whole.columns.iter().any(|column| {
        let variance = |of: &dyn Fn(usize) -> bool| {
            let values: Vec<f64> = column
                .values
                .iter()
                .enumerate()
                .filter(|(index, _)| of(*index))
                .filter_map(|(_, value)| *value)
                .collect();
            let mean = values.iter().sum::<f64>() / values.len().max(1) as f64;
            values.iter().map(|value| (value - mean).powi(2)).sum::<f64>()
        };
        let within: f64 = (0..turns).map(|turn| variance(&|index| place(index) == turn)).sum();
        within < 0.6 * variance(&|_| true)
    })
}

/// Whether what comes next is the same for each text, nearly always.
fn is_cycle(texts: &[&str]) -> bool {
    let mut next: HashMap<&str, Vec<&str>> = HashMap::new();
    texts.windows(2).for_each(|pair| next.entry(pair[0]).or_default().push(pair[1]));
    let usual: usize =
        next.values().map(|all| distinct(all.iter().copied()).iter().map(|(_, count)| *count).max().unwrap_or(0)).sum();
    let changes = texts.windows(2).filter(|pair| pair[0] != pair[1]).count();
    usual * 10 >= (texts.len() - 1) * 9 && changes * 10 >= (texts.len() - 1) * 9
}

fn by_key<'a>(whole: &Template<'a>, place: usize, judge: &Judge<'a>, options: &Options) -> Option<Parted<'a>> {
    let column = &whole.columns[place];
    let key_at = whole.atoms[place];
    let texts: Vec<&'a str> = whole.rows.iter().map(|row| row[key_at].text).collect();
    let all = distinct(texts.iter().copied());
    // What came once may be damaged, and of too many only those that come often are keys.
    let least = match () {
        () if texts.len() < 12 => 1,
        () if all.iter().filter(|(_, count)| *count > 1).count() <= MOST_KEYS => 2,
        () => 3.max(texts.len() / 50),
    };
    let (kinds, rare): (Vec<_>, Vec<_>) = all.into_iter().partition(|(_, count)| *count >= least);
    let lost: Vec<usize> = whole
        .lines
        .iter()
        .zip(&texts)
        .filter(|(_, text)| rare.iter().any(|(rare, _)| rare == *text))
        .map(|(line, _)| *line)
        .collect();
    if lost.len() * 10 > texts.len() {
        return None;
    }
    if !(2..=MOST_KEYS).contains(&kinds.len()) || kinds.len() * 2 > texts.len() || !whole.may_be_a_key(place) {
        return None;
    }
    let sequence = bits::sequence(&bits::alphabet(texts.iter()));
    match column.role {
        Role::Number => {
            let is_short = |text: &&&str| text.len() <= 3 && text.bytes().all(|b| b.is_ascii_digit());
            if (texts.iter().filter(is_short).count() as f64) < 0.97 * texts.len() as f64 {
                return None;
            }
            let often = |(_, count): &&(&str, usize)| *count as f64 > 0.02 * texts.len() as f64;
            let mut numbers: Vec<i64> = kinds.iter().filter(often).filter_map(|(text, _)| text.parse().ok()).collect();
            numbers.sort_unstable();
            let steps: HashSet<i64> = numbers.windows(2).map(|pair| pair[1] - pair[0]).collect();
            let turns =
                texts.windows(2).filter(|pair| pair[0] != pair[1]).count() as f64 > 0.9 * texts.len() as f64 - 1.0;
            let is_regular = turns && sequence < 0.35 * texts.len() as f64 + 20.0;
            let far = steps.iter().max().is_none_or(|step| numbers[0] > *step);
            let is_small = numbers.last().is_some_and(|last| *last <= 64) && is_cycle(&texts);
            if (steps.len() != 1 && !is_small) || (far && !is_regular) {
                return None;
            }
        }
        Role::Words => {
            // A unit with its prefixes belongs to the number before it.
            let is_behind_number = place > 0 && matches!(whole.columns[place - 1].role, Role::Number | Role::Constant);
            if is_behind_number && units::prefixed(&column.words, &column.counts()).is_some() {
                return None;
            }
        }
        Role::Free => {}
        _ => return None,
    }
    let mut templates: Vec<Template<'a>> = Vec::with_capacity(kinds.len());
    for (key, _) in &kinds {
        let own: Vec<usize> = (0..texts.len()).filter(|line| texts[*line] == *key).collect();
        let lines = own.iter().map(|line| whole.lines[*line]).collect();
        let rows = own.iter().map(|line| whole.rows[*line].clone()).collect();
        let keys = whole.keys.iter().cloned().chain([(*key).to_owned()]).collect();
        let mut template = Template::new(lines, rows, whole.joined.clone(), keys, judge, options);
        if column.role == Role::Number {
            template.columns[place].role = Role::Text;
            template.weigh();
        }
        templates.push(template);
    }
    // A clock goes on from line to line, across the parts.
    let mut shared = 0.0;
    if templates.iter().all(|template| template.columns.len() == whole.columns.len()) {
        for (other, column) in whole.columns.iter().enumerate().filter(|(other, _)| *other != place) {
            let rises = || {
                let values: Vec<f64> = column.values.iter().flatten().copied().collect();
                values.windows(2).all(|pair| pair[0] <= pair[1])
            };
            let is_clock = column.role == Role::Moment || (column.role == Role::Number && other < place && rises());
            let is_number = |role: Role| matches!(role, Role::Number | Role::Moment | Role::Constant);
            if is_clock && templates.iter().all(|template| is_number(template.columns[other].role)) {
                let apart: f64 = templates.iter().map(|template| template.columns[other].bits).sum();
                shared += (apart - column.bits - 2.0).max(0.0);
            }
        }
    }
    // The marks are told once.
    let marks: usize = whole.rows[0].iter().filter(|token| !token.is_atom()).map(|token| token.text.len()).sum();
    let again = prior::TEMPLATE + prior::TEXT_CHARACTER * marks as f64;
    shared += again * (templates.len() as f64 - 1.0);
    let is_marked = whole.mark_behind(place).is_some_and(|mark| ":=])>\"'".contains(mark)) || place == 0;
    let is_in_turn = is_marked && is_cycle(&texts);
    let bits = templates.iter().map(|template| template.bits).sum::<f64>() - shared
        + sequence
        + prior::KEY
        + if is_marked { 0.0 } else { prior::KEY_BARE }
        - if is_in_turn { prior::KEY_IN_TURN } else { 0.0 };
    Some(Parted { bits, templates, by: Some(place), lost, is_in_turn })
}
