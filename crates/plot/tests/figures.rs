//! Figures of anything: drawn as SVG and PDF, with nothing in them that is no number and nothing that breaks out.

use amber_plot::{EventLane, Figure, FigureMark, Lane, LevelLine, LogicLane, Shades, Threshold, Trace, pdf, svg};
use proptest::prelude::*;

/// Numbers as they come out of rows: mostly of one size, some huge or none.
fn number() -> impl Strategy<Value = f64> {
    prop_oneof![
        12 => -100.0..100.0f64,
        1 => -1e12..1e12f64,
        1 => proptest::sample::select(vec![0.0, -0.0, f64::NAN, f64::INFINITY, f64::NEG_INFINITY, 1e300, 1e-300]),
    ]
}

/// Names and notes as boards and people write them.
fn text() -> impl Strategy<Value = String> {
    const HOSTILE: [&str; 3] = ["<script>&\"'</script>", "\u{1b}[2J\u{0}\u{202e}x", "]]>--><!--"];
    prop_oneof![2 => "[ -~]{0,20}", 2 => "\\PC{0,8}", 1 => proptest::sample::select(&HOSTILE[..]).prop_map(str::to_owned)]
}

fn runs() -> impl Strategy<Value = Vec<Vec<(f64, f64)>>> {
    proptest::collection::vec(proptest::collection::vec((number(), number()), 0..12), 0..3)
}

fn limits() -> impl Strategy<Value = (f64, f64)> {
    let size = prop_oneof![4 => 0.001..200.0f64, 1 => 1e-9..1e9f64];
    (-100.0..100.0f64, size).prop_map(|(low, size)| (low, low + size))
}

fn lane() -> impl Strategy<Value = Lane> {
    let trace = (any::<char>(), text(), 0..20usize, runs(), runs());
    let trace =
        trace.prop_map(|(letter, name, ink, runs, pale)| Trace { letter, name, note: "smoothed", ink, runs, pale });
    let shades = (number(), number(), (number(), number()), 0..9usize, proptest::collection::vec(any::<f32>(), 0..9));
    let shades = shades.prop_map(|(from, to, x, ink, shares)| Shades { from, to, x, ink, shares });
    let threshold = (number(), number(), 0..9usize, text());
    let threshold = threshold.prop_map(|(value, hysteresis, ink, label)| Threshold { value, hysteresis, ink, label });
    let thresholds = proptest::collection::vec(threshold, 0..3);
    let (traces, shades) = (proptest::collection::vec(trace, 0..4), proptest::collection::vec(shades, 0..4));
    ((text(), text(), limits()), traces, thresholds, shades).prop_map(|(named, traces, thresholds, shades)| {
        let (label, unit, limits) = named;
        let level = |value| LevelLine { from: value, to: -value, value, ink: 3, label: label.clone() };
        let levels = vec![level(limits.0), level(f64::NAN)];
        Lane { label, unit, limits, traces, thresholds, shades, levels }
    })
}

fn figure() -> impl Strategy<Value = Figure> {
    let levels = proptest::collection::vec((number(), number(), any::<bool>()), 0..6);
    let logic = (any::<char>(), text(), 0..9usize, levels);
    let logic = logic.prop_map(|(letter, name, ink, levels)| LogicLane {
        letter,
        name,
        ink,
        levels,
        words: vec![(1.0, f64::NAN, "<w>".into()), (-5.0, 50.0, "\u{1b}[2J".into())],
    });
    let mark = (any::<u64>(), number(), text()).prop_map(|(number, at, note)| FigureMark { number, at, note });
    let (lanes, logic) = (proptest::collection::vec(lane(), 0..4), proptest::collection::vec(logic, 0..30));
    let events = (text(), proptest::collection::vec((number(), proptest::option::of(number())), 0..6));
    let events = proptest::collection::vec(events.prop_map(|(name, spans)| EventLane { name, spans }), 0..12);
    let below = (
        proptest::collection::vec(mark, 0..8),
        proptest::collection::vec(text(), 0..9),
        events,
        proptest::collection::vec(number(), 0..3),
    );
    ((text(), text(), limits(), text()), lanes, logic, below).prop_map(|(named, lanes, logic, below)| {
        let ((title, subtitle, x, x_label), (marks, notes, events, cursors)) = (named, below);
        Figure {
            title,
            subtitle,
            x,
            x_label,
            lanes,
            logic,
            events,
            marks,
            cursors,
            notes,
            paper: amber_plot::Paper::default(),
        }
    })
}

/// The numbers of an attribute, wherever it stands.
fn numbers<'a>(drawing: &'a str, attribute: &'a str) -> impl Iterator<Item = f64> + 'a {
    let values = drawing.split(attribute).skip(1).filter_map(|rest| rest.split('"').next());
    let numbers = values.flat_map(|value| value.split([' ', ','])).filter(|part| !part.is_empty());
    numbers.map(|part| part.parse().unwrap_or(f64::NAN))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, max_shrink_iters: 200, ..ProptestConfig::default() })]

    #[test]
    fn a_figure_of_anything_is_a_drawing_and_a_page(figure in figure()) {
        let drawing = svg(&figure).map_err(|error| TestCaseError::fail(error.to_string()))?;
        let drawn = drawing.split("</style>").last().unwrap_or_default();
        let breaks_out = drawing.contains("<script") || drawing.contains(['\x1b', '\0']);
        prop_assert!(!breaks_out, "a text became more than that");
        // A note may say what it likes, but within its text.
        let tags: String = drawn.split('<').map(|part| part.split('>').next().unwrap_or_default()).collect();
        for attribute in [" points=\"", " x=\"", " y=\"", " x1=\"", " x2=\"", " y1=\"", " y2=\"", " width=\"", " height=\""] {
            for value in numbers(&tags, attribute) {
                prop_assert!((-200.0..=30_000.0).contains(&value), "{attribute}{value}");
            }
        }
        // A page is made of it only if it is well-formed.
        let page = pdf(&drawing).map_err(|error| TestCaseError::fail(error.to_string()))?;
        prop_assert!(page.starts_with(b"%PDF-1."));
    }

    #[test]
    fn what_is_out_of_view_takes_no_room(count in 1..4000usize, away in 1e3..1e9f64) {
        let of = |from: f64| {
            let runs = vec![(0..count).map(|i| (from + i as f64 * 1e-3, (i % 7) as f64)).collect()];
            let trace = Trace { letter: 'A', name: "a".into(), runs, ..Trace::default() };
            let lane = Lane { label: "mm".into(), limits: (0.0, 7.0), traces: vec![trace], ..Lane::default() };
            svg(&Figure { x: (0.0, 4.0), lanes: vec![lane], ..Figure::default() }).map_or(0, |drawing| drawing.len())
        };
        let (seen, away) = (of(0.0), of(away));
        prop_assert!(away <= seen + 2000 && seen < 60_000 + 60 * count, "{seen} {away} of {count}");
    }
}
