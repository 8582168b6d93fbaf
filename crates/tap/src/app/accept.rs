//! Lines that were typed: taken, or left open with what is wrong.

use super::{App, Effect, Overlay, Prompt, Purpose};
use std::path::PathBuf;

impl App {
    pub(super) fn save_bench(&mut self) -> Vec<Effect> {
        if let Some(path) = self.bench_file.clone() {
            return self.write_bench(path);
        }
        let name: String = self.shared.name.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
        let name = if name.is_empty() { "my".to_owned() } else { name };
        self.overlays.push(Overlay::Prompt(Prompt {
            title: "bench file".into(),
            hint: "where to save all settings".into(),
            input: format!("{name}.bench.toml").into(),
            purpose: Purpose::BenchPath,
        }));
        Vec::new()
    }

    fn write_bench(&self, path: PathBuf) -> Vec<Effect> {
        vec![Effect::SaveBench { path, bench: Box::new(self.bench()) }]
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
            Purpose::BenchPath if text.trim().is_empty() => Err("type a file name".into()),
            Purpose::BenchPath => Ok(self.write_bench(PathBuf::from(text.trim()))),
        };
        done.unwrap_or_else(|wrong| {
            self.overlays.push(Overlay::Prompt(Prompt { hint: wrong, ..prompt }));
            Vec::new()
        })
    }
}
