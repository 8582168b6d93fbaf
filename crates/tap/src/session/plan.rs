//! When a take begins and ends by itself, how large it becomes, and whether the disk has room for it.

use super::tasks::Task;
use super::{Request, Session, Taking};
use amber_core::Stamp;
use amber_core::digits::{bytes, duration};
use amber_core::keep::{Limit, Part, Start};
use jiff::civil::Time;
use std::path::PathBuf;

/// How often the disk is asked for its free space, in seconds.
const ASK: f64 = 5.0;

/// A running take is warned of when its disk will be full within so many seconds.
const SOON: f64 = 1800.0;

/// The free space of the disk on which takes are written.
#[derive(Debug, Default)]
pub(crate) struct Space {
    /// Bytes, as last asked; none where the system does not say.
    free: Option<u64>,
    asked: Option<Stamp>,
    warned: bool,
}

impl Session {
    /// What starts a take, from now on: it begins at once, or waits.
    pub(super) fn begin_take(&mut self) -> Vec<Request> {
        let until = match &self.shared.keep.start {
            Start::Key => return self.start_take(),
            Start::In(seconds) => Some(self.now.plus(*seconds)),
            Start::At(hour, minute, second) => match self.next_time(*hour, *minute, *second) {
                Some(at) => Some(at),
                None => {
                    self.say("that time of the day does not come: set another start (6)", true);
                    return Vec::new();
                }
            },
            Start::On(name) => {
                let known =
                    self.chains().any(|chain| chain.conditions().settings().iter().any(|own| own.name == *name));
                if !known {
                    let text = format!("there is no condition {name} that could start the take: set another start (6)");
                    self.say(text, true);
                    return Vec::new();
                }
                None
            }
        };
        self.taking = Taking::Waiting { until };
        self.say(format!("the take starts {}; t cancels it", self.shared.keep.start), false);
        Vec::new()
    }

    /// The next moment at which the clock on the wall says this.
    fn next_time(&self, hour: u8, minute: u8, second: u8) -> Option<Stamp> {
        let now = jiff::Timestamp::from_nanosecond(i128::from(self.now.0)).ok()?.to_zoned(self.zone.clone());
        let time = Time::new(hour as i8, minute as i8, second as i8, 0).ok()?;
        let today = now.date().to_datetime(time).to_zoned(self.zone.clone()).ok()?;
        let next = if today > now {
            today
        } else {
            now.date().tomorrow().ok()?.to_datetime(time).to_zoned(self.zone.clone()).ok()?
        };
        i64::try_from(next.timestamp().as_nanosecond()).ok().map(Stamp)
    }

    /// Time has passed: starts a take whose time has come, and looks after the disk.
    pub(crate) fn follow_plan(&mut self, now: Stamp) -> Vec<Request> {
        if self.is_take() {
            return Vec::new();
        }
        self.now = self.now.max(now);
        if self.space.asked.is_none_or(|asked| now.seconds_since(asked) >= ASK) {
            self.space.asked = Some(now);
            self.do_task(Task::Space(self.folder().clone()));
        }
        let mut requests = self.follow_stations();
        requests.extend(self.follow_publishing(now));
        if matches!(self.taking, Taking::Waiting { until: Some(until) } if now >= until) {
            requests.extend(self.start_take());
        }
        requests
    }

    /// A condition came true: it may start or end a take.
    pub(super) fn plan_event(&mut self, condition: &str) -> Vec<Request> {
        let keep = &self.shared.keep;
        match &self.taking {
            Taking::Waiting { until: None } if keep.start == Start::On(condition.into()) => self.start_take(),
            Taking::Yes { .. } if keep.stop.ends_on(condition) => vec![Request::StopTake],
            _ => Vec::new(),
        }
    }

    /// So much is free on the disk of `folder`.
    pub(super) fn note_space(&mut self, folder: &PathBuf, free: Option<u64>) {
        if *folder != self.folder {
            return;
        }
        self.space.free = free;
        let Some(left) = free.filter(|_| matches!(self.taking, Taking::Yes { .. })) else {
            self.space.warned = false;
            return;
        };
        let lasts = self.growth().map(|growth| left as f64 / growth);
        let needed = self.seconds_left().unwrap_or(SOON).min(SOON);
        if let Some(lasts) = lasts.filter(|lasts| *lasts < needed && !self.space.warned) {
            self.space.warned = true;
            let text = format!("the disk is full in about {}: make room, or end the take", duration(lasts.round()));
            self.say(text, true);
        }
    }

