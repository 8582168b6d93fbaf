//! Conditions against a plain reference that goes through every millisecond, and the same events however rows come.

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings};
use amber_core::chain::Chain;
use amber_core::derive::Values;
use amber_core::formula::Formula;
use amber_core::store::Limits;
use amber_core::watch::condition::{
    Above, Below, Change, Changing, Condition, Conditions, Equal, Event, Inside, Join, Outside, Settled, Silent, Test,
    When,
};
use proptest::prelude::*;

const START: i64 = 1_790_000_000_000_000_000;

fn at(ms: i64) -> Stamp {
    Stamp(START + ms * 1_000_000)
}

/// A row: milliseconds since the one before, the values of `a` and `b`, and whether the stream broke in front of it.
type Row = (i64, [f64; 2], bool);

fn of(b: bool) -> String {
    if b { "b" } else { "a" }.into()
}

fn test(earlier: usize) -> impl Strategy<Value = Test> {
    let level = -4..5i32;
    let width = 0..4u32;
    let end = any::<bool>();
    prop_oneof![
        (end, level.clone(), width.clone()).prop_map(|(b, value, h)| {
            Test::Above(Above { of: of(b), value: f64::from(value), hysteresis: f64::from(h) })
        }),
        (end, level.clone(), width.clone()).prop_map(|(b, value, h)| {
            Test::Below(Below { of: of(b), value: f64::from(value), hysteresis: f64::from(h) })
        }),
        (end, level.clone(), 2..6i32).prop_map(|(b, low, wide)| {
            let (low, high) = (f64::from(low), f64::from(low + wide));
            Test::Inside(Inside { of: of(b), low, high, hysteresis: 1.0 })
        }),
        (end, level.clone(), 2..6i32).prop_map(|(b, low, wide)| {
            let (low, high) = (f64::from(low), f64::from(low + wide));
            Test::Outside(Outside { of: of(b), low, high, hysteresis: 0.0 })
        }),
        (end, level.clone()).prop_map(|(b, code)| Test::Equal(Equal { of: of(b), code: code.to_string() })),
        (end, 1..200u32, 0..3u32).prop_map(|(b, rate, over)| {
            let rate = f64::from(rate);
            Test::Changing(Changing {
                of: of(b),
                rate,
                hysteresis: rate / 4.0,
                over: f64::from(over) * 0.05,
                ..Changing::default()
            })
        }),
        (end, 0..6u32, 1..300u32).prop_map(|(b, band, ms)| {
            Test::Settled(Settled { of: of(b), band: f64::from(band), seconds: f64::from(ms) / 1000.0 })
        }),
        (0..3u8, 1..120u32).prop_map(|(which, ms)| {
            let of = ["", "a", "b"][usize::from(which)].into();
            Test::Silent(Silent { of, seconds: f64::from(ms) / 1000.0 })
        }),
        (0..earlier.max(1)).prop_map(move |other| match earlier {
            0 => Test::Above(Above { of: "a + b".into(), value: 0.0, hysteresis: 1.0 }),
            _ => Test::When(When { condition: format!("c{other}") }),
        }),
    ]
}

fn condition(place: usize) -> impl Strategy<Value = Condition> {
    let join = prop_oneof![Just(Join::All), Just(Join::Any), Just(Join::None)];
    let time = prop_oneof![3 => Just(0u32), 1 => 1..150u32];
    (join, proptest::collection::vec(test(place), 1..4), time.clone(), time).prop_map(
        move |(join, test, hold, pause)| {
            let (hold, pause) = (f64::from(hold) / 1000.0, f64::from(pause) / 1000.0);
            Condition { join, test, hold, pause, ..Condition::named(&format!("c{place}")) }
        },
    )
}

fn conditions() -> impl Strategy<Value = Vec<Condition>> {
    (condition(0), condition(1), condition(2)).prop_map(|(a, b, c)| vec![a, b, c])
}

fn rows() -> impl Strategy<Value = Vec<Row>> {
    let value = || prop_oneof![8 => (-5..6i32).prop_map(f64::from), 1 => Just(f64::NAN)];
    let gap = prop_oneof![10 => 1..12i64, 1 => 20..200i64];
    let row = (gap, [value(), value()], prop_oneof![19 => Just(false), 1 => Just(true)]);
    proptest::collection::vec(row, 1..120)
}

