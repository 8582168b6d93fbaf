//! Binary frames: found from their bytes, read by a shape that says them, damaged, cut and joined anywhere.

use amber_core::Stamp;
use amber_core::bench::{Bench, Split};
use amber_core::chain::Chain;
use amber_core::split::{
    Confidence, Content, Counted, Envelope, FieldKind, Frames, LineOutcome, Order, Rejection, Shape, Sink, Splitter,
};

use amber_core::store::Limits;
use proptest::prelude::*;

/// Random numbers (a linear congruential generator), the same in each run.
struct Dice(u64);

impl Dice {
    fn next(&mut self, below: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % below
    }
}

/// What a board sends: records that wander, as bytes and as rows.
struct Board {
    frames: Frames,
    dice: Dice,
    /// The value of each number of the record, columns or not.
    state: Vec<f64>,
}

impl Board {
    fn new(frames: &Frames, seed: u64) -> Board {
        Board { frames: frames.clone(), dice: Dice(seed), state: Vec::new() }
    }

    fn wander(&mut self, i: usize, kind: FieldKind, bits: u8, name: &str) -> f64 {
        let first = self.state.len() <= i;
        let range = 2f64.powi(i32::from(bits.min(12)));
        let step = |dice: &mut Dice| dice.next(2001) as f64 / 1000.0 - 1.0;
        let before = if first { step(&mut self.dice) * 0.4 } else { self.state[i] };
        let (now, value) = match kind {
            FieldKind::Count => {
                let now = if first { self.dice.next(200) as f64 } else { before + 1.0 };
                (now, now % 2f64.powi(i32::from(bits)))
            }
            _ if name.starts_with('t') => {
                let now = if first { 100_000.0 } else { before + 10_000.0 };
                (now, now)
            }
            FieldKind::Unsigned if bits == 1 => {
                let now = if self.dice.next(9) == 0 {
                    1.0 - before.round().clamp(0.0, 1.0)
                } else {
                    before.round().clamp(0.0, 1.0)
                };
                (now, now)
            }
            _ => {
                let now = (before + step(&mut self.dice) * 0.02).clamp(-0.5, 0.5);
                let value = match kind {
                    FieldKind::Float if bits == 32 => f64::from((now * 100.0) as f32),
                    FieldKind::Float => now * 100.0,
                    FieldKind::Signed => (now * range).round(),
                    _ => ((now + 0.5) * (range - 1.0)).round(),
                };
                (now, value)
            }
        };
        if first {
            self.state.push(now)
        } else {
            self.state[i] = now
        }
        value
    }

    /// The next record: its bytes, and the values of its columns.
    fn record(&mut self) -> (Vec<u8>, Vec<f64>) {
        let content = self.frames.content.clone();
        let mut row = Vec::new();
        let record = match &content {
            Content::Cbor(names) => return self.items(names),
            Content::Record(record) => record,
        };
        let (mut bits, mut i): (Vec<bool>, usize) = (Vec::new(), 0);
        for field in record.fields() {
            for _ in 0..field.times {
                let value = self.wander(i, field.kind, field.bits, &field.name);
                i += 1;
                let raw = match field.kind {
                    FieldKind::Float if field.bits == 32 => u64::from((value as f32).to_bits()),
                    FieldKind::Float => value.to_bits(),
                    _ => value as i64 as u64,
                };
                let bit = |bit: u8| raw >> bit & 1 == 1;
                match record.order() {
                    Order::Little => bits.extend((0..field.bits).map(bit)),
                    Order::Big => bits.extend((0..field.bits).rev().map(bit)),
                }
                if field.kind != FieldKind::Count && !field.name.is_empty() {
                    row.push(value);
                }
            }
        }
        let byte = |bits: &[bool]| match record.order() {
            Order::Little => bits.iter().rev().fold(0, |all, bit| all << 1 | u8::from(*bit)),
            Order::Big => bits.iter().fold(0, |all, bit| all << 1 | u8::from(*bit)),
        };
        (bits.chunks(8).map(byte).collect(), row)
    }

