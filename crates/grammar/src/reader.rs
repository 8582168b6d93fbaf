//! A reading at work: line by line, whether these lines were looked at when it was found or come later.

use crate::column::{Base, Column, Role, number_of};
use crate::lex::{self, Kind, Options, Token, is_gap_word};
use crate::moment;
use crate::template::{Template, Variant};
use std::collections::{BTreeSet, HashMap};

/// What must stand at a place of a line.
#[derive(Clone, Debug)]
enum Piece {
    /// This mark.
    Mark(String),
    /// This text.
    Text(String),
    /// A value for the atom.
    Slot(usize),
}

/// A variant of a template: its pieces, each with whether the next one goes on in the same phrase.
#[derive(Clone, Debug)]
struct Form {
    template: usize,
    pieces: Vec<(Piece, bool)>,
    /// Whether enough of a line is known that a word that is new can be a state.
    may_grow: bool,
}

/// What is known of a slot.
#[derive(Clone, Debug)]
struct Slot {
    role: Role,
    base: Base,
    /// The words of its codes; more may come.
    words: Vec<String>,
    /// Words that stood where numbers do, and mean that there is none.
    odd: BTreeSet<String>,
}

/// The most words of a column.
const MOST_CODES: usize = 32;

/// Reads lines by the templates of a reading.
#[derive(Clone, Debug)]
pub(crate) struct Reader {
    options: Options,
    forms: Vec<Form>,
    /// The forms of each skeleton.
    by_skeleton: HashMap<String, Vec<usize>>,
    slots: Vec<Vec<Slot>>,
}

