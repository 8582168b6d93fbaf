//! What a stream means, over `corpus/classes.txt`: streams by classes, made with many seeds, whole, cut and damaged. What is
//! said to be sure is right.

use amber_core::Stamp;
use amber_core::split::{Confidence, LineOutcome, Shape, Sink, Splitter};
use proptest::prelude::*;
use regex::Regex;
use std::collections::HashMap;
use std::sync::LazyLock;

/// A stream of the corpus.
struct Class {
    line: &'static str,
    /// Name, unit and variable of each column.
    columns: Vec<(&'static str, &'static str, &'static str)>,
    may_be_doubted: bool,
}

static CLASSES: LazyLock<Vec<Class>> = LazyLock::new(|| {
    let text = include_str!("corpus/classes.txt").lines();
    let streams = text.filter(|line| line.contains(" ¦ ") && !line.starts_with("# "));
    streams
        .map(|stream| {
            let (line, columns) = stream.rsplit_once(" ¦ ").unwrap();
            let column = |text: &'static str| {
                let (name, variable) = text.split_once('=').unwrap();
                let (name, unit) = name.split_once('[').unwrap_or((name, ""));
                (name, unit.trim_end_matches(']'), variable)
            };
            let columns = columns.split(' ').map(column).collect();
            Class { line: line.trim_start_matches('~'), columns, may_be_doubted: line.starts_with('~') }
        })
        .collect()
});

static VARIABLE: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"\{(//|/#|/|#[^{}]*|m:[^{}]*|r:[^{}]*|xB0|esc|ck|ms|[a-zA-Z](?:[X6x8ym0;:'_,+−-]|))\}").unwrap()
});

/// Values that wander, from a seed (the generator of Numerical Recipes).
struct Walk {
    state: u64,
    values: HashMap<&'static str, f64>,
    n: u64,
}

const RANGES: [(&str, f64, f64, f64); 12] = [
    ("a", 0.0, 4095.0, 1.0),
    ("b", 0.0, 1023.0, 1.0),
    ("c", 100.0, 999.0, 1.0),
    ("e", 10.0, 99.0, 1.0),
    ("s", -2000.0, 2000.0, 1.0),
    ("t", -2000.0, 2000.0, 1.0),
    ("q", 1000.0, 13000.0, 1.0),
    ("f", 15.0, 30.0, 10.0),
    ("g", 0.0, 5.0, 100.0),
    ("h", -12.0, 12.0, 100.0),
    ("k", 0.0, 2.99, 1.0),
    ("p", 10.0, 59.0, 1.0),
];
const STATES: [&str; 3] = ["IDLE", "RUN", "FAULT"];

