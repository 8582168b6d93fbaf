//! Settings of stage 2: the shape, and what each channel is called and carries.

use super::super::{App, ChannelId, Effect, FieldId, Overlay, Prompt, Purpose};
use super::around;
use amber_core::bench::{ChannelSettings, Kind, Split, Words};
use amber_core::split::{Bare, Shape};

impl FieldId {
    /// Whether it is changed by stepping through choices rather than by typing.
    pub(super) fn is_chosen(self) -> bool {
        matches!(
            self,
            FieldId::FindShape
                | FieldId::TakeOffer
                | FieldId::Parity
                | FieldId::ResetOnOpen
                | FieldId::TakesBack
                | FieldId::TimeFrom
                | FieldId::TimeTick
                | FieldId::WatchOn
                | FieldId::LevelBell
                | FieldId::KeepRaw
        )
    }
}

impl App {
    /// Pins the shape that was typed; nothing lets it be found again.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(super) fn pin_shape(&mut self, text: &str) -> Result<Vec<Effect>, String> {
        if text.is_empty() || text == "no" {
            self.set_split(Split::Auto);
            return Ok(Vec::new());
        }
        let shape: Shape = text.parse().map_err(|error| format!("{error}"))?;
        // What was found beside what can be typed, such as units, stays.
        let shape = match self.chain().shape() {
            Some(found) if found.to_string() == shape.to_string() => found.clone(),
            _ => shape,
        };
        self.set_split(Split::Pinned(shape));
        Ok(Vec::new())
    }

    /// Reads the stream by the shape that is offered.
    pub(crate) fn take_offer(&mut self) {
        if let (_, Some(offer)) = self.chain().doubts() {
            let shape = offer.shape.clone();
            self.say(format!("the shape is now: {}", shape.sentence()), false);
            self.set_split(Split::Pinned(shape));
        } else {
            self.say("no other shape is offered", true);
        }
    }

    fn bare(&self) -> Option<&Bare> {
        match self.chain().shape() {
            Some(Shape::Bare(bare)) => Some(bare),
            _ => None,
        }
    }

    /// How many lines make a row of bare numbers.
    pub(super) fn lines_a_row(&self) -> Option<usize> {
        self.bare().map(|bare| bare.lines)
    }

    pub(super) fn step_lines(&mut self, step: i32) {
        if let Some(lines) = self.lines_a_row() {
            let next = (lines as i32 + step).clamp(1, 16) as usize;
            // The bounds keep it sound.
            let _ = self.set_lines(next);
        }
    }

    /// Makes so many lines a row.
    ///
    /// # Errors
    /// When a row would have too many numbers.
    pub(super) fn set_lines(&mut self, lines: usize) -> Result<Vec<Effect>, String> {
        let Some(bare) = self.bare().filter(|bare| bare.lines != lines) else { return Ok(Vec::new()) };
        let shape =
            Shape::Bare(Bare { lines, names: Vec::new(), units: Vec::new(), typical: Vec::new(), ..bare.clone() });
        if !(1..=amber_core::split::MAX_FIELDS).contains(&shape.columns()) {
            return Err(format!("a row would have {} numbers, 64 is the most", shape.columns()));
        }
        self.set_split(Split::Pinned(shape));
        Ok(Vec::new())
    }

    /// Asks for a channel's name.
    pub(super) fn ask_name(&mut self, index: usize) -> Vec<Effect> {
        if let Some(channel) = self.chain().channels().get(index) {
            self.overlays.push(Overlay::Prompt(Prompt::new(
                format!("name of {}", channel.name()),
                "what you call it, on the screen and in tables; empty: as the board does",
                channel.title().to_owned(),
                Purpose::ChannelName(index),
            )));
        }
        Vec::new()
    }

    /// Asks for the words of a channel's codes.
    pub(crate) fn ask_words(&mut self) -> Vec<Effect> {
        if let Some(channel) = self.channel() {
            self.overlays.push(Overlay::Prompt(Prompt::new(
                format!("words for the codes of {}", channel.title()),
                "codes with their words, as in: 0 idle, 3 blue; empty: none",
                channel.wished().words.spelled(),
                Purpose::ChannelWords(self.selected.channel),
            )));
        }
        Vec::new()
    }

    /// Takes a channel's name.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(crate) fn type_name(&mut self, index: usize, text: &str) -> Result<Vec<Effect>, String> {
        let text = text.trim();
        ChannelSettings::name_fault(text).map_or(Ok(()), Err)?;
        let channels: Vec<ChannelSettings> = self.chain().channels().iter().map(|c| c.wished().clone()).collect();
        if let Some(own) = channels.get(index).filter(|own| !text.is_empty() && own.name != text) {
            let wanted = ChannelSettings { called: text.into(), ..own.clone() };
            wanted.title_fault(&channels).map_or(Ok(()), Err)?;
        }
        self.with_channel(self.own(index), |channel| {
            channel.called = if text == channel.name { "".into() } else { text.into() }
        });
        Ok(Vec::new())
    }

    /// Takes the words of a channel's codes.
    ///
    /// # Errors
    /// What is wrong with them.
    pub(crate) fn type_words(&mut self, index: usize, text: &str) -> Result<Vec<Effect>, String> {
        let words = Words::parse(text)?;
        self.with_channel(self.own(index), |channel| {
            channel.kind = if words.is_empty() { Kind::Auto } else { Kind::Code };
            channel.words = words;
        });
        Ok(Vec::new())
    }

    /// Steps a channel through what it may carry.
    pub(super) fn step_kind(&mut self, index: usize, step: i32) {
        self.with_channel(self.own(index), |channel| channel.kind = around(&Kind::ALL, channel.kind, step));
    }

    /// Lets the selected channel change places with the next one in this direction.
    pub(crate) fn move_channel(&mut self, by: i32) {
        let to = self.selected.channel as i32 + by;
        if (0..self.chain().channels().len() as i32).contains(&to) {
            let own = self.selected.channel;
            self.chain_mut().swap_channels(own, to as usize);
            self.selected.channel = to as usize;
        }
    }

    /// Changes a channel's settings; its history is made anew.
    pub(crate) fn with_channel(&mut self, id: ChannelId, edit: impl FnOnce(&mut ChannelSettings)) {
        let Some(chain) = self.watched.get_mut(id.source).map(|watched| &mut watched.chain) else { return };
        if let Some(channel) = chain.channels().get(id.channel) {
            let mut settings = channel.wished().clone();
            edit(&mut settings);
            if settings != *channel.wished() {
                chain.set_channel(id.channel, settings);
            }
        }
    }
}
