//! A chain in two halves, for bytes that are all there already: one finds rows in them, perhaps while the other, in another
//! thread, takes in those that were found before. Together they do what [`Chain::feed`] does.

use super::Chain;
use crate::Stamp;
use crate::clock::{Opening, Time};
use crate::interpret::{Interpreter, Layout, RowSink, Rows};
use crate::split::{Column, Fate};

/// What was found, in the order in which it is to be taken in.
#[derive(Debug, Default)]
pub struct Found {
    items: Vec<Item>,
    /// Bytes that it was found in.
    bytes: u64,
    newest: Option<Stamp>,
    /// There are channels that may not have found their places.
    has_new_channels: bool,
    /// Lines are only counted.
    passes_lines: bool,
}

#[derive(Debug)]
enum Item {
    Layout(Layout),
    Rows {
        arrivals: Vec<Stamp>,
        times: Vec<Stamp>,
        raw: Vec<Vec<f64>>,
        is_text_time: bool,
    },
    Lines {
        bytes: Vec<u8>,
        entries: Vec<(Stamp, Fate, usize)>,
    },
    /// Lines that are not kept, by what became of them.
    Passed(Vec<(Fate, u64)>),
    Gap,
    Missed,
    Restart,
    Retimed(Vec<(Stamp, bool)>, Time),
    Opened(Opening),
    CutOff(u64),
    Swapped(usize, usize),
    Columns(Vec<Column>, Vec<usize>),
    Sent(Stamp, Vec<u8>),
}

/// The half that finds rows.
#[derive(Debug)]
pub struct Finder {
    interpreter: Interpreter,
    found: Found,
    newest: Option<Stamp>,
    stated: Vec<Column>,
}

impl Finder {
    /// Takes bytes that arrived at `at`, as [`Chain::feed`] does.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8]) {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        (self.newest, self.found.newest) = (Some(at), Some(at));
        self.found.bytes += bytes.len() as u64;
        self.interpreter.feed_on(at, bytes, &mut self.found);
        self.follow();
    }

    /// The source was opened, as [`Chain::open`] says.
    pub fn open(&mut self, opening: Opening, within: bool) {
        self.interpreter.give_rows(&mut self.found);
        self.found.items.push(Item::Opened(opening));
        let cut_off = self.interpreter.open(opening, within, &mut self.found);
        self.found.items.push(Item::CutOff(cut_off as u64));
    }

    /// The text has come to its end.
    pub fn end(&mut self) {
        self.interpreter.finish(Some(self.newest.unwrap_or_default()), &mut self.found);
        self.follow();
    }

    /// No more will come.
    pub fn finish(&mut self) {
        self.interpreter.finish(None, &mut self.found);
        self.follow();
    }

    /// Bytes were sent to the board.
    pub fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        self.found.items.push(Item::Sent(at, bytes.to_vec()));
    }

    /// New channels find their places, and what is known of how numbers are written is passed on.
    fn follow(&mut self) {
        let is_new = std::mem::take(&mut self.found.has_new_channels);
        if !is_new && self.stated.iter().copied().eq(self.interpreter.splitter().columns()) {
            return;
        }
        self.interpreter.give_rows(&mut self.found);
        for (a, b) in self.interpreter.joint().layout().swaps() {
            self.interpreter.joint_mut().swap(a, b);
            self.found.items.push(Item::Swapped(a, b));
        }
        self.stated = self.interpreter.splitter().columns().collect();
        let columns = self.interpreter.joint().layout().columns().to_vec();
        self.found.items.push(Item::Columns(self.stated.clone(), columns));
    }

    /// What was found since the last call.
    pub fn take_found(&mut self) -> Found {
        self.interpreter.give_rows(&mut self.found);
        let next = Found { passes_lines: self.found.passes_lines, ..Found::default() };
        std::mem::replace(&mut self.found, next)
    }

    /// Whether lines are only counted from now on, since so many come behind them that they will not be kept.
    pub fn pass_lines(&mut self, passes: bool) {
        // Those that wait for their shape may be read again.
        self.found.passes_lines = passes && self.interpreter.splitter().is_settled();
    }

    /// How many bytes were taken since then.
    pub fn waiting(&self) -> u64 {
        self.found.bytes
    }
}

