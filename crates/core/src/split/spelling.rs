//! A shape as a person types it: `plain comma 3`, `plain spaces 1 lines 2`, `labelled gauge bed`, `json bed.p on ...`.

use super::shape::{Comma, Delimiter, Labels, MAX_FIELDS, Plain, Shape};
use std::fmt;
use std::str::FromStr;

/// What stands at the end of labels that need not all be on each line.
const NOT_ALL: &str = "...";

/// What stands before the way in which signs are read, and the ways.
const WITH: &str = "with";
const FLAGS: [(&str, Comma, bool); 5] = [
    ("comma-between", Comma::Between, false),
    ("comma-thousands", Comma::Thousands, false),
    ("minus-apart", Comma::Decimal, true),
    ("comma-between minus-apart", Comma::Between, true),
    ("comma-thousands minus-apart", Comma::Thousands, true),
];

/// What was typed is no shape.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct NotAShape(pub(super) String);

impl NotAShape {
    /// What is wrong, in a sentence.
    pub(crate) fn new(text: String) -> NotAShape {
        NotAShape(text)
    }
}

impl fmt::Display for Shape {
    /// As it would be typed.
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(to, "{}", self.kind())?;
        if let Shape::Pattern(pattern) = self {
            return write!(to, " {pattern}");
        }
        if let Shape::Frames(frames) = self {
            return write!(to, " {frames}");
        }
        if let Shape::Pins(pins) = self {
            return write!(to, " {pins}");
        }
        if let Shape::Polled(polled) = self {
            return write!(to, " {polled}");
        }
        let Shape::Plain(plain) = self else {
            let Some(labels) = self.labels() else { return Ok(()) };
            for (i, label) in labels.labels.iter().enumerate() {
                write!(to, " {label}")?;
                if let Some(codes) = labels.codes.get(i).filter(|codes| !codes.is_empty()) {
                    write!(to, "={}", codes.join("|").replace(' ', "_"))?;
                }
            }
            let not_all = !labels.complete && !matches!(self, Shape::PerLine(_));
            if not_all {
                write!(to, " {NOT_ALL}")?;
            }
            let style = (labels.comma, labels.minus);
            let flags: Vec<&str> =
                FLAGS.iter().filter(|(_, comma, minus)| style == (*comma, *minus)).map(|f| f.0).collect();
            return flags.first().map_or(Ok(()), |flag| write!(to, " {WITH} {flag}"));
        };
        write!(to, " {} {}", plain.delimiter.name(), plain.fields)?;
        if plain.lines > 1 {
            write!(to, " lines {}", plain.lines)?;
        }
        if let Some(pause) = plain.pause {
            write!(to, " pause {pause}")?;
        }
        for (holds, word) in [(plain.comma, "decimal-comma"), (plain.brackets, "brackets"), (plain.indexed, "indexed")]
        {
            if holds {
                write!(to, " {word}")?;
            }
        }
        if plain.names.is_empty() { Ok(()) } else { write!(to, " named {}", plain.names.join(",")) }
    }
}

impl FromStr for Shape {
    type Err = NotAShape;

