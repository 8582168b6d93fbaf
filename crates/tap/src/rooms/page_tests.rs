//! Pages of the documentation that are made from the program's own tables: `UPDATE_DOCS=1 cargo test` writes them anew.

use super::{Place, RoomId, panel};
use crate::keys::Key;
use std::fmt::Write;
use std::path::Path;

/// Compares a page with what it should be, or writes it.
fn check(page: &str, text: &str) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(page);
    if std::env::var_os("UPDATE_DOCS").is_some() {
        std::fs::write(path, text).unwrap();
        return;
    }
    let found = std::fs::read_to_string(&path).unwrap();
    assert!(found == text, "docs/{page} is not what the tables say: UPDATE_DOCS=1 cargo test writes it anew");
}

fn table(out: &mut String, heading: &str, keys: &[&Key]) {
    if keys.is_empty() {
        return;
    }
    write!(out, "\n## {heading}\n\n| key | what it does |\n|---|---|\n").unwrap();
    for key in keys {
        // A bar would end the cell.
        writeln!(out, "| `{}` | {} |", key.label, key.help.replace('|', "\\|")).unwrap();
    }
}

#[test]
fn the_page_of_bench_files_is_what_the_settings_say() {
    let mut out = String::from(
        "# Settings in a bench file\n\nMade from the program's own settings. Keys below `source` stand in a `[[source]]`, those\n\
        below `source.channel` in a `[[source.channel]]`, all others once for all sources. Steps and filters are told in [the guide](guide.md).\n\
        Spans, lanes and commands are written by the program: save a bench (`s`) to see them.\n",
    );
    for id in RoomId::ALL {
        let kept: Vec<_> = id.settings().into_iter().filter(|setting| !setting.key.is_empty()).collect();
        if !kept.is_empty() {
            write!(out, "\n## {}\n\n| key | what it is | what it can be |\n|---|---|---|\n", id.about().name).unwrap();
        }
        for setting in kept {
            let what = format!("{}: {}", setting.name, setting.help);
            writeln!(out, "| `{}` | {what} | {} |", setting.key, setting.range).unwrap();
        }
    }
    check("bench.md", &out);
}

#[test]
fn the_page_of_keys_is_what_the_tables_say() {
    let mut out = String::from(
        "# Keys\n\nMade from the program's own tables, which the help (`?`) shows too. `/` finds any of these by typing.\n",
    );
    table(&mut out, "Main screen", &RoomId::Home.keys());
    let [panel, parts] = panel::common_keys();
    table(&mut out, "In every panel", &panel);
    table(&mut out, "In every list: steps (3), filters (4), conditions (5 c)", &parts);
    for id in RoomId::ALL.iter().filter(|id| id.about().place != Place::Everywhere) {
        let is_common = |key: &&Key| panel.iter().chain(&parts).any(|common| std::ptr::eq(*common, *key));
        let own: Vec<&Key> = id.keys().into_iter().filter(|key| !is_common(key)).collect();
        let about = id.about();
        table(&mut out, &format!("{}: {}", about.name, about.help), &own);
    }
    let choose: Vec<&Key> = crate::choose::KEYS.iter().map(|binding| &binding.key).collect();
    table(&mut out, "Choosing what to watch", &choose);
    out += "\n## Everywhere\n\n\
        In a list: type to filter it, arrows move, Enter chooses, Esc cancels. While a line is typed: the first key\n\
        replaces what is offered, an arrow, Home or End keeps it; Ctrl-U clears, Ctrl-W deletes a word; Enter accepts, Esc\n\
        cancels. `Ctrl-Z` stops the program and `fg` at the shell goes on with it, unless a take is running. What is pasted\n\
        goes where something is typed, as one line, and is never taken for keys.\n\n\
        Mouse: a click on a cell of the strip opens its panel, on a readout or a trace selects the channel, on a row of a\n\
        panel selects it and on the selected one edits it; a drag pans the chart; the wheel zooms the chart about the\n\
        pointer and scrolls panels, tools, lists and wire lines.\n";
    check("keys.md", &out);
}