impl RowSink for Found {
    fn layout(&mut self, layout: &Layout) {
        self.has_new_channels = true;
        self.items.push(Item::Layout(layout.clone()));
    }

    fn rows(&mut self, rows: &Rows<'_>) {
        self.items.push(Item::Rows {
            arrivals: rows.arrivals.to_vec(),
            times: rows.times.to_vec(),
            raw: rows.raw.to_vec(),
            is_text_time: rows.is_text_time,
        });
    }

    fn gap(&mut self) {
        self.items.push(Item::Gap);
    }

    fn missed(&mut self) {
        self.items.push(Item::Missed);
    }

    fn line(&mut self, at: Stamp, fate: Fate, line: &[u8]) {
        if self.passes_lines {
            match self.items.last_mut() {
                Some(Item::Passed(passed)) => match passed.last_mut() {
                    Some((known, count)) if *known == fate => *count += 1,
                    _ => passed.push((fate, 1)),
                },
                _ => self.items.push(Item::Passed(vec![(fate, 1)])),
            }
            return;
        }
        if !matches!(self.items.last(), Some(Item::Lines { .. })) {
            self.items.push(Item::Lines { bytes: Vec::new(), entries: Vec::new() });
        }
        if let Some(Item::Lines { bytes, entries }) = self.items.last_mut() {
            bytes.extend_from_slice(line);
            entries.push((at, fate, bytes.len()));
        }
    }

    fn restart(&mut self) {
        self.items.push(Item::Restart);
    }

    fn retimed(&mut self, times: &[(Stamp, bool)], in_force: &Time) {
        self.items.push(Item::Retimed(times.to_vec(), in_force.clone()));
    }
}

impl Chain {
    /// The half that finds rows for this chain, which has taken in nothing yet.
    pub fn finder(&self) -> Finder {
        let mut finder =
            Finder { interpreter: self.interpreter.clone(), found: Found::default(), newest: None, stated: Vec::new() };
        finder.follow();
        finder
    }

    /// Takes in what was found.
    pub fn gather(&mut self, found: Found) {
        let intake = &mut self.intake;
        intake.newest = found.newest.or(intake.newest);
        intake.counts.bytes += found.bytes;
        for item in found.items {
            match item {
                Item::Layout(layout) => intake.layout(&layout),
                Item::Rows { arrivals, times, raw, is_text_time } => {
                    intake.rows(&Rows { arrivals: &arrivals, times: &times, raw: &raw, is_text_time });
                }
                Item::Lines { bytes, entries } => {
                    let mut begin = 0;
                    for (at, fate, end) in entries {
                        intake.line(at, fate, &bytes[begin..end]);
                        begin = end;
                    }
                }
                Item::Passed(passed) => passed.into_iter().for_each(|(fate, count)| intake.pass(fate, count)),
                Item::Gap => intake.gap(),
                Item::Missed => intake.missed(),
                Item::Restart => intake.restart(),
                Item::Retimed(times, in_force) => intake.retimed(&times, &in_force),
                Item::Opened(opening) => intake.opened(opening),
                Item::CutOff(bytes) => intake.counts.cut_off += bytes,
                Item::Swapped(a, b) => intake.swap(a, b),
                Item::Columns(stated, columns) => intake.settle(stated.into_iter(), &columns),
                Item::Sent(at, bytes) => intake.sent(at, &bytes),
            }
        }
        // They have their places already.
        intake.has_new_channels();
        intake.settle(std::iter::empty(), &[]);
    }

    /// Knows all that `finder`, which has found all that was taken in, knows of the shape and the times of rows.
    pub fn know(&mut self, finder: &Finder) {
        self.interpreter = finder.interpreter.clone();
    }
}

#[cfg(test)]
mod tests {
    use super::super::told;
    use super::*;
    use crate::bench::{Bench, ChannelSettings, SourceSettings};
    use crate::formula::Formula;
    use crate::store::Limits;
    use proptest::prelude::*;

