//! Looks at channels that take longer than a frame: the check-up, and advice on filters. They are done on copies, elsewhere; the
//! rooms that show them take what was found when time passes.

use super::{ChannelId, Session, Task};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::chain::Chain;
use amber_core::checkup::{CheckedChannel, Finding, check_up, fall, lacks_converter};
use amber_core::smooth::advice::{self, Advice};
use amber_core::spectrum::Maker;
use amber_core::spectrum::even::Even;

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

/// All channels, to be looked at up to a moment.
#[derive(Debug)]
pub(crate) struct CheckWork {
    chains: Vec<Chain>,
    end: Stamp,
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
        for (place, chain) in self.chains.iter().enumerate() {
            let store = chain.store();
            let rows = store.between(store.time(store.rows().start).unwrap_or_default(), self.end);
            let since = store.first_at(self.end.plus(-SECONDS));
            let earliest = since.min(rows.end.saturating_sub(ROWS.0)).max(rows.end.saturating_sub(ROWS.1));
            let recent = rows.start.max(earliest)..rows.end;
            // Over the whole stretch, as exactly as its times say.
            let times = |row: u64| store.time(row);
            let ends = times(recent.start).zip(recent.end.checked_sub(1).and_then(times));
            let Some((first_at, last_at)) = ends.filter(|_| recent.end - recent.start > 1) else { continue };
            let interval = last_at.seconds_since(first_at) / (recent.end - recent.start - 1) as f64;
            let mut ids = Vec::new();
            let mut channels_to_check = Vec::new();
            for (index, channel) in chain.channels().iter().enumerate() {
                if channel.kind() != Kind::Analog || channel.settings().formula.is_some() {
                    continue;
                }
                let Some(ever) = channel.ends() else { continue };
                let mut raw = Vec::new();
                store.read_raw(index, recent.clone(), &mut raw);
                raw.retain(|raw| !raw.is_nan());
                channels_to_check.push(CheckedChannel {
                    name: channel.title(),
                    scale: &channel.settings().scale,
                    raw,
                    ever,
                    fall: fall(channel, index, store, rows.clone()),
                    step: channel.raw_step(),
                    interval,
                });
                let id = ChannelId { source: place, channel: index };
                if lacks_converter(&channel.settings().scale) {
                    all.unjudged.push(id);
                }
                ids.push(id);
            }
            all.looked_at += channels_to_check.len();
            let found = check_up(&channels_to_check).into_iter();
            all.findings.extend(found.filter_map(|finding| Some((*ids.get(finding.channel)?, finding))));
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
        let chains = self.chains().cloned().collect();
        self.do_task(Task::Check(Box::new(CheckWork { chains, end: self.viewport.end })));
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
