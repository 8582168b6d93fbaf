//! Making the history anew after an edit, elsewhere: on a copy of the chain, while the chain itself goes on taking in what
//! comes. What came meanwhile is fed to the copy, which then takes the chain's place.

use super::{Chain, Channel};
use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::clock::{Opening, Timing};
use crate::store::Spill;
use crate::work::{Cancelled, Ticket};

/// Channels times rows that are made anew in a few milliseconds.
const AT_ONCE: u64 = 30_000;

/// Bytes that are taken in within a few milliseconds.
const FEW: usize = 64 * 1024;

/// Bytes that came meanwhile, beyond which it is better to begin with a new copy.
const MANY: usize = 64 * 1024 * 1024;

/// What is to be made anew, by edits that have not been carried out.
#[derive(Clone, Debug, Default)]
pub(super) struct Anew {
    /// The lines are split again; all else follows from that.
    pub(super) split: bool,
    /// All rows are timed again, so that all that is behind the raw values is made anew.
    pub(super) times: bool,
    /// The levels in all raw values are found again.
    pub(super) levels: bool,
    /// All that is behind the raw values of these channels, by name, and of those that need them.
    pub(super) channels: Vec<String>,
    /// The events of the conditions that are set.
    pub(super) conditions: bool,
}

impl Anew {
    pub(super) fn is_empty(&self) -> bool {
        !(self.split || self.times || self.levels || self.conditions) && self.channels.is_empty()
    }
}

/// What came to a chain.
#[derive(Clone, Debug)]
pub(super) enum Came {
    Bytes(Stamp, Vec<u8>),
    Opened(Opening, Option<Stamp>),
    Ended,
    Skipped(u64),
    Unkept(u64),
    Merged(u64),
    Sent(Stamp, Vec<u8>),
}

impl Came {
    /// The bytes that it takes.
    fn size(&self) -> usize {
        let bytes = if let Came::Bytes(_, bytes) | Came::Sent(_, bytes) = self { bytes.len() } else { 0 };
        size_of::<Came>() + bytes
    }
}

/// How a chain that defers long work stands with it.
#[derive(Clone, Debug, Default)]
pub(super) struct Deferred {
    anew: Anew,
    /// The work is to be begun, from a new copy.
    is_due: bool,
    /// Changes with each edit that makes a copy useless.
    edition: u64,
    /// What came since a copy was handed out.
    came: Option<Vec<Came>>,
    bytes: usize,
}

/// A copy of a chain whose history is to be made anew.
#[derive(Debug)]
pub struct Work {
    chain: Box<Chain>,
    anew: Anew,
    came: Vec<Came>,
    edition: u64,
}

impl Work {
    /// Does the work.
    ///
    /// # Errors
    /// [`Cancelled`] when it is not wanted any more.
    pub fn run(&mut self, ticket: &Ticket) -> Result<(), Cancelled> {
        let anew = std::mem::take(&mut self.anew);
        self.chain.make_anew(&anew, ticket)?;
        let all = self.came.len() as u64;
        for (done, came) in (0..).zip(std::mem::take(&mut self.came)) {
            self.chain.take(came);
            ticket.done(done, all)?;
        }
        Ok(())
    }
}

impl Work {
    /// Moves the history away, as [`Chain::move_away`] does.
    pub fn move_away(&mut self, most: usize, to: &mut dyn Spill) {
        self.chain.move_away(most, to);
    }
}

impl Chain {
    /// From now on, an edit that makes a long history anew takes effect later: what is to be done is handed out by
    /// [`Chain::take_work`]. Until it is put back, the history stays as it was, and [`Channel::wished`] tells what is
    /// wished of a channel.
    pub fn defer(&mut self) {
        self.deferred.get_or_insert_default();
        self.intake.at_once = AT_ONCE;
    }

    /// Whether edits have not taken effect yet.
    pub fn is_behind(&self) -> bool {
        self.deferred.as_ref().is_some_and(|deferred| !deferred.anew.is_empty())
    }

