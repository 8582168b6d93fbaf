//! Bench files of older formats, brought to the present one step by step with their comments.

use super::{WireSettings, source_names};
use toml_edit::{Array, ArrayOfTables, DocumentMut, Item, Table, TableLike, Value, value};

/// The number of the format in which bench files are written.
pub(super) const FORMAT: u32 = 3;

/// For each older format, the step to the next one.
const STEPS: [fn(&mut Table); FORMAT as usize] = [to_1, to_2, to_3];

/// The number that the file bears. One without a number is of the first format, unless it lists its sources as later
/// ones do.
pub(super) fn format_of(document: &DocumentMut) -> u32 {
    match document.get("format").and_then(Item::as_integer) {
        Some(number) => u32::try_from(number).unwrap_or(u32::MAX),
        None if document.get("source").is_some_and(Item::is_array_of_tables) => 1,
        None => 0,
    }
}

/// The same settings in the present format.
pub(super) fn migrate(mut document: DocumentMut) -> DocumentMut {
    let steps = STEPS.iter().skip(format_of(&document) as usize);
    for step in steps {
        step(document.as_table_mut());
    }
    let root = document.as_table_mut();
    if root.get("format").and_then(Item::as_integer).is_none_or(|number| number < i64::from(FORMAT)) {
        root.insert("format", value(i64::from(FORMAT)));
    }
    document
}

/// A table, also where it was written on one line.
fn table(item: Option<Item>) -> Option<Table> {
    item?.into_table().ok()
}

fn tables(item: Option<Item>) -> Vec<Table> {
    item.and_then(|item| item.into_array_of_tables().ok()).map_or_else(Vec::new, |tables| tables.into_iter().collect())
}

fn text(table: &Table, key: &str) -> String {
    table.get(key).and_then(Item::as_str).unwrap_or_default().to_owned()
}

/// Tables are written in the order of their positions; with none they follow one another as they lie.
fn unplace(table: &mut Table) {
    table.set_position(None);
    for (_, item) in table.iter_mut() {
        match item {
            Item::Table(inner) => unplace(inner),
            Item::ArrayOfTables(inner) => inner.iter_mut().for_each(unplace),
            Item::None | Item::Value(_) => {}
        }
    }
}

/// Format 0 had `[source]`, `[split]` and `[time]` of the first source at its top, those of others under `[[beside]]`, and
/// all channels in one list, with the name of their source in front where there were several. Format 1 has a `[[source]]`
/// for each, with its `wire`, `split`, `time` and `channel`.
fn to_1(root: &mut Table) {
    let mut own: Vec<[Option<Table>; 3]> =
        vec![[table(root.remove("source")), table(root.remove("split")), table(root.remove("time"))]];
    for mut beside in tables(root.remove("beside")) {
        own.push(["source", "split", "time"].map(|key| table(beside.remove(key))));
    }
    let wires = own.iter().map(|[wire, ..]| {
        let of = |key| wire.as_ref().map_or_else(String::new, |wire| text(wire, key));
        WireSettings { name: of("name"), port: of("port"), ..WireSettings::default() }
    });
    let names = source_names(&wires.collect::<Vec<_>>());
    let mut channels: Vec<Option<Table>> = tables(root.remove("channel")).into_iter().map(Some).collect();
    let mut sources = ArrayOfTables::new();
    let several = own.len() > 1;
    for (parts, name) in own.into_iter().zip(&names) {
        let mut source = Table::new();
        for (key, part) in ["wire", "split", "time"].into_iter().zip(parts) {
            if let Some(part) = part {
                source.insert(key, Item::Table(part));
            }
        }
        let mut list = ArrayOfTables::new();
        for place in &mut channels {
            let Some(channel) = place else { continue };
            let label = text(channel, "name");
            let label = if several { label.strip_prefix(&format!("{name}.")).map(str::to_owned) } else { Some(label) };
            let Some(label) = label else { continue };
            let Some(mut channel) = place.take() else { continue };
            if let Some(Item::Value(written)) = channel.get_mut("name").filter(|_| several) {
                let decor = written.decor().clone();
                *written = Value::from(label);
                *written.decor_mut() = decor;
            }
            list.push(channel);
        }
        if !list.is_empty() {
            source.insert("channel", Item::ArrayOfTables(list));
        }
        sources.push(source);
    }
    root.insert("source", Item::ArrayOfTables(sources));
    unplace(root);
}

