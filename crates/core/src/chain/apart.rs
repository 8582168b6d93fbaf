//! A chain in two halves, for bytes that are all there already: one splits them, perhaps while the other, in another thread,
//! gives rows their times and takes in what was split before. Together they do what [`Chain::feed`] does.

use super::Chain;
use crate::Stamp;
use crate::clock::Opening;
use crate::split::{Column, LineOutcome, OpeningState, Shape, Sink, Splitter};

/// What was found, in the order in which it is to be taken in.
#[derive(Debug, Default)]
pub struct Found {
    items: Vec<Item>,
    /// The lines that are kept, one behind the other.
    lines: Vec<u8>,
    /// The arrival of each row, and the values of all rows, one behind the other.
    arrivals: Vec<Stamp>,
    values: Vec<f64>,
    /// Bytes that it was found in.
    bytes: u64,
    newest: Option<Stamp>,
    /// Lines are only counted.
    passes_lines: bool,
}

#[derive(Debug)]
enum Item {
    Shape(Shape),
    /// A line of so many bytes.
    Line(Stamp, LineOutcome, usize),
    Rows(Rows),
    /// A line that is not kept and is no row.
    Passed(LineOutcome),
    Gap,
    Restart,
    /// The splitter stood so, and gave up so many bytes.
    Opened(Opening, Option<OpeningState>, u64),
    /// What the columns state of themselves from now on.
    Columns(Vec<Column>),
    Sent(Stamp, Vec<u8>),
    /// Bytes that are not read.
    Unread(u64),
    /// No more comes: what waits is settled.
    Finished,
}

/// Rows that follow one another.
#[derive(Debug, Default)]
struct Rows {
    count: usize,
    columns: usize,
    /// Their lines, where they are not kept, by what became of them.
    passed: Vec<(LineOutcome, u64)>,
}

/// The half that splits.
#[derive(Debug)]
pub struct Finder {
    splitter: Splitter,
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
        self.splitter.feed(at, bytes, &mut self.found);
        self.follow();
    }

    /// The source was opened, as [`Chain::open`] says.
    pub fn open(&mut self, opening: Opening, within: Option<Stamp>) {
        // What is added to a text goes on from what was there.
        let opened = (!matches!(opening, Opening::Grows(_))).then(|| self.splitter.open(within));
        let cut_off = opened.map_or(0, |(cut_off, _)| cut_off as u64);
        self.found.items.push(Item::Opened(opening, opened.map(|(_, standing)| standing), cut_off));
    }

    /// The text has come to its end.
    pub fn end(&mut self) {
        self.splitter.end(self.newest.unwrap_or_default(), &mut self.found);
        self.finish();
    }

    /// No more will come.
    pub fn finish(&mut self) {
        self.splitter.finish(&mut self.found);
        self.found.items.push(Item::Finished);
        self.follow();
    }

    /// Bytes were sent to the board.
    pub fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        self.splitter.sent(at, bytes, &mut self.found);
        self.found.items.push(Item::Sent(at, bytes.to_vec()));
    }

    /// So many bytes were heard at a baud rate that was wrong, and are not read.
    pub fn unread(&mut self, bytes: u64) {
        self.found.items.push(Item::Unread(bytes));
    }

    /// What is known of how numbers are written is passed on.
    fn follow(&mut self) {
        if !self.stated.iter().copied().eq(self.splitter.columns()) {
            self.stated = self.splitter.columns().collect();
            self.found.items.push(Item::Columns(self.stated.clone()));
        }
    }

    /// What was found since the last call.
    pub fn take_found(&mut self) -> Found {
        let next = Found { passes_lines: self.found.passes_lines, ..Found::default() };
        std::mem::replace(&mut self.found, next)
    }

    /// Whether lines are only counted from now on, since so many come behind them that they will not be kept.
    pub fn pass_lines(&mut self, passes: bool) {
        // Those that wait for their shape may be read again.
        self.found.passes_lines = passes && self.splitter.is_decided();
    }

    /// How many bytes were taken since then.
    pub fn waiting(&self) -> u64 {
        self.found.bytes
    }
}

