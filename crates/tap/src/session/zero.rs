//! Zero: the settled value of a channel counts as 0 from now on.

use super::{ChannelId, Session};
use amber_core::bench::Kind;
use amber_core::digits::{counted, measured, set_value};
use amber_core::levels::Level;
use amber_core::watch::Watch;

impl Session {
    /// The level that the channel stands in at the right edge of the chart.
    pub(crate) fn settled(&self, id: ChannelId) -> Option<&Level> {
        // What came before the port went away says nothing of now.
        if self.age(id.source).is_some() {
            return None;
        }
        let end = self.end();
        let levels = self.channel_at(id).levels().found();
        let live = !self.is_held();
        levels.iter().rev().find(|level| level.from <= end && (level.to >= end || (live && level.open)))
    }

    /// Takes the value of the selected channel, or of all, as zero where it is settled.
    pub(crate) fn zero(&mut self, all: bool) {
        let ids: Vec<ChannelId> = if all { self.channel_ids().collect() } else { vec![self.selected] };
        let taken = self.wall(self.end(), "%Y-%m-%d %H:%M:%S");
        let (mut done, mut moving) = (Vec::new(), Vec::new());
        for id in ids {
            let channel = self.channel_at(id);
            if channel.kind() != Kind::Analog || (all && channel.settings().hidden) {
                continue;
            }
            let title = self.title(id);
            let Some(level) = self.settled(id).cloned() else {
                moving.push(title);
                continue;
            };
            let reference = self.reference(id);
            let by = measured(channel.quantity_of(level.mean), channel.resolution(), channel.settings().scale.unit());
            let settings = channel.settings();
            let stays =
                |watch: Watch| format!("; its threshold stays {}", set_value(watch.threshold, settings.scale.unit()));
            let stays = settings.watch.map_or(String::new(), stays);
            let taken = taken.clone();
            self.with_channel(id, |channel| channel.scale.take_zero(level.mean, reference, taken));
            done.push(format!("{title} ({by}, mean of {}{stays})", counted(level.count, "row")));
        }
        let shortest = self.shared.levels.seconds;
        match (done.is_empty(), moving.is_empty()) {
            (true, true) => self.say("zero is for analog channels: select one with Tab", true),
            (true, false) => {
                let what = moving.join(", ");
                self.say(
                    format!("{what}: not settled; zero is the mean of a level, so hold it still for {shortest} s"),
                    true,
                );
            }
            (false, true) => self.say(format!("zero taken: {}; u undoes it", done.join(", ")), false),
            (false, false) => {
                self.say(format!("zero taken: {}; not settled: {}", done.join(", "), moving.join(", ")), true);
            }
        }
    }
}
