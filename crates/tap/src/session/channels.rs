//! Changing what is set: every change goes through here, so that it can be undone.

use super::{ChannelId, Request, Session};
use amber_core::axis::Rule;
use amber_core::bench::{ChannelSettings, Kind, Shared, WireSettings};
use amber_core::chain::{Chain, Channel};
use amber_core::clock::Time;
use amber_core::digits::set_value;
use amber_core::watch::Carried;
use std::path::PathBuf;

/// Keeps the channel's threshold at the same place of the signal where `settings` change its scale and leave the threshold
/// as it is.
fn carry_threshold(channel: &Channel, settings: &mut ChannelSettings, reference: f64) -> Option<(String, bool)> {
    let before = channel.wished();
    let watch = before.watch.filter(|_| settings.watch == before.watch && settings.formula == before.formula)?;
    let was = set_value(watch.threshold, before.scale.unit());
    match watch.carried(&before.scale, &settings.scale, reference, channel.ends()) {
        Carried::Same => None,
        Carried::Moved(watch) => {
            let is = set_value(watch.threshold, settings.scale.unit());
            settings.watch = Some(watch);
            (is != was).then(|| (format!("the threshold of {was} is {is} now"), false))
        }
        Carried::Lost => {
            let title = settings.title();
            Some((format!("{title}: the threshold of {was} may mean something else now: set it again (5)"), true))
        }
    }
}

impl Session {
    /// Changes the selected channel's settings; its history is made anew. Gives what became of its threshold, where that is
    /// to be told, after telling it.
    pub(crate) fn edit_channel(&mut self, edit: impl FnOnce(&mut ChannelSettings)) -> Option<String> {
        let (told, lost) = self.with_channel(self.selected, edit)?;
        self.say(told.clone(), lost);
        Some(told)
    }

    /// Changes a channel's settings; its history is made anew. Gives what became of its threshold, where that is to be told,
    /// and whether that is bad.
    pub(crate) fn with_channel(
        &mut self,
        id: ChannelId,
        edit: impl FnOnce(&mut ChannelSettings),
    ) -> Option<(String, bool)> {
        let channel = self.watched.get(id.source)?.chain.channels().get(id.channel)?;
        let before = channel.wished();
        let mut settings = before.clone();
        edit(&mut settings);
        if settings == *before {
            return None;
        }
        let told = carry_threshold(channel, &mut settings, self.reference(id));
        self.touch();
        self.watched.at_mut(id.source).chain.set_channel(id.channel, settings);
        told
    }

    /// Changes what is set once, for all sources.
    pub(crate) fn edit_shared(&mut self, edit: impl FnOnce(&mut Shared)) {
        let mut shared = self.shared.clone();
        edit(&mut shared);
        if shared == self.shared {
            return;
        }
        // The zoom is no setting that would be undone.
        let span = std::mem::replace(&mut shared.screen.span, self.shared.screen.span);
        if shared != self.shared {
            self.touch();
        }
        shared.screen.span = span;
        let (limits, levels) = (shared.history != self.shared.history, shared.levels != self.shared.levels);
        self.shared = shared;
        if limits {
            self.apply_limits();
        }
        if levels {
            self.apply_levels();
        }
    }

    /// Changes how the selected source is opened; it is opened anew when that is a change.
    pub(crate) fn edit_source(&mut self, edit: impl FnOnce(&mut WireSettings)) -> Vec<Request> {
        let mut source = self.chain().settings().wire.clone();
        edit(&mut source);
        if source == self.chain().settings().wire {
            return Vec::new();
        }
        self.touch();
        self.chain_mut().edit_wire(|wire| *wire = source.clone());
        vec![Request::Open(self.place(), source)]
    }

    /// Sets what gives rows of the selected source their times.
    pub(crate) fn set_time(&mut self, time: Time) {
        self.change_chain(|chain| chain.set_time(time));
    }

    /// Changes something of the selected source's chain that can be undone.
    pub(crate) fn change_chain<T>(&mut self, change: impl FnOnce(&mut Chain) -> T) -> T {
        self.touch();
        change(self.chain_mut())
    }

