//! What the reader of TOML says of a mistake, in words that need no knowledge of programs.

/// Types, as the reader calls them, and as a person does.
const TYPES: [(&str, &str); 20] = [
    ("f64", "a number"),
    ("f32", "a number"),
    ("floating point", "the number"),
    ("usize", "a whole number, 0 or above"),
    ("u64", "a whole number, 0 or above"),
    ("u32", "a whole number, 0 or above"),
    ("u16", "a whole number, 0 or above"),
    ("u8", "a whole number, 0 to 255"),
    ("i64", "a whole number"),
    ("i32", "a whole number"),
    ("integer", "the whole number"),
    ("a boolean", "true or false"),
    ("boolean", "the word"),
    ("a string", "a text in quotes"),
    ("string", "the text"),
    ("a sequence", "a list in brackets"),
    ("sequence", "a list in brackets"),
    ("a map", "a table"),
    ("map", "a table"),
    ("string or table", "a text in quotes, or a table"),
];

/// What a person calls a type; that of a part of the program is a table of settings.
fn named(kind: &str) -> String {
    let kind = kind.trim();
    match TYPES.iter().find(|(own, _)| *own == kind) {
        Some((_, plain)) => (*plain).to_owned(),
        None if kind.starts_with("struct ") || kind.starts_with("internally tagged enum ") => {
            "a table of settings".into()
        }
        None if kind.starts_with("a nonzero ") => "a whole number above 0".into(),
        None => kind.to_owned(),
    }
}

/// What was found: `floating point `2.5``, `string "fast"`.
fn found(text: &str) -> String {
    let at = text.find(['`', '"']).unwrap_or(text.len());
    let (kind, value) = text.split_at(at);
    match (named(kind), value.trim_matches('`')) {
        (kind, "") => kind,
        (kind, value) => format!("{kind} {value}"),
    }
}

/// Names of a list, without the signs around them: `a`, `b` or `c`.
fn names(text: &str) -> String {
    text.trim_start_matches("one of ").replace('`', "").replace(" or ", ", ")
}

/// The message of the reader in plain words; one that is not known as it is.
pub(super) fn in_plain_words(message: &str) -> String {
    let message = message.trim();
    let told = message.strip_prefix("invalid type: ").or_else(|| message.strip_prefix("invalid value: "));
    if let Some((what, wanted)) = told.and_then(|rest| rest.split_once(", expected ")) {
        return format!("{} is expected here, not {}", named(wanted), found(what));
    }
    for (prefix, what, known_are) in
        [("unknown field `", "a setting here", "; settings are: "), ("unknown variant `", "one of its values", ": ")]
    {
        let Some((name, rest)) = message.strip_prefix(prefix).and_then(|rest| rest.split_once('`')) else { continue };
        let known =
            rest.split_once("expected ").map_or(String::new(), |(_, known)| format!("{known_are}{}", names(known)));
        return format!("'{name}' is not {what}{known}");
    }
    if let Some(name) = message.strip_prefix("missing field `").and_then(|rest| rest.strip_suffix('`')) {
        return format!("'{name}' is missing: it must be said here");
    }
    if let Some(name) = message.strip_prefix("duplicate field `").and_then(|rest| rest.strip_suffix('`')) {
        return format!("'{name}' stands here twice: leave one out");
    }
    if let Some((length, wanted)) =
        message.strip_prefix("invalid length ").and_then(|rest| rest.split_once(", expected "))
    {
        return format!("{} is expected here, not a list of {length}", named(wanted));
    }
    message.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mistakes_are_said_in_words_that_a_person_knows() {
        for (message, plain) in [
            (
                "invalid type: string \"fast\", expected u32",
                "a whole number, 0 or above is expected here, not the text \"fast\"",
            ),
            (
                "invalid type: floating point `2.5`, expected u8",
                "a whole number, 0 to 255 is expected here, not the number 2.5",
            ),
            ("invalid type: integer `3`, expected a boolean", "true or false is expected here, not the whole number 3"),
            ("invalid type: boolean `true`, expected f64", "a number is expected here, not the word true"),
            (
                "unknown field `gian`, expected one of `gain`, `offset`",
                "'gian' is not a setting here; settings are: gain, offset",
            ),
            ("unknown variant `x`, expected `a` or `b`", "'x' is not one of its values: a, b"),
            ("unknown field `x`, there are no fields", "'x' is not a setting here"),
            ("missing field `kind`", "'kind' is missing: it must be said here"),
            ("expected 1 to 64 fields, found 0", "expected 1 to 64 fields, found 0"),
        ] {
            assert_eq!(in_plain_words(message), plain);
        }
    }
}