impl Walk {
    fn random(&mut self) -> f64 {
        self.state = self.state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.state >> 11) as f64 / (1u64 << 53) as f64
    }

    /// The next moment.
    fn step(&mut self) {
        for (name, low, high, scale) in RANGES {
            let step = (self.random() - 0.5) * (high - low) / 8.0;
            let start = low + self.random() * (high - low);
            let value = self.values.get(name).map_or(start, |value| (value + step).clamp(low, high));
            self.values.insert(name, (value * scale).round() / scale);
        }
        // States last some rows.
        self.values.insert("k", (self.n / 4 % 3) as f64);
        self.values.insert("o", (self.n / 5 % 2) as f64);
        self.n += 1;
    }

    fn is_missing(&self) -> bool {
        self.n % 7 == 3
    }

    /// The number that a variable stands for.
    fn value(&self, variable: &str) -> f64 {
        let n = self.n as f64;
        match variable {
            "n" => n,
            "ms" => n * 100.0 + 1234.0,
            "m" => {
                if self.is_missing() {
                    f64::NAN
                } else {
                    self.values["a"]
                }
            }
            "five" => 5.0,
            "nine" => 9.0,
            "one" => 1.0,
            "three" => 3.0,
            "year" => 2025.0,
            "T0" => n + 3_590.0,
            "sixtyone" => 61.0,
            "micro" => self.values["a"] * 1e-6,
            "T" => 46_710.0 + n,
            "U" => 46_790.0 + n / 10.0,
            // `date -u -d 2025-03-01T09:59:40Z +%s`
            "D" => 1_740_823_180.0 + n,
            other => self.values[other],
        }
    }

    /// A variable as the board writes it.
    fn written(&self, variable: &str, line: &str) -> String {
        let grouped = |sign: &str| {
            let value = self.values["q"];
            format!("{}{sign}{:03}", (value / 1000.0).floor(), value % 1000.0)
        };
        let plain = |name: &str| {
            let decimals = RANGES.iter().find(|range| range.0 == name).map_or(0, |range| range.3.log10() as usize);
            format!("{:.decimals$}", self.value(name))
        };
        let clock = |seconds: f64| {
            format!("{:02}:{:02}:{:02}", (seconds / 3600.0) as u32, (seconds / 60.0) as u32 % 60, seconds as u32 % 60)
        };
        if let Some(other) = variable.strip_prefix("m:") {
            return if self.is_missing() { other.to_owned() } else { plain("a") };
        }
        if let Some(remark) = variable.strip_prefix("r:") {
            return if self.n % 5 == 2 { remark.to_owned() } else { String::new() };
        }
        if let Some(first) = variable.strip_prefix('#') {
            let mark = if first == "BOM" { "\u{feff}" } else { first };
            return if self.n == 1 { mark.to_owned() } else { String::new() };
        }
        match variable {
            "/#" => {
                if self.n == 1 {
                    "\n".into()
                } else {
                    String::new()
                }
            }
            "/" | "//" => "\n".into(),
            "esc" => "\u{1b}".into(),
            // A byte that is no UTF-8, put in at the end.
            "xB0" => "\u{e0b0}".into(),
            "ck" => {
                let body = line[line.rfind('$').unwrap() + 1..].trim_end_matches('*');
                format!("{:02X}", body.bytes().fold(0, |sum, byte| sum ^ byte))
            }
            "q," => grouped(","),
            "q'" => grouped("'"),
            "q_" => grouped("\u{2009}"),
            "k" => STATES[self.values["k"] as usize].into(),
            "o" => ["OFF", "ON"][self.values["o"] as usize].into(),
            "T" => clock(self.value("T")),
            "U" => format!("{}.{}00", clock(self.value("U") + 0.01), self.n % 10),
            "U:" => format!("{}:{}00", clock(self.value("U") + 0.01), self.n % 10),
            "D" => format!("2025-03-01T{}Z", clock(35_980.0 + self.n as f64)),
            "Dy" => format!("01.03.25 {}", clock(35_980.0 + self.n as f64)),
            "Dm" => "03/01/2025".into(),
            "T0" => clock(self.value("T0"))[1..].into(),
            "D," => format!("2025-03-01,{}", clock(35_980.0 + self.n as f64)),
            "D;" => format!("01.03.2025;{}", clock(35_980.0 + self.n as f64)),
            "n" | "ms" => self.value(variable).to_string(),
            other => {
                let (name, way) = other.split_at(1);
                let value = self.value(name);
                match way {
                    "" => plain(name),
                    ";" => plain(name).replace('.', ","),
                    "X" => format!("{:04X}", value as u32),
                    "x" => format!("{:04x}", value as u32),
                    "6" => format!("{value:6}"),
                    "8" => format!("{value:8.2}"),
                    "+" => format!("{value:+}"),
                    "−" => plain(name).replace('-', "\u{2212}"),
                    _ if value < 0.0 => format!("- {}", value.abs()),
                    _ => plain(name),
                }
            }
        }
    }
}