impl Reader {
    pub(crate) fn new(templates: &[Template<'_>], options: &Options) -> Reader {
        let mut reader =
            Reader { options: options.clone(), forms: Vec::new(), by_skeleton: HashMap::new(), slots: Vec::new() };
        for (number, template) in templates.iter().enumerate() {
            let slot = |(atom, column): (usize, &Column)| Slot {
                role: column.role,
                base: column.base,
                words: column.words.clone(),
                odd: odd_words(template, atom, column),
            };
            reader.slots.push(template.columns.iter().enumerate().map(slot).collect());
            // Lines in turn have one form.
            if template.turn.is_none_or(|turn| turn == 0) {
                template.variants.iter().for_each(|variant| reader.add(number, template, variant));
            }
        }
        reader
    }

    fn add(&mut self, number: usize, template: &Template<'_>, variant: &Variant) {
        let mut pieces = Vec::new();
        let (mut skeleton, mut atom, mut is_inside) = (String::new(), 0, false);
        for (place, token) in template.rows[0].iter().enumerate() {
            let piece = if token.is_atom() {
                atom += 1;
                match template.columns[atom - 1].role {
                    Role::Text => Piece::Text(token.text.to_owned()),
                    _ => Piece::Slot(atom - 1),
                }
            } else {
                Piece::Mark(token.text.to_owned())
            };
            if !variant.there[place] {
                continue;
            }
            let goes_on = variant.joined[place] && variant.there.get(place + 1) == Some(&true);
            if !is_inside {
                skeleton += if token.is_atom() { lex::ATOM } else { token.text };
            }
            is_inside = goes_on;
            pieces.push((piece, goes_on));
        }
        self.by_skeleton.entry(skeleton).or_default().push(self.forms.len());
        let is_known = |(piece, _): &&(Piece, bool)| match piece {
            Piece::Slot(atom) => !matches!(template.columns[*atom].role, Role::Words | Role::Free),
            Piece::Text(_) => true,
            Piece::Mark(mark) => ":=,;|\t".contains(mark.as_str()),
        };
        let may_grow = pieces.iter().any(|piece| is_known(&piece));
        self.forms.push(Form { template: number, pieces, may_grow });
    }

    /// The template of a line and a value for each of its atoms; none where no template has its form.
    pub(crate) fn line(&mut self, line: &str) -> Option<(usize, Vec<Option<f64>>)> {
        let tokens = lex::tokens(line, &self.options);
        let forms = self.by_skeleton.get(&lex::skeleton(&tokens))?;
        for form in forms {
            let form = &self.forms[*form];
            let slots = &self.slots[form.template];
            let is_known = |(atom, token): &(usize, Token<'_>)| {
                let slot = &slots[*atom];
                token.kind != Kind::Word || slot.role != Role::Words || slot.words.iter().any(|word| word == token.text)
            };
            if let Some(found) = fit(form, slots, &tokens).filter(|found| form.may_grow || found.iter().all(is_known)) {
                return Some((form.template, self.values(form.template, &found)));
            }
        }
        None
    }

    /// The values of tokens for the atoms of a template; words that are new become codes.
    fn values(&mut self, template: usize, found: &[(usize, Token<'_>)]) -> Vec<Option<f64>> {
        let slots = &mut self.slots[template];
        let mut values = vec![None; slots.len()];
        for (atom, token) in found {
            let slot = &mut slots[*atom];
            values[*atom] = match slot.role {
                Role::Moment => {
                    moment::seconds(token.text).filter(|_| token.kind == Kind::Moment).map(|(seconds, _)| seconds)
                }
                Role::Words | Role::Single => match slot.words.iter().position(|word| word == token.text) {
                    Some(code) => Some(code as f64),
                    None if token.kind == Kind::Word && slot.words.len() < MOST_CODES => {
                        slot.words.push(token.text.to_owned());
                        Some(slot.words.len() as f64 - 1.0)
                    }
                    None => None,
                },
                Role::Number | Role::Constant => number_of(token, slot.base, &self.options).map(|read| read.value),
                Role::Text | Role::Empty | Role::Free => None,
            };
        }
        values
    }

    /// Whether the lines of a template begin with a value, so that one that is cut in front may still have its form.
    pub(crate) fn begins_with_value(&self, template: usize) -> bool {
        let is_value = |form: &Form| matches!(form.pieces.first(), Some((Piece::Slot(_), _)));
        self.forms.iter().any(|form| form.template == template && is_value(form))
    }

    /// The words of an atom, those that came later included.
    pub(crate) fn words(&self, template: usize, atom: usize) -> &[String] {
        &self.slots[template][atom].words
    }
}

/// Words among the numbers of a column.
fn odd_words(template: &Template<'_>, atom: usize, column: &Column) -> BTreeSet<String> {
    if !matches!(column.role, Role::Number | Role::Constant | Role::Moment) {
        return BTreeSet::new();
    }
    let at = template.atoms[atom];
    let words = template.rows.iter().map(|row| row[at]).filter(|token| token.kind == Kind::Word);
    words.map(|token| token.text.to_owned()).collect()
}

/// The tokens of a line for the slots of a form, if it has that form.
fn fit<'l>(form: &Form, slots: &[Slot], tokens: &[Token<'l>]) -> Option<Vec<(usize, Token<'l>)>> {
    let mut found = Vec::new();
    let mut tokens = tokens.iter();
    // What is left of the phrase that is being read.
    let mut rest: Option<Token<'l>> = None;
    for (piece, goes_on) in &form.pieces {
        let token = match rest.take() {
            Some(token) => token,
            None => *tokens.next()?,
        };
        let text = match piece {
            Piece::Mark(mark) => {
                if token.is_atom() || token.text != *mark {
                    return None;
                }
                continue;
            }
            Piece::Text(text) => {
                if !token.is_atom() || !begins_with(token.text, text, *goes_on) {
                    return None;
                }
                &token.text[..text.len()]
            }
            Piece::Slot(atom) => {
                let slot = &slots[*atom];
                let text = if *goes_on { part(slot, token.text) } else { token.text };
                let token = Token { text, ..token };
                if !slot.takes(&token) {
                    return None;
                }
                found.push((*atom, token));
                text
            }
        };
        if *goes_on {
            let left = token.text.get(text.len() + 1..).filter(|left| !left.is_empty())?;
            rest = Some(Token {
                kind: if is_gap_word(left) { Kind::Gap } else { token.kind },
                text: left,
                is_apart: true,
            });
        }
    }
    (rest.is_none() && tokens.next().is_none()).then_some(found)
}

/// Whether a phrase is `text`, or begins with it where it goes on.
fn begins_with(phrase: &str, text: &str, goes_on: bool) -> bool {
    match goes_on {
        true => phrase.strip_prefix(text).is_some_and(|rest| rest.starts_with(' ')),
        false => phrase == text,
    }
}

/// The part of a phrase that is the value of `slot`: a word that is known, or the first one.
fn part<'l>(slot: &Slot, phrase: &'l str) -> &'l str {
    let known = slot.words.iter().filter(|word| begins_with(phrase, word, true)).max_by_key(|word| word.len());
    match known {
        Some(word) => &phrase[..word.len()],
        None => phrase.split(' ').next().unwrap_or(phrase),
    }
}