/// Format 1 had one filter for a channel, `smooth = { … }`, and called a step that is bypassed `passed`, the step itself
/// `step`. Format 2 has a list of filters, and says `bypassed` and `of`.
fn to_2(root: &mut Table) {
    each(root.get_mut("source"), &mut |source| {
        each(source.get_mut("channel"), &mut |channel| {
            if let Some(smooth) = channel.get_mut("smooth") {
                listed(smooth);
            }
            let scale = channel.get_mut("scale").and_then(Item::as_table_like_mut);
            each(scale.and_then(|scale| scale.get_mut("steps")), &mut bypass);
        });
    });
}

/// Formats up to 2 called some things otherwise: `is` and `filter` for the kind of a step or filter, `by` for what an offset
/// or zero subtracts, a gain multiplies by and a sensitivity divides by, `called` for a channel's title, `say` for commands,
/// and these of a source and the screen.
fn to_3(root: &mut Table) {
    rename(root, &[("say", "command")]);
    if let Some(screen) = root.get_mut("screen").and_then(Item::as_table_like_mut) {
        rename(screen, &[("pace", "refresh_rate")]);
    }
    each(root.get_mut("source"), &mut |source| {
        if let Some(wire) = source.get_mut("wire").and_then(Item::as_table_like_mut) {
            rename(wire, &[("reset", "reset_on_open")]);
        }
        let split = source.get_mut("split").and_then(Item::as_table_like_mut);
        if let Some(Item::Value(shape)) = split.and_then(|split| split.get_mut("shape")) {
            replace(shape, &[("bare", "plain"), ("stacked", "per-line")]);
        }
        each(source.get_mut("channel"), &mut |channel| {
            rename(channel, &[("called", "title")]);
            if let Some(Item::Value(formula)) = channel.get_mut("formula") {
                rename_functions(formula);
            }
            each(channel.get_mut("smooth"), &mut rename_part);
            let scale = channel.get_mut("scale").and_then(Item::as_table_like_mut);
            each(scale.and_then(|scale| scale.get_mut("steps")), &mut rename_part);
        });
    });
}

/// Gives a text another word, with its comment.
fn replace(value: &mut Value, words: &[(&str, &str)]) {
    let Some((_, new)) = words.iter().find(|(old, _)| value.as_str() == Some(*old)) else { return };
    let decor = value.decor().clone();
    *value = Value::from(*new);
    *value.decor_mut() = decor;
}

/// `least(x)` and `most(x)` are `running_min(x)` and `running_max(x)` now.
fn rename_functions(formula: &mut Value) {
    let Some(text) = formula.as_str() else { return };
    let mut renamed = text.to_owned();
    for (old, new) in [("least", "running_min"), ("most", "running_max")] {
        let mut parts = renamed.split(old);
        let mut out = parts.next().unwrap_or_default().to_owned();
        for rest in parts {
            let is_name = |c: char| c.is_alphanumeric() || c == '_' || c == '.';
            // Only a call of the function: a channel may bear the word in its name.
            let is_call = rest.trim_start().starts_with('(') && !out.ends_with(is_name);
            out += if is_call { new } else { old };
            out += rest;
        }
        renamed = out;
    }
    let text = text.to_owned();
    replace(formula, &[(&text, &renamed)]);
}