    /// Bytes by which a take of all sources grows a second, about; `None` while nothing comes.
    pub(crate) fn growth(&self) -> Option<f64> {
        let keep = &self.shared.keep;
        let per_source = |place: usize| {
            let chain = self.chain_at(place);
            let rows = chain.rate().rate(self.now);
            let counts = chain.counts();
            let per_row = counts.bytes as f64 / counts.rows.max(1) as f64;
            let columns = chain.channels().iter().filter(|own| keep.has(own.name(), own.title())).count();
            let clock = if keep.clocks.wall() { 28.0 } else { 0.0 };
            // A row's time, and some characters a channel; a stamp for the pieces that arrive, at most one a row.
            let table = keep.table_rate(rows) * (12.0 + clock + 8.0 * columns as f64);
            rows * per_row + rows.min(1000.0) * 30.0 + table
        };
        let all: f64 = (0..self.sources()).map(per_source).sum();
        (all > 0.0).then_some(all)
    }

    /// Rows that all sources send a second; `None` while nothing comes.
    pub(crate) fn pace(&self) -> Option<f64> {
        let all: f64 = self.chains().map(|chain| chain.rate().rate(self.now)).sum();
        (all > 0.0).then_some(all)
    }

    /// How large the take becomes by the plan, in words, and whether the disk has room for it.
    pub(crate) fn expected(&self) -> (String, bool) {
        let growth = self.growth();
        let stop = &self.shared.keep.stop;
        let seconds = [stop.seconds(), stop.rows().zip(self.pace()).map(|(rows, pace)| rows as f64 / pace)];
        let seconds = seconds.into_iter().flatten().reduce(f64::min);
        let size = seconds.zip(growth).map(|(seconds, growth)| (seconds * growth) as u64);
        let size = size.into_iter().chain(stop.bytes()).min();
        let free = self.space.free;
        let free_text = free.map_or("free space not known".into(), |free| format!("{} free", bytes(free)));
        match (size, growth) {
            (Some(size), _) => {
                let fits = free.is_none_or(|free| size < free);
                let word = if fits { "" } else { ": the disk will not suffice" };
                (format!("about {}; {free_text}{word}", bytes(size)), fits)
            }
            (None, Some(growth)) => {
                let lasts =
                    free.map_or(String::new(), |free| format!(", for {}", duration((free as f64 / growth).round())));
                (format!("about {} an hour; {free_text}{lasts}", bytes((growth * 3600.0) as u64)), true)
            }
            (None, None) => (format!("not known while no rows come; {free_text}"), true),
        }
    }

    /// Seconds until the running take ends by its plan, where that can be told.
    pub(crate) fn seconds_left(&self) -> Option<f64> {
        let Taking::Yes { since, saved, .. } = &self.taking else { return None };
        let left = self.shared.keep.stop.0.iter().filter_map(|limit| match limit {
            Limit::Seconds(seconds) => Some(seconds - self.now.seconds_since(*since)),
            Limit::Rows(rows) => {
                let done = saved.as_ref().map_or(0, |saved| saved.tally.rows);
                Some(rows.saturating_sub(done) as f64 / self.pace()?)
            }
            Limit::Bytes(most) => {
                let done = saved.as_ref().map_or(0, |saved| saved.size);
                Some(most.saturating_sub(done) as f64 / self.growth()?)
            }
            Limit::On(_) => None,
        });
        left.reduce(f64::min).map(|left| left.max(0.0))
    }

    /// The part of the take that is written, in words; nothing for a take in one part.
    pub(crate) fn part(&self) -> Option<String> {
        let Taking::Yes { saved: Some(saved), .. } = &self.taking else { return None };
        let each = match self.shared.keep.parts.0? {
            Part::Seconds(seconds) => duration(seconds),
            Part::Bytes(size) => bytes(size),
        };
        Some(format!("{}, {each} each", saved.parts))
    }
}
