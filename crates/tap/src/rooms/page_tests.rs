//! Pages of the documentation that are made from the program's own tables: `UPDATE_DOCS=1 cargo test` writes them anew.

use super::panel::{SingleSetting, Way};
use super::{Place, RoomId, panel};
use crate::keys::Key;
use amber_core::bench::{Bench, ChannelSettings};
use amber_core::part::Listed;
use amber_core::scale::Step;
use amber_core::smooth::Filter;
use amber_core::watch::condition::{Answer, Condition, Test};
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

/// What a setting that is chosen is in a bench file for each of its choices, with what that means.
fn choices(setting: &SingleSetting) -> Vec<String> {
    let Way::Chosen { choices, choose, .. } = &setting.way else { return Vec::new() };
    let mut session = crate::app::tests::watched(2).session;
    let names: Vec<String> = choices(&session).into_iter().map(|choice| choice.name).collect();
    let values: Vec<Option<String>> = (0..names.len())
        .map(|place| {
            choose(&mut session, place);
            value_of(&session.bench().new_file(""), setting.key)
        })
        .collect();
    // Where other keys tell them apart as well, only their meanings are told.
    if (1..values.len()).any(|at| values[..at].contains(&values[at])) {
        return vec![names.join(", ")];
    }
    let told = names.into_iter().zip(values).map(|(name, value)| match value {
        Some(value) => format!("`{value}`: {name}"),
        None => format!("left out: {name}"),
    });
    told.collect()
}

/// What stands in a bench file behind a key, the first of several.
fn value_of(text: &str, key: &str) -> Option<String> {
    let (table, name) = key.rsplit_once('.').unwrap_or(("", key));
    let mut own = String::new();
    text.lines().find_map(|line| {
        if line.starts_with('[') {
            own = line.trim_matches(['[', ']']).to_owned();
        }
        let value = line.strip_prefix(name)?.trim_start().strip_prefix('=')?.trim();
        (own == table).then(|| value.to_owned())
    })
}

/// All kinds of a part, each as it stands in a bench, with what its settings can be.
fn parts<P: Listed>(out: &mut String, heading: &str, table: &str, put: impl Fn(P, &mut Bench)) {
    write!(out, "\n## {heading}\n").unwrap();
    for kind in P::KINDS {
        let part = P::of_kind(kind.name).unwrap();
        let settings = part.settings("").into_iter().map(|view| match &view.range[..] {
            "" => view.name.to_owned(),
            range => format!("{}: {range}", view.name),
        });
        let settings: Vec<String> = settings.collect();
        let mut bench = Bench::default();
        bench.sources[0].channel.push(ChannelSettings::named("level"));
        bench.sources[0].condition.push(Condition::default());
        put(part, &mut bench);
        let text = bench.new_file("");
        let own = text.lines().skip_while(|line| !line.starts_with("[[") || !line.contains(table));
        let own: Vec<&str> =
            own.enumerate().take_while(|(at, line)| *at == 0 || !line.starts_with("[[")).map(|own| own.1).collect();
        let own = own.join("\n");
        write!(out, "\n**{}**: {}", kind.name, kind.help).unwrap();
        writeln!(out, "{}", if settings.is_empty() { String::new() } else { format!(" ({})", settings.join("; ")) })
            .unwrap();
        write!(out, "\n```toml\n{}\n```\n", own.trim()).unwrap();
    }
}

#[test]
fn the_page_of_bench_files_is_what_the_settings_say() {
    let mut out = String::from(
        "# Settings in a bench file\n\nMade from the program's own settings. Keys below `source` stand in a `[[source]]`, those\n\
        below `source.channel` in a `[[source.channel]]`, all others once for all sources. Steps, filters and conditions stand at the end, each as a table of its own;\n\
        [the guide](guide.md) tells more of them.\n\
        Spans, lanes and commands are written by the program: save a bench (`s`) to see them.\n",
    );
    for id in RoomId::ALL {
        let kept: Vec<_> = id.settings().into_iter().filter(|setting| !setting.key.is_empty()).collect();
        if !kept.is_empty() {
            write!(out, "\n## {}\n\n| key | what it is | what it can be |\n|---|---|---|\n", id.about().name).unwrap();
        }
        for setting in kept {
            let what = format!("{}: {}", setting.name, setting.help);
            let choices = choices(setting);
            let range = match (choices.is_empty(), setting.range) {
                (true, "") => "a text".into(),
                (true, range) => range.to_owned(),
                (false, _) => choices.join("; "),
            };
            writeln!(out, "| `{}` | {what} | {range} |", setting.key).unwrap();
        }
    }
    parts::<Step>(&mut out, "Steps of a scale", "source.channel.scale.step", |step, bench| {
        bench.sources[0].channel[0].scale.steps.push(step);
    });
    parts::<Filter>(&mut out, "Filters", "source.channel.smooth", |filter, bench| {
        bench.sources[0].channel[0].smooth.push(filter);
    });
    parts::<Test>(&mut out, "Tests of a condition", "source.condition.test", |test, bench| {
        bench.sources[0].condition[0].test.push(test);
    });
    parts::<Answer>(&mut out, "Answers of a condition", "source.condition.answer", |answer, bench| {
        bench.sources[0].condition[0].answer.push(answer);
    });
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