    /// Sets where takes and figures go.
    pub(crate) fn set_folder(&mut self, folder: PathBuf) {
        self.touch();
        self.folder = folder;
    }

    /// Sets whether a lent port is taken back when the other program is done with it.
    pub(crate) fn set_takes_back(&mut self, takes_back: bool) {
        self.touch();
        self.takes_back = takes_back;
    }

    /// The true values that were typed for levels of the selected channel: a row in the middle of each, and the value.
    pub(crate) fn known(&self) -> &[(u64, f64)] {
        self.known.get(&self.title(self.selected)).map_or(&[], Vec::as_slice)
    }

    /// Changes them.
    pub(crate) fn edit_known(&mut self, edit: impl FnOnce(&mut Vec<(u64, f64)>)) {
        self.touch();
        let title = self.title(self.selected);
        edit(self.known.entry(title).or_default());
    }

    /// Takes settings for the selected channel.
    ///
    /// # Errors
    /// What is wrong with them; nothing is changed then.
    pub(crate) fn take_settings(&mut self, settings: ChannelSettings) -> Result<(), String> {
        if let Some(fault) = settings.scale.fault() {
            return Err(fault);
        }
        if let Some(name) = settings.scale.scaler().reference() {
            self.known_channel(name)?;
        }
        if let Some(circle) = self.chain().circle_with(self.selected.channel, &settings) {
            return Err(in_a_circle(circle));
        }
        self.edit_channel(|channel| *channel = settings);
        Ok(())
    }

    /// Whether a name means a channel of the selected source.
    ///
    /// # Errors
    /// When it means none: which ones there are.
    pub(crate) fn known_channel(&self, name: &str) -> Result<(), String> {
        let channels = self.chain().channels();
        if channels.iter().any(|channel| channel.name() == name || channel.title() == name) {
            return Ok(());
        }
        let names: Vec<&str> = channels.iter().map(|channel| channel.title()).take(8).collect();
        Err(format!("there is no channel '{name}'; there are {}", names.join(", ")))
    }

    /// Lets the selected channel change places with the next one in this direction.
    pub(crate) fn move_channel(&mut self, by: i32) {
        let to = self.selected.channel as i32 + by;
        if (0..self.chain().channels().len() as i32).contains(&to) {
            let own = self.selected.channel;
            self.change_chain(|chain| chain.swap_channels(own, to as usize));
            self.selected.channel = to as usize;
        }
    }

    /// Selects the next channel that can be drawn; hidden ones too, so that they can be shown again.
    pub(crate) fn select_next(&mut self, by: i32) {
        let ids: Vec<ChannelId> = self.channel_ids().collect();
        let count = ids.len() as i32;
        let Some(now) = ids.iter().position(|id| *id == self.selected) else { return };
        let turn = (1..=count).map(|step| (now as i32 + by * step).rem_euclid(count) as usize);
        let next = turn.filter_map(|at| ids.get(at)).find(|id| self.channel_at(**id).kind() != Kind::Clock);
        self.select(*next.unwrap_or(&self.selected));
    }

    /// Selects the next source.
    pub(crate) fn select_next_source(&mut self) {
        if self.sources() == 1 {
            return self.say("there is one source; `amber-tap watch A B` watches two side by side", true);
        }
        self.turn_to((self.place() + 1) % self.sources());
        let name = self.source_names().swap_remove(self.place());
        self.say(format!("{name} is selected: wire, split, lines and talk are its own"), false);
    }

    /// Sets what decides the y axis of the lanes of this unit.
    pub(crate) fn set_axis_rule(&mut self, unit: &str, rule: Rule) {
        self.edit_shared(|shared| shared.set_axis(unit, rule));
    }
}

/// Says why nothing can be computed in a circle, where that is what is wrong.
pub(crate) fn in_a_circle(circle: String) -> String {
    if circle.contains("needs") { format!("{circle}: nothing can be computed in a circle") } else { circle }
}