/// The keys of a step or filter, and of the one that is bypassed in it.
fn rename_part(part: &mut dyn TableLike) {
    let kind = ["is", "filter"].into_iter().find_map(|key| part.get(key)?.as_str()).unwrap_or_default().to_owned();
    let own: &[(&str, &str)] = match kind.as_str() {
        "offset" => &[("by", "subtract")],
        "gain" => &[("by", "factor")],
        "sensitivity" => &[("by", "divisor")],
        "zero" => &[("by", "subtract"), ("taken", "date")],
        "clamp" => &[("low", "min"), ("high", "max")],
        "converter" => &[("top", "top_is_reference")],
        "divider" => &[("high", "sensor_at_supply"), ("back", "ohms_to_volts")],
        _ => &[],
    };
    rename(part, &[&[("is", "kind"), ("filter", "kind")], own].concat());
    if let Some(of) = part.get_mut("of").and_then(Item::as_table_like_mut) {
        rename_part(of);
    }
}

/// A line of a file with one word for each key, whichever format it is of, so that lines can be compared.
pub(super) fn in_new_words(line: &str) -> String {
    const WORDS: [(&str, &str); 16] = [
        ("is", "kind"),
        ("filter", "kind"),
        ("by", "operand"),
        ("subtract", "operand"),
        ("factor", "operand"),
        ("divisor", "operand"),
        ("taken", "date"),
        ("low", "min"),
        ("high", "max"),
        ("sensor_at_supply", "max"),
        ("top", "top_is_reference"),
        ("back", "ohms_to_volts"),
        ("called", "title"),
        ("pace", "refresh_rate"),
        ("reset", "reset_on_open"),
        ("say", "command"),
    ];
    let mut out = String::new();
    let mut word = String::new();
    for c in line.chars().chain(['\n']) {
        if c.is_alphanumeric() || c == '_' {
            word.push(c);
            continue;
        }
        out += WORDS.iter().find(|(old, _)| *old == word).map_or(&word, |(_, new)| new);
        word.clear();
        out.push(c);
    }
    out
}

/// Gives keys other names; they stay in their order, with their comments.
fn rename(table: &mut dyn TableLike, names: &[(&str, &str)]) {
    let keys: Vec<String> = table.iter().map(|(key, _)| key.to_owned()).collect();
    let new_name = |key: &str| names.iter().find(|(old, _)| *old == key).map(|(_, new)| *new);
    if !keys.iter().any(|key| new_name(key).is_some()) {
        return;
    }
    for key in keys {
        let decor = table.key(&key).map(|key| key.leaf_decor().clone());
        let Some(item) = table.remove(&key) else { continue };
        let name = new_name(&key).unwrap_or(&key);
        table.insert(name, item);
        if let (Some(mut key), Some(decor)) = (table.key_mut(name), decor) {
            *key.leaf_decor_mut() = decor;
        }
    }
}

/// Does something to each table of a list, however the list is written.
fn each(list: Option<&mut Item>, act: &mut dyn FnMut(&mut dyn TableLike)) {
    match list {
        Some(Item::ArrayOfTables(tables)) => tables.iter_mut().for_each(|table| act(table)),
        Some(Item::Value(Value::Array(values))) => {
            values.iter_mut().filter_map(Value::as_inline_table_mut).for_each(|table| act(table));
        }
        _ => {}
    }
}

/// Makes a list of one out of a table.
fn listed(item: &mut Item) {
    match item {
        Item::Table(table) => {
            let mut list = ArrayOfTables::new();
            list.push(std::mem::take(table));
            *item = Item::ArrayOfTables(list);
        }
        Item::Value(Value::InlineTable(table)) => {
            let decor = table.decor().clone();
            let mut table = std::mem::take(table);
            table.decor_mut().clear();
            let mut list = Array::new();
            list.push_formatted(table.into());
            *list.decor_mut() = decor;
            *item = Item::Value(list.into());
        }
        _ => {}
    }
}

fn bypass(step: &mut dyn TableLike) {
    if step.get("is").and_then(Item::as_str) != Some("passed") {
        return;
    }
    if let Some(Item::Value(kind)) = step.get_mut("is") {
        replace(kind, &[("passed", "bypassed")]);
    }
    if let Some(of) = step.remove("step") {
        step.insert("of", of);
    }
}
