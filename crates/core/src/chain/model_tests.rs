//! A chain under random feeding and editing, beside a plain model: the board counts its lines, so that every row that is kept
//! tells what all of its values must be.

use super::anew::Work;
use super::*;
use crate::block::Block;
use crate::chance::Chance;
use crate::formula::Formula;
use crate::scale::{Gain, Scale};
use crate::smooth::{Filter, Mean, Strength};
use crate::spectrum::even::Even;
use crate::store::Put;
use crate::watch::condition::{Above, Condition};
use crate::work::Ticket;
use std::ops::Range;
use std::sync::Arc;

/// Steps in the tests; `AMBER_STEPS` says another number.
const STEPS: usize = 3000;

/// What line `i` says: counts, a stair, the number of the line.
fn line(i: u64) -> [f64; 3] {
    [(i * 7 % 100) as f64, (i / 40 * 10) as f64, i as f64]
}

struct Elsewhere;

impl Spill for Elsewhere {
    fn put(&mut self, bytes: &[u8]) -> Option<Put> {
        // Aligned as a map of a file is.
        let word = |chunk: &[u8]| {
            let mut word = [0; 8];
            word[..chunk.len()].copy_from_slice(chunk);
            u64::from_ne_bytes(word)
        };
        let words: Vec<u64> = bytes.chunks(8).map(word).collect();
        struct Words(Vec<u64>, usize);
        impl AsRef<[u8]> for Words {
            fn as_ref(&self) -> &[u8] {
                &bytemuck::cast_slice(&self.0)[..self.1]
            }
        }
        Some(Arc::new(Words(words, bytes.len())))
    }
}

/// A source with its chain, and the work that was handed out of it.
struct Trial {
    chain: Chain,
    chance: Chance,
    /// Lines that the board has sent.
    sent: u64,
    out: Vec<Work>,
    ran: Vec<Work>,
    /// Rows that were shown a while ago, which somebody may still ask for.
    seen: Range<u64>,
    /// Work was given up, so that computed channels may be gaps.
    has_gaps: bool,
    log: Vec<String>,
}

impl Trial {
    fn new(seed: u64) -> Trial {
        let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
        chain.defer();
        let mut chance = Chance(seed);
        // What is done at once and what is left to somebody else.
        chain.intake.at_once = [0, 3000, u64::MAX][chance.below(3)];
        Trial { chain, chance, sent: 0, out: Vec::new(), ran: Vec::new(), seen: 0..0, has_gaps: false, log: Vec::new() }
    }

    fn feed(&mut self, lines: u64) {
        let mut text = String::new();
        let mut begun = self.sent;
        for i in self.sent..self.sent + lines {
            let [a, b, c] = line(i);
            text += &format!("a={a} b={b} c={c}\n");
            if self.chance.below(50) == 0 || i + 1 == self.sent + lines {
                let at = Stamp(begun as i64 * 10_000_000 + self.chance.below(5_000_000) as i64);
                self.chain.feed(at, text.as_bytes());
                (text, begun) = (String::new(), i + 1);
            }
        }
        self.sent += lines;
    }

    fn edit(&mut self, change: impl FnOnce(&mut ChannelSettings)) {
        let count = self.chain.channels().len();
        let at = self.chance.below(count.max(1));
        if let Some(mut settings) = self.chain.channels().get(at).map(|channel| channel.wished().clone()) {
            change(&mut settings);
            if self.chain.circle_with(at, &settings).is_none() {
                self.chain.set_channel(at, settings);
            }
        }
    }