impl Found {
    /// Adds to the rows that were found last, where they have so many columns or none was found yet, else to new ones.
    #[inline]
    fn add_to_rows(&mut self, columns: Option<usize>, add: impl FnOnce(&mut Rows)) {
        let fits = |rows: &Rows| rows.count == 0 || columns.is_none_or(|columns| rows.columns == columns);
        if !matches!(self.items.last(), Some(Item::Rows(rows)) if fits(rows)) {
            self.items.push(Item::Rows(Rows::default()));
        }
        if let Some(Item::Rows(rows)) = self.items.last_mut() {
            rows.columns = columns.unwrap_or(rows.columns);
            add(rows);
        }
    }
}

impl Sink for Found {
    fn shape(&mut self, shape: &Shape) {
        self.items.push(Item::Shape(shape.clone()));
    }

    #[inline]
    fn line(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]) {
        match outcome {
            _ if !self.passes_lines => {
                self.lines.extend_from_slice(line);
                self.items.push(Item::Line(at, outcome, line.len()));
            }
            LineOutcome::Row(_) => {
                self.add_to_rows(None, |rows| match rows.passed.last_mut() {
                    Some((known, count)) if *known == outcome => *count += 1,
                    _ => rows.passed.push((outcome, 1)),
                });
            }
            _ => self.items.push(Item::Passed(outcome)),
        }
    }

    #[inline]
    fn row(&mut self, at: Stamp, values: &[f64]) {
        self.add_to_rows(Some(values.len()), |rows| rows.count += 1);
        self.arrivals.push(at);
        self.values.extend_from_slice(values);
    }

    fn gap(&mut self) {
        self.items.push(Item::Gap);
    }

    fn restart(&mut self) {
        self.items.push(Item::Restart);
    }
}

impl Chain {
    /// The half that splits for this chain, which has taken in nothing yet.
    pub fn finder(&self) -> Finder {
        let splitter = self.interpreter.splitter().clone();
        let mut finder = Finder { splitter, found: Found::default(), newest: None, stated: Vec::new() };
        finder.follow();
        finder
    }

    /// Takes in what was found.
    pub fn gather(&mut self, found: Found) {
        let Found { items, lines, arrivals, values, bytes, newest, .. } = found;
        self.intake.newest = newest.or(self.intake.newest);
        self.intake.counts.bytes += bytes;
        let (mut lines, mut arrivals, mut values) = (&lines[..], &arrivals[..], &values[..]);
        for item in items {
            let (joint, intake) = (self.interpreter.joint_mut(), &mut self.intake);
            match item {
                Item::Rows(Rows { count, columns, passed }) => {
                    passed.into_iter().for_each(|(outcome, count)| intake.pass(outcome, count));
                    let mut findings = joint.findings(intake);
                    for at in arrivals.split_off(..count).unwrap_or_default() {
                        findings.row(*at, values.split_off(..columns).unwrap_or_default());
                    }
                }
                Item::Line(at, outcome, length) => {
                    joint.findings(intake).line(at, outcome, lines.split_off(..length).unwrap_or_default());
                }
                Item::Passed(outcome) => {
                    joint.pass_line(outcome, intake);
                    intake.pass(outcome, 1);
                }
                Item::Shape(shape) => joint.findings(intake).shape(&shape),
                Item::Gap => joint.findings(intake).gap(),
                Item::Restart => joint.findings(intake).restart(),
                Item::Opened(opening, standing, cut_off) => {
                    joint.give_batch(intake);
                    intake.opened(opening);
                    joint.open(opening, standing, intake);
                    intake.counts.cut_off += cut_off;
                }
                Item::Columns(stated) => {
                    joint.give_batch(intake);
                    if intake.has_new_channels() {
                        self.put_in_order();
                    }
                    self.intake.adopt_columns(stated.into_iter(), self.interpreter.joint().layout().columns());
                }
                Item::Sent(at, bytes) => intake.sent(at, &bytes),
                Item::Unread(bytes) => intake.counts.unkept += bytes,
                Item::Finished => joint.finish(intake),
            }
        }
        self.interpreter.joint_mut().give_batch(&mut self.intake);
        if self.intake.has_new_channels() {
            self.put_in_order();
        }
        self.intake.adopt_columns(std::iter::empty(), &[]);
        self.time_again();
    }

    /// Knows all that `finder`, which has found all that was taken in, knows of the shape.
    pub fn know(&mut self, finder: &Finder) {
        *self.interpreter.splitter_mut() = finder.splitter.clone();
    }
}

#[cfg(test)]
mod tests {
    use super::super::told;
    use super::*;
    use crate::bench::{Bench, ChannelSettings, SourceSettings};
    use crate::clock::Time;
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
                        let within = within.then_some(at);
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
