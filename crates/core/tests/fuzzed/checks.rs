//! What must hold for any bytes at all: run by the fuzz targets, and over kept inputs by a plain test.

#![allow(dead_code)] // Each fuzz target uses one of them.

use amber_core::Stamp;
use amber_core::ask::Dialogue;
use amber_core::bench::Bench;
use amber_core::formula::Program;
use amber_core::split::pins::Pins;
use amber_core::split::{Frame, Framing, LineFraming, LineOutcome, MAX_FIELDS, MAX_LINE, Shape, Sink, Splitter};

/// Lines are cut alike however the bytes come, and none is too long.
pub(crate) fn framer(data: &[u8]) {
    let Some((size, bytes)) = data.split_first() else { return };
    let frames = |size: usize| {
        let (mut lines, mut out) = (LineFraming::default(), Vec::new());
        for mut piece in bytes.chunks(size) {
            while let (used, Some(frame)) = lines.step(piece) {
                let (line, whole) = match frame {
                    Frame::Whole(line) => (line, true),
                    Frame::Bad(_, line) => (line, false),
                };
                assert!(!line.is_empty() && line.len() <= MAX_LINE);
                out.push((line.to_vec(), whole));
                piece = &piece[used..];
            }
        }
        out
    };
    assert_eq!(frames(bytes.len().max(1)), frames(usize::from(*size).max(1)));
}

#[derive(Default, PartialEq, Debug)]
struct Seen {
    columns: usize,
    lines: u64,
    /// Those before the first shape, which stay when it is given up.
    lines_before: u64,
    rows: Vec<Vec<u64>>,
    outcomes: Vec<LineOutcome>,
}

impl Sink for Seen {
    fn shape(&mut self, shape: &Shape) {
        if self.columns == 0 {
            self.lines_before = self.lines;
        }
        self.columns = shape.columns();
        assert!((1..=MAX_FIELDS).contains(&self.columns));
        assert!((0..self.columns).all(|i| !shape.label(i).chars().any(char::is_control)));
        assert!(!shape.sentence().is_empty());
    }

    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        self.lines += 1;
        self.outcomes.push(outcome);
    }

    fn row(&mut self, _: Stamp, values: &[f64]) {
        assert_eq!(values.len(), self.columns);
        self.rows.push(values.iter().map(|value| value.to_bits()).collect());
    }

    fn restart(&mut self) {
        let (lines, outcomes) = (self.lines_before, self.outcomes[..self.lines_before as usize].to_vec());
        *self = Seen { lines, outcomes, ..Seen::default() };
    }
}

/// Rows are the same however the bytes come; a shape that was found can be typed and pinned.
pub(crate) fn splitter(data: &[u8]) {
    let Some((size, bytes)) = data.split_first() else { return };
    let split = |size: usize| {
        let mut splitter = Splitter::new(None);
        if size.is_multiple_of(2) {
            splitter.break_off();
        }
        let mut seen = Seen::default();
        bytes.chunks(size.max(1)).for_each(|piece| splitter.feed(Stamp(0), piece, &mut seen));
        (splitter, seen)
    };
    let (splitter, seen) = split(usize::from(*size));
    let even = usize::from(*size).is_multiple_of(2);
    let whole = bytes.len().max(2).next_multiple_of(2) + usize::from(!even);
    assert_eq!(seen, split(whole).1);
    let Some(shape) = splitter.decided_shape() else { return };
    let typed: Result<Shape, _> = shape.to_string().parse();
    assert_eq!(typed.map(|typed| typed.columns()).ok(), Some(shape.columns()), "{shape}");
    for line in bytes.split(|b| *b == b'\n').take(20) {
        assert!(shape.spans(line, 0).iter().all(|(at, column)| at.end <= line.len() && *column < shape.columns() + 64));
    }
    let mut pinned = Seen { columns: shape.columns(), ..Seen::default() };
    Splitter::new(Some(shape)).feed(Stamp(0), bytes, &mut pinned);
}