    fn step(&mut self) {
        let n = self.chance.below(1000) as u64;
        let what = self.chance.below(30);
        self.log.push(format!("{what} ({n})"));
        match what {
            0..5 => self.feed(n % 60),
            5 => self.feed(n * 5),
            6 => self.chain.skip(n),
            7 => self.chain.break_off(),
            8 => self.out.extend(self.chain.take_work()),
            9..12 => {
                if let Some(mut work) = self.out.pop() {
                    work.run(&Ticket::default()).unwrap();
                    self.ran.push(work);
                }
            }
            12..15 => {
                let work = self.ran.pop();
                self.out.extend(work.and_then(|work| self.chain.put_back(work)));
            }
            15 => {
                self.has_gaps |= self.chain.is_behind();
                self.chain.give_up();
            }
            16 => {
                let gain = Gain { factor: n as f64, unit: "V".into() };
                let scale = Scale { steps: vec![gain.into()], ..Scale::default() };
                self.edit(|settings| settings.scale = if n.is_multiple_of(3) { Scale::default() } else { scale });
            }
            17 => {
                let mean = Filter::from(Mean { window: Strength::Rows(n as u32 % 9 + 2) });
                self.edit(|settings| settings.smooth = (n.is_multiple_of(2)).then_some(mean).into_iter().collect());
            }
            18 => self.edit(|settings| settings.hidden = !settings.hidden),
            19 => self.edit(|settings| settings.title = format!("name {}", n % 4)),
            20 => {
                let formula = Formula::new(&format!("raw(c) + {}", n % 3)).ok();
                let settings = ChannelSettings { formula, ..ChannelSettings::named(&format!("sum{}", n % 3)) };
                let _ = self.chain.add_computed(settings);
            }
            21 => {
                let computed = self.chain.channels().iter().rposition(|own| own.wished().formula.is_some());
                computed.into_iter().for_each(|at| self.chain.remove_computed(at));
            }
            22 => self.chain.set_time(match n % 3 {
                0 => Time::Auto,
                1 => Time::Rate { hz: 50.0 + n as f64 },
                _ => Time::Arrival,
            }),
            23 => {
                let rule = LevelRule { seconds: (n % 9 + 1) as f64 / 10.0, ..LevelRule::default() };
                self.chain.set_levels(rule);
            }
            24 => {
                let count = self.chain.channels().len().max(1);
                self.chain.swap_channels(n as usize % count, n as usize / 7 % count);
            }
            25 => {
                let shape = self.chain.shape().cloned().filter(|_| n.is_multiple_of(2));
                self.chain.set_split(shape.map_or(Split::Auto, Split::Pinned));
            }
            26 => self.chain.set_limits(Limits { rows: [3000, 9000, 1_000_000][n as usize % 3], ..Limits::default() }),
            27 => self.chain.move_away(0, &mut Elsewhere),
            28 => {
                let above = Above { of: "a".into(), ..Above::default() };
                let condition = Condition { test: vec![above.into()], ..Condition::named("high") };
                self.chain.set_conditions((n.is_multiple_of(2)).then_some(condition).into_iter().collect());
            }
            _ => {
                let other: String = (0..n % 12).map(|i| format!("{i},{n},{}\n", i * n)).collect();
                let at = Stamp(self.sent as i64 * 10_000_000);
                self.chain.feed(at, other.as_bytes());
            }
        }
    }

    /// What must hold at any time.
    fn check(&mut self) {
        let chain = &self.chain;
        let store = chain.store();
        let rows = store.rows();
        let counts = store.parts();
        assert!(counts.iter().all(|own| *own == rows), "parts of the store differ: {counts:?}, not {rows:?}");
        assert_eq!(counts.len(), chain.channels().len() + 2, "a column a channel, times and arrivals");
        for channel in chain.channels() {
            assert_eq!(channel.scaled().range(), rows, "{}", channel.name());
            assert!(channel.smoothed().is_none_or(|series| series.range() == rows), "{}", channel.name());
        }
        let find = |name: &str| chain.channels().iter().position(|own| own.name() == name);
        let columns = ["a", "b", "c"].map(find);
        let mut last: Option<f64> = None;
        let stride = 1 + self.chance.below(37);
        for row in rows.clone().step_by(stride) {
            let [Some(_), Some(_), Some(c)] = columns else { break };
            let number = store.raw(c, row).unwrap();
            // Rows of other lines have none.
            if number.is_nan() {
                continue;
            }
            for (column, value) in columns.iter().zip(line(number as u64)) {
                assert_eq!(store.raw(column.unwrap(), row), Some(value), "column {column:?} of row {row}");
            }
            assert!(last.is_none_or(|last| number > last), "rows stand in their order");
            last = Some(number);
            for own in 0..3 {
                if let Some(sum) = find(&format!("sum{own}")).filter(|_| !chain.is_behind() && !self.has_gaps) {
                    let formula = chain.channels()[sum].settings().formula.as_ref();
                    if formula.is_some_and(|formula| formula.text() == format!("raw(c) + {own}")) {
                        assert_eq!(store.raw(sum, row), Some(number + own as f64), "row {row}");
                    }
                }
            }
        }
        let times: Vec<Stamp> = rows.clone().step_by(stride).filter_map(|row| store.time(row)).collect();
        assert!(times.is_sorted());
        // Somebody may ask for rows that were there a while ago.
        let old = Block::of(chain, "block", self.seen.clone(), Stamp::default());
        assert!(old.columns.iter().all(|column| column.raw.len() == old.times.len()));
        if let Some(channel) = chain.channels().first() {
            let _ = Even::of_rows(store, channel.scaled(), self.seen.clone());
        }
        if self.chance.below(5) == 0 {
            self.seen = rows;
        }
    }
}

#[test]
fn the_store_holds_what_came_whatever_is_edited_meanwhile() {
    let steps = std::env::var("AMBER_STEPS").ok().and_then(|steps| steps.parse().ok()).unwrap_or(STEPS);
    let mut seed = std::env::var("AMBER_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or(1);
    let mut done = 0;
    while done < steps {
        let mut bench = Trial::new(seed);
        let length = 20 + bench.chance.below(200);
        for _ in 0..length {
            let outcome = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
                bench.step();
                bench.check();
            }));
            if outcome.is_err() {
                let last = &bench.log[bench.log.len().saturating_sub(30)..];
                panic!("AMBER_SEED={seed}, behind step {}: {last:?}", bench.log.len());
            }
        }
        done += length;
        seed += 1;
    }
}
