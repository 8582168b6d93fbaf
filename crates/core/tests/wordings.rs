//! Names, units and what stands around them, in every combination that boards write: what is said to be sure has the names
//! and units that were written, and every value.

use amber_core::Stamp;
use amber_core::split::{Confidence, LineOutcome, Shape, Sink, Splitter};
use proptest::prelude::*;

/// Names, with the units that go with them.
const NAMES: [(&str, &[&str]); 44] = [
    ("a", &[]),
    ("x", &[]),
    ("T", &["C", "°C", "F", "*C", "deg C"]),
    ("H", &["%", "%RH"]),
    ("P", &["hPa", "kPa", "Pa", "mbar"]),
    ("V", &["V", "mV"]),
    ("I", &["mA", "A"]),
    ("temp", &["C", "°C", "degC"]),
    ("hum", &["%"]),
    ("press", &["hPa"]),
    ("Light", &["lx", "lux"]),
    ("LDR", &[]),
    ("adc0", &[]),
    ("A1", &[]),
    ("ch2", &[]),
    ("Sensor 1", &["V"]),
    ("water level", &["mm", "cm"]),
    ("flow rate", &["l/min", "ml/s"]),
    ("lux", &[]),
    ("pot", &[]),
    ("volt", &["V"]),
    ("current", &["mA"]),
    ("rpm", &["rpm"]),
    ("speed", &["m/s", "km/h"]),
    ("dist", &["cm", "mm"]),
    ("gas", &["ppm"]),
    ("CO2", &["ppm"]),
    ("pm25", &["ug/m3"]),
    ("min", &[]),
    ("max", &[]),
    ("avg", &[]),
    ("batt", &["V", "%"]),
    ("rssi", &["dBm"]),
    ("x_raw", &[]),
    ("y.filt", &[]),
    ("Luftdruck", &["hPa"]),
    ("Füllstand", &["mm"]),
    ("bed-1", &[]),
    ("t", &["s", "ms"]),
    ("s", &[]),
    ("n", &[]),
    ("in", &[]),
    ("cnt", &[]),
    ("mv", &[]),
];
const SIGNS: [&str; 7] = [":", ": ", "=", " = ", " : ", " ", " -> "];
const BETWEEN: [&str; 9] = [" ", ", ", ",", " | ", "\t", "  ", ";", "; ", " / "];
const FRONT: [&str; 9] = ["", "", "> ", "[INFO] ", "# ", "data: ", "$", "S,", "* "];
const BEHIND: [&str; 6] = ["", "", ";", ".", ",", "\t"];

/// Where a unit stands.
#[derive(Clone, Copy, Debug)]
enum Place {
    Nowhere,
    AtTheValue,
    Apart,
    BehindTheName,
    InBrackets,
}

#[derive(Clone, Debug)]
struct Field {
    name: &'static str,
    unit: &'static str,
    place: Place,
    sign: &'static str,
    decimals: usize,
    low: f64,
    range: f64,
}

impl Field {
    fn text(&self, share: f64) -> String {
        let value = format!("{:.*}", self.decimals, self.low + share * self.range);
        let (name, unit, sign) = (self.name, self.unit, self.sign);
        match self.place {
            _ if unit.is_empty() => format!("{name}{sign}{value}"),
            Place::Nowhere => format!("{name}{sign}{value}"),
            Place::AtTheValue => format!("{name}{sign}{value}{unit}"),
            Place::Apart => format!("{name}{sign}{value} {unit}"),
            Place::BehindTheName => format!("{name} ({unit}){sign}{value}"),
            Place::InBrackets => format!("{name}{sign}{value} ({unit})"),
        }
    }
}

/// Fields of one line, all written in the same way.
fn fields() -> impl Strategy<Value = Vec<Field>> {
    let own = (0..NAMES.len(), any::<prop::sample::Index>(), 0..3usize, 0..5usize);
    let place = prop_oneof![
        Just(Place::Nowhere),
        Just(Place::AtTheValue),
        Just(Place::Apart),
        Just(Place::BehindTheName),
        Just(Place::InBrackets)
    ];
    (proptest::collection::vec(own, 1..5), place, 0..SIGNS.len()).prop_map(|(own, place, sign)| {
        let mut fields: Vec<Field> = Vec::new();
        for (name, unit, decimals, range) in own {
            let (name, units) = NAMES[name];
            // A number between a word and a value is a column of its own where nothing says that it is part of the name.
            let unclear = name.ends_with(" 1") && SIGNS[sign] == " ";
            if unclear || fields.iter().any(|field| field.name == name) {
                continue;
            }
            let unit =
                if units.is_empty() || matches!(place, Place::Nowhere) { "" } else { units[unit.index(units.len())] };
            let (low, range) = [(0.0, 1023.0), (10.0, 89.0), (-50.0, 100.0), (900.0, 200.0), (0.0, 4095.0)][range];
            fields.push(Field { name, unit, place, sign: SIGNS[sign], decimals, low, range });
        }
        fields
    })
}

#[derive(Default)]
struct Rows(u64);

impl Sink for Rows {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.0 += u64::from(values.iter().all(|value| !value.is_nan()));
    }
    fn restart(&mut self) {
        self.0 = 0;
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]
    #[test]
    fn names_and_units_are_those_that_were_written(
        fields in fields(), between in 0..BETWEEN.len(), front in 0..FRONT.len(), behind in 0..BEHIND.len(), seed in 0..1000u64,
    ) {
        prop_assume!(!fields.is_empty());
        let (mut splitter, mut rows) = (Splitter::new(None), Rows::default());
        let mut state = seed;
        let mut random = || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (state >> 11) as f64 / (1u64 << 53) as f64
        };
        let mut first = String::new();
        for _ in 0..70 {
            let texts: Vec<String> = fields.iter().map(|field| field.text(random())).collect();
            let line = format!("{}{}{}\r\n", FRONT[front], texts.join(BETWEEN[between]), BEHIND[behind]);
            splitter.feed(Stamp(0), line.as_bytes(), &mut rows);
            first = line;
        }
        splitter.finish(&mut rows);
        if splitter.sure() == Some(Confidence::Sure) {
            let shape = splitter.shape().unwrap();
            let found: Vec<(String, &str)> = (0..shape.columns()).map(|i| (shape.label(i), shape.unit(i))).collect();
            let written: Vec<(String, &str)> = fields.iter().map(|field| (field.name.replace(' ', "_"), field.unit)).collect();
            prop_assert_eq!(found, written, "{}: {}", first, shape);
            prop_assert!(rows.0 >= 60, "{first}: {} rows of {shape}", rows.0);
        }
    }
}
