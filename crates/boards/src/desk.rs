//! The flume's control desk: a knob, a lever, a thermistor, and three inputs that something is wrong with.
//!
//! All 12 bits of 3.3 V, 100 rows a second. `knob`: turned up and down by itself, with a dead spot at 42 to 47 % of its
//! way and an end that lies beyond the converter's. `gate`: a lever that rests at four places. `spare`: a pin without a
//! wire, which follows `gate`. `load`: a load cell without power. `probe`: a wire that ends in the air. `water`: a
//! thermistor (10 kilohms at 25 °C, beta 3950) to ground under 10 kilohms.

use crate::noise::Noise;
use crate::plain::Writer;
use std::f64::consts::TAU;
use std::fmt::Write;

/// Seconds for the knob's way up and down.
const TURN: f64 = 16.0;

/// Seconds that the lever rests at each place.
const REST: f64 = 9.0;

pub(crate) struct ControlDesk;

/// The knob's code at a share of its way.
fn track(way: f64) -> f64 {
    let leapt = if way < 0.42 { way } else { way + 0.05 };
    60.0 + 4150.0 * leapt
}

impl Writer for ControlDesk {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 100.0;
    const BANNER: &'static str = "control desk of the wave flume\r\n";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let phase = now % TURN / TURN * 2.0;
        let way = if phase < 1.0 { phase } else { 2.0 - phase };
        let place = [900.0, 1700.0, 2600.0, 1300.0][(now / REST) as usize % 4];
        let gate = place + 3.0 * noise.gauss();
        let celsius = 24.0 + 6.0 * (TAU * 0.01 * now).sin();
        let ohms = 10_000.0 * (3950.0 * ((celsius + 273.15).recip() - 298.15f64.recip())).exp();
        let mains = (TAU * 50.03 * now).sin();
        let codes = [
            ("knob", track(way) + 1.5 * noise.gauss()),
            ("gate", gate),
            ("spare", 0.92 * gate + 35.0),
            ("load", 6.0 + 1.5 * noise.gauss()),
            ("probe", 2000.0 + 480.0 * mains + 210.0 * (TAU * 0.07 * now).sin() + 20.0 * noise.gauss()),
            ("water", 4096.0 * ohms / (ohms + 10_000.0) + 1.2 * noise.gauss()),
        ];
        for (i, (name, code)) in codes.into_iter().enumerate() {
            let blank = if i == 0 { "" } else { " " };
            // Writing to a string cannot fail.
            let _ = write!(out, "{blank}{name}={}", code.round().clamp(0.0, 4095.0));
        }
        out.push_str("\r\n");
    }

    fn answer(&mut self, _: &str, _: f64) -> Option<String> {
        None
    }
}

#[cfg(test)]
mod tests {
    use crate::by_name;
    use std::time::Duration;

    #[test]
    fn the_knob_leaps_its_dead_spot_and_the_inputs_do_what_is_wrong_with_them() {
        let mut out = Vec::new();
        by_name("desk", 3).unwrap().run(Duration::from_secs(40), &mut out);
        let text = String::from_utf8(out).unwrap();
        let value = |field: &str| field.split_once('=').and_then(|(_, code)| code.parse::<f64>().ok());
        let rows: Vec<Vec<f64>> =
            text.lines().skip(1).map(|line| line.split(' ').filter_map(value).collect()).collect();
        assert_eq!((rows.len(), rows[0].len()), (4000, 6));
        let leaps = rows.windows(2).filter(|pair| (pair[1][0] - pair[0][0]).abs() > 150.0).count();
        assert_eq!(leaps, 5, "two and a half turns");
        assert!(rows.iter().any(|row| row[0] == 4095.0) && rows.iter().all(|row| row[3] < 20.0));
        assert!(rows.iter().all(|row| (row[2] - 0.92 * row[1] - 35.0).abs() < 1.1));
        assert!(rows.iter().all(|row| (1500.0..2600.0).contains(&row[5])));
    }
}