/// The verdict of a test at millisecond `now` by the rows up to then, each with its time, walked through from the first.
fn verdict(test: &Test, rows: &[(i64, [f64; 2], bool)], now: i64, on: &[Option<bool>]) -> Option<bool> {
    let value = |row: &(i64, [f64; 2], bool), of: &str| match of {
        "a" => row.1[0],
        "b" => row.1[1],
        "" => 0.0,
        _ => row.1[0] + row.1[1],
    };
    let side = |of: &str, yes: &dyn Fn(f64) -> bool, no: &dyn Fn(f64) -> bool| {
        rows.iter().map(|row| value(row, of)).filter(|x| !x.is_nan()).fold(None, |known, x| match () {
            () if yes(x) => Some(true),
            () if no(x) => Some(false),
            () => known,
        })
    };
    // The values since the last break, with their times.
    let whole = |of: &str, upto: usize| {
        let begin = rows[..upto].iter().rposition(|row| row.2).unwrap_or(0);
        let known = rows[begin..upto].iter().map(|row| (row.0, value(row, of))).filter(|(_, x)| !x.is_nan());
        known.collect::<Vec<_>>()
    };
    let has_value = |of: &str| rows.iter().any(|row| !value(row, of).is_nan());
    match test {
        Test::Above(t) => side(&t.of, &|x| x > t.value + t.hysteresis / 2.0, &|x| x < t.value - t.hysteresis / 2.0),
        Test::Below(t) => side(&t.of, &|x| x < t.value - t.hysteresis / 2.0, &|x| x > t.value + t.hysteresis / 2.0),
        Test::Inside(t) => {
            let half = t.hysteresis / 2.0;
            side(&t.of, &|x| x > t.low + half && x < t.high - half, &|x| x < t.low - half || x > t.high + half)
        }
        Test::Outside(t) => side(&t.of, &|x| x < t.low || x > t.high, &|x| x > t.low && x < t.high),
        Test::Equal(t) => {
            let code: f64 = t.code.parse().unwrap();
            side(&t.of, &|x| x == code, &|x| x != code)
        }
        Test::Changing(t) => {
            let mut known = None;
            for upto in 1..=rows.len() {
                if value(&rows[upto - 1], &t.of).is_nan() {
                    continue;
                }
                let seen = whole(&t.of, upto);
                let Some((time, x)) = seen.last() else { continue };
                let back = (t.over * 1000.0).round() as i64;
                let from = seen[..seen.len() - 1].iter().rfind(|(t, _)| time - t >= back);
                if let Some((from, before)) = from {
                    let rate = ((x - before) / ((time - from) as f64 / 1000.0)).abs();
                    if rate > t.rate {
                        known = Some(true);
                    } else if rate < t.rate - t.hysteresis || known.is_none() {
                        known = Some(false);
                    }
                }
            }
            known
        }
        Test::Settled(t) => {
            // By the last row that has a value; what broke off since then is not settled any more, once there is one.
            let last = rows.iter().rposition(|row| !value(row, &t.of).is_nan())?;
            let seen = whole(&t.of, last + 1);
            let (time, edge) = (seen.last()?.0, seen.last()?.0 - (t.seconds * 1000.0).round() as i64);
            let window = seen.iter().filter(|(at, _)| *at > edge && *at <= time).map(|(_, x)| *x);
            let (low, high) = window.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(x), b.max(x)));
            Some(high - low <= t.band && seen[0].0 <= edge)
        }
        Test::Silent(t) => has_value(&t.of).then(|| {
            let last = rows.iter().rfind(|row| !value(row, &t.of).is_nan()).unwrap().0;
            now - last >= (t.seconds * 1000.0).round() as i64
        }),
        Test::When(t) => on[t.condition[1..].parse::<usize>().unwrap()],
        Test::Bypassed { .. } => None,
    }
}

fn is_timed(all: &[Condition], place: usize) -> bool {
    all[place].test.iter().any(|test| match test {
        Test::Silent(_) => true,
        Test::When(when) => is_timed(all, when.condition[1..].parse().unwrap()),
        _ => false,
    })
}