    /// The work that is to be begun, if some is; whatever was handed out before is of no use any more then.
    pub fn take_work(&mut self) -> Option<Work> {
        let deferred = self.deferred.as_mut().filter(|deferred| deferred.is_due)?;
        deferred.is_due = false;
        (deferred.came, deferred.bytes) = (Some(Vec::new()), 0);
        let (anew, edition) = (deferred.anew.clone(), deferred.edition);
        let own = self.deferred.take();
        let mut chain = Box::new(self.clone());
        chain.intake.at_once = u64::MAX;
        self.deferred = own;
        Some(Work { chain, anew, came: Vec::new(), edition })
    }

    /// Takes work that is done: the chain is what the copy has become. Work that is of no use any more is dropped. Gives
    /// the work back when so much came meanwhile that it must go on with that first.
    pub fn put_back(&mut self, mut work: Work) -> Option<Work> {
        let deferred = self.deferred.as_mut().filter(|deferred| deferred.edition == work.edition)?;
        work.came = deferred.came.replace(Vec::new())?;
        if std::mem::take(&mut deferred.bytes) > FEW {
            return Some(work);
        }
        work.came.into_iter().for_each(|came| work.chain.take(came));
        self.become_anew(*work.chain);
        None
    }

    /// Work that was handed out will not come back: the history stays as it is, and the settings are those that it was
    /// made with.
    pub fn give_up(&mut self) {
        let Some(deferred) = &mut self.deferred else { return };
        *deferred = Deferred::default();
        (self.settings.split, self.settings.time) = self.made_with.clone();
        self.settings.condition = self.intake.watching.conditions.settings().to_vec();
        for index in 0..self.channels().len() {
            let channel = &mut self.intake.channels[index];
            if channel.forget_wish() {
                let settings = channel.settings().clone();
                self.edit_layout(|layout| layout.set(index, settings));
            }
        }
    }

    fn become_anew(&mut self, mut fresh: Chain) {
        // What changes nothing of what was made may have been set meanwhile.
        fresh.settings.wire = self.settings.wire.clone();
        fresh.settings.channel = self.settings.channel.clone();
        fresh.set_limits(self.intake.store.limits());
        for channel in self.channels() {
            fresh.set_settings_of(channel.wished());
        }
        fresh.intake.watching.catch_up(&mut self.intake.watching);
        (fresh.deferred, fresh.intake.at_once) = (Some(Deferred::default()), self.intake.at_once);
        *self = fresh;
    }

    fn set_settings_of(&mut self, settings: &ChannelSettings) {
        if let Some(index) = self.channels().iter().position(|channel| channel.name() == settings.name) {
            self.set_channel(index, settings.clone());
        }
    }

    /// Has this much made anew: at once where that takes no time, or where nothing is deferred.
    pub(super) fn wish(&mut self, anew: Anew) {
        match &mut self.deferred {
            Some(deferred) if self.intake.is_long(anew.split) || !deferred.anew.is_empty() => {
                deferred.anew.split |= anew.split;
                deferred.anew.times |= anew.times;
                deferred.anew.levels |= anew.levels;
                deferred.anew.conditions |= anew.conditions;
                for name in anew.channels {
                    if !deferred.anew.channels.contains(&name) {
                        deferred.anew.channels.push(name);
                    }
                }
                self.begin_again();
            }
            // Nobody can cancel this.
            _ => self.make_anew(&anew, &Ticket::default()).unwrap_or(()),
        }
    }

    /// A copy that was handed out is of no use any more.
    pub(super) fn begin_again(&mut self) {
        if let Some(deferred) = self.deferred.as_mut().filter(|deferred| !deferred.anew.is_empty()) {
            deferred.edition += 1;
            (deferred.is_due, deferred.came) = (true, None);
        }
    }