impl Slot {
    /// Whether a token may be its value or stand for a missing one.
    fn takes(&self, token: &Token<'_>) -> bool {
        match (self.role, token.kind) {
            (_, Kind::Mark) => false,
            (_, Kind::Gap | Kind::Empty) | (Role::Free, _) => true,
            (Role::Words | Role::Single, Kind::Word) => true,
            (Role::Words, _) => self.words.iter().any(|word| word == token.text),
            (Role::Moment, Kind::Moment) => true,
            (Role::Number | Role::Constant, Kind::Number | Kind::Prefixed | Kind::Hex) => true,
            (Role::Number | Role::Constant | Role::Moment, Kind::Word) => self.odd.contains(token.text),
            _ => false,
        }
    }
}

/// Puts lines together to rows.
#[derive(Clone, Debug)]
pub(crate) struct Assembler {
    /// The place of each template in a row.
    places: HashMap<usize, usize>,
    /// How many of the templates each row must have, and which.
    main: BTreeSet<usize>,
    /// Rows begin behind a blank line or heading, with the first template.
    is_bound: bool,
    /// The templates of lines in turn, in order.
    turns: Vec<usize>,
    last: Option<usize>,
    is_crossed: bool,
    row: HashMap<usize, Vec<Option<f64>>>,
}

/// The lines of a row, each with its template.
pub(crate) type RowLines = HashMap<usize, Vec<Option<f64>>>;

impl Assembler {
    pub(crate) fn new(turn: &[usize], main: &BTreeSet<usize>, is_bound: bool, templates: &[Template<'_>]) -> Assembler {
        Assembler {
            turns: turn.iter().copied().filter(|t| templates[*t].turn.is_some()).collect(),
            places: turn.iter().enumerate().map(|(place, t)| (*t, place)).collect(),
            main: main.clone(),
            is_bound,
            last: None,
            is_crossed: false,
            row: HashMap::new(),
        }
    }

    /// Whether lines of this template are parts of rows.
    pub(crate) fn is_part(&self, template: usize) -> bool {
        self.places.contains_key(&template)
    }

    /// A line without a value lies between.
    pub(crate) fn mark(&mut self) {
        self.is_crossed = true;
    }

    /// The next line; gives the row that it ends.
    pub(crate) fn line(&mut self, template: usize, values: Vec<Option<f64>>) -> Option<RowLines> {
        let is_crossed = std::mem::take(&mut self.is_crossed);
        let template = match self.turns.first() {
            Some(first) if self.turns.contains(&template) => match self.last {
                Some(last) if !(self.is_bound && is_crossed) => *self.turns.get(last + 1).unwrap_or(first),
                _ => *first,
            },
            _ => template,
        };
        let own = *self.places.get(&template)?;
        let begins = self.last.is_none_or(|last| own <= last) || (self.is_bound && is_crossed && own == 0);
        let done = begins.then(|| std::mem::take(&mut self.row)).filter(|row| !row.is_empty());
        self.row.insert(template, values);
        self.last = Some(own);
        done
    }

    /// The row that is under way.
    pub(crate) fn finish(&mut self) -> Option<RowLines> {
        Some(std::mem::take(&mut self.row)).filter(|row| !row.is_empty())
    }

    /// Whether a row has all lines that it must have.
    pub(crate) fn is_whole(&self, row: &RowLines) -> bool {
        self.main.iter().all(|t| row.contains_key(t))
    }
}