/// The events that the definition gives, looked for in every millisecond until `end`.
fn plain(all: &[Condition], rows: &[Row], end: i64) -> Vec<Event> {
    let mut time = 0;
    let timed: Vec<(i64, [f64; 2], bool)> = rows
        .iter()
        .map(|(gap, values, is_broken)| {
            time += gap;
            (time, *values, *is_broken)
        })
        .collect();
    let ms = |seconds: f64| (seconds * 1000.0).round() as i64;
    let (mut events, mut open) = (Vec::<Event>::new(), vec![None::<usize>; all.len()]);
    let (mut since, mut last) = (vec![None::<i64>; all.len()], vec![None::<i64>; all.len()]);
    let mut was_on = vec![false; all.len()];
    for now in 0..=end {
        let upto = timed.partition_point(|row| row.0 <= now);
        let row = upto.checked_sub(1).filter(|row| timed[*row].0 == now);
        if upto == 0 {
            continue;
        }
        if row.is_some_and(|row| timed[row].2) {
            // What must hold must do so anew.
            (0..all.len())
                .filter(|place| !was_on[*place] && !is_timed(all, *place))
                .for_each(|place| since[place] = None);
        }
        let mut on: Vec<Option<bool>> = Vec::new();
        for (place, condition) in all.iter().enumerate() {
            // Rows alone change what time does not.
            let seen = if row.is_some() || is_timed(all, place) { upto } else { 0 };
            if seen == 0 {
                let truth = truth_before(all, place, &timed[..upto], &on);
                on.push(truth.map(|_| was_on[place]));
                continue;
            }
            let verdicts: Vec<Option<bool>> =
                condition.test.iter().map(|test| verdict(test, &timed[..upto], now, &on)).collect();
            let truth = joined(condition.join, &verdicts);
            if truth == Some(true) {
                let began = *since[place].get_or_insert(now);
                was_on[place] |= now - began >= ms(condition.hold);
                let may = last[place].is_none_or(|last| now - last >= ms(condition.pause));
                if was_on[place] && open[place].is_none() && may {
                    let number = events.len() as u64 + 1;
                    (open[place], last[place]) = (Some(events.len()), Some(now));
                    let row = row.map(|row| row as u64);
                    events.push(Event { number, condition: place, began: at(began), at: at(now), row, ended: None });
                }
            } else {
                (since[place], was_on[place]) = (None, false);
                if let Some(event) = open[place].take() {
                    events[event].ended = Some(at(now));
                }
            }
            on.push(truth.map(|_| was_on[place]));
        }
    }
    events
}

fn truth_before(all: &[Condition], place: usize, rows: &[(i64, [f64; 2], bool)], on: &[Option<bool>]) -> Option<bool> {
    let last = rows.last().map_or(0, |row| row.0);
    let verdicts: Vec<Option<bool>> = all[place].test.iter().map(|test| verdict(test, rows, last, on)).collect();
    joined(all[place].join, &verdicts)
}

fn joined(join: Join, verdicts: &[Option<bool>]) -> Option<bool> {
    let (yes, no) = (verdicts.contains(&Some(true)), verdicts.contains(&Some(false)));
    let open = verdicts.contains(&None);
    match join {
        Join::All if no => Some(false),
        Join::Any if yes => Some(true),
        Join::None if yes => Some(false),
        _ if open => None,
        Join::All => Some(true),
        Join::Any => Some(false),
        Join::None => Some(true),
    }
}

/// The same by the program, with rows in pieces of these lengths.
fn found(all: &[Condition], rows: &[Row], end: i64, cuts: &[usize]) -> Vec<Event> {
    let channels = [ChannelSettings::named("a"), ChannelSettings::named("b")];
    let mut conditions = Conditions::new(all, &channels);
    let (mut changes, mut time, mut first) = (Vec::new(), 0, 0);
    let mut cuts = cuts.iter().copied().cycle();
    let mut batch: Vec<Row> = Vec::new();
    let mut give = |batch: &mut Vec<Row>, conditions: &mut Conditions, first: &mut u64, changes: &mut Vec<Change>| {
        let mut values = [Values::default(), Values::default()];
        let mut times = Vec::new();
        for (gap, row, _) in batch.iter() {
            time += gap;
            times.push(at(time));
            values[0].raw.push(row[0]);
            values[1].raw.push(row[1]);
        }
        conditions.rows(*first, &times, &values, changes);
        *first += times.len() as u64;
        batch.clear();
    };
    let mut left = cuts.next().unwrap();
    for row in rows {
        if row.2 {
            give(&mut batch, &mut conditions, &mut first, &mut changes);
            conditions.break_off();
        }
        batch.push(*row);
        left -= 1;
        if left == 0 {
            give(&mut batch, &mut conditions, &mut first, &mut changes);
            left = cuts.next().unwrap();
        }
    }
    give(&mut batch, &mut conditions, &mut first, &mut changes);
    conditions.tick(at(end), &mut changes);
    collected(&changes)
}