    fn make_anew(&mut self, anew: &Anew, ticket: &Ticket) -> Result<(), Cancelled> {
        self.made_with = (self.settings.split.clone(), self.settings.time.clone());
        if anew.split {
            self.refused = 0;
            return self.split_anew(ticket);
        }
        if anew.conditions {
            self.intake.watch_anew(&self.settings.condition, ticket)?;
        }
        if anew.times {
            let timer = self.timer();
            // What is set anew is found anew.
            let refused = if *timer.rule() == self.settings.time { timer.refused().to_vec() } else { Vec::new() };
            self.refused = refused.len();
            let mut timing = Timing::new(self.settings.time.clone()).refusing(&refused);
            if let Some(shape) = self.interpreter.splitter().shape() {
                timing.shape(shape);
            }
            let joint = self.interpreter.joint_mut();
            let timing = self.intake.retime_all(joint.layout().columns(), timing, ticket)?;
            joint.set_timing(timing);
            return Ok(());
        }
        if anew.levels {
            self.intake.look_anew(ticket)?;
        }
        let is_meant = |channel: &Channel| channel.has_wish() || anew.channels.iter().any(|n| n == channel.name());
        let channels = self.intake.channels.iter().enumerate();
        let which: Vec<usize> = channels.filter(|(_, channel)| is_meant(channel)).map(|(index, _)| index).collect();
        self.intake.rebuild(&which, ticket)
    }

    /// Takes note of what comes, for the copy that is being made anew.
    #[inline]
    pub(super) fn note(&mut self, came: impl FnOnce() -> Came) {
        let Some(deferred) = &mut self.deferred else { return };
        let Some(known) = &mut deferred.came else { return };
        let came = came();
        deferred.bytes += came.size();
        known.push(came);
        if deferred.bytes > MANY {
            self.begin_again();
        }
    }

