//! Looks at channels that take longer than a frame: the check-up, and advice on filters. They are done on copies, elsewhere; the
//! rooms that show them take what was found when time passes.

use super::{ChannelId, Session, Task};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::chain::{Chain, Channel};
use amber_core::checkup::{CheckedChannel, Fall, Finding, check_up, fall, lacks_converter};
use amber_core::scale::Scale;
use amber_core::smooth::advice::{self, Advice};
use amber_core::spectrum::Maker;
use amber_core::spectrum::even::Even;
use amber_core::store::Store;
use std::ops::Range;

/// Seconds that the check-up looks at, and the rows that this is at least and at most.
const SECONDS: f64 = 20.5;
const ROWS: (u64, u64) = (2048, 20_000);

/// What was found and not taken yet.
#[derive(Debug, Default)]
pub(crate) struct Checks {
    checked: Option<Checked>,
    advised: Option<Advised>,
    /// They are being looked at: one look after the other, however long one takes.
    is_checking: bool,
    is_advising: bool,
}

/// The newest rows of all sources, to be looked at. A copy of a store costs little, that of a chain with many edges does not.
#[derive(Debug)]
pub(crate) struct CheckWork {
    sources: Vec<SourceCheck>,
}

#[derive(Debug)]
struct SourceCheck {
    store: Store,
    rows: Range<u64>,
    /// Seconds between two rows.
    interval: f64,
    channels: Vec<ChannelCheck>,
}

#[derive(Debug)]
struct ChannelCheck {
    id: ChannelId,
    title: String,
    scale: Scale,
    ever: (f64, f64),
    fall: Option<Fall>,
    step: f64,
}

impl SourceCheck {
    /// What is to be looked at of the source at `place`, up to `end`; `None` where there are no rows.
    fn of(place: usize, chain: &Chain, end: Stamp) -> Option<SourceCheck> {
        let store = chain.store();
        let kept = store.between(store.time(store.rows().start).unwrap_or_default(), end);
        let since = store.first_at(end.plus(-SECONDS));
        let earliest = since.min(kept.end.saturating_sub(ROWS.0)).max(kept.end.saturating_sub(ROWS.1));
        let rows = kept.start.max(earliest)..kept.end;
        // Over the whole stretch, as exactly as its times say.
        let times = |row: u64| store.time(row);
        let ends = times(rows.start).zip(rows.end.checked_sub(1).and_then(times));
        let (first_at, last_at) = ends.filter(|_| rows.end - rows.start > 1)?;
        let interval = last_at.seconds_since(first_at) / (rows.end - rows.start - 1) as f64;
        let of = |(index, channel): (usize, &Channel)| {
            let is_checked = channel.kind() == Kind::Analog && channel.settings().formula.is_none();
            Some(ChannelCheck {
                id: ChannelId { source: place, channel: index },
                title: channel.title().to_owned(),
                scale: channel.settings().scale.clone(),
                ever: channel.ends().filter(|_| is_checked)?,
                fall: fall(channel, index, store, kept.clone()),
                step: channel.raw_step(),
            })
        };
        let channels = chain.channels().iter().enumerate().filter_map(of).collect();
        Some(SourceCheck { store: store.clone(), rows, interval, channels })
    }
}

/// What a check-up found.
#[derive(Debug, Default)]
pub(crate) struct Checked {
    pub(crate) findings: Vec<(ChannelId, Finding)>,
    /// How many channels were looked at.
    pub(crate) looked_at: usize,
    /// Those of them of which power, clipping and open pins cannot be judged.
    pub(crate) unjudged: Vec<ChannelId>,
}

impl CheckWork {
    pub(super) fn run(&self) -> Checked {
        let mut all = Checked::default();
        for SourceCheck { store, rows, interval, channels } in &self.sources {
            let mut channels_to_check = Vec::new();
            for own in channels {
                let mut raw = Vec::new();
                store.read_raw(own.id.channel, rows.clone(), &mut raw);
                raw.retain(|raw| !raw.is_nan());
                let ChannelCheck { title: name, scale, ever, fall, step, .. } = own;
                let (ever, fall, step, interval) = (*ever, *fall, *step, *interval);
                channels_to_check.push(CheckedChannel { name, scale, raw, ever, fall, step, interval });
            }
            all.unjudged.extend(channels.iter().filter(|own| lacks_converter(&own.scale)).map(|own| own.id));
            all.looked_at += channels.len();
            let found = check_up(&channels_to_check).into_iter();
            all.findings.extend(found.filter_map(|finding| Some((channels.get(finding.channel)?.id, finding))));
        }
        all
    }
}

/// Rows that filters are to be advised for.
#[derive(Debug)]
pub(crate) struct AdviceWork {
    id: ChannelId,
    even: Even,
}

/// What is advised.
#[derive(Debug)]
pub(crate) struct Advised {
    pub(crate) id: ChannelId,
    /// Rows a second, and how many they were.
    pub(crate) rate: f64,
    pub(crate) rows: usize,
    pub(crate) advice: Option<Advice>,
}

impl AdviceWork {
    pub(super) fn run(self) -> Advised {
        let Even { values, rate, .. } = &self.even;
        let advice = advice::advise(values, *rate, &mut Maker::default());
        Advised { id: self.id, rate: *rate, rows: values.len(), advice }
    }
}

impl Session {
    /// Has all channels looked at.
    pub(crate) fn check(&mut self) {
        if std::mem::replace(&mut self.checks.is_checking, true) {
            return;
        }
        let end = self.viewport.end;
        let sources =
            self.chains().enumerate().filter_map(|(place, chain)| SourceCheck::of(place, chain, end)).collect();
        self.do_task(Task::Check(Box::new(CheckWork { sources })));
    }

    /// Has filters for the selected channel looked for, for the rows in view.
    ///
    /// # Errors
    /// Why there can be no advice.
    pub(crate) fn ask_for_advice(&mut self) -> Result<(), String> {
        let id = self.selected;
        let even = self.even_rows(id, false, advice::MOST_ROWS)?;
        if std::mem::replace(&mut self.checks.is_advising, true) {
            return Ok(());
        }
        self.do_task(Task::Advise(Box::new(AdviceWork { id, even })));
        Ok(())
    }

    /// A look has ended: with what it found, or by a fault.
    pub(super) fn note_checked(&mut self, checked: Option<Checked>) {
        self.checks.is_checking = false;
        self.checks.checked = checked;
    }

    /// The same of advice.
    pub(super) fn note_advised(&mut self, advised: Option<Advised>) {
        self.checks.is_advising = false;
        self.checks.advised = advised;
    }

    /// What the last check-up found, once.
    pub(crate) fn take_checked(&mut self) -> Option<Checked> {
        self.checks.checked.take()
    }

    /// What was advised last, once.
    pub(crate) fn take_advised(&mut self) -> Option<Advised> {
        self.checks.advised.take()
    }
}
