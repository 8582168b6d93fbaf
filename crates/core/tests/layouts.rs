//! Rows written in every layout, with words between and damage in them: what is read is what was sent, or nothing.

use amber_core::Stamp;
use amber_core::split::{Confidence, Delimiter, LineOutcome, Shape, Sink, Splitter};
use proptest::prelude::*;
use std::fmt::Write;

/// How a made-up board writes its rows.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Layout {
    Plain(Delimiter),
    Tuple,
    Labelled,
    Colons,
    Units,
    PerLine,
    Json,
    Python,
    Headed,
}

const LAYOUTS: [Layout; 12] = [
    Layout::Plain(Delimiter::Comma),
    Layout::Plain(Delimiter::Semicolon),
    Layout::Plain(Delimiter::Tab),
    Layout::Plain(Delimiter::Spaces),
    Layout::Tuple,
    Layout::Labelled,
    Layout::Colons,
    Layout::Units,
    Layout::PerLine,
    Layout::Json,
    Layout::Python,
    Layout::Headed,
];

const LABELS: [&str; 5] = ["gauge", "bed", "sump_2", "wind.n", "flow"];

/// A number as the board prints it.
fn printed(value: i32) -> String {
    if value % 3 == 0 { value.to_string() } else { format!("{:.2}", f64::from(value) / 4.0) }
}

/// One row, in as many lines as the layout takes.
fn written(layout: Layout, row: &[i32]) -> Vec<String> {
    let numbers: Vec<String> = row.iter().map(|value| printed(*value)).collect();
    let joined = |between: &str, field: &dyn Fn(usize, &str) -> String| {
        let fields: Vec<String> = numbers.iter().enumerate().map(|(i, number)| field(i, number)).collect();
        fields.join(between)
    };
    let plain = |_: usize, number: &str| number.to_owned();
    match layout {
        Layout::Plain(delimiter) => vec![joined(&char::from(delimiter.byte()).to_string(), &plain)],
        Layout::Headed => vec![joined(",", &plain)],
        Layout::Tuple => vec![format!("({},)", joined(", ", &plain))],
        Layout::Labelled => vec![joined(" ", &|i, number| format!("{}={number}", LABELS[i]))],
        Layout::Colons => vec![joined(", ", &|i, number| format!("{}: {number}", LABELS[i]))],
        Layout::Units => vec![joined("  ", &|i, number| format!("{} {number} mV", LABELS[i]))],
        Layout::PerLine => numbers.iter().enumerate().map(|(i, number)| format!("{} = {number}", LABELS[i])).collect(),
        Layout::Json => vec![format!("{{{}}}", joined(",", &|i, number| format!("\"{}\":{number}", LABELS[i])))],
        Layout::Python => vec![format!("{{{}}}", joined(", ", &|i, number| format!("'{}': {number}", LABELS[i])))],
    }
}

fn kind(layout: Layout) -> &'static str {
    match layout {
        Layout::Plain(_) | Layout::Tuple | Layout::Headed => "plain",
        Layout::Labelled => "labelled",
        Layout::Colons | Layout::Units => "worded",
        Layout::PerLine => "per-line",
        Layout::Json | Layout::Python => "json",
    }
}

#[derive(Default)]
struct Read {
    rows: Vec<Vec<f64>>,
    rejected: usize,
    messages: usize,
}

impl Sink for Read {
    fn shape(&mut self, _: &Shape) {}

    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        self.rejected += usize::from(matches!(outcome, LineOutcome::Rejected(_)));
        self.messages += usize::from(outcome == LineOutcome::Message);
    }

    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.rows.push(values.to_vec());
    }

    fn restart(&mut self) {
        *self = Read::default();
    }
}

fn read(stream: &[u8], cut: usize) -> (Splitter, Read) {
    let (mut splitter, mut read) = (Splitter::new(None), Read::default());
    stream.chunks(cut).for_each(|piece| splitter.feed(Stamp(0), piece, &mut read));
    (splitter, read)
}

fn sent(row: &[i32]) -> Vec<f64> {
    row.iter().map(|value| printed(*value).parse().unwrap()).collect()
}

fn rows() -> impl Strategy<Value = Vec<Vec<i32>>> {
    (2..=LABELS.len()).prop_flat_map(|columns| {
        // Numbers that no two columns share by chance, so that they can be told apart.
        let row = (0..columns as i32).map(|i| i * 100_000..i * 100_000 + 40_000).collect::<Vec<_>>();
        proptest::collection::vec(row, 24..40)
    })
}

fn layout() -> impl Strategy<Value = Layout> {
    proptest::sample::select(&LAYOUTS[..])
}