    /// An item of CBOR with these names; those with `.0` are an array.
    fn items(&mut self, names: &[String]) -> (Vec<u8>, Vec<f64>) {
        let mut bytes = Vec::new();
        let mut encoder = minicbor::Encoder::new(&mut bytes);
        let is_list = |name: &String| name.contains('.');
        let plain = names.iter().filter(|name| !is_list(name)).count();
        let list = names.len() - plain;
        encoder.map((plain + usize::from(list > 0)) as u64).unwrap();
        let mut row = Vec::new();
        for (i, name) in names.iter().enumerate() {
            if name.ends_with(".0") {
                encoder.str(name.trim_end_matches(".0")).unwrap().array(list as u64).unwrap();
            } else if !is_list(name) {
                encoder.str(name).unwrap();
            }
            if name.starts_with("on") {
                let on = self.wander(i, FieldKind::Unsigned, 1, name);
                encoder.bool(on == 1.0).unwrap();
                row.push(on);
            } else if is_list(name) {
                let value = self.wander(i, FieldKind::Float, 32, name);
                encoder.f32(value as f32).unwrap();
                row.push(value);
            } else {
                let value = self.wander(i, FieldKind::Unsigned, 16, name);
                encoder.u32(value as u32).unwrap();
                row.push(value);
            }
        }
        (bytes, row)
    }

    /// A frame around these bytes.
    fn framed(&self, record: &[u8]) -> Vec<u8> {
        let order = if let Content::Record(record) = &self.frames.content { record.order() } else { Order::Big };
        let word = |value: u64, width: usize, order: Order| {
            let mut bytes = value.to_le_bytes()[..width].to_vec();
            if order == Order::Big {
                bytes.reverse();
            }
            bytes
        };
        let tail = self.frames.check.map_or(0, |check| check.kind.width());
        let mut frame = Vec::new();
        let mut sync_length = 0;
        match &self.frames.envelope {
            Envelope::Fixed { sync } => frame.extend(sync),
            Envelope::Counted { sync, count } => {
                frame.extend(sync);
                let length = match count.of {
                    Counted::Record => record.len(),
                    Counted::Rest => record.len() + tail,
                    Counted::Frame => record.len() + tail + sync.len() + count.width,
                };
                frame.extend(word(length as u64, count.width, order));
            }
            _ => {}
        }
        if let Envelope::Fixed { sync } | Envelope::Counted { sync, .. } = &self.frames.envelope {
            sync_length = sync.len();
        }
        frame.extend(record);
        if let Some(check) = self.frames.check {
            let from = if check.from_sync { 0 } else { sync_length };
            frame.extend(word(check.kind.of(&frame[from..]), tail, check.order));
        }
        match self.frames.envelope {
            Envelope::Cobs => {
                let mut stuffed = vec![0; cobs::max_encoding_length(frame.len()) + 1];
                let length = cobs::encode(&frame, &mut stuffed);
                stuffed.truncate(length);
                stuffed.push(0);
                stuffed
            }
            Envelope::Slip => {
                let mut stuffed = Vec::new();
                for byte in frame {
                    match byte {
                        0xc0 => stuffed.extend([0xdb, 0xdc]),
                        0xdb => stuffed.extend([0xdb, 0xdd]),
                        other => stuffed.push(other),
                    }
                }
                stuffed.push(0xc0);
                stuffed
            }
            _ => frame,
        }
    }

    /// So many frames, with their rows.
    fn stream(&mut self, frames: usize, kinds: bool) -> (Vec<u8>, Vec<Vec<f64>>) {
        let (mut bytes, mut rows) = (Vec::new(), Vec::new());
        for i in 0..frames {
            let (record, row) = self.record();
            bytes.extend(self.framed(&record));
            rows.push(row);
            if kinds && i % 7 == 3 {
                let other: Vec<u8> = (0..3).map(|_| self.dice.next(256) as u8).collect();
                bytes.extend(self.framed(&other));
            }
        }
        (bytes, rows)
    }
}

