//! A bench file's text: what it says, and saving into it without touching what a person wrote.

use super::migrate::{FORMAT, format_of, in_new_words, migrate};
use super::plain_words::in_plain_words;
use super::{Bench, Lane, Screen, Shared, SourceSettings, is_default, merge};
use crate::keep::{FigureSettings, Keep, Publish};
use crate::levels::LevelRule;
use crate::store::Limits;
use crate::talk::BoardCommand;
use serde::{Deserialize, Serialize};
use toml_edit::DocumentMut;

/// The settings as they stand in a file.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Written {
    format: u32,
    name: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    about: String,
    history: Limits,
    #[serde(skip_serializing_if = "is_default")]
    levels: LevelRule,
    #[serde(skip_serializing_if = "is_default")]
    keep: Keep,
    #[serde(skip_serializing_if = "is_default")]
    publish: Publish,
    #[serde(skip_serializing_if = "is_default")]
    figure: FigureSettings,
    screen: Screen,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    lane: Vec<Lane>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    command: Vec<BoardCommand>,
    source: Vec<SourceSettings>,
}

impl Default for Written {
    fn default() -> Written {
        Written::from(&Bench::default())
    }
}

impl From<&Bench> for Written {
    fn from(bench: &Bench) -> Written {
        let Shared { name, about, history, levels, keep, publish, figure, screen, lane, command } =
            bench.shared.clone();
        Written {
            format: FORMAT,
            name,
            about,
            history,
            levels,
            keep,
            publish,
            figure,
            screen,
            lane,
            command,
            source: bench.sources.clone(),
        }
    }
}

impl From<Written> for Bench {
    fn from(written: Written) -> Bench {
        let Written {
            format: _,
            name,
            about,
            history,
            levels,
            keep,
            publish,
            figure,
            screen,
            lane,
            command,
            mut source,
        } = written;
        if source.is_empty() {
            source.push(SourceSettings::default());
        }
        let shared = Shared { name, about, history, levels, keep, publish, figure, screen, lane, command };
        Bench { shared, sources: source }
    }
}

/// A mistake in a bench file.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: {message}")]
pub struct BenchError {
    /// From 1.
    pub line: usize,
    /// From 1, in characters.
    pub column: usize,
    /// What was found and what was expected.
    pub message: String,
}

/// Mistakes after which a text is taken for something else than a bench.
const MISTAKES: usize = 20;

impl BenchError {
    fn at(text: &str, offset: usize, message: String) -> Self {
        let before = text.get(..offset).unwrap_or(text);
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        BenchError {
            line: before.matches('\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
            message: message.trim().replace('\n', ", "),
        }
    }

    /// The same for the text `before`, of which `now` was made: with the line there that says the same.
    fn told_of(self, now: &str, before: &str) -> BenchError {
        let bare = |line: &str| line.trim().trim_matches(['[', ']']).rsplit('.').next().unwrap_or("").to_owned();
        let header = |line: &str| line.trim_start().starts_with('[');
        let lines: Vec<&str> = now.lines().collect();
        let Some(own) = lines.get(self.line.saturating_sub(1)) else { return self };
        let own_in_new_words = in_new_words(own);
        let says_same = |line: &str| line == *own || in_new_words(line) == own_in_new_words;
        let same = |line: &&str| says_same(line) || (header(line) && header(own) && bare(line) == bare(own));
        let nth = lines[..self.line].iter().filter(|line| same(line)).count();
        let found = before.lines().enumerate().filter(|(_, line)| same(line)).nth(nth.saturating_sub(1));
        match found {
            Some((at, _)) => BenchError { line: at + 1, ..self },
            None => self,
        }
    }
}

/// Where the line that begins with `key` stands in `text`; its beginning when there is none.
fn place_of(text: &str, key: &str) -> usize {
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let lead = line.len() - line.trim_start().len();
        // A key, or the end of a table's name: these stand in front of other names in older formats.
        let begins = line.trim_start().starts_with(key);
        if begins || (key.ends_with(']') && line.trim_start().starts_with('[') && line.contains(key)) {
            return at + lead;
        }
        at += line.len();
    }
    // A setting within a table that is written on one line.
    text.find(key).unwrap_or(0)
}

/// The name of the table that a line is the head of.
fn head(line: &str) -> Option<&str> {
    let name = line.split('#').next()?.trim().trim_start_matches('[').trim_end_matches(']').trim();
    let is_head = line.trim_start().starts_with('[') && name.starts_with(|c: char| c.is_ascii_alphabetic());
    is_head
        .then_some(name)
        .filter(|name| name.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '.' | '_' | '-')))
}

/// The head of the list of conditions, and what those of its parts begin with.
const CONDITION: &str = "source.condition";