/// One shape of each framing, with a record or items.
const FRAMES: [&str; 8] = [
    "frames cobs crc-16/modbus little n:count8 a:u16 b:u12 c:u4",
    "frames cobs cbor a b.0 b.1",
    "frames slip sum8 big a:i24 x:f32",
    "frames sync A55A crc-32/iso-hdlc big n:count16 a:u10x4",
    "frames sync A5 little a:u8 b:u8",
    "frames sync A55A length8-rest crc-8/smbus little a:u16",
    "frames sync A55A length16 cbor a b",
    "frames items cbor a b",
];

/// Frames are cut and read alike however the bytes come; no byte behind a sync word goes uncounted.
pub(crate) fn frames(data: &[u8]) {
    let Some(([which, size], bytes)) = data.split_first_chunk() else { return };
    let shape: Shape = FRAMES[usize::from(*which) % FRAMES.len()].parse().expect("it is one");
    let split = |size: usize| {
        let mut splitter = Splitter::new(Some(shape.clone()));
        let mut seen = Seen { columns: shape.columns(), ..Seen::default() };
        bytes.chunks(size.max(1)).for_each(|piece| splitter.feed(Stamp(0), piece, &mut seen));
        splitter.end(Stamp(0), &mut seen);
        seen
    };
    assert_eq!(split(usize::from(*size)), split(bytes.len()));
    assert!(shape.spans(bytes, 0).iter().all(|(at, column)| at.end <= bytes.len() && *column < shape.columns()));
}

/// Whatever a board says, the dialogue about its pins goes on, and sends no more than its questions and settings.
pub(crate) fn pins(data: &[u8]) {
    let pins: Pins = "every 20 a:a0 b:a15 c:d2-up d:d127-out e:d9-pwm".parse().expect("they are pins");
    let shape = Shape::Pins(pins.clone());
    let mut dialogue = Dialogue::new(pins);
    dialogue.opened(Stamp(0));
    let mut splitter = Splitter::new(Some(shape));
    let mut seen = Seen { columns: 3, ..Seen::default() };
    let (mut now, mut sent) = (0, 0);
    for piece in data.chunks(5) {
        now += 300_000_000 * i64::from(piece[0] & 3);
        dialogue.hear(Stamp(now), piece);
        sent += dialogue.poll(Stamp(now)).map_or(0, |bytes| bytes.len());
        splitter.feed(Stamp(now), piece, &mut seen);
    }
    assert!(sent <= 64 * (data.len() + 2));
    assert!(dialogue.board().modes.len() <= 128 && dialogue.state().len() < 400);
    assert!(!dialogue.state().chars().any(char::is_control));
}

/// Any text is a shape of frames that is shown as it is typed, or is rejected with a reason.
pub(crate) fn frames_text(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    match format!("frames {text}").parse::<Shape>() {
        Err(error) => assert!(!error.to_string().is_empty()),
        Ok(shape) => {
            assert_eq!(shape.to_string().parse().as_ref(), Ok(&shape), "{text}");
            assert!((1..=MAX_FIELDS).contains(&shape.columns()));
        }
    }
}

/// Any text is a formula that runs over any rows, or is rejected at a place within it.
pub(crate) fn formula(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    match Program::parse(text) {
        Err(error) => {
            assert!((1..=text.chars().count() + 1).contains(&error.column), "{error}");
            assert!(!error.message.chars().any(char::is_control), "{error}");
        }
        Ok(mut program) => {
            let values = [0.0, 1.5, -3.0, f64::NAN, 1e300, f64::INFINITY, 2.0];
            for row in 0..12usize {
                if row == 7 {
                    program.break_off();
                }
                let inputs: Vec<f64> = (0..program.inputs().len()).map(|i| values[(i + row) % values.len()]).collect();
                let value = program.run(Stamp(row as i64 / 2 * 1_000_000), &inputs);
                assert!(!value.is_infinite(), "{text}");
            }
        }
    }
}

/// Any text gives a bench that can be written and read again.
pub(crate) fn bench(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    if text.len() > 4096 {
        return;
    }
    let (bench, mistakes) = Bench::parse_what_holds(text);
    assert!(mistakes.len() <= text.lines().count() + 1);
    let written = bench.new_file("fuzzed");
    assert_eq!(Bench::parse(&written).as_ref(), Ok(&bench), "{written}");
    if mistakes.is_empty() {
        let again = bench.write_into(text).expect("what was read is TOML");
        assert_eq!(Bench::parse(&again), Ok(bench), "{again}");
    }
}
