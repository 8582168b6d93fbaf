//! Which channels there are, and which column of the shape feeds which of them.

use crate::bench::{ChannelSettings, Words};
use crate::split::Shape;

/// The channels of one source. A column's values always go to the channel of its name, wherever that stands.
#[derive(Clone, Debug, Default)]
pub struct Layout {
    /// Settings of channels that may come, and formulas.
    known: Vec<ChannelSettings>,
    channels: Vec<ChannelSettings>,
    /// For each column of the shape, its channel.
    columns: Vec<usize>,
    /// The label of the column that counts the rows of a block; empty when there is none.
    index: String,
    troubles: Vec<String>,
    /// The words that the board gave to codes, by the label of their column.
    words: Vec<(String, Words)>,
}

impl Layout {
    pub(super) fn new(known: &[ChannelSettings]) -> Layout {
        Layout { known: known.to_vec(), ..Layout::default() }
    }

    /// The channels' settings, in the order in which they are worked out for each row.
    pub fn channels(&self) -> &[ChannelSettings] {
        &self.channels
    }

    /// For each column of the shape, the channel that it feeds.
    pub fn columns(&self) -> &[usize] {
        &self.columns
    }

    /// The label of the column that counts the rows of a block; empty when there is none.
    pub fn index(&self) -> &str {
        &self.index
    }

    /// What had to be done otherwise than the settings say, in sentences.
    pub fn troubles(&self) -> &[String] {
        &self.troubles
    }

    /// Gives every column of `shape` a channel: the one of the same name, or a new one; and one to each formula, behind
    /// them. Channels keep their places.
    pub(super) fn adopt(&mut self, shape: &Shape) {
        self.columns.clear();
        for column in 0..shape.columns() {
            let label = shape.label(column);
            self.make_way_for(&label);
            let known = |channel: &ChannelSettings| channel.name == label;
            let place = self.channels.iter().position(known).unwrap_or(self.channels.len());
            self.columns.push(place);
            let words = Words::of(shape.codes(column));
            if place == self.channels.len() {
                let known = self.known.iter().find(|channel| known(channel)).cloned();
                self.channels.push(known.unwrap_or_else(|| ChannelSettings::found(&label, shape.unit(column))));
            }
            // The board's own words, unless a person gave others.
            let own = &mut self.channels[place].words;
            if !words.is_empty() && own.is_part_of(&words) {
                self.words.retain(|(name, _)| *name != label);
                self.words.push((label, words.clone()));
                *own = words;
            }
        }
        let indexed = matches!(shape, Shape::Plain(bare) if bare.indexed);
        self.index = if indexed { shape.label(0) } else { String::new() };
        for formula in self.known.iter().filter(|channel| channel.formula.is_some()) {
            if !self.channels.iter().any(|channel| channel.name == formula.name) {
                self.channels.push(formula.clone());
            }
        }
    }

    /// A board's field has its name before a formula that was called the same, which stands under another one.
    fn make_way_for(&mut self, label: &str) {
        let is = |channel: &ChannelSettings| channel.name == label && channel.formula.is_some();
        let all = || self.channels.iter().chain(&self.known);
        if !all().any(is) {
            return;
        }
        let free = |name: &String| all().all(|channel| channel.name != *name);
        let name = (2..).map(|n| format!("{label}_{n}")).find(free).unwrap_or_default();
        self.troubles.push(format!(
            "the board sends a field {label}, so the formula of that name is called {name} here: give it another name"
        ));
        let same = self.channels.iter_mut().chain(&mut self.known).filter(|channel| is(channel));
        same.for_each(|channel| channel.name.clone_from(&name));
    }

    /// The shape was wrong, and so are the channels; what was set for them is known if they come again.
    pub(super) fn forget(&mut self) {
        let words = std::mem::take(&mut self.words);
        for mut channel in std::mem::take(&mut self.channels) {
            if words.iter().any(|(name, words)| *name == channel.name && *words == channel.words) {
                channel.words = Words::default();
            }
            match self.known.iter_mut().find(|known| known.name == channel.name) {
                Some(known) => *known = channel,
                None if channel.is_as_found() => {}
                None => self.known.push(channel),
            }
        }
        self.columns.clear();
    }

    /// Adds a channel that is computed from others.
    pub fn add(&mut self, settings: ChannelSettings) {
        self.channels.push(settings);
    }

    /// Replaces a channel's settings.
    pub fn set(&mut self, channel: usize, settings: ChannelSettings) {
        if let Some(own) = self.channels.get_mut(channel) {
            *own = settings;
        }
    }

    /// Deletes a channel that no column feeds.
    pub(super) fn remove(&mut self, channel: usize) {
        let name = self.channels.remove(channel).name;
        self.known.retain(|known| known.name != name);
        self.columns.iter_mut().filter(|at| **at > channel).for_each(|at| *at -= 1);
    }

    pub(super) fn swap(&mut self, a: usize, b: usize) {
        self.channels.swap(a, b);
        for channel in &mut self.columns {
            *channel = if *channel == a {
                b
            } else if *channel == b {
                a
            } else {
                *channel
            };
        }
    }

    /// The pairs of channels to swap, one after the other, that bring those with known settings into the order of these.
    pub fn swaps(&self) -> Vec<(usize, usize)> {
        let place = |name: &str| self.known.iter().position(|known| known.name == name);
        let mut places: Vec<Option<usize>> = self.channels.iter().map(|channel| place(&channel.name)).collect();
        let mut swaps = Vec::new();
        for at in 0..places.len() {
            let Some(own) = places[at] else { continue };
            let later = (at + 1..places.len()).filter_map(|i| Some((places[i]?, i)));
            if let Some((_, first)) = later.min().filter(|(theirs, _)| *theirs < own) {
                places.swap(at, first);
                swaps.push((at, first));
            }
        }
        swaps
    }
}