    fn take(&mut self, came: Came) {
        match came {
            Came::Bytes(at, bytes) => self.feed(at, &bytes),
            Came::Opened(opening, within) => self.open(opening, within),
            Came::Ended => self.end(),
            Came::Skipped(bytes) => self.skip(bytes),
            Came::Unkept(bytes) => self.unkept(bytes),
            Came::Merged(news) => self.merged(news),
            Came::Sent(at, bytes) => self.sent(at, &bytes),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::told;
    use super::*;
    use crate::bench::{Bench, Split};
    use crate::clock::Time;
    use crate::formula::Formula;
    use crate::levels::LevelRule;
    use crate::scale::{Gain, Scale};
    use crate::smooth::{Filter, Mean, Strength};
    use crate::store::Limits;
    use proptest::prelude::*;

    #[derive(Clone, Debug)]
    enum Do {
        Feed(u32),
        Skip,
        Begin,
        Run,
        PutBack,
        Gain(usize, u32),
        Smooth(usize, u32),
        Hide(usize),
        Add(u32),
        Remove,
        Rate(u32),
        Levels(u32),
        Swap,
        Lines(bool),
    }

    fn edit(chain: &mut Chain, what: &Do, fed: &mut u32) {
        let settings = |chain: &Chain, at: usize| chain.channels().get(at).map(|channel| channel.wished().clone());
        match *what {
            Do::Feed(rows) => {
                for i in *fed..*fed + rows {
                    let line = format!("a={} b={} c={}\n", i * 7 % 100, i / 40 * 10, i);
                    chain.feed(Stamp(i64::from(i) * 10_000_000), line.as_bytes());
                }
                *fed += rows;
            }
            Do::Skip => chain.skip(7),
            Do::Gain(at, by) => {
                if let Some(mut known) = settings(chain, at) {
                    known.scale = Scale {
                        steps: vec![Gain { factor: f64::from(by), unit: "V".into() }.into()],
                        ..Scale::default()
                    };
                    chain.set_channel(at, known);
                }
            }
            Do::Smooth(at, rows) => {
                if let Some(mut known) = settings(chain, at) {
                    let mean = Filter::from(Mean { window: Strength::Rows(rows) });
                    known.smooth = (rows > 1).then_some(mean).into_iter().collect();
                    chain.set_channel(at, known);
                }
            }
            Do::Hide(at) => {
                if let Some(mut known) = settings(chain, at) {
                    known.hidden = !known.hidden;
                    chain.set_channel(at, known);
                }
            }
            Do::Add(by) => {
                let formula = Formula::new(&format!("smoothed(a) * {by} + prev(b)")).ok();
                let _ = chain.add_computed(ChannelSettings { formula, ..ChannelSettings::named(&format!("sum{by}")) });
            }
            Do::Remove => {
                let last = chain.channels().iter().rposition(|channel| channel.wished().formula.is_some());
                last.into_iter().for_each(|at| chain.remove_computed(at));
            }
            Do::Rate(hz) => chain.set_time(Time::Rate { hz: f64::from(hz) }),
            Do::Levels(tenths) => {
                chain.set_levels(LevelRule { seconds: f64::from(tenths) / 10.0, ..LevelRule::default() })
            }
            Do::Swap => chain.swap_channels(0, 2),
            Do::Lines(found) => {
                let shape = chain.shape().cloned().filter(|_| !found);
                chain.set_split(shape.map_or(Split::Auto, Split::Pinned));
            }
            Do::Begin | Do::Run | Do::PutBack => {}
        }
    }

    fn what() -> impl Strategy<Value = Do> {
        prop_oneof![
            4 => (1u32..60).prop_map(Do::Feed),
            1 => Just(Do::Skip),
            3 => Just(Do::Begin),
            4 => Just(Do::Run),
            4 => Just(Do::PutBack),
            2 => (0usize..4, 1u32..5).prop_map(|(at, by)| Do::Gain(at, by)),
            2 => (0usize..4, 1u32..9).prop_map(|(at, rows)| Do::Smooth(at, rows)),
            1 => (0usize..4).prop_map(Do::Hide),
            1 => (1u32..3).prop_map(Do::Add),
            1 => Just(Do::Remove),
            1 => (50u32..200).prop_map(Do::Rate),
            1 => (1u32..9).prop_map(Do::Levels),
            1 => Just(Do::Swap),
            1 => any::<bool>().prop_map(Do::Lines),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn what_is_made_anew_elsewhere_is_what_is_made_anew_at_once(all in proptest::collection::vec(what(), 1..40)) {
            let fresh = || Chain::new(&Bench::default(), 0, Limits::default());
            let (mut at_once, mut later, mut fed) = (fresh(), fresh(), (0, 0));
            later.defer();
            later.intake.at_once = 0;
            let start = [Do::Feed(300)];
            let (mut handed_out, mut ran): (Option<Work>, Vec<Work>) = (None, Vec::new());
            for what in start.iter().chain(&all) {
                match what {
                    Do::Begin => handed_out = later.take_work().or(handed_out),
                    Do::Run => ran.extend(handed_out.take().map(|mut work| {
                        work.run(&Ticket::default()).unwrap();
                        work
                    })),
                    Do::PutBack => ran = ran.pop().and_then(|work| later.put_back(work)).into_iter().collect(),
                    what => {
                        edit(&mut at_once, what, &mut fed.0);
                        edit(&mut later, what, &mut fed.1);
                    }
                }
            }
            // What is still out may come back, or is of no use any more.
            for mut work in ran.into_iter().chain(handed_out) {
                work.run(&Ticket::default()).unwrap();
                prop_assert!(later.put_back(work).is_none());
            }
            while let Some(mut work) = later.take_work() {
                work.run(&Ticket::default()).unwrap();
                prop_assert!(later.put_back(work).is_none());
            }
            prop_assert!(!later.is_behind());
            let [a, b] = [&at_once, &later].map(told);
            for (a, b) in a.lines().zip(b.lines()) {
                prop_assert_eq!(a, b);
            }
        }
    }

    #[test]
    fn work_is_cancelled_and_given_up_without_a_trace() {
        let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
        let mut fed = 0;
        chain.defer();
        edit(&mut chain, &Do::Feed(20_000), &mut fed);
        let before = told(&chain);
        edit(&mut chain, &Do::Gain(0, 3), &mut fed);
        edit(&mut chain, &Do::Rate(77), &mut fed);
        assert!(chain.is_behind());
        assert_eq!(chain.channels()[0].settings().scale, Scale::default(), "what is shown is as it was");
        assert!(!chain.channels()[0].wished().scale.is_plain());
        let mut work = chain.take_work().unwrap();
        assert!(chain.take_work().is_none(), "it is out already");
        let ticket = Ticket::default();
        ticket.cancel();
        assert_eq!(work.run(&ticket), Err(Cancelled));
        chain.give_up();
        assert!(!chain.is_behind() && chain.take_work().is_none());
        assert_eq!(told(&chain), before);
    }
}
