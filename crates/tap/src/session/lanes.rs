//! The chart's lanes: analog channels by unit, each lane with its own y axis, digital channels below.

use super::{ChannelId, Session};
use amber_core::Stamp;
use amber_core::axis::{FitAxis, Rule};
use amber_core::bench::Kind;
use amber_core::digits::NumberFormat;

/// Channels of one unit.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct AnalogLane {
    /// The unit; empty for raw counts.
    pub(crate) unit: String,
    /// The channels shown in it, each by its id.
    pub(crate) channels: Vec<ChannelId>,
    /// Bottom and top.
    pub(crate) limits: (f64, f64),
    /// What decides them.
    pub(crate) rule: Rule,
}

/// All lanes.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Lanes {
    pub(crate) analog: Vec<AnalogLane>,
    /// Digital channels and codes, each by its id.
    pub(crate) digital: Vec<ChannelId>,
}

impl Session {
    /// The lanes as they are to be drawn.
    pub(crate) fn lanes(&self) -> Lanes {
        let mut lanes = Lanes::default();
        for index in self.channel_ids() {
            let channel = self.channel_at(index);
            match channel.kind() {
                _ if channel.settings().hidden => {}
                Kind::Digital | Kind::Code => lanes.digital.push(index),
                Kind::Analog | Kind::Auto => {
                    let unit = channel.settings().scale.unit();
                    match lanes.analog.iter_mut().find(|lane| lane.unit == unit) {
                        Some(lane) => lane.channels.push(index),
                        None => lanes.analog.push(self.lane(unit, index)),
                    }
                }
                Kind::Clock => {}
            }
        }
        for lane in &mut lanes.analog {
            if lane.rule == Rule::Full {
                lane.limits = self.full_scale(&lane.channels).unwrap_or(lane.limits);
            }
        }
        lanes
    }

    fn lane(&self, unit: &str, first: ChannelId) -> AnalogLane {
        let rule = self.shared.axis(unit);
        let fit = self.lane_axes.get(unit).and_then(FitAxis::limits).unwrap_or((0.0, 1.0));
        let limits = if let Rule::Typed(low, high) = rule { (low, high) } else { fit };
        AnalogLane { unit: unit.into(), channels: vec![first], limits, rule }
    }

    /// How the numbers of channel `id` are written: as its lane needs it.
    pub(crate) fn form(&self, id: ChannelId, lanes: &Lanes) -> NumberFormat {
        let channel = self.channel_at(id);
        let lane = lanes.analog.iter().find(|lane| lane.channels.contains(&id));
        let size = lane.map_or(1.0, |lane| lane.limits.0.abs().max(lane.limits.1.abs()));
        NumberFormat::new(size, channel.decimals(), channel.settings().scale.unit())
    }

    /// The converter's full scale, widest of the channels; `None` when no channel says its bits.
    pub(crate) fn full_scale(&self, channels: &[ChannelId]) -> Option<(f64, f64)> {
        let scales = channels.iter().filter_map(|index| self.channel_at(*index).settings().scale.full_scale());
        scales.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    }

    /// Lets the y axes follow what is in view; `now` goes on in a take too, where the picture's time stands.
    pub(crate) fn follow_axes(&mut self, now: Stamp) {
        for lane in self.lanes().analog {
            let channels = || lane.channels.iter().map(|index| self.channel_at(*index));
            let span = |id: &ChannelId| {
                let rows = self.viewport.rows_of(id.source);
                self.channel_at(*id).scaled().min_max(rows)
            };
            let spans = lane.channels.iter().filter_map(span);
            let data = spans.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
            let step = channels().map(amber_core::chain::Channel::resolution).fold(0.0, f64::max);
            let axis = self.lane_axes.entry(lane.unit.clone()).or_default();
            axis.update(now, data, step);
        }
    }
}
