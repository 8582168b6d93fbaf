//! A pattern as text: `S,{a},{b}`, `{clock_s:clock} -> {level:comma}`, `state {state=IDLE|RUN}{:rest}`.

use super::super::shape::MAX_FIELDS;
use super::super::spelling::NotAShape;
use super::super::wall::{Short, Written};
use super::names::units;
use super::{FieldKind, Form, Part, Pattern, PatternColumn};
use std::fmt;
use std::str::FromStr;

/// What stands between kinds of lines.
const OR: &str = "{or}";
/// What stands between the lines of a row.
const THEN: &str = "{then}";
const WORD: &str = ":word";
const REST: &str = ":rest";
const CHECK: &str = ":check";

/// Ways of writing a number, as they are spelled behind its name.
const KINDS: [(&str, FieldKind); 12] = [
    ("comma", FieldKind::Comma),
    ("thousands", FieldKind::Thousands),
    ("minus", FieldKind::Minus),
    ("hex", FieldKind::Hex),
    ("binary", FieldKind::Binary),
    ("state", FieldKind::State),
    ("ticks", FieldKind::Ticks),
    ("clock", FieldKind::Clock(ISO)),
    ("clock-comma", FieldKind::Clock(Written { comma: true, ..ISO })),
    ("clock-month-first", FieldKind::Clock(Written { month_first: true, ..ISO })),
    ("clock-minutes", FieldKind::Clock(Written { short: Some(Short::Minutes), ..ISO })),
    ("clock-hours", FieldKind::Clock(Written { short: Some(Short::Hours), ..ISO })),
];

const ISO: Written = Written { comma: false, month_first: false, short: None };

impl fmt::Display for Pattern {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, form) in self.forms.iter().enumerate() {
            if i > 0 {
                let between = if self.forms[i - 1].step == form.step { OR } else { THEN };
                write!(to, " {between} ")?;
            }
            for part in &form.parts {
                match part {
                    Part::Text(text) => write!(to, "{}", text.replace('{', "{{").replace('}', "}}"))?,
                    Part::Word => write!(to, "{{{WORD}}}")?,
                    Part::Rest => write!(to, "{{{REST}}}")?,
                    Part::Field(column) => {
                        let PatternColumn { name, kind, .. } = &self.columns[*column];
                        match kind {
                            FieldKind::Codes(codes) => write!(to, "{{{name}={}}}", codes.join("|"))?,
                            kind => match KINDS.iter().find(|(_, own)| own == kind) {
                                Some((word, _)) => write!(to, "{{{name}:{word}}}")?,
                                None => write!(to, "{{{name}}}")?,
                            },
                        }
                    }
                }
            }
            if form.checked {
                write!(to, "*{{{CHECK}}}")?;
            }
        }
        Ok(())
    }
}

impl FromStr for Pattern {
    type Err = NotAShape;

    fn from_str(text: &str) -> Result<Pattern, NotAShape> {
        let mut pattern = Pattern { forms: Vec::new(), columns: Vec::new() };
        for (step, text) in text.split(THEN).enumerate() {
            for text in text.split(OR) {
                let mut form = pattern.form(text.trim()).map_err(NotAShape)?;
                form.step = step;
                // A column has one place in a row.
                let is_elsewhere =
                    |part: &&Part| pattern.forms.iter().any(|other| other.step != step && other.parts.contains(part));
                if let Some(Part::Field(column)) =
                    form.parts.iter().filter(|part| matches!(part, Part::Field(_))).find(is_elsewhere)
                {
                    return Err(NotAShape(format!("'{}' appears on two lines of a row", pattern.name(*column))));
                }
                pattern.forms.push(form);
            }
        }
        if pattern.columns.is_empty() {
            return Err(NotAShape("type the line with a name in braces for each field, as in: S,{a},{b}".into()));
        }
        units(&mut pattern);
        Ok(pattern)
    }
}