#[derive(Default)]
struct Taken {
    rows: Vec<Vec<f64>>,
    bytes: usize,
    rejected: Vec<Rejection>,
    messages: usize,
    halves: usize,
}

impl Sink for Taken {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, outcome: LineOutcome, line: &[u8]) {
        self.bytes += line.len();
        match outcome {
            LineOutcome::Rejected(why) => self.rejected.push(why),
            LineOutcome::Message => self.messages += 1,
            LineOutcome::Half => self.halves += 1,
            _ => {}
        }
    }
    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.rows.push(values.to_vec());
    }
}

fn frames(text: &str) -> Frames {
    match text.parse() {
        Ok(Shape::Frames(frames)) => frames,
        other => panic!("{text}: {other:?}"),
    }
}

fn split(shape: Option<Shape>, join: bool, pieces: &[&[u8]]) -> (Splitter, Taken) {
    let (mut splitter, mut taken) = (Splitter::new(shape), Taken::default());
    if join {
        splitter.break_off();
    }
    for piece in pieces {
        splitter.feed(Stamp(0), piece, &mut taken);
    }
    splitter.end(Stamp(0), &mut taken);
    splitter.finish(&mut taken);
    (splitter, taken)
}

/// A check of one byte has no byte order.
fn same_check(found: &Frames, sent: &Frames) -> bool {
    let told = |frames: &Frames| {
        frames.check.map(|check| (check.kind, check.from_sync, check.kind.width() > 1 && check.order == Order::Big))
    };
    told(found) == told(sent)
}

/// Whether the rows were sent, in this order.
fn were_sent(rows: &[Vec<f64>], sent: &[Vec<f64>]) -> bool {
    let mut left = sent.iter();
    rows.iter().all(|row| left.any(|sent| sent == row))
}

/// The streams of the corpus: what they are, whether the fields can be told, and the words behind.
fn corpus() -> Vec<(String, bool, &'static str)> {
    include_str!("corpus/frames.txt")
        .lines()
        .filter(|line| !line.is_empty() && !line.starts_with(['#', '=']))
        .map(|line| {
            let (spec, words) = line.split_once(" ¦ ").unwrap_or((line, ""));
            (format!("frames {}", spec.trim_start_matches('-')), !spec.starts_with('-'), words)
        })
        .collect()
}

#[test]
fn frames_are_found_and_never_sure() {
    let (mut marked, mut read) = (0, 0);
    let all = corpus();
    assert!(all.len() >= 60);
    for (i, (spec, tells, words)) in all.iter().enumerate() {
        let sent = frames(spec);
        let mut board = Board::new(&sent, i as u64 + 1);
        let (mut bytes, rows) = board.stream(400, words.contains("kinds"));
        if words.contains("hurt") {
            for _ in 0..bytes.len() / 400 {
                let at = board.dice.next(bytes.len() as u64) as usize;
                bytes[at] = board.dice.next(256) as u8;
            }
        }
        let (splitter, taken) = split(None, true, &[&bytes[3..]]);
        let found = match splitter.shape() {
            Some(Shape::Frames(found)) => found,
            other => {
                assert!(splitter.sure() < Some(Confidence::Sure), "{spec}: taken for {other:?}");
                println!("nothing: {spec} {words}: {other:?}");
                continue;
            }
        };
        assert!(splitter.sure() < Some(Confidence::Sure), "{spec}: found as {found}, sure");
        let same = std::mem::discriminant(&found.envelope) == std::mem::discriminant(&sent.envelope)
            && same_check(found, &sent);
        let right = taken.rows.len() * 100 >= rows.len() * 85 && were_sent(&taken.rows, &rows);
        marked += usize::from(same);
        read += usize::from(right);
        if !same || (*tells && !right) {
            let what = if same { "fields" } else { "frames" };
            println!("{what}: {spec} {words}: found {found}; {:?}, {} rows", splitter.doubt(), taken.rows.len());
        }
    }
    println!("of {} streams {marked} have the right framing, {read} the right rows", all.len());
    assert!(marked * 100 >= all.len() * 95 && read * 100 >= all.len() * 80, "{marked} and {read} of {}", all.len());
}

