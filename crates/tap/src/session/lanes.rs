//! The chart's lanes: analog channels by unit, each lane with its own y axis, digital channels below.

use super::{ChannelId, Session};
use amber_core::Stamp;
use amber_core::axis::{FitAxis, Rule};
use amber_core::bench::Kind;
use amber_core::digits::NumberFormat;

/// Channels of one unit.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct AnalogLane {
    /// The unit; empty for raw counts, and for what has none.
    pub(crate) unit: String,
    /// Without a unit, but no raw counts: computed or scaled.
    pub(crate) is_bare: bool,
    /// The channels shown in it, each by its id.
    pub(crate) channels: Vec<ChannelId>,
    /// Bottom and top.
    pub(crate) limits: (f64, f64),
    /// What decides them.
    pub(crate) rule: Rule,
}

/// What the y axis of a lane is kept under.
fn key(unit: &str, is_bare: bool) -> String {
    if is_bare { "no unit".into() } else { unit.into() }
}

/// All lanes.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Lanes {
    pub(crate) analog: Vec<AnalogLane>,
    /// Digital channels and codes, each by its id.
    pub(crate) digital: Vec<ChannelId>,
}

/// A value that is watched, as a line on the chart.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct WatchedLine {
    pub(crate) value: f64,
    /// The width of the dead band around it.
    pub(crate) hysteresis: f64,
    /// The condition that it is of; none for the channel's own threshold.
    pub(crate) name: Option<String>,
    pub(crate) of: LineOf,
}

/// What a line is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum LineOf {
    /// The channel's own threshold.
    Threshold,
    /// A condition, by its place, and one of its tests.
    Test(usize, usize),
}

impl Session {
    /// The lines of channel `id`: its threshold, and those of the conditions that test it.
    pub(crate) fn lines_of(&self, id: ChannelId) -> Vec<WatchedLine> {
        let (chain, channel) = (self.chain_at(id.source), self.channel_at(id));
        let own = channel.settings().watch.map(|watch| WatchedLine {
            value: watch.threshold,
            hysteresis: watch.hysteresis,
            name: None,
            of: LineOf::Threshold,
        });
        let conditions = chain.settings().condition.iter().enumerate().filter(|(_, own)| !own.bypassed);
        let tests = conditions
            .flat_map(|(at, own)| own.test.iter().enumerate().map(move |(place, test)| (at, own, place, test)));
        let tests = tests.filter(|(_, _, _, test)| test.of() == channel.name() || test.of() == channel.title());
        let lines = tests.flat_map(|(at, condition, place, test)| {
            test.lines().into_iter().map(move |line| WatchedLine {
                value: line.value,
                hysteresis: line.hysteresis,
                name: Some(condition.name.clone()),
                of: LineOf::Test(at, place),
            })
        });
        own.into_iter().chain(lines).collect()
    }

    /// Moves a line of channel `id` from one value to another.
    pub(crate) fn move_line(&mut self, id: ChannelId, line: &WatchedLine, to: f64) {
        match line.of {
            LineOf::Threshold => {
                self.with_channel(id, |channel| {
                    if let Some(watch) = &mut channel.watch {
                        watch.threshold = to;
                    }
                });
            }
            LineOf::Test(at, place) if id.source == self.place() => {
                let mut conditions = self.conditions().clone();
                if let Some(test) = conditions.get_mut(at).and_then(|own| own.test.get_mut(place)) {
                    test.move_line(line.value, to);
                }
                // What contradicts itself, such as ends that changed places, stays as it was.
                let _ = self.take_conditions(conditions);
            }
            LineOf::Test(..) => {}
        }
    }

    /// The lanes as they are to be drawn.
    pub(crate) fn lanes(&self) -> Lanes {
        let mut lanes = Lanes::default();
        for index in self.channel_ids() {
            let channel = self.channel_at(index);
            match channel.kind() {
                _ if channel.settings().hidden => {}
                Kind::Digital | Kind::Code => lanes.digital.push(index),
                Kind::Analog | Kind::Auto => {
                    if channel.settings().watch.is_some_and(|watch| watch.lane) {
                        lanes.digital.push(index);
                    }
                    let unit = channel.settings().scale.unit();
                    let is_raw = channel.settings().formula.is_none() && channel.settings().scale.is_plain();
                    let is_bare = unit.is_empty() && !is_raw;
                    match lanes.analog.iter_mut().find(|lane| lane.unit == unit && lane.is_bare == is_bare) {
                        Some(lane) => lane.channels.push(index),
                        None => lanes.analog.push(self.lane(unit, is_bare, index)),
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

    fn lane(&self, unit: &str, is_bare: bool, first: ChannelId) -> AnalogLane {
        let rule = self.shared.axis(unit);
        let fit = self.lane_axes.get(&key(unit, is_bare)).and_then(FitAxis::limits).unwrap_or((0.0, 1.0));
        let limits = if let Rule::Typed(low, high) = rule { (low, high) } else { fit };
        AnalogLane { unit: unit.into(), is_bare, channels: vec![first], limits, rule }
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
            let axis = self.lane_axes.entry(key(&lane.unit, lane.is_bare)).or_default();
            axis.update(now, data, step);
        }
    }
}
