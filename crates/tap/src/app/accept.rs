//! Lines that were typed: taken, or left open with what is wrong.

use super::{App, Effect, Overlay, Prompt, Purpose, Source, name_of};
use std::path::{Path, PathBuf};

impl App {
    pub(super) fn save_bench(&mut self) -> Vec<Effect> {
        if let Some(path) = self.bench_file.clone() {
            return self.write_bench(path, true);
        }
        let named = if self.shared.name.is_empty() { self.watched_name() } else { self.shared.name.clone() };
        let name: String = named.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
        let name = name.trim_matches('-');
        let name = if name.is_empty() { "my" } else { name };
        self.ask_bench_path(format!("{name}.bench.toml"), "where to save all settings".into(), None);
        Vec::new()
    }

    /// What the first source is called by what it is: a board's name, a device, a text, a take.
    fn watched_name(&self) -> String {
        let wire = &self.watched[0].chain.settings().wire;
        if let Source::Take(take) = &self.watched[0].source {
            return name_of(&take.folder);
        }
        let port = if wire.is_input() { "input" } else { &wire.port };
        let stem = Path::new(port).file_stem().map_or_else(String::new, |stem| stem.to_string_lossy().into_owned());
        if wire.name.is_empty() { stem } else { wire.name.clone() }
    }

    fn ask_bench_path(&mut self, path: String, hint: String, there: Option<PathBuf>) {
        self.overlays.push(Overlay::Prompt(Prompt::new("bench file", hint, path, Purpose::BenchPath(there))));
    }

    /// Another bench is in the file that was named: asks again.
    pub(super) fn ask_over(&mut self, path: PathBuf) {
        let hint =
            format!("{} already exists: press Enter again to save into it, or type another name", name_of(&path));
        self.ask_bench_path(path.display().to_string(), hint, Some(path));
    }

    fn write_bench(&self, path: PathBuf, may_replace: bool) -> Vec<Effect> {
        vec![Effect::SaveBench { path, bench: Box::new(self.bench()), may_replace }]
    }

    /// Takes what was typed; a line that is wrong stays open and says why.
    pub(super) fn accept(&mut self) -> Vec<Effect> {
        let Some(Overlay::Prompt(prompt)) = self.overlays.pop() else { return Vec::new() };
        let text = prompt.input.value().to_owned();
        let done = match &prompt.purpose {
            Purpose::Mark(at) => Ok(vec![Effect::Mark { at: *at, note: text }]),
            Purpose::Limits(unit) => self.type_limits(unit, &text).map(|()| Vec::new()),
            Purpose::Field(id) => self.type_field(*id, &text),
            Purpose::LineFilter => self.type_filter(&text, false),
            Purpose::LineSearch => self.type_filter(&text, true),
            Purpose::SayingName(saying) => {
                self.name_saying(saying, &text);
                Ok(Vec::new())
            }
            Purpose::SayingEvery(saying) => self.repeat_saying(saying, &text),
            Purpose::ChannelName(index) => self.type_name(*index, &text),
            Purpose::ChannelWords(index) => self.type_words(*index, &text),
            Purpose::Really(number) => self.type_really(*number, &text),
            Purpose::Travel => self.type_range(&text),
            Purpose::NewFormula => self.type_new_formula(&text),
            Purpose::BenchPath(_) if text.trim().is_empty() => Err("type a file name".into()),
            Purpose::BenchPath(there) => {
                let path = PathBuf::from(text.trim());
                let may_replace = there.as_ref() == Some(&path);
                Ok(self.write_bench(path, may_replace))
            }
        };
        done.unwrap_or_else(|wrong| {
            self.overlays.push(Overlay::Prompt(prompt.refused(wrong)));
            Vec::new()
        })
    }
}
