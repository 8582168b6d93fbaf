//! Putting new settings into a TOML document that a person wrote.

use toml_edit::{ArrayOfTables, Item, Table, Value};

/// Makes `old` say what `new` says; what already says the same keeps its writing, comments included.
pub(super) fn tables(old: &mut Table, new: &Table) {
    // Tables are written in the order of their positions; with none they follow the settings model, so that a new
    // sub-table stands under its own channel.
    old.set_position(None);
    let gone: Vec<String> = old.iter().map(|(key, _)| key.to_owned()).filter(|key| !new.contains_key(key)).collect();
    for key in gone {
        old.remove(&key);
    }
    for (key, fresh) in new {
        match (old.get_mut(key), fresh) {
            (Some(Item::Table(old)), Item::Table(new)) => tables(old, new),
            (Some(Item::ArrayOfTables(old)), Item::ArrayOfTables(new)) => arrays(old, new),
            (Some(Item::Value(old)), Item::Value(new)) if says(old) != says(new) => {
                let decor = old.decor().clone();
                *old = tidy(new.clone());
                *old.decor_mut() = decor;
            }
            (Some(Item::Value(_)), Item::Value(_)) => {}
            (Some(Item::Value(old)), Item::Table(new))
                if says(old) == says(&new.clone().into_inline_table().into()) => {}
            (Some(Item::Value(old)), Item::ArrayOfTables(new))
                if says(old) == says(&new.clone().into_array().into()) => {}
            (Some(old), fresh) => *old = unplaced(fresh),
            (None, fresh) => {
                old.insert(key, unplaced(fresh));
            }
        }
    }
}

/// A copy of `item` whose tables have no position.
fn unplaced(item: &Item) -> Item {
    match item {
        Item::Table(new) => {
            let mut table = Table::new();
            tables(&mut table, new);
            Item::Table(table)
        }
        Item::ArrayOfTables(new) => {
            let mut array = ArrayOfTables::new();
            arrays(&mut array, new);
            Item::ArrayOfTables(array)
        }
        Item::Value(value) => Item::Value(tidy(value.clone())),
        Item::None => Item::None,
    }
}

/// Lists within lists, such as points, stand on one line each, and so do short lists.
fn tidy(mut value: Value) -> Value {
    if let Value::Array(array) = &mut value {
        let nested = array.iter().any(Value::is_array);
        for part in array.iter_mut() {
            if let Value::Array(inner) = part {
                inner.fmt();
            }
        }
        if nested || array.to_string().len() < 80 {
            let long = array.len() > 4 && nested;
            array.fmt();
            if long {
                array.iter_mut().for_each(|part| part.decor_mut().set_prefix("\n    "));
                array.set_trailing("\n");
            }
        }
    }
    value
}

/// Makes the tables of `old` say what those of `new` say, each in the table that it was before: a channel or command is
/// known by its name, a lane by its unit, a step or filter by how many of its kind stand in front of it, any other by
/// its place.
fn arrays(old: &mut ArrayOfTables, new: &ArrayOfTables) {
    let before: Vec<Table> = old.iter().cloned().collect();
    old.clear();
    for (place, fresh) in new.iter().enumerate() {
        let known = match identity(fresh) {
            Some(("kind", kind)) => {
                let earlier = new.iter().take(place).filter(|table| identity(table) == Some(("kind", kind))).count();
                before.iter().filter(|table| identity(table) == Some(("kind", kind))).nth(earlier)
            }
            Some(own) => before.iter().find(|table| identity(table) == Some(own)),
            None => before.get(place).filter(|table| identity(table).is_none()),
        };
        let mut table = known.cloned().unwrap_or_default();
        tables(&mut table, fresh);
        old.push(table);
    }
}

/// The key by which a table of an array is recognised again, wherever it stands, and what it says there.
fn identity(table: &Table) -> Option<(&'static str, &str)> {
    ["name", "kind", "unit"].into_iter().find_map(|key| Some((key, table.get(key)?.as_str()?)))
}

/// A value's content without its spacing and the order of its keys; `1` and `1.0` say the same.
fn says(value: &Value) -> String {
    match value {
        Value::Integer(number) => (*number.value() as f64).to_string(),
        Value::Float(number) => number.value().to_string(),
        Value::String(text) => format!("{:?}", text.value()),
        Value::Array(values) => format!("[{}]", values.iter().map(says).collect::<Vec<_>>().join(",")),
        Value::InlineTable(table) => {
            let mut parts: Vec<String> = table.iter().map(|(key, value)| format!("{key}={}", says(value))).collect();
            parts.sort();
            format!("{{{}}}", parts.join(","))
        }
        other => other.to_string().trim().to_owned(),
    }
}