#[test]
fn frames_are_typed_as_they_are_shown_and_mistakes_are_explained() {
    for (spec, ..) in corpus() {
        assert_eq!(frames(&spec).to_string(), spec.trim_start_matches("frames "));
    }
    for (text, part) in [
        ("frames", "type cobs, slip, sync or items"),
        ("frames sync", "no sync word"),
        ("frames sync A5A little a:u8", "no sync word"),
        ("frames cobs crc-16 little a:u8", "a check is one of"),
        ("frames cobs length8 little a:u8", "behind a sync word"),
        ("frames cobs from-sync little a:u8", "name the check first"),
        ("frames cobs crc-16/modbus", "type little or big"),
        ("frames cobs little", "1 to 64 fields"),
        ("frames cobs cbor", "1 to 64 names"),
        ("frames cobs cbor a a", "twice"),
        ("frames items little a:u8", "of CBOR"),
        ("frames sync A55A cbor a", "add length8"),
    ] {
        let said = text.parse::<Shape>().unwrap_err().to_string();
        assert!(said.contains(part), "{text}: {said}");
    }
}

#[test]
fn text_is_never_taken_for_frames_nor_noise() {
    let mut dice = Dice(7);
    let noise: Vec<u8> = (0..20_000).map(|_| dice.next(256) as u8).collect();
    let few: Vec<u8> = (0..20_000).map(|_| [0x00, 0xff, 0x7e, 0xc0, 0x80][dice.next(5) as usize]).collect();
    let text: Vec<u8> = (0..900).flat_map(|i| format!("\0{},{}\r\n", 500 + i % 7, 300 + i % 5).into_bytes()).collect();
    let still = vec![0x55; 9000];
    for bytes in [&noise, &few, &text, &still] {
        let (splitter, _) = split(None, true, &[bytes]);
        assert!(!matches!(splitter.shape(), Some(Shape::Frames(_))), "{:?}: {:?}", &bytes[..8], splitter.shape());
    }
}

#[test]
fn a_banner_before_the_frames_is_a_message_and_lost_frames_are_counted() {
    let sent = frames("frames sync A55A crc-16/modbus little n:count8 gauge:u16 bed:u16");
    let mut board = Board::new(&sent, 5);
    let mut bytes = b"flume board, ready\r\n".to_vec();
    let (first, rows) = board.stream(300, false);
    bytes.extend(&first);
    let (splitter, taken) = split(None, false, &[&bytes]);
    assert!(matches!(splitter.shape(), Some(Shape::Frames(_))), "{:?}", splitter.shape());
    assert!(taken.rows.len() == 300 && were_sent(&taken.rows, &rows), "{} rows", taken.rows.len());
    assert_eq!((taken.rejected, taken.messages), (vec![], 1), "what came before they were found is read");

    let pinned = Some(Shape::Frames(sent));
    let lost = [&first[..90], &first[117..]].concat();
    let (splitter, taken) = split(pinned, false, &[&lost]);
    assert_eq!((taken.rows.len(), splitter.missing(), taken.rejected), (297, Some(3), vec![]));
}

fn any_frames() -> impl Strategy<Value = Frames> {
    let all = corpus();
    (0..all.len()).prop_map(move |i| frames(&all[i].0))
}

