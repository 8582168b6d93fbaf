//! Talking back to the board: a typed line, those sent before, those kept with a name, and some sent again and again.

use super::{App, Effect, LinkOrder, Overlay, Prompt, Purpose};
use amber_core::Stamp;
use amber_core::talk::{Ending, Saying, encode};
use tui_input::Input;

/// Lines that are remembered.
const HISTORY: usize = 100;

/// The shortest pause between two sendings of the same, in seconds.
const SHORTEST: f64 = 0.02;

/// What is being said.
#[derive(Debug, Default)]
pub(crate) struct Talk {
    pub(crate) input: Input,
    pub(crate) ending: Ending,
    /// The place of the chosen line in the list; what is typed otherwise.
    pub(crate) chosen: Option<usize>,
    /// What was sent, newest first.
    history: Vec<Saying>,
    pub(crate) repeats: Vec<Repeat>,
}

/// Something that is sent again and again.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Repeat {
    pub(crate) saying: Saying,
    /// Seconds between.
    pub(crate) every: f64,
    next: Stamp,
    /// The place of the source that it is sent to.
    place: usize,
}

impl App {
    /// Opens the line for talking.
    pub(super) fn open_talk(&mut self) {
        if self.is_take() {
            return self.say("a take hears nothing: watch a port to talk to its board", true);
        }
        self.talk.chosen = None;
        self.overlays.push(Overlay::Talk);
    }

    /// What can be sent again: the bench's sayings, then what was sent, as far as the typed text is in it.
    pub(crate) fn sayings(&self) -> Vec<Saying> {
        let text = self.talk.input.value().to_lowercase();
        let fits =
            |saying: &&Saying| saying.text.to_lowercase().contains(&text) || saying.name.to_lowercase().contains(&text);
        let kept = self.shared.say.iter();
        let same = |a: &Saying, b: &Saying| a.text == b.text && a.ending == b.ending;
        let own = |saying: &&Saying| !self.shared.say.iter().any(|kept| same(kept, saying));
        kept.filter(fits).chain(self.talk.history.iter().filter(own).filter(fits)).cloned().collect()
    }

    pub(super) fn choose_saying(&mut self, by: i32) {
        let count = self.sayings().len() as i32;
        let at = self.talk.chosen.map_or(-1, |at| at as i32) + by;
        self.talk.chosen = (at >= 0 && count > 0).then(|| at.min(count - 1) as usize);
    }

    pub(super) fn next_ending(&mut self) {
        let at = Ending::ALL.iter().position(|ending| *ending == self.talk.ending).unwrap_or(0);
        self.talk.ending = Ending::ALL[(at + 1) % Ending::ALL.len()];
    }

    /// What Enter would send.
    fn present_saying(&self) -> Saying {
        let typed = || Saying { name: String::new(), text: self.talk.input.value().into(), ending: self.talk.ending };
        self.talk.chosen.and_then(|at| self.sayings().into_iter().nth(at)).unwrap_or_else(typed)
    }

    /// Sends the chosen line, or what was typed.
    pub(super) fn send_line(&mut self) -> Vec<Effect> {
        let saying = self.present_saying();
        match encode(&saying.text, saying.ending) {
            Ok(bytes) if bytes.is_empty() => {
                self.say("nothing to send: type a line, or choose one with the arrows", true);
                Vec::new()
            }
            Ok(bytes) => {
                self.talk.history.retain(|old| old.text != saying.text || old.ending != saying.ending);
                self.talk.history.insert(0, Saying { name: String::new(), ..saying });
                self.talk.history.truncate(HISTORY);
                self.talk.input.reset();
                self.talk.chosen = None;
                self.notice = None;
                vec![Effect::Tell(self.place(), LinkOrder::Send(bytes))]
            }
            Err(wrong) => {
                self.say(wrong, true);
                Vec::new()
            }
        }
    }

    /// Asks for a name under which the line is kept in the bench.
    pub(super) fn ask_saying_name(&mut self) {
        let saying = self.present_saying();
        self.ask_for_saying(saying, "a name, under which the bench keeps it; empty: forget it", Purpose::SayingName);
    }

    /// Asks how often the line is to be sent.
    pub(super) fn ask_repeat(&mut self) {
        let saying = self.present_saying();
        self.ask_for_saying(saying, "send it again every so many seconds; empty: no longer", Purpose::SayingEvery);
    }

    fn ask_for_saying(&mut self, saying: Saying, hint: &str, purpose: impl FnOnce(Saying) -> Purpose) {
        if saying.text.is_empty() {
            return self.say("type a line first, or choose one with the arrows", true);
        }
        self.overlays.push(Overlay::Prompt(Prompt::new(
            saying.text.clone(),
            hint,
            saying.name.clone(),
            purpose(saying),
        )));
    }

    /// Keeps a line in the bench under a name, or forgets it.
    pub(super) fn name_saying(&mut self, saying: &Saying, name: &str) {
        let name = name.trim().to_owned();
        self.shared.say.retain(|kept| kept.text != saying.text && (name.is_empty() || kept.name != name));
        if !name.is_empty() {
            self.shared.say.push(Saying { name, ..saying.clone() });
        }
    }

    /// Sends a line again and again, or no longer.
    ///
    /// # Errors
    /// What is wrong with the time that was typed.
    pub(super) fn repeat_saying(&mut self, saying: &Saying, text: &str) -> Result<Vec<Effect>, String> {
        encode(&saying.text, saying.ending)?;
        let every = match text.trim() {
            "" => None,
            text => Some(amber_core::digits::typed(text)?),
        };
        if every.is_some_and(|every| !(SHORTEST..=86_400.0).contains(&every)) {
            return Err(format!("{SHORTEST} to 86400 seconds"));
        }
        self.talk.repeats.retain(|repeat| repeat.saying.text != saying.text);
        let (next, place) = (self.now, self.place());
        self.talk.repeats.extend(every.map(|every| Repeat { saying: saying.clone(), every, next, place }));
        Ok(Vec::new())
    }

    /// What is due to be sent again.
    pub(crate) fn due_sayings(&mut self, now: Stamp) -> Vec<Effect> {
        let mut effects = Vec::new();
        for repeat in self.talk.repeats.iter_mut().filter(|repeat| repeat.next <= now) {
            // After a long pause it is sent once, not for each time that was missed.
            let next = repeat.next.plus(repeat.every);
            repeat.next = if next <= now { now.plus(repeat.every) } else { next };
            // It was read once already, when it was asked for.
            effects.extend(
                encode(&repeat.saying.text, repeat.saying.ending)
                    .ok()
                    .map(|b| Effect::Tell(repeat.place, LinkOrder::Send(b))),
            );
        }
        effects
    }

    /// The seconds until something is to be sent again.
    pub(crate) fn next_saying(&self, now: Stamp) -> Option<f64> {
        let seconds = self.talk.repeats.iter().map(|repeat| repeat.next.seconds_since(now).max(0.0));
        seconds.reduce(f64::min)
    }
}
