//! Takes laid over one another: which instants belong together, what each amounts to, how they differ. The screen, figures
//! and the command share it.

use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::chain::{Chain, Channel};
use amber_core::compare::{Amount, Run, amount, best_match, difference};
use amber_core::digits::{duration, fixed};
use amber_core::spectrum::Maker;
use amber_io::take::Mark;
use std::fmt::{self, Display};
use std::str::FromStr;

/// A take that is compared.
#[derive(Debug)]
pub(crate) struct Compared {
    pub(crate) name: String,
    pub(crate) chain: Chain,
    pub(crate) marks: Vec<Mark>,
}

/// What is laid over one another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) enum Align {
    /// The first rows.
    #[default]
    Start,
    /// The marks with this number.
    Mark(u64),
    /// The first events of the condition with this name.
    Event(String),
    /// Where a channel matches best.
    Match,
}

impl Display for Align {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Align::Start => f.write_str("start"),
            Align::Mark(number) => write!(f, "mark {number}"),
            Align::Event(name) => write!(f, "event {name}"),
            Align::Match => f.write_str("match"),
        }
    }
}

impl FromStr for Align {
    type Err = String;

    fn from_str(text: &str) -> Result<Align, String> {
        match text.trim().split_once(' ').unwrap_or((text.trim(), "")) {
            ("" | "start", "") => Ok(Align::Start),
            ("match", "") => Ok(Align::Match),
            ("mark", number) => number.trim().parse().map(Align::Mark).map_err(|_| "type mark and its number".into()),
            ("event", name) if !name.trim().is_empty() => Ok(Align::Event(name.trim().into())),
            _ => Err("takes are aligned by: start, mark and its number, event and its condition, or match".into()),
        }
    }
}

/// One of several runs of a channel.
#[derive(Clone, Copy)]
pub(crate) struct OneRun<'a> {
    pub(crate) name: &'a str,
    pub(crate) chain: &'a Chain,
    pub(crate) marks: &'a [Mark],
    /// The channel there, where there is one.
    pub(crate) channel: Option<usize>,
}

/// Where a channel called `title` is in a chain.
pub(crate) fn place_of(chain: &Chain, title: &str) -> Option<usize> {
    let channels = chain.channels();
    let is_drawn = |channel: &Channel| channel.kind() != Kind::Clock;
    channels
        .iter()
        .position(|channel| channel.title() == title && is_drawn(channel))
        .or_else(|| channels.iter().position(|channel| channel.name() == title && is_drawn(channel)))
}

/// A run that has been laid: its zero, and what is to be said of it.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Laid {
    pub(crate) zero: Stamp,
    pub(crate) said: Option<String>,
}

impl<'a> OneRun<'a> {
    pub(crate) fn of(name: &'a str, chain: &'a Chain, marks: &'a [Mark], title: &str) -> OneRun<'a> {
        OneRun { name, chain, marks, channel: place_of(chain, title) }
    }

    /// Its channel with the instant that is 0.
    pub(crate) fn run(&self, zero: Stamp) -> Option<Run<'a>> {
        let channel = &self.chain.channels()[self.channel?];
        Some(Run { store: self.chain.store(), series: channel.output(), zero, interval: self.chain.interval() })
    }

    pub(crate) fn channel(&self) -> Option<&'a Channel> {
        self.chain.channels().get(self.channel?)
    }

    fn first(&self) -> Stamp {
        self.chain.store().time(self.chain.store().rows().start).unwrap_or_default()
    }
}