/// Lines of a class, and the rows that they are.
fn made(class: &Class, seed: u64, rows: usize) -> (Vec<Vec<u8>>, Vec<Vec<f64>>) {
    let mut walk = Walk { state: seed, values: HashMap::new(), n: 0 };
    let (mut lines, mut expected) = (Vec::new(), Vec::new());
    for _ in 0..rows {
        walk.step();
        let mut text = String::new();
        let mut end = 0;
        for found in VARIABLE.captures_iter(class.line) {
            let whole = found.get(0).unwrap();
            text += &class.line[end..whole.start()];
            text += &walk.written(&found[1], &text);
            end = whole.end();
        }
        text += &class.line[end..];
        let parts: Vec<&str> = class.line.split("{//}").collect();
        for part in &parts {
            // A line of its own has the columns whose variables are on it.
            let on_it = |variable: &str| parts.len() == 1 || part.contains(&format!("{{{variable}}}"));
            let value =
                |(_, _, variable): &(&str, &str, &str)| if on_it(variable) { walk.value(variable) } else { f64::NAN };
            expected.push(class.columns.iter().map(value).collect());
        }
        for line in text.split('\n') {
            let bytes = String::from(line).into_bytes();
            let private = "\u{e0b0}".as_bytes();
            let at = bytes.windows(3).position(|three| three == private);
            lines.push(at.map_or(bytes.clone(), |at| [&bytes[..at], b"\xb0", &bytes[at + 3..]].concat()));
        }
    }
    (lines, expected)
}

/// Lines of several kinds that come strictly in turn may as well be one row.
fn joined(class: &Class, rows: &[Vec<f64>]) -> Vec<Vec<f64>> {
    let lines = class.line.split("{//}").count();
    let value = |lines: &[Vec<f64>], column: usize| lines.iter().map(|row| row[column]).find(|value| !value.is_nan());
    let row = |lines: &[Vec<f64>]| (0..class.columns.len()).map(|i| value(lines, i).unwrap_or(f64::NAN)).collect();
    rows.chunks(lines).map(row).collect()
}

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

fn read(shape: Option<Shape>, lines: &[Vec<u8>], skip: usize, cut: usize) -> (Splitter, Vec<Vec<f64>>) {
    let stream: Vec<u8> = lines.iter().flat_map(|line| [line, &b"\r\n"[..]].concat()).collect();
    let mut splitter = Splitter::new(shape);
    if skip > 0 {
        splitter.break_off();
    }
    let mut rows = Rows::default();
    for piece in stream[skip.min(stream.len())..].chunks(cut) {
        splitter.feed(Stamp(0), piece, &mut rows);
    }
    splitter.finish(&mut rows);
    (splitter, rows.0)
}

fn same(read: f64, sent: f64) -> bool {
    (read.is_nan() && sent.is_nan()) || (read - sent).abs() <= 1e-9 * sent.abs().max(1.0)
}

/// What is wrong with the columns that were found, if anything.
fn fault(class: &Class, shape: &Shape) -> Option<String> {
    if shape.columns() != class.columns.len() {
        return Some(format!("{} columns", shape.columns()));
    }
    class.columns.iter().enumerate().find_map(|(i, (name, unit, variable))| {
        let wrong_name = *name != "?" && shape.label(i) != *name;
        let wrong_unit = !unit.is_empty() && shape.unit(i) != *unit;
        let wrong_words = *variable == "k" && shape.codes(i).iter().any(|word| !STATES.contains(&word.as_str()));
        (wrong_name || wrong_unit || wrong_words)
            .then(|| format!("{} [{}] {:?}", shape.label(i), shape.unit(i), shape.codes(i)))
    })
}

/// `row` with words as the numbers that the corpus gives them.
fn coded(class: &Class, shape: &Shape, row: &[f64]) -> Vec<f64> {
    let value = |(i, value): (usize, &f64)| match shape.codes(i) {
        words if class.columns[i].2 == "k" && !words.is_empty() && !value.is_nan() => {
            STATES.iter().position(|state| *state == words[*value as usize]).map_or(f64::NAN, |code| code as f64)
        }
        _ => *value,
    };
    row.iter().enumerate().map(value).collect()
}