proptest! {
    #[test]
    fn what_is_sent_is_read_however_it_is_cut(
        frames in any_frames(), seed in any::<u64>(), cuts in proptest::collection::vec(any::<u16>(), 0..9)
    ) {
        let (bytes, rows) = Board::new(&frames, seed).stream(20, false);
        let mut cuts: Vec<usize> = cuts.iter().map(|cut| usize::from(*cut) % (bytes.len() + 1)).collect();
        cuts.extend([0, bytes.len()]);
        cuts.sort_unstable();
        let pieces: Vec<&[u8]> = cuts.windows(2).map(|pair| &bytes[pair[0]..pair[1]]).collect();
        let shape = Some(Shape::Frames(frames));
        let (_, taken) = split(shape.clone(), false, &pieces);
        prop_assert_eq!(&taken.rows, &rows);
        let (_, single) = split(shape, false, &bytes.chunks(1).collect::<Vec<_>>());
        prop_assert_eq!(&single.rows, &rows);
    }

    #[test]
    fn damage_gives_no_row_that_was_not_sent_and_loses_no_byte(
        frames in any_frames(), seed in any::<u64>(),
        hits in proptest::collection::vec((any::<u16>(), 0u8..3, any::<u8>()), 1..12), cut in any::<u16>()
    ) {
        let (mut bytes, rows) = Board::new(&frames, seed).stream(40, false);
        for (at, how, byte) in hits {
            let at = usize::from(at) % bytes.len();
            match how {
                0 => bytes[at] = byte,
                1 => bytes.insert(at, byte),
                _ => {
                    bytes.remove(at);
                }
            }
        }
        let (front, back) = bytes.split_at(usize::from(cut) % bytes.len());
        let checked = frames.check.is_some_and(|check| check.kind.width() >= 2 && check.kind.name() != "sum16");
        let whole = !matches!(frames.envelope, Envelope::Cobs | Envelope::Slip);
        let shape = Some(Shape::Frames(frames));
        let (_, taken) = split(shape.clone(), false, &[front, back]);
        let (_, once) = split(shape, false, &[&bytes]);
        // As bits: what was damaged may read as no number at all.
        let bits = |taken: &Taken| taken.rows.iter().flatten().map(|value| value.to_bits()).collect::<Vec<_>>();
        prop_assert_eq!(bits(&taken), bits(&once), "cuts make no difference");
        prop_assert_eq!(&taken.rejected, &once.rejected);
        prop_assert!(!whole || taken.bytes == bytes.len(), "{} of {} bytes", taken.bytes, bytes.len());
        if checked {
            prop_assert!(were_sent(&taken.rows, &rows));
            prop_assert!(taken.rows.len() + 25 >= rows.len(), "{} of {}", taken.rows.len(), rows.len());
        }
    }
}

#[test]
fn lines_that_were_cut_before_frames_were_set_come_back_when_they_are_lines_again() {
    let text: Vec<u8> = (0..200).flat_map(|i| format!("a={} b={}\r\n", 300 + i % 9, 40 + i % 7).into_bytes()).collect();
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    chain.feed(Stamp(0), &text);
    let rows = |chain: &Chain| {
        let store = chain.store();
        store.rows().map(|row| [0, 1].map(|column| store.raw(column, row))).collect::<Vec<_>>()
    };
    let before = rows(&chain);
    assert_eq!(before.len(), 200);
    chain.set_split(Split::Pinned(Shape::Frames(frames("frames sync A55A crc-16/modbus little a:u16 b:u16"))));
    assert_eq!((chain.counts().rows, chain.counts().rejected()), (0, 200), "said, and kept");
    let mut board = Board::new(&frames("frames sync A55A crc-16/modbus little a:u16 b:u16"), 3);
    let (bytes, sent) = board.stream(50, false);
    chain.feed(Stamp(1_000_000_000), &bytes);
    assert_eq!(chain.counts().rows, 50);
    assert_eq!(rows(&chain)[0], [Some(sent[0][0]), Some(sent[0][1])]);
    chain.set_split(Split::Auto);
    assert_eq!(rows(&chain), before, "the lines are lines again, and the frames are not");
    assert_eq!(chain.counts().rejected(), 50);
}

