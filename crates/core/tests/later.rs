//! Lines that come when a shape stays, and what all of them together say of a shape that was found line by line.

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::split::{Confidence, LineOutcome, Shape, Sink, Splitter};

#[derive(Default)]
struct Rows(Vec<Vec<f64>>);

impl Sink for Rows {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.0.push(values.to_vec());
    }
    fn restart(&mut self) {
        self.0.clear();
    }
}

fn read(text: &str) -> (Splitter, Vec<Vec<f64>>) {
    let (mut splitter, mut rows) = (Splitter::new(None), Rows::default());
    splitter.feed(Stamp(0), text.as_bytes(), &mut rows);
    splitter.finish(&mut rows);
    (splitter, rows.0)
}

fn names(splitter: &Splitter) -> Vec<String> {
    let shape = splitter.shape().unwrap();
    (0..shape.columns()).map(|column| shape.label(column)).collect()
}

fn wave(i: usize) -> usize {
    500 + i * 37 % 113 + i * i % 29
}

#[test]
fn a_channel_that_comes_when_the_shape_stays_is_told() {
    let late = |from: usize| -> String {
        (0..600)
            .map(|i| {
                let more =
                    if i >= from && i % 9 == 4 { format!("battery: {}\n", 3000 + wave(i)) } else { String::new() };
                format!("{};{}\n{more}", wave(i), wave(i + 50) / 30)
            })
            .collect()
    };
    // Among the first lines it is a channel; behind them nothing is sure any more.
    let (splitter, _) = read(&late(0));
    assert_eq!((names(&splitter).len(), splitter.sure()), (3, Some(Confidence::Sure)));
    let (splitter, rows) = read(&late(300));
    assert_eq!((names(&splitter).len(), rows.len()), (2, 600));
    assert!(splitter.sure() < Some(Confidence::Sure) && splitter.uncertain().is_some(), "{:?}", splitter.doubt());
    // However rarely it comes.
    let rare: String = (0..900)
        .map(|i| format!("{};{}\n{}", wave(i), wave(i + 50) / 30, if i % 200 == 150 { "\"Code\"=0x1D\n" } else { "" }))
        .collect();
    let (splitter, _) = read(&rare);
    assert!(splitter.uncertain().is_some_and(|why| why.contains("Code")), "{:?}", splitter.doubt());
    // A start-up text in between says nothing of what comes.
    let restarted: String =
        (0..600)
            .map(|i| {
                if i == 300 {
                    "Booting 1.2\nready\n".to_owned()
                } else {
                    format!("{};{}\n", wave(i), wave(i + 50) / 30)
                }
            })
            .collect();
    let (splitter, _) = read(&restarted);
    assert_eq!(splitter.sure(), Some(Confidence::Sure), "{:?}", splitter.doubt());
}

#[test]
fn json_is_read_as_all_lines_together_say() {
    let keyed: String = (0..160)
        .map(|i| match i % 2 {
            0 => format!("{{\"name\":\"fsr\",\"val\":{}}}\n", wave(i)),
            _ => format!("{{\"name\":\"relay\",\"val\":\"{}\"}}\n", if i / 14 % 2 == 0 { "OFF" } else { "ON" }),
        })
        .collect();
    let (splitter, rows) = read(&keyed);
    assert_eq!((names(&splitter), rows.len()), (vec!["fsr".to_owned(), "relay".to_owned()], 80));
    let scaled: String =
        (0..80).map(|i| format!("{{\"r\":\"{}.{}kOhm\",\"温度\":{}}}\n", i % 7, i % 10, wave(i))).collect();
    let (splitter, rows) = read(&scaled);
    assert_eq!((names(&splitter), &rows[3]), (vec!["r".to_owned(), "温度".to_owned()], &vec![3.3, wave(3) as f64]));
}

#[test]
fn what_is_open_is_not_sure_whoever_reads_it() {
    for line in [
        &(|i: usize| format!("flow: {} bits: 110{}{}0", wave(i), i % 2, i / 3 % 2)) as &dyn Fn(usize) -> String,
        &|i: usize| format!("03/04/2025 12:{:02}:{:02} {}", i / 60, i % 60, wave(i)),
    ] {
        let (splitter, _) = read(&(0..120).map(|i| line(i) + "\n").collect::<String>());
        assert!(splitter.sure() < Some(Confidence::Sure), "{:?} {}", splitter.shape(), line(0));
    }
}

#[test]
fn lines_that_agree_only_behind_a_long_beginning_are_read_from_there() {
    let mut text: String = (0..300).map(|i| format!("{}\n", "abcdefghij".repeat(i % 5 + 1))).collect();
    (0..80).for_each(|i| {
        text += &format!("--- Readings ---\ntime=12:00:{:02}\nhum:{}\nt:-{},{}\n", i % 60, wave(i), i % 9, i % 7)
    });
    let (splitter, rows) = read(&text);
    assert!(rows.len() >= 79 && splitter.shape().is_some(), "{} {:?}", rows.len(), splitter.shape());
}

#[test]
fn a_word_that_comes_late_leaves_the_codes_of_the_others_alone() {
    let text: String = (0..240)
        .map(|i| {
            let word = if i < 80 {
                "moist"
            } else if i < 170 {
                "dry"
            } else {
                "very dry"
            };
            format!("{{{word};{};{}}}\n", wave(i), i / 7)
        })
        .collect();
    let (splitter, rows) = read(&text);
    assert_eq!(splitter.shape().unwrap().codes(0)[..2], ["moist", "dry"]);
    assert!(rows[..80].iter().all(|row| row[0] == 0.0) && rows[80..170].iter().all(|row| row[0] == 1.0));
    assert!(rows[170..].iter().all(|row| row[0] == 2.0));
}