proptest! {
    #[test]
    fn what_is_sent_is_read_whatever_the_layout(layout in layout(), rows in rows(), cut in 1..200usize, ending in proptest::sample::select(&["\n", "\r\n"][..])) {
        let mut stream = String::new();
        if layout == Layout::Headed {
            let _ = write!(stream, "{}{ending}", LABELS[..rows[0].len()].join(","));
        }
        for row in &rows {
            written(layout, row).iter().for_each(|line| stream += &format!("{line}{ending}"));
        }
        let (splitter, read) = read(stream.as_bytes(), cut);
        let shape = splitter.shape().expect("a shape is found");
        prop_assert_eq!(shape.kind(), kind(layout));
        prop_assert_eq!(read.rows, rows.iter().map(|row| sent(row)).collect::<Vec<_>>());
        prop_assert_eq!(read.rejected, 0);
        prop_assert_eq!(splitter.sure(), Some(Confidence::Sure));
        if !matches!(layout, Layout::Plain(_) | Layout::Tuple) {
            for (i, label) in LABELS[..rows[0].len()].iter().enumerate() {
                prop_assert_eq!(&shape.label(i), label);
            }
        }
    }

    #[test]
    fn damage_gives_no_reading_that_was_not_sent(layout in layout(), rows in rows(), hits in proptest::collection::vec((8..200usize, 0..5usize, any::<prop::sample::Index>()), 1..8)) {
        let mut lines: Vec<Vec<u8>> = rows.iter().flat_map(|row| written(layout, row)).map(String::into_bytes).collect();
        let healthy = lines.len();
        for (at, harm, place) in &hits {
            let Some(line) = lines.get_mut(*at) else { continue };
            let place = if line.is_empty() { 0 } else { place.index(line.len()) };
            match harm {
                // Bytes that are no text, a letter, a lost ending, half a line twice over.
                0 => line.insert(place, 0xF7),
                1 => line.insert(place, b'q'),
                2 => line.insert(place, 0x1B),
                3 => { let again = line.clone(); line.extend(again) }
                _ => line.extend_from_slice(b"~~"),
            }
        }
        let stream = lines.iter().flat_map(|line| [&line[..], b"\n"].concat()).collect::<Vec<u8>>();
        let (splitter, read) = read(&stream, 61);
        // Where damage stands among the first lines, a pattern may be found that says the same.
        let found = splitter.shape().map(Shape::kind);
        prop_assert!(found == Some(kind(layout)) || found == Some("pattern"), "{found:?}");
        let all: Vec<Vec<f64>> = rows.iter().map(|row| sent(row)).collect();
        // Where the damage hides the beginning of a row, its columns may stand in another order, each under its name.
        let shape = splitter.shape().expect("a shape is found");
        let own = |column: usize| LABELS.iter().position(|label| *label == shape.label(column)).unwrap_or(column);
        for row in &read.rows {
            for (column, value) in row.iter().enumerate().map(|(column, value)| (own(column), value)) {
                prop_assert!(value.is_nan() || all.iter().any(|sent| sent.get(column) == Some(value)), "{value} in column {column} was never sent: {row:?}");
            }
        }
        // Each hit costs its own row, and in rows of several lines perhaps its neighbour.
        prop_assert!(read.rows.len() + hits.len() * 2 >= rows.len(), "{} of {} rows, {healthy} lines, {} hits", read.rows.len(), rows.len(), hits.len());
    }

    #[test]
    fn words_between_are_messages_and_cost_no_row(layout in layout(), rows in rows(), every in 3..9usize) {
        let words = ["board restarts", "warning: the rail is dry", "ready>", "*** carriage ***", "ok"];
        let mut stream = String::new();
        let mut said = 0;
        for (i, row) in rows.iter().enumerate() {
            if i > 6 && i % every == 0 {
                stream += words[i / every % words.len()];
                stream += "\r\n";
                said += 1;
            }
            written(layout, row).iter().for_each(|line| stream += &format!("{line}\r\n"));
        }
        let (_, read) = read(stream.as_bytes(), 40);
        prop_assert_eq!(read.rows.len(), rows.len());
        prop_assert_eq!((read.messages, read.rejected), (said, 0));
    }

    #[test]
    fn a_pinned_shape_reads_what_the_found_one_read(layout in layout(), rows in rows()) {
        let stream = rows.iter().flat_map(|row| written(layout, row)).fold(String::new(), |all, line| all + &line + "\n");
        let (found, free) = read(stream.as_bytes(), 33);
        let mut pinned = Read::default();
        let mut splitter = Splitter::new(found.decided_shape());
        splitter.feed(Stamp(0), stream.as_bytes(), &mut pinned);
        prop_assert_eq!(free.rows, pinned.rows);
        // What the shape says of a line points into the line.
        let shape = found.shape().expect("a shape is found");
        for line in stream.lines().take(10) {
            for (at, column) in shape.spans(line.as_bytes(), 0) {
                prop_assert!(at.start < at.end && at.end <= line.len() && column < shape.columns());
            }
        }
    }
}

#[test]
fn families_of_numbers_in_turn_are_told_from_a_signal() {
    let offered = |lines: &dyn Fn(u32) -> i32| {
        let stream = (0..60).fold(String::new(), |all, i| all + &lines(i).to_string() + "\n");
        let (splitter, _) = read(stream.as_bytes(), 50);
        splitter.proposal().and_then(|offer| match &offer.shape {
            Shape::Plain(bare) => Some(bare.lines),
            _ => None,
        })
    };
    let noise = |i: u32| (i.wrapping_mul(2_654_435_761) >> 29) as i32;
    for turn in 2..=5u32 {
        assert_eq!(offered(&|i| (i % turn) as i32 * 200 + noise(i)), Some(turn as usize), "{turn} in turn");
    }
    assert_eq!(offered(&|i| 500 + noise(i)), None, "noise");
    assert_eq!(offered(&|i| i as i32 * 7), None, "a ramp");
    assert_eq!(offered(&|i| (f64::from(i) * 0.37).sin().mul_add(400.0, 500.0) as i32), None, "a wave");
    assert_eq!(offered(&|i| i32::from(i / 9 % 2 == 0) * 1000 + noise(i)), None, "a slow square wave");
}