impl Pattern {
    /// Reads one kind of line, whose fields become columns.
    fn form(&mut self, text: &str) -> Result<Form, String> {
        let mut form = Form::default();
        let mut plain = String::new();
        let mut rest = text;
        while let Some(at) = rest.find(['{', '}']) {
            plain.push_str(&rest[..at]);
            let doubled = rest[at..].starts_with("{{") || rest[at..].starts_with("}}");
            if doubled {
                plain.push_str(&rest[at..=at]);
                rest = &rest[at + 2..];
                continue;
            }
            let end = rest[at..].find('}').filter(|end| *end > 0).map(|end| at + end);
            let end = end.ok_or("a brace is not closed: write {name}, and {{ for a brace of the line itself")?;
            let field = &rest[at + 1..end];
            if form.checked || matches!(form.parts.last(), Some(Part::Rest)) {
                return Err("nothing can stand behind {:rest} and {:check}".into());
            }
            if field == CHECK {
                plain = plain.trim_end().strip_suffix('*').ok_or("{:check} stands behind a *")?.to_owned();
                form.checked = true;
            }
            if !plain.is_empty() {
                form.parts.push(Part::Text(std::mem::take(&mut plain)));
            }
            match field {
                CHECK => {}
                WORD => form.parts.push(Part::Word),
                REST => form.parts.push(Part::Rest),
                field => form.parts.push(Part::Field(self.field(field, &form)?)),
            }
            rest = &rest[end + 1..];
        }
        plain.push_str(rest);
        if !plain.trim().is_empty() {
            if form.checked || matches!(form.parts.last(), Some(Part::Rest)) {
                return Err("nothing can stand behind {:rest} and {:check}".into());
            }
            form.parts.push(Part::Text(plain));
        }
        Ok(form)
    }

    /// The column of a field that is spelled `name`, `name:kind` or `name=WORD|WORD`.
    fn field(&mut self, text: &str, form: &Form) -> Result<usize, String> {
        let (name, kind) = if let Some((name, words)) = text.split_once('=') {
            let codes: Vec<String> = words.split('|').map(|word| word.trim().to_owned()).collect();
            if codes.iter().any(String::is_empty) || codes.len() > super::MOST_CODES {
                return Err(format!("{{{text}}}: type 1 to {} words, as in {{state=IDLE|RUN}}", super::MOST_CODES));
            }
            (name, FieldKind::Codes(codes))
        } else if let Some((name, word)) = text.split_once(':') {
            let kind = KINDS.iter().find(|(known, _)| *known == word).map(|(_, kind)| kind.clone());
            let known = KINDS.map(|(known, _)| known).join(", ");
            (
                name,
                kind.ok_or_else(|| {
                    format!("'{word}' is not known here: {known}; or {{:word}}, {{:rest}}, {{:check}}")
                })?,
            )
        } else {
            (text, FieldKind::Number)
        };
        let sound = !name.is_empty()
            && name.chars().count() <= 32
            && name.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '.' | '-'));
        if !sound {
            return Err(format!("{{{text}}}: a name has 1 to 32 letters, digits, _ . or -"));
        }
        let own = self.columns.iter().position(|column| column.name == name);
        if own.is_some_and(|own| form.parts.contains(&Part::Field(own)) || self.columns[own].kind != kind) {
            return Err(format!("'{name}' appears twice"));
        }
        if own.is_none() && self.columns.len() == MAX_FIELDS {
            return Err(format!("a row has 1 to {MAX_FIELDS} fields"));
        }
        Ok(own.unwrap_or_else(|| {
            self.columns.push(PatternColumn { name: name.to_owned(), unit: String::new(), kind });
            self.columns.len() - 1
        }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_shown_can_be_typed() {
        for text in [
            "S,{a},{b}",
            "{clock_s:clock} -> {level:comma} mm",
            "speed {speed} state {state=IDLE|RUN|FAULT}{:rest}",
            "$WAVE,{a},{b:thousands}*{:check} {or} $LVL,{c:hex}*{:check}",
            "Level: {a} {or} Level: high {then} Flow: {b:binary}",
            "{{{a};{b:minus}}} {:word} {door:state}",
        ] {
            assert_eq!(text.parse::<Pattern>().unwrap().to_string(), text);
        }
        for wrong in [
            "",
            "S",
            "{a",
            "a}",
            "{a},{a}",
            "{a b}",
            "{a:x}",
            "{:rest} {a}",
            "{a} {:check}",
            "{s=A||B}",
            "{}",
            "a {a} {then} b {a}",
        ] {
            assert!(wrong.parse::<Pattern>().is_err(), "{wrong}");
        }
        assert_eq!("T: {t} °C  RH: {rh} %".parse::<Pattern>().unwrap().unit(0), "°C");
    }
}
