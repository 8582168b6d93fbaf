//! How a part of a stage (a scale step, a filter) describes itself: its name, what it does, and what can be set of it.
//!
//! A stage is a list of parts. Each kind of part is one file that implements [`Part`]; one line of its stage's list
//! (`kinds!`) makes it known. The panel, the prompts, the faults, the guide's table and the tests over all kinds are
//! made from the description, so that a forgotten kind does not compile.

mod kinds;
mod setting;

pub(crate) use kinds::kinds;
pub use kinds::{Kind, Listed, Parts};
pub use setting::{Nudge, Range, Setting, SettingView, Unit, Value, along};

/// A kind of part. Its default is a part as it is before anything is set.
pub trait Part: Clone + Default + 'static {
    /// Its name, in lower case, also in a bench file.
    const KIND: &'static str;
    /// What it does, in a few words.
    const HELP: &'static str;
    /// What can be set, in the order in which it is shown.
    const SETTINGS: &'static [Setting<Self>];
    /// Whether a person can add it to a list; else another tool makes it.
    const IS_ADDED: bool = true;

    /// What is wrong with the settings together; the range of each one is checked beside this.
    fn conflict(&self) -> Option<&'static str> {
        None
    }

    /// In a few characters, for the cell of its stage.
    fn short(&self) -> String {
        Self::KIND.into()
    }

    /// What is wrong with it, if anything.
    fn fault(&self) -> Option<String> {
        let of_one = Self::SETTINGS.iter().filter(|setting| (setting.shown)(self)).find_map(|one| one.fault(self));
        of_one.or_else(|| self.conflict().map(str::to_owned))
    }

    /// Its settings as they are shown. `unit` is the unit of the value in front of it.
    fn views(&self, unit: &str) -> Vec<SettingView> {
        self.shown().map(|setting| setting.view(self, unit)).collect()
    }

    /// Takes what was typed for setting `index` of those that are shown.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence; the part is as it was then.
    fn set(&mut self, index: usize, text: &str) -> Result<(), String> {
        let mut changed = self.clone();
        let setting = self.shown().nth(index).ok_or("there is no such setting")?;
        setting.type_into(&mut changed, text.trim())?;
        match changed.fault() {
            Some(fault) => Err(fault),
            None => {
                *self = changed;
                Ok(())
            }
        }
    }

    /// Moves setting `index` of those that are shown a little up (1) or down (-1), or to its next choice. `finest` is the
    /// resolution of the value in front of the part. What cannot be moved stays.
    fn nudge(&mut self, index: usize, by: i32, finest: f64) {
        let mut changed = self.clone();
        if let Some(setting) = self.shown().nth(index) {
            setting.nudge(&mut changed, by, finest);
        }
        if changed.fault().is_none() {
            *self = changed;
        }
    }

    /// The settings that count as the part is set now.
    fn shown(&self) -> impl Iterator<Item = &'static Setting<Self>> {
        Self::SETTINGS.iter().filter(|setting| (setting.shown)(self))
    }
}