    /// Streams whose shape, times and channels are not known at once, or turn out otherwise.
    fn stream(kind: u8, i: u32) -> String {
        match kind {
            0 => format!("t_us={} b={} a={}.{}\n", i * 10_000, i % 7, i, i % 10),
            // Labels that come late; lines that are none.
            1 if i % 97 == 5 => "valve stuck\n".into(),
            1 => format!("a={i} b={}{}\n", i % 3, if i > 40 { format!(" c={i}") } else { String::new() }),
            // Two numbers in turn, and damage.
            2 => format!("{}\n{}{}\n", i % 2, 640 + i % 50, if i % 61 == 9 { "x" } else { "" }),
            _ => format!("{},{},{}\r\n", i * 10, i * 37 % 100, if i % 200 == 199 { "nan" } else { "5" }),
        }
    }

    #[derive(Clone, Debug)]
    enum Do {
        Feed(u32, u16),
        Open(bool, u8),
        End,
        Sent,
        Gather,
        Pass(bool),
    }

    fn what() -> impl Strategy<Value = Do> {
        prop_oneof![
            8 => (1u32..200, any::<u16>()).prop_map(|(rows, cut)| Do::Feed(rows, cut)),
            1 => (any::<bool>(), 0u8..3).prop_map(|(within, how)| Do::Open(within, how)),
            1 => Just(Do::End),
            1 => Just(Do::Sent),
            3 => Just(Do::Gather),
            1 => any::<bool>().prop_map(Do::Pass),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn two_halves_do_what_the_whole_does(kind in 0u8..4, all in proptest::collection::vec(what(), 1..30)) {
            let formula = ChannelSettings { formula: Formula::new("prev(a) + b").ok(), ..ChannelSettings::named("sum") };
            let channel = vec![ChannelSettings::named("a"), formula];
            let bench = Bench::of(SourceSettings { channel, ..SourceSettings::default() });
            let fresh = || Chain::new(&bench, 0, Limits::NONE);
            let (mut whole, mut half) = (fresh(), fresh());
            let mut finder = half.finder();
            let mut fed = 0;
            for what in all {
                let at = Stamp(i64::from(fed) * 10_000_000);
                match what {
                    Do::Feed(rows, cut) => {
                        let text: String = (fed..fed + rows).map(|i| stream(kind, i)).collect();
                        fed += rows;
                        let cut = usize::from(cut) % text.len();
                        for part in [&text[..cut], &text[cut..]] {
                            whole.feed(at, part.as_bytes());
                            finder.feed(at, part.as_bytes());
                        }
                    }
                    Do::Open(within, how) => {
                        let opening = match how {
                            0 => Opening::Link,
                            how => Opening::Text { at, arrives: how == 1 },
                        };
                        whole.open(opening, within);
                        finder.open(opening, within);
                    }
                    Do::End => {
                        whole.end();
                        finder.end();
                    }
                    Do::Sent => {
                        whole.sent(at, b"go");
                        finder.sent(at, b"go");
                    }
                    Do::Gather => half.gather(finder.take_found()),
                    Do::Pass(passes) => finder.pass_lines(passes),
                }
            }
            whole.finish();
            finder.finish();
            half.gather(finder.take_found());
            half.know(&finder);
            let [a, b] = [&whole, &half].map(told);
            for (a, b) in a.lines().zip(b.lines()) {
                prop_assert_eq!(a, b);
            }
            prop_assert_eq!(half.tail().numbers().end, whole.tail().numbers().end);
            for line in half.tail().lines() {
                prop_assert_eq!(Some(line), whole.tail().line(line.number));
            }
            // And it goes on as one.
            let text = stream(kind, fed);
            whole.feed(Stamp(i64::from(fed) * 10_000_000), text.as_bytes());
            half.feed(Stamp(i64::from(fed) * 10_000_000), text.as_bytes());
            whole.set_time(Time::Rate { hz: 50.0 });
            half.set_time(Time::Rate { hz: 50.0 });
            prop_assert_eq!(told(&whole), told(&half));
        }
    }
}