#[test]
fn frames_that_were_found_are_read_alike_at_once_and_patiently_and_when_pinned() {
    for spec in [
        "frames sync A55A crc-16/modbus little n:count8 gauge:u16 bed:u16",
        "frames cobs crc-32/iso-hdlc big x:f32 y:f32",
    ] {
        let (bytes, _) = Board::new(&frames(spec), 11).stream(300, false);
        let run = |splitter: Splitter, size: usize| {
            let (mut splitter, mut taken) = (splitter, Taken::default());
            bytes.chunks(size).for_each(|piece| splitter.feed(Stamp(0), piece, &mut taken));
            splitter.end(Stamp(0), &mut taken);
            splitter.finish(&mut taken);
            (splitter.decided_shape(), taken.rows)
        };
        let at_once = run(Splitter::new(None), 4096);
        assert!(at_once.1.len() >= 299, "{spec}: {}", at_once.1.len());
        assert_eq!(run(Splitter::new(None).patient(), 4096), at_once, "{spec}");
        assert_eq!(run(Splitter::new(None), 7), at_once, "{spec}");
        // What was found can be typed, and reads the same.
        let typed: Shape = at_once.0.as_ref().unwrap().to_string().parse().unwrap();
        assert_eq!(run(Splitter::new(Some(typed)), 100).1, at_once.1, "{spec}");
    }
}

#[test]
fn without_a_check_a_frame_that_lost_bytes_is_no_row() {
    let sent = frames("frames sync A55A little gauge:u16 bed:u16 flow:i16");
    let mut board = Board::new(&sent, 8);
    let (bytes, rows) = board.stream(400, false);
    // One byte, or two, behind the sync word of every tenth frame.
    let lossy: Vec<u8> = bytes
        .chunks(8)
        .enumerate()
        .flat_map(|(i, frame)| match i % 20 {
            3 => [&frame[..4], &frame[5..]].concat(),
            13 => [&frame[..2], &frame[4..]].concat(),
            _ => frame.to_vec(),
        })
        .collect();
    let whole = split(Some(Shape::Frames(sent.clone())), false, &[&lossy]).1;
    assert!(were_sent(&whole.rows, &rows), "no row is made of two frames");
    assert!(whole.rows.len() == 360 && whole.rejected.len() == 40, "{} {:?}", whole.rows.len(), whole.rejected);
    // A frame has the time of its last byte, though the next one must begin before it counts.
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    chain.set_split(Split::Pinned(Shape::Frames(sent)));
    for (i, frame) in bytes.chunks(8).enumerate() {
        chain.feed(Stamp(i as i64 * 10_000_000), frame);
    }
    let times = chain.store().rows().map(|row| chain.store().time(row).unwrap().0 / 10_000_000);
    assert!(times.eq(0..399), "one frame waits for the next");
}

#[test]
fn a_break_within_a_frame_costs_that_frame_and_is_no_damage() {
    let sent = frames("frames sync A55A crc-16/modbus little n:count8 gauge:u16 bed:u16");
    let (bytes, rows) = Board::new(&sent, 21).stream(60, false);
    let (mut splitter, mut taken) = (Splitter::new(Some(Shape::Frames(sent))), Taken::default());
    splitter.feed(Stamp(0), &bytes[..9 * 20 + 4], &mut taken);
    assert_eq!(splitter.break_off(), 4, "the bytes of an unfinished frame are given, to be counted");
    splitter.feed(Stamp(0), &bytes[9 * 30 + 5..], &mut taken);
    assert_eq!((taken.rows.len(), taken.halves, taken.rejected), (20 + 29, 1, vec![]));
    assert!(were_sent(&taken.rows, &rows));
    assert_eq!(splitter.missing(), Some(0), "frames that nobody listened to are not missing");
}