fn collected(changes: &[Change]) -> Vec<Event> {
    let mut events: Vec<Event> = Vec::new();
    for change in changes {
        match change {
            Change::Fired(event) => events.push(*event),
            Change::Ended { number, at } => events[*number as usize - 1].ended = Some(*at),
        }
    }
    events
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn events_are_those_of_the_definition(all in conditions(), rows in rows(), rest in 0..300i64, cut in 1..40usize) {
        let end = rows.iter().map(|row| row.0).sum::<i64>() + rest;
        let expected = plain(&all, &rows, end);
        prop_assert_eq!(&found(&all, &rows, end, &[cut]), &expected);
        prop_assert_eq!(&found(&all, &rows, end, &[1]), &expected);
    }

    #[test]
    fn no_event_is_lost_or_doubled_live_or_rebuilt(
        all in conditions(),
        rows in rows(),
        cut in 1..200usize,
        edits in proptest::collection::vec(0..120usize, 0..3),
    ) {
        let sum = ChannelSettings { formula: Formula::new("a + b").ok(), ..ChannelSettings::named("sum") };
        let channel = vec![ChannelSettings::named("a"), ChannelSettings::named("b"), sum];
        let source = SourceSettings { channel, condition: all.clone(), ..SourceSettings::default() };
        let bench = Bench::of(source);
        let fresh = || Chain::new(&bench, 0, Limits::NONE);
        let (mut live, mut edited) = (fresh(), fresh());
        edited.defer();
        let (mut time, mut taken) = (0, Vec::new());
        for (row, (gap, values, is_broken)) in rows.iter().enumerate() {
            time += gap;
            let text = |x: f64| if x.is_nan() { "nan".into() } else { x.to_string() };
            let line = format!("a={} b={}\n", text(values[0]), text(values[1]));
            for chain in [&mut live, &mut edited] {
                if *is_broken {
                    chain.begin();
                }
                let cut = cut % line.len();
                chain.feed(at(time), &line.as_bytes()[..cut]);
                chain.feed(at(time), &line.as_bytes()[cut..]);
            }
            // What is answered is answered once, whatever is made anew meanwhile.
            let (fired, missed) = edited.take_fired();
            prop_assert_eq!(missed, 0);
            taken.extend(fired);
            if edits.contains(&row) {
                edited.set_conditions(Vec::new());
                edited.set_conditions(all.clone());
                while let Some(mut work) = edited.take_work() {
                    prop_assert!(work.run(&Default::default()).is_ok());
                    edited.put_back(work);
                }
                prop_assert!(edited.take_fired().0.is_empty());
            }
        }
        live.finish();
        edited.finish();
        taken.extend(edited.take_fired().0);
        prop_assert_eq!(live.events(), edited.events());
        let begun = |events: &[Event]| -> Vec<(usize, Stamp)> { events.iter().map(|e| (e.condition, e.at)).collect() };
        let all_events: Vec<Event> = live.events().iter().copied().collect();
        prop_assert_eq!(begun(&taken), begun(&all_events));
        let mut again = fresh();
        again.set_conditions(Vec::new());
        let mut time = 0;
        for (gap, values, is_broken) in &rows {
            time += gap;
            if *is_broken {
                again.begin();
            }
            let text = |x: f64| if x.is_nan() { "nan".into() } else { x.to_string() };
            again.feed(at(time), format!("a={} b={}\n", text(values[0]), text(values[1])).as_bytes());
        }
        again.finish();
        again.set_conditions(all);
        prop_assert_eq!(again.events(), live.events());
        prop_assert!(again.take_fired().0.is_empty(), "history is never answered");
    }
}

#[test]
fn what_can_never_come_true_is_said() {
    let troubles = |test: &str| {
        let text = format!(
            "[[source.channel]]\nname = \"y\"\nwords = {{ 1 = \"run\" }}\n[[source.condition]]\nname = \"a\"\n{test}\n"
        );
        let bench = Bench::parse(&format!("[[source]]\n{text}")).unwrap();
        Conditions::new(&bench.first().condition, &bench.first().channel).troubles()
    };
    let long = format!("{}y{}", "(".repeat(500), ")".repeat(500));
    for (test, said) in [
        ("test = []", "condition a: it has no test"),
        ("test = [{ kind = \"above\", of = \"zz\", value = 1 }]", "there is no channel 'zz'"),
        (
            "test = [{ kind = \"above\", of = \"y+*2\", value = 1 }]",
            "'y+*2' is neither a channel nor a formula: column 3",
        ),
        ("test = [{ kind = \"equal\", of = \"y\", code = \"blue\" }]", "'y' has no word 'blue'"),
        (&format!("test = [{{ kind = \"above\", of = \"{long}\", value = 1 }}]"), "is neither a channel nor a formula"),
    ] {
        let found = troubles(test);
        assert!(found.len() == 1 && found[0].contains(said) && found[0].len() < 300, "{test}: {found:?}");
    }
    for sound in ["test = [{ kind = \"equal\", of = \"y\", code = \"run\" }]", "bypassed = true"] {
        assert_eq!(troubles(sound), [""; 0]);
    }
}