/// Leaves out the line at `at`; with the head of a table, all that belongs to the table, lest it count for the one before;
/// with a line of a condition, all of the condition. Gives the table of which all was left out.
fn leave_out<'a>(lines: &mut [&'a str], at: usize) -> Option<&'a str> {
    let is_of =
        |name: &str, whole: &str| name.strip_prefix(whole).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'));
    let table =
        lines[..=at].iter().rposition(|line| head(line).is_some()).and_then(|place| Some((place, head(lines[place])?)));
    let (begin, own) = match table {
        Some((place, name)) if is_of(name, CONDITION) => {
            let begin = lines[..=place].iter().rposition(|line| head(line) == Some(CONDITION));
            (begin.unwrap_or(place), CONDITION)
        }
        Some((place, name)) if place == at => (place, name),
        _ => {
            lines[at] = "";
            return None;
        }
    };
    let after =
        lines[begin + 1..].iter().position(|line| head(line).is_some_and(|name| name == own || !is_of(name, own)));
    let end = after.map_or(lines.len(), |after| begin + 1 + after);
    lines[begin..end].fill("");
    Some(own)
}

impl Bench {
    /// Reads a bench file's text, of this format or an older one.
    ///
    /// # Errors
    /// The first mistake, with its place: bad TOML, an unknown setting, a value of the wrong type or out of range, a
    /// format that is newer than this version.
    pub fn parse(text: &str) -> Result<Bench, BenchError> {
        let document = document(text)?;
        match format_of(&document) {
            FORMAT => strict(text),
            newer if newer > FORMAT => {
                let message = format!("format {newer} is newer than this version of the program, which knows {FORMAT}");
                Err(BenchError::at(text, place_of(text, "format"), message))
            }
            _ => {
                let now = migrate(document).to_string();
                strict(&now).map_err(|mistake| mistake.told_of(&now, text))
            }
        }
    }

    /// Reads what holds of a bench file's text: a line with a mistake is left out and told, the rest counts. Where it is the
    /// head of a table, all of the table is; a condition is left out whole, since it would mean something else with a test
    /// less. Nothing at all holds of a text with more mistakes than a person makes (20).
    pub fn parse_what_holds(text: &str) -> (Bench, Vec<BenchError>) {
        let mut lines: Vec<&str> = text.lines().collect();
        let mut mistakes: Vec<BenchError> = Vec::new();
        let mut left = text.to_owned();
        loop {
            match Bench::parse(&left) {
                Ok(bench) => return (bench, mistakes),
                Err(mut mistake) => {
                    let line = mistake.line.saturating_sub(1);
                    // Where the place is not told, the whole text is given up rather than looked at for ever.
                    let told = lines.get(line).is_some_and(|line| !line.trim().is_empty());
                    if !told || mistakes.len() + 1 >= MISTAKES {
                        mistakes.push(mistake);
                        return (Bench::default(), mistakes);
                    }
                    if let Some(table) = leave_out(&mut lines, line) {
                        mistake.message += &format!("; all of this [{table}] is left out");
                    }
                    mistakes.push(mistake);
                    left = lines.join("\n");
                }
            }
        }
    }

    /// The settings as TOML, put into `text`, which is brought to this format first: what is the same stays as it was
    /// written, comments stay.
    ///
    /// # Errors
    /// When `text` is not TOML, so that nothing that a person wrote is thrown away.
    pub fn write_into(&self, text: &str) -> Result<String, BenchError> {
        let mut document = migrate(document(text)?);
        let fresh: DocumentMut =
            toml_edit::ser::to_string_pretty(&Written::from(self)).unwrap_or_default().parse().unwrap_or_default();
        merge::tables(document.as_table_mut(), fresh.as_table());
        Ok(document.to_string())
    }

    /// The settings as the text of a new file, with `heading` as a comment at its top.
    pub fn new_file(&self, heading: &str) -> String {
        // Every setting is a TOML value, so that writing cannot fail.
        format!("# {heading}\n{}", self.write_into("").unwrap_or_default())
    }
}

fn document(text: &str) -> Result<DocumentMut, BenchError> {
    text.parse().map_err(|error: toml_edit::TomlError| {
        BenchError::at(text, error.span().map_or(0, |span| span.start), error.message().to_owned())
    })
}

/// Reads a text of this format.
fn strict(text: &str) -> Result<Bench, BenchError> {
    let written: Written = toml_edit::de::from_str(text).map_err(|error| {
        BenchError::at(text, error.span().map_or(0, |span| span.start), in_plain_words(error.message()))
    })?;
    let bench = Bench::from(written);
    match bench.fault() {
        None => Ok(bench),
        Some((key, message)) => Err(BenchError::at(text, place_of(text, key), message)),
    }
}
