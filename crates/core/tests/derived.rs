//! Computed channels and edits: whatever is changed and in whatever order, the history is what it would be if it had been
//! set so from the beginning.

#[path = "parts/mod.rs"]
mod parts;

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings};
use amber_core::chain::Chain;
use amber_core::formula::Formula;
use amber_core::scale::{Converter, Reference, Scale, Step};
use amber_core::store::Limits;
use amber_core::watch::Watch;
use proptest::prelude::*;

const BOARD: [&str; 3] = ["a", "b", "supply"];
const COMPUTED: [&str; 3] = ["p", "q", "r"];

/// Formulas that only look at channels before them, so that no circle can come about.
fn formula(place: usize) -> impl Strategy<Value = Formula> {
    let before: Vec<&str> = BOARD.iter().chain(&COMPUTED[..place]).copied().collect();
    let name = || proptest::sample::select(before.clone());
    let part = (name(), 0..7usize).prop_map(|(name, form)| match form {
        0 => format!("raw({name})"),
        1 => format!("smoothed({name})"),
        2 => format!("rate({name})"),
        3 => format!("integral({name}) / 100"),
        4 => format!("ifgap(prev({name}), 1)"),
        5 => format!("running_max({name}) - running_min({name})"),
        _ => name.to_owned(),
    });
    proptest::collection::vec(part, 1..4).prop_map(|parts| Formula::new(&parts.join(" + ")).unwrap())
}

fn scale() -> impl Strategy<Value = Scale> {
    let by_channel = Step::Converter(Converter {
        bits: Some(10),
        reference: Reference::Channel("supply".into()),
        top_is_reference: false,
    });
    let plain = proptest::collection::vec(parts::any_step(), 0..3).prop_map(|mut steps| {
        steps.retain(|step| {
            !matches!(step, Step::Converter(_))
                && !matches!(step, Step::Bypassed { of } if matches!(**of, Step::Converter(_)))
        });
        Scale { unit: String::new(), steps }
    });
    prop_oneof![3 => plain, 1 => Just(Scale { unit: "x".into(), steps: vec![by_channel] })]
}

/// Settings for the channel at `place`: three that the board sends, then three that are computed.
fn settings(place: usize) -> impl Strategy<Value = ChannelSettings> {
    let watch = proptest::option::of((-5.0..5.0f64).prop_map(|threshold| Watch {
        threshold,
        hysteresis: 1.0,
        ..Watch::default()
    }));
    let formula = formula(place.saturating_sub(3)).prop_map(move |formula| (place >= 3).then_some(formula));
    // The supply itself has no reference.
    let scale = scale().prop_map(move |scale| if place == 2 { Scale::default() } else { scale });
    (formula, scale, parts::filters(), watch).prop_map(move |(formula, scale, smooth, watch)| {
        let name = if place < 3 { BOARD[place] } else { COMPUTED[place - 3] };
        ChannelSettings { formula, scale, smooth, watch, ..ChannelSettings::named(name) }
    })
}

fn all() -> impl Strategy<Value = Vec<ChannelSettings>> {
    (settings(0), settings(1), settings(2), settings(3), settings(4), settings(5))
        .prop_map(|(a, b, c, d, e, f)| vec![a, b, c, d, e, f])
}

#[derive(Clone, Debug)]
enum Doing {
    Rows(usize),
    Break,
    Set(usize, Box<ChannelSettings>),
    Swap(usize, usize),
}

fn doing() -> impl Strategy<Value = Doing> {
    let set = (0..6usize)
        .prop_flat_map(|place| settings(place).prop_map(move |settings| Doing::Set(place, Box::new(settings))));
    prop_oneof![
        3 => (1..80usize).prop_map(Doing::Rows),
        1 => Just(Doing::Break),
        3 => set,
        1 => (0..6usize, 0..6usize).prop_map(|(a, b)| Doing::Swap(a, b)),
    ]
}

/// Row `i` of a made-up board, with gaps here and there.
fn row(i: usize) -> String {
    let a = 100 + i * 37 % 61;
    let b = if i % 11 == 5 { "nan".to_owned() } else { (i * 13 % 29).to_string() };
    format!("a={a} b={b} supply={}\n", 3 + i % 2)
}

fn at(i: usize) -> Stamp {
    Stamp::default().plus(i as f64 * 0.02)
}

fn place(chain: &Chain, name: &str) -> usize {
    chain.channels().iter().position(|channel| channel.name() == name).unwrap()
}

fn same(a: f64, b: f64) -> bool {
    a.to_bits() == b.to_bits() || (a.is_nan() && b.is_nan())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn edits_in_any_order_give_what_setting_it_so_from_the_beginning_gives(
        first in all(), doings in proptest::collection::vec(doing(), 1..12),
    ) {
        let shape = "labelled a b supply".parse().unwrap();
        let split = amber_core::bench::Split::Pinned(shape);
        let bench = |channel: Vec<ChannelSettings>| Bench::of(SourceSettings { channel, split: split.clone(), ..SourceSettings::default() });
        let mut edited = Chain::new(&bench(first.clone()), 0, Limits::default());
        let (mut rows, mut breaks) = (0, Vec::new());
        for doing in doings.into_iter().chain([Doing::Rows(20)]) {
            match doing {
                Doing::Rows(count) => {
                    (rows..rows + count).for_each(|i| edited.feed(at(i), row(i).as_bytes()));
                    rows += count;
                }
                Doing::Break => {
                    breaks.push(rows);
                    edited.begin();
                }
                Doing::Set(which, settings) => {
                    let name = if which < 3 { BOARD[which] } else { COMPUTED[which - 3] };
                    let index = place(&edited, name);
                    prop_assert_eq!(edited.circle_with(index, &settings), None);
                    edited.set_channel(index, *settings);
                }
                Doing::Swap(a, b) => edited.swap_channels(a, b),
            }
        }
        let mut fresh = Chain::new(&bench(edited.live_settings().channel), 0, Limits::default());
        for i in 0..rows {
            if breaks.contains(&i) {
                fresh.begin();
            }
            fresh.feed(at(i), row(i).as_bytes());
        }
        for name in BOARD.iter().chain(&COMPUTED) {
            let (a, b) = (place(&edited, name), place(&fresh, name));
            for row in 0..rows as u64 {
                let (x, y) = (edited.reading(a, row).unwrap(), fresh.reading(b, row).unwrap());
                prop_assert!(same(x.raw, y.raw) && same(x.quantity, y.quantity) && same(x.smoothed, y.smoothed), "{name} in row {row}: {x:?} {y:?}");
            }
            let (a, b) = (&edited.channels()[a], &fresh.channels()[b]);
            let span = |series: &amber_core::store::Series| series.min_max(0..rows as u64);
            prop_assert_eq!(span(a.scaled()), span(b.scaled()));
            prop_assert_eq!(span(a.output()), span(b.output()));
            prop_assert_eq!(a.watcher().now(), b.watcher().now());
            prop_assert_eq!(a.levels().found(), b.levels().found());
            prop_assert_eq!((a.kind(), a.ends()), (b.kind(), b.ends()));
        }
    }
}