    fn from_str(text: &str) -> Result<Shape, NotAShape> {
        let wrong = |text: String| Err(NotAShape(text));
        if let Some(pattern) = text.trim().strip_prefix("pattern ") {
            return Ok(Shape::Pattern(pattern.parse()?));
        }
        let behind =
            |word: &str| text.trim().strip_prefix(word).filter(|rest| rest.is_empty() || rest.starts_with(' '));
        if let Some(frames) = behind("frames") {
            return Ok(Shape::Frames(frames.parse()?));
        }
        if let Some(pins) = behind("pins") {
            return Ok(Shape::Pins(pins.parse()?));
        }
        if let Some(polled) = behind("polled") {
            return Ok(Shape::Polled(polled.parse()?));
        }
        let mut words = text.split_whitespace();
        let kind = words.next().unwrap_or_default();
        if kind == "plain" {
            return plain(words);
        }
        let mut labels: Vec<String> = words.map(str::to_owned).collect();
        let style = match labels.iter().rposition(|word| word == WITH) {
            Some(at) => {
                let known = FLAGS.iter().find(|(flag, ..)| *flag == labels[at + 1..].join(" "));
                labels.truncate(if known.is_some() { at } else { labels.len() });
                known.map_or((Comma::Decimal, false), |(_, comma, minus)| (*comma, *minus))
            }
            None => (Comma::Decimal, false),
        };
        let complete = labels.last().is_none_or(|last| last != NOT_ALL);
        labels.truncate(labels.len() - usize::from(!complete));
        let mut codes = Vec::new();
        if kind == "json" {
            for (i, label) in labels.iter_mut().enumerate() {
                if let Some((name, words)) = label.split_once('=') {
                    codes.resize(i, Vec::new());
                    codes.push(words.split('|').map(str::to_owned).collect());
                    *label = name.to_owned();
                }
            }
        }
        if let Some(at) = (1..labels.len()).find(|i| labels[..*i].contains(&labels[*i])) {
            return wrong(format!("'{}' appears twice", labels[at]));
        }
        let labels = Labels { labels, complete, units: Vec::new(), comma: style.0, minus: style.1, codes };
        let count = labels.labels.len();
        let shape = match kind {
            "labelled" => Shape::Labelled(labels),
            "worded" => Shape::Worded(labels),
            "per-line" => Shape::PerLine(labels),
            "json" => Shape::Json(labels),
            _ => {
                return wrong(format!(
                    "'{kind}' is not a shape: type labelled, worded, per-line, json, plain, pattern, frames, pins or polled"
                ));
            }
        };
        match count {
            1..=MAX_FIELDS => Ok(shape),
            _ => wrong(format!("type 1 to {MAX_FIELDS} names behind '{kind}', and ... when not all are on each line")),
        }
    }
}

fn plain<'a>(mut words: impl Iterator<Item = &'a str>) -> Result<Shape, NotAShape> {
    let wrong = |text: String| Err(NotAShape(text));
    let number = |word: Option<&str>| word.and_then(|word| word.parse::<usize>().ok());
    let Some(delimiter) = words.next().and_then(|word| Delimiter::ALL.into_iter().find(|d| d.name() == word)) else {
        return wrong("type comma, semicolon, tab or spaces behind 'plain', as in: plain comma 3".into());
    };
    let Some(fields) = number(words.next()) else {
        return wrong(format!("type how many numbers are on a line, as in: plain {} 3", delimiter.name()));
    };
    let mut plain = Plain::new(delimiter, fields);
    while let Some(word) = words.next() {
        match word {
            "lines" => match number(words.next()) {
                Some(lines) => plain.lines = lines,
                None => return wrong("type how many lines make a row, as in: plain spaces 1 lines 2".into()),
            },
            "pause" => match words.next().and_then(|word| word.parse::<f64>().ok()) {
                Some(pause) if pause > 0.0 && pause.is_finite() => plain.pause = Some(pause),
                _ => return wrong("type the pause in seconds, as in: plain spaces 1 lines 2 pause 0.05".into()),
            },
            "decimal-comma" => plain.comma = true,
            "brackets" => plain.brackets = true,
            "indexed" => plain.indexed = true,
            "named" => plain.names = words.next().unwrap_or_default().split(',').map(str::to_owned).collect(),
            _ => {
                return wrong(format!(
                    "'{word}' is not known here: lines N, pause S, decimal-comma, brackets, indexed, named A,B"
                ));
            }
        }
    }
    let columns = plain.fields.saturating_mul(plain.lines);
    if !(1..=MAX_FIELDS).contains(&columns) {
        return wrong(format!("a row has 1 to {MAX_FIELDS} numbers, this would have {columns}"));
    }
    if !plain.names.is_empty() && plain.names.len() != columns {
        return wrong(format!("{} names for {columns} numbers", plain.names.len()));
    }
    Ok(Shape::Plain(plain))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_shown_can_be_typed() {
        for text in [
            "plain comma 3",
            "plain spaces 1 lines 2",
            "plain spaces 1 lines 2 pause 0.05",
            "plain semicolon 2 decimal-comma brackets indexed named a,b",
            "labelled gauge bed",
            "worded gauge ...",
            "worded S S_2 with comma-between",
            "worded x ... with comma-thousands minus-apart",
            "per-line x y z",
            "json bed.p on",
            "json speed state=IDLE|RUN ...",
            "pattern S,{a},{b:comma} V",
        ] {
            assert_eq!(text.parse::<Shape>().unwrap().to_string(), text);
        }
        for wrong in [
            "",
            "csv",
            "plain",
            "plain comma",
            "plain comma 0",
            "plain comma 9 lines 9",
            "labelled",
            "json a a",
            "pattern",
        ] {
            assert!(wrong.parse::<Shape>().is_err(), "{wrong}");
        }
    }
}