#[test]
fn every_class_is_read_right_or_doubted() {
    let (mut right, mut can_be, mut report, mut silent) = (0, 0, Vec::new(), Vec::new());
    for class in CLASSES.iter() {
        for seed in 1..=3 {
            let (lines, expected) = made(class, seed, 80);
            let (splitter, rows) = read(None, &lines, 0, 37);
            let Some(shape) = splitter.shape() else {
                can_be += usize::from(!class.may_be_doubted);
                report.push(format!("{}: no shape", class.line));
                continue;
            };
            let wrong = fault(class, shape).or_else(|| {
                let coded: Vec<Vec<f64>> = rows.iter().map(|row| coded(class, shape, row)).collect();
                // Some lines may be rejected before they are understood, which is said; none may be another one.
                let is_all_of = |expected: &[Vec<f64>]| {
                    let mut sent = expected.iter();
                    let equal = |read: &Vec<f64>| sent.any(|sent| read.iter().zip(sent).all(|(a, b)| same(*a, *b)));
                    coded.iter().all(equal) && coded.len() * 8 >= expected.len() * 7
                };
                let all = is_all_of(&expected) || is_all_of(&joined(class, &expected));
                let first = coded.iter().zip(&expected).find(|(a, b)| !a.iter().zip(*b).all(|(a, b)| same(*a, *b)));
                (!all).then(|| format!("{} rows of {}, such as {first:?}", coded.len(), expected.len()))
            });
            let told = format!(
                "{}: {shape}, {:?}, {:?}: {wrong:?}",
                class.line,
                splitter.sure(),
                splitter.proposal().map(|p| p.shape.to_string())
            );
            can_be += usize::from(!class.may_be_doubted);
            match (&wrong, splitter.sure()) {
                (None, _) => right += usize::from(!class.may_be_doubted),
                (Some(_), Some(Confidence::Sure)) => silent.push(told),
                _ => report.push(told),
            }
            // What is found, and what is offered beside it, can be typed, and is read like that.
            let typed: Shape = shape.to_string().parse().unwrap_or_else(|error| panic!("{shape}: {error}"));
            if wrong.is_none() && !matches!(shape, Shape::PerLine(_)) {
                assert!(read(Some(typed), &lines, 0, 37).1.len() >= rows.len(), "{shape}");
            }
            if let Some(offer) = splitter.proposal() {
                offer.shape.to_string().parse::<Shape>().unwrap_or_else(|error| panic!("{}: {error}", offer.shape));
            }
        }
    }
    println!("{right} of {can_be} found right:\n{}", report.join("\n"));
    assert!(silent.is_empty(), "wrong and sure:\n{}", silent.join("\n"));
    assert!(CLASSES.len() >= 170 && right * 100 >= can_be * 95, "{right} of {can_be}:\n{}", report.join("\n"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn what_is_sure_is_right(which in any::<prop::sample::Index>(), seed in 1..100_000u64, rows in 24..90usize, skip in 0..60usize, cut in 1..90usize, hits in proptest::collection::vec((10..200usize, 0..4usize, any::<prop::sample::Index>()), 0..6)) {
        let class = &CLASSES[which.index(CLASSES.len())];
        let (mut lines, expected) = made(class, seed, rows);
        for (at, harm, place) in &hits {
            let Some(line) = lines.get_mut(*at).filter(|line| !line.is_empty()) else { continue };
            let place = place.index(line.len());
            match harm {
                0 => line.insert(place, 0xF7),
                1 => line.insert(place, b'q'),
                2 => line.insert(place, 0x1B),
                _ => line.extend_from_slice(b"~~"),
            }
        }
        // Where a row of several lines begins, only a pause tells whoever joined in the middle; a header line is missed then.
        let skip = if class.line.contains("{/}") || class.line.contains("{//}") || class.line.contains("{#") { 0 } else { skip };
        let expected = joined(class, &expected);
        let (splitter, read) = read(None, &lines, skip, cut);
        if let (Some(Confidence::Sure), Some(shape)) = (splitter.sure(), splitter.shape()) {
            let wrong = fault(class, shape);
            prop_assert!(wrong.is_none(), "{}: {shape}: {wrong:?}", class.line);
            for row in &read {
                let row = coded(class, shape, row);
                let sent = |sent: &Vec<f64>| row.iter().zip(sent).all(|(a, b)| a.is_nan() || same(*a, *b));
                prop_assert!(expected.iter().any(sent), "{}: {shape}: {row:?} was never sent", class.line);
            }
        }
    }
}
