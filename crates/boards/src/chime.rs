//! A glass bowl that is struck every few seconds, with a pick-up at its rim and one at its foot: 4,000 rows a second of 12-bit
//! codes of 3.3 V, with the board's own clock, at 2 Mbaud.
//!
//! Its partials decay at different rates; the lowest is a pair that lies 1.1 Hz apart, since no bowl is quite round, and beats.
//! The foot hears it a little later and weaker, and some hum of the mains.

use crate::noise::Noise;
use crate::plain::Writer;
use std::f64::consts::TAU;
use std::fmt::Write;

/// Seconds between two strikes.
pub(crate) const PAUSE: f64 = 6.0;

/// Seconds by which the foot hears later.
pub(crate) const LATER: f64 = 0.0015;

/// Frequency in hertz, amplitude in codes, time constant of the decay in seconds.
const PARTIALS: [(f64, f64, f64); 5] =
    [(411.7, 420.0, 2.6), (412.8, 260.0, 2.6), (1137.0, 330.0, 0.9), (1648.5, 180.0, 0.35), (1871.0, 90.0, 0.15)];

pub(crate) struct Chime;

/// The bowl at `now` seconds, in codes about its rest.
pub(crate) fn rings(now: f64) -> f64 {
    if now < 0.5 {
        return 0.0;
    }
    let since = (now - 0.5) % PAUSE;
    let partial = |(hertz, size, decay): &(f64, f64, f64)| size * (-since / decay).exp() * (TAU * hertz * since).sin();
    PARTIALS.iter().map(partial).sum()
}

impl Writer for Chime {
    const BAUD: u32 = 2_000_000;
    const RATE: f64 = 4000.0;
    const BANNER: &'static str = "glass bowl, two pick-ups\r\n";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let hum = 6.0 * (TAU * 50.02 * now).sin();
        let rim = 2048.0 + rings(now) + 1.5 * noise.gauss();
        let foot = 2048.0 + 0.4 * rings(now - LATER) + hum + 1.5 * noise.gauss();
        let [rim, foot] = [rim, foot].map(|code| code.round().clamp(0.0, 4095.0));
        // Writing to a string cannot fail.
        let _ = write!(out, "t_us={:.0} rim={rim} foot={foot}\r\n", now * 1e6);
    }
}

#[cfg(test)]
mod tests {
    use crate::by_name;
    use std::time::Duration;

    #[test]
    fn the_bowl_is_struck_rings_and_dies_away() {
        let mut out = Vec::new();
        by_name("chime", 3).unwrap().run(Duration::from_secs(7), &mut out);
        let text = String::from_utf8(out).unwrap();
        let value = |field: &str| field.split_once('=').and_then(|(_, code)| code.parse::<f64>().ok());
        let rows: Vec<Vec<f64>> =
            text.lines().skip(1).map(|line| line.split(' ').filter_map(value).collect()).collect();
        assert_eq!((rows.len(), rows[4000][0] - rows[0][0]), (28_000, 1e6));
        assert!(text.len() < 7 * 200_000, "it fits its line");
        let loudest = |from: f64, to: f64| {
            let rows = &rows[(from * 4000.0) as usize..(to * 4000.0) as usize];
            rows.iter().map(|row| (row[1] - 2048.0).abs()).fold(0.0, f64::max)
        };
        assert!(loudest(0.0, 0.4) < 10.0 && loudest(0.5, 0.6) > 700.0 && loudest(6.0, 6.4) < 150.0);
        assert!(loudest(6.5, 6.6) > 700.0, "struck again");
    }
}
