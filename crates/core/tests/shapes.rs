//! Finding the shape, over a corpus of small made-up streams with noise and damage. `corpus/expected.csv` says what
//! each is.

use amber_core::Stamp;
use amber_core::split::{Confidence, LineOutcome, Shape, Sink, Splitter};
use std::path::Path;

#[derive(Default)]
struct Rows(usize);

impl Sink for Rows {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
    fn row(&mut self, _: Stamp, _: &[f64]) {
        self.0 += 1;
    }
    fn restart(&mut self) {
        self.0 = 0;
    }
}

/// The splitter after a whole stream, read piece by piece.
fn read(shape: Option<Shape>, from_start: bool, bytes: &[u8]) -> (Splitter, usize) {
    let mut splitter = Splitter::new(shape);
    if !from_start {
        splitter.break_off();
    }
    let mut rows = Rows::default();
    bytes.chunks(17).for_each(|piece| splitter.feed(Stamp(0), piece, &mut rows));
    (splitter, rows.0)
}

#[test]
fn shapes_are_found_and_none_is_silently_wrong() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/corpus");
    let table = std::fs::read_to_string(folder.join("expected.csv")).unwrap();
    let (mut streams, mut right, mut wrong, mut silent) = (0, 0, Vec::new(), Vec::new());
    for entry in table.lines().skip(1) {
        let [name, kind, lines, from_start, rows, labels] = entry.split(',').collect::<Vec<_>>()[..] else {
            panic!("{entry}")
        };
        streams += 1;
        let bytes = std::fs::read(folder.join(format!("{name}.txt"))).unwrap();
        let (mut splitter, mut found) = read(None, from_start == "yes", &bytes);
        let sure = splitter.sure();
        if let Some(offer) = splitter.proposal().cloned() {
            // An offer is what a person is asked; it must be right when it is taken.
            (splitter, found) = read(Some(offer.shape), from_start == "yes", &bytes);
        }
        let shape = splitter.shape();
        let told = shape
            .map_or(String::new(), |shape| (0..shape.columns()).map(|i| shape.label(i)).collect::<Vec<_>>().join(" "));
        let lines_found = if let Some(Shape::Plain(bare)) = shape { bare.lines } else { 1 };
        let as_expected = shape.is_some_and(|shape| shape.kind() == kind)
            && told == labels
            && lines_found.to_string() == lines
            && found.to_string() == rows;
        if as_expected {
            right += 1;
        } else {
            let told = format!("{name}: {shape:?} {sure:?}, {found} rows, expected {entry}");
            if sure.is_some_and(|sure| sure > Confidence::Unsure) { silent.push(told) } else { wrong.push(told) }
        }
    }
    println!("{right} of {streams} found right, {} unsure, {} silently wrong", wrong.len(), silent.len());
    assert!(silent.is_empty(), "silently wrong:\n{}", silent.join("\n"));
    assert!(streams >= 60 && right * 60 >= streams * 58, "only {right} of {streams}:\n{}", wrong.join("\n"));
}
