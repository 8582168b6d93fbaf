//! The stage fed whole, a byte at a time and cut at random, over clean and damaged streams.

use super::*;
use crate::split::{Delimiter, MAX_LINE};
use proptest::prelude::*;

#[derive(Debug, Default, PartialEq)]
struct Log(Vec<String>);

impl Log {
    fn put(&mut self, kind: &str, line: &[u8]) {
        self.0.push(format!("{kind} {}", String::from_utf8_lossy(&line[..line.len().min(60)])));
    }
}

impl Sink for Log {
    fn shape(&mut self, shape: &Shape) {
        self.0.push(format!("shape {}", shape.sentence()));
    }
    fn row(&mut self, _: Stamp, values: &[f64], _: &[u8]) {
        self.0.push(format!("row {values:?}"));
    }
    fn message(&mut self, _: Stamp, line: &[u8]) {
        self.put("message", line);
    }
    fn half(&mut self, _: Stamp, line: &[u8]) {
        self.put("half", line);
    }
    fn refused(&mut self, _: Stamp, why: Refusal, line: &[u8]) {
        self.put(why.text(), line);
    }
}

fn split(shape: Option<Shape>, join: bool, pieces: &[&[u8]]) -> Vec<String> {
    let mut splitter = Splitter::new(shape);
    if join {
        splitter.join();
    }
    let mut log = Log::default();
    for piece in pieces {
        splitter.feed(Stamp(0), piece, &mut log);
    }
    log.0
}

#[test]
fn labelled_lines_with_a_banner_and_every_kind_of_damage() {
    let stream = b"flume board 3, ready\r\na=1 b=2.5\r\na=2 b=2\r\nb=4, a=3\r\n\
        a=4 b=x\r\na=5\r\na=6 b=7 a=8\r\nok stroke 40\r\na=9 b=1\xff\r\na=nan b=1\r\n";
    assert_eq!(
        split(None, false, &[stream]),
        [
            "shape name=value, 2 fields on each line",
            "message flume board 3, ready",
            "row [1.0, 2.5]",
            "row [2.0, 2.0]",
            "row [3.0, 4.0]",
            "a field is not a number a=4 b=x",
            "a field is missing a=5",
            "a label stands twice a=6 b=7 a=8",
            "message ok stroke 40",
            "not readable text a=9 b=1\u{fffd}",
            "row [NaN, 1.0]",
        ]
    );
}

#[test]
fn bare_numbers_with_each_delimiter() {
    for (text, delimiter) in
        [(",", Delimiter::Comma), (" ; ", Delimiter::Semicolon), ("\t", Delimiter::Tab), ("  ", Delimiter::Spaces)]
    {
        let stream: String = (0..4).map(|i| format!("{i}{text}{}\n", i * 10)).collect();
        let log = split(None, false, &[stream.as_bytes()]);
        let shape = Shape::Bare { delimiter, fields: 2 }.sentence();
        assert_eq!(log[0], format!("shape {shape}"));
        assert_eq!(log[4], "row [3.0, 30.0]");
    }
    let damaged = split(None, false, &[b"1,2\n3,4\n5,6\n7\n8,9,10\n1x,2\n,5\nboard restarts\n"]);
    assert_eq!(
        damaged[4..],
        [
            "wrong number of fields 7",
            "wrong number of fields 8,9,10",
            "a field is not a number 1x,2",
            "row [NaN, 5.0]",
            "message board restarts"
        ]
    );
}

#[test]
fn the_first_half_line_is_no_damage_and_no_row() {
    let labelled = split(None, true, &[b"e_a=10 b=2\na=1 b=2\na=3 b=4\n"]);
    assert_eq!(labelled[1], "half e_a=10 b=2");
    // "10" may have been "210": a bare number cannot tell, so it is not used.
    let bare = split(None, true, &[b"10\n211\n212\n213\n"]);
    assert_eq!(bare[1..], ["half 10", "row [211.0]", "row [212.0]", "row [213.0]"]);
    // A labelled line that is complete is surely whole.
    let whole = split(None, true, &[b"a=1 b=2\na=3 b=4\na=5 b=6\n"]);
    assert_eq!(whole[1], "row [1.0, 2.0]");
}

#[test]
fn a_new_label_becomes_a_column_once_it_is_no_accident() {
    let log = split(None, false, &[b"a=1\na=2\na=3 c=1\na=4 c=2\na=5 c=3\na=6\n"]);
    assert_eq!(
        log[3..],
        [
            "a label not seen before a=3 c=1",
            "a label not seen before a=4 c=2",
            "shape name=value, 2 fields, not all on each line",
            "row [5.0, 3.0]",
            "row [6.0, NaN]"
        ]
    );
}

#[test]
fn lines_that_never_agree_are_given_up_and_counted() {
    let stream: String = (1..200).map(|i| "1 ".repeat(1 + i % 2) + "\n").collect();
    let log = split(None, false, &[stream.as_bytes()]);
    assert_eq!(log.iter().filter(|l| l.starts_with("no shape found yet")).count(), 199 - MOST_HELD);
}

/// Rows, banners, damage, binary and endless lines in any order.
fn streams() -> impl Strategy<Value = Vec<u8>> {
    let line = prop_oneof![
        8 => (0..4096i32, -900..900i32).prop_map(|(a, b)| format!("a={a} b={}\r\n", f64::from(b) / 10.0).into_bytes()),
        4 => (0..4096i32, 0..2i32).prop_map(|(a, b)| format!("{a}, {b}\n").into_bytes()),
        1 => Just(b"flume board ready\r".to_vec()),
        1 => proptest::collection::vec(any::<u8>(), 0..40),
        1 => Just(vec![b'9'; MAX_LINE + 10]),
    ];
    proptest::collection::vec(line, 0..40).prop_map(|lines| lines.concat())
}

proptest! {
    #[test]
    fn the_cut_makes_no_difference(stream in streams(), cuts in proptest::collection::vec(1..60usize, 1..20)) {
        let whole = split(None, true, &[&stream]);
        let bytes: Vec<&[u8]> = stream.chunks(1).collect();
        prop_assert_eq!(&whole, &split(None, true, &bytes));
        let mut pieces = Vec::new();
        let mut rest = &stream[..];
        for cut in cuts.iter().cycle() {
            if rest.is_empty() { break }
            let (head, tail) = rest.split_at((*cut).min(rest.len()));
            pieces.push(head);
            rest = tail;
        }
        prop_assert_eq!(&whole, &split(None, true, &pieces));
    }
}