/// Lays runs over one another; what cannot be aligned as asked for is aligned by its start, and says so. Each is then
/// moved by so many seconds of `shifts`.
pub(crate) fn lay(runs: &[OneRun<'_>], align: &Align, shifts: &[f64]) -> Vec<Laid> {
    let mut maker = Maker::default();
    let mut laid: Vec<Laid> = Vec::new();
    for (place, run) in runs.iter().enumerate() {
        let first = run.first();
        let by_start = |why: String| Laid { zero: first, said: Some(format!("{why}: aligned by its start")) };
        let mut own = match align {
            Align::Start => Laid { zero: first, said: None },
            Align::Mark(number) => match run.marks.iter().find(|mark| mark.number == *number) {
                Some(mark) => Laid { zero: mark.at, said: None },
                None => by_start(format!("no mark {number}")),
            },
            Align::Event(name) => {
                let settings = run.chain.conditions().settings();
                let is_it = |condition: usize| settings.get(condition).is_some_and(|own| own.name == *name);
                match run.chain.events().iter().find(|event| is_it(event.condition)) {
                    Some(event) => Laid { zero: event.at, said: None },
                    None => by_start(format!("no event {name}")),
                }
            }
            Align::Match if place == 0 => Laid { zero: first, said: None },
            Align::Match => {
                let own = runs[0].run(laid[0].zero);
                match own.zip(run.run(first)).and_then(|(own, other)| best_match(own, other, &mut maker)) {
                    Some(found) if found.correlation > 0.3 => {
                        let rivals = match found.rivals.first() {
                            Some(rival) => format!(", or {} as well, since a wave repeats", duration(*rival)),
                            None => String::new(),
                        };
                        let said = format!(
                            "matches at {} from its start to {} (correlation {}{rivals})",
                            duration(found.shift),
                            duration(found.known_to),
                            fixed(found.correlation, 2)
                        );
                        Laid { zero: first.plus(found.shift), said: Some(said) }
                    }
                    Some(found) => by_start(format!("no match (correlation {} at best)", fixed(found.correlation, 2))),
                    None => by_start("nothing to match: it does not move, or has too few rows".into()),
                }
            }
        };
        own.zero = own.zero.plus(shifts.get(place).copied().unwrap_or(0.0));
        laid.push(own);
    }
    laid
}

/// Rows up to which statistics and differences are worked out in full.
pub(crate) const MOST: u64 = 2_000_000;

/// Points of a difference that is drawn.
const POINTS: usize = 20_000;

/// What a run amounts to in a stretch, and how it differs from the first.
#[derive(Clone, Debug, Default)]
pub(crate) struct Outcome {
    pub(crate) name: String,
    pub(crate) said: Option<String>,
    pub(crate) amount: Option<Amount>,
    /// Mean, standard deviation and largest size of the difference.
    pub(crate) differs: Option<(f64, f64, f64)>,
    /// The difference, at most some thousand points: seconds, difference.
    pub(crate) difference: Vec<(f64, f64)>,
    /// There were more rows than are looked at.
    pub(crate) is_cut: bool,
}

/// What runs amount to from `from` to `to` seconds on their common axis.
pub(crate) fn outcomes(runs: &[OneRun<'_>], laid: &[Laid], (from, to): (f64, f64)) -> Vec<Outcome> {
    let first = runs.first().zip(laid.first()).and_then(|(run, laid)| run.run(laid.zero));
    let outcome = |(place, (one, laid)): (usize, (&OneRun<'_>, &Laid))| {
        let mut own = Outcome { name: one.name.to_owned(), said: laid.said.clone(), ..Outcome::default() };
        let Some(run) = one.run(laid.zero) else {
            own.said = Some("has no such channel".into());
            return own;
        };
        let rows = run.rows(from, to);
        own.is_cut = rows.end - rows.start > MOST;
        own.amount = amount(run, from, to, MOST);
        if let Some(first) = first.filter(|_| place > 0) {
            let (points, is_cut) = difference(first, run, from, to, MOST as usize);
            own.is_cut |= is_cut;
            let sound = || points.iter().map(|point| point.1).filter(|value| !value.is_nan());
            let count = sound().count() as f64;
            if count > 0.0 {
                let mean = sound().map(|value| value / count).sum::<f64>();
                let deviation = amber_core::stats::deviation(sound).unwrap_or(f64::NAN);
                own.differs = Some((mean, deviation, sound().map(f64::abs).fold(0.0, f64::max)));
            }
            own.difference = thinned(points);
        }
        own
    };
    runs.iter().zip(laid).enumerate().map(outcome).collect()
}

/// The least and the most of each stretch, where there are more points than are drawn.
fn thinned(points: Vec<(f64, f64)>) -> Vec<(f64, f64)> {
    let size = (2 * points.len()).div_ceil(POINTS).max(1);
    if size <= 2 {
        return points;
    }
    let ends = |part: &[(f64, f64)]| {
        let sound = || part.iter().copied().filter(|point| !point.1.is_nan());
        let low = sound().min_by(|a, b| a.1.total_cmp(&b.1));
        let high = sound().max_by(|a, b| a.1.total_cmp(&b.1));
        let (Some(low), Some(high)) = (low, high) else { return vec![(part[0].0, f64::NAN)] };
        if low.0 <= high.0 { vec![low, high] } else { vec![high, low] }
    };
    points.chunks(size).flat_map(ends).collect()
}

/// What a comparison is made of.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Wish {
    /// The title of the channel.
    pub(crate) channel: String,
    /// Numbers that change with the takes, the settings and the rows.
    pub(crate) revisions: (u64, u64, u64),
    pub(crate) align: Align,
    /// Seconds by which each run is moved by hand.
    pub(crate) shifts: Vec<f64>,
    /// The stretch of the common axis; all of it where none is set.
    pub(crate) window: Option<(f64, f64)>,
}

impl Wish {
    /// Whether runs are laid in the same way as by another wish.
    fn lays_like(&self, other: &Wish) -> bool {
        (&self.channel, self.revisions, &self.align, &self.shifts)
            == (&other.channel, other.revisions, &other.align, &other.shifts)
    }
}

/// What a comparison comes to.
#[derive(Clone, Debug)]
pub(crate) struct Found {
    pub(crate) wish: Wish,
    pub(crate) laid: Vec<Laid>,
    pub(crate) window: (f64, f64),
    pub(crate) outcomes: Vec<Outcome>,
}

/// A comparison that is to be worked out, of cheap copies of the runs.
#[derive(Debug)]
pub(crate) struct Work {
    wish: Wish,
    runs: Vec<Compared>,
    /// How they lie, where that is known.
    laid: Option<Vec<Laid>>,
}

impl Work {
    /// What `wish` needs, after what was found last.
    pub(crate) fn new(wish: Wish, runs: &[OneRun<'_>], before: Option<&Found>) -> Work {
        let laid = before.filter(|before| before.wish.lays_like(&wish)).map(|before| before.laid.clone());
        let copy = |run: &OneRun<'_>| Compared {
            name: run.name.to_owned(),
            chain: run.chain.clone(),
            marks: run.marks.to_vec(),
        };
        Work { wish, runs: runs.iter().map(copy).collect(), laid }
    }

    /// Does it; nothing comes of runs without rows.
    pub(crate) fn run(self) -> Option<Found> {
        let Work { wish, runs, laid } = self;
        let runs: Vec<OneRun<'_>> =
            runs.iter().map(|run| OneRun::of(&run.name, &run.chain, &run.marks, &wish.channel)).collect();
        let laid = laid.unwrap_or_else(|| lay(&runs, &wish.align, &wish.shifts));
        let window = wish.window.or_else(|| whole(&runs, &laid))?;
        let outcomes = outcomes(&runs, &laid, window);
        Some(Found { laid, window, outcomes, wish })
    }
}

/// From the first to the last row of all runs, in seconds on the common axis; `None` without rows.
pub(crate) fn whole(runs: &[OneRun<'_>], laid: &[Laid]) -> Option<(f64, f64)> {
    let ends = runs.iter().zip(laid).filter_map(|(run, laid)| run.run(laid.zero)?.ends());
    ends.reduce(|all, own| (all.0.min(own.0), all.1.max(own.1)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use amber_core::bench::Bench;
    use amber_core::store::Limits;

    #[test]
    fn runs_are_laid_by_what_was_asked_for_or_say_why_not() {
        for text in ["start", "mark 3", "event high water", "match"] {
            assert_eq!(text.parse::<Align>().unwrap().to_string(), text);
        }
        for wrong in ["mark", "mark x", "event", "match 3", "end"] {
            assert!(wrong.parse::<Align>().is_err(), "{wrong}");
        }
        let bench = "[[source]]\n[[source.channel]]\nname = \"a\"\n[[source.condition]]\nname = \"high\"\n\
                     [[source.condition.test]]\nkind = \"above\"\nof = \"a\"\nvalue = 80.0\n";
        let bench = Bench::parse(&format!("format = 3\n{bench}")).unwrap();
        let chain = |start: f64, late: u32| {
            let mut chain = Chain::new(&bench, 0, Limits::NONE);
            for i in 0..400u32 {
                let value = if i >= 100 + late { 90 } else { 10 };
                chain.feed(Stamp(0).plus(start + f64::from(i) * 0.01), format!("a={value} b={i}\n").as_bytes());
            }
            chain.finish();
            chain
        };
        let mark = |at: f64| Mark { number: 2, at: Stamp(0).plus(at), note: String::new(), values: String::new() };
        let (one, other) = (chain(1000.0, 0), chain(5000.0, 150));
        let marks = [vec![mark(1000.5)], Vec::new()];
        let runs = [OneRun::of("x", &one, &marks[0], "a"), OneRun::of("y", &other, &marks[1], "a")];
        let zeros = |align: &str| -> Vec<(f64, Option<String>)> {
            let laid = lay(&runs, &align.parse().unwrap(), &[0.0, 0.25]);
            let zero = |laid: Laid| ((laid.zero.seconds_since(Stamp(0)) * 100.0).round() / 100.0, laid.said);
            laid.into_iter().map(zero).collect()
        };
        assert_eq!(zeros("start"), [(1000.0, None), (5000.25, None)]);
        assert_eq!(zeros("event high"), [(1001.0, None), (5002.75, None)]);
        // What cannot be aligned so is aligned by its start, and says it.
        let by_mark = zeros("mark 2");
        assert_eq!((by_mark[0].clone(), by_mark[1].0), ((1000.5, None), 5000.25));
        assert!(by_mark[1].1.as_ref().unwrap().contains("no mark 2: aligned by its start"));
        assert!(zeros("event low").iter().all(|(_, said)| said.as_ref().unwrap().contains("no event low")));
        let laid = lay(&runs, &Align::Event("high".into()), &[]);
        let found = outcomes(&runs, &laid, (-0.5, 1.0));
        let (mean, _, largest) = found[1].differs.unwrap();
        assert!(mean.abs() < 0.01 && largest < 0.01, "laid by their events they are the same: {mean} {largest}");
        assert_eq!(found[0].amount.unwrap().statistics.count, found[1].amount.unwrap().statistics.count);
        let lost = [runs[0], OneRun::of("z", &other, &[], "nothing")];
        let found = outcomes(&lost, &lay(&lost, &Align::Match, &[]), (0.0, 1.0));
        assert_eq!(found[1].said.as_deref(), Some("has no such channel"));
        let points: Vec<(f64, f64)> = (0..100_000).map(|i| (f64::from(i), if i == 777 { 9.0 } else { 0.0 })).collect();
        let thin = thinned(points);
        assert!(thin.len() <= POINTS && thin.contains(&(777.0, 9.0)), "no peak is lost");
    }
}
