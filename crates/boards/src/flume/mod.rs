//! The wave flume: a made-up glass channel on a student hydraulics bench, with a paddle at one end.
//!
//! `t_us`: the board's clock in microseconds, 32 bits. `gauge_a`, `gauge_b`: capacitance wave gauges 2 m apart, 12 bits
//! of 3.3 V, 0.5 V + 10 mV/mm. `bed`: pressure, 10 bits of 5 V, 0.5 V + 1.5 V/kPa. `paddle`: a limit switch that
//! bounces. `pump`: switched by the board between two sump levels. `sump`: water level, 12 bits of 3.3 V,
//! 0.3 V + 120 mV/cm.

mod commands;
mod water;

use crate::board::Board;
use crate::ear::Ear;
use crate::noise::Noise;
use std::fmt::Write;
use std::time::Duration;
use water::Water;

/// Sent at reset.
const BANNER: &str = "wave flume board, firmware 3\r\nstill water first, then waves\r\nready: send ? for help\r\n";

/// How long a closing or opening contact bounces, in seconds.
const BOUNCE: f64 = 0.045;

/// What the flume does by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Programme {
    /// Still water for some seconds, then waves that build up.
    Waves,
    /// Still water, raised by 50 mm every 12 seconds, from 0 to 200 mm and again.
    Depth,
    /// Waves, with a pump that waits for the host: the sump runs over where nobody switches it.
    Pump,
}

/// The board.
#[derive(Debug)]
pub struct Flume {
    seed: u64,
    programme: Programme,
    random: Noise,
    water: Water,
    rate: f64,
    rows: u64,
    /// The instant of the last change of rate, and the rows sent by then.
    since: (f64, u64),
    now: f64,
    greeted: bool,
    paddle: Option<(bool, f64)>,
    ear: Ear,
}

impl Flume {
    /// A flume that runs `programme`; the same seed gives the same bytes.
    pub fn new(programme: Programme, seed: u64) -> Self {
        Flume {
            seed,
            programme,
            random: Noise::new(seed),
            water: Water::new(programme),
            rate: 100.0,
            rows: 0,
            since: (0.0, 0),
            now: 0.0,
            greeted: false,
            paddle: None,
            ear: Ear::default(),
        }
    }

    /// A converter's code for `volts`, with noise, mains pick-up (`hum` counts) and sometimes a spike.
    fn convert(&mut self, volts: f64, reference: f64, bits: u32, noise: f64, hum: f64, spiky: bool) -> u32 {
        let codes = f64::from(1u32 << bits);
        // The mains are never at exactly 50 Hz, so that sampling at 100 Hz sees a slow beat.
        let mains = hum * (std::f64::consts::TAU * 50.03 * self.now).sin();
        let spike = if spiky && self.random.share() < 1.0 / 900.0 { codes / 6.0 } else { 0.0 };
        let code = volts / reference * codes + self.random.gauss() * noise + mains + spike;
        code.round().clamp(0.0, codes - 1.0) as u32
    }

    /// The limit switch, closed at the forward end of the stroke; for a moment after each change it bounces.
    fn limit_switch(&mut self) -> bool {
        let closed = self.water.paddle(self.now) > 0.9;
        match self.paddle {
            Some((before, _)) if before == closed => {}
            None => self.paddle = Some((closed, f64::NEG_INFINITY)),
            Some(_) => self.paddle = Some((closed, self.now)),
        }
        let bouncing = self.paddle.is_some_and(|(_, since)| self.now - since < BOUNCE);
        closed ^ (bouncing && self.random.share() < 0.4)
    }

    fn row(&mut self, out: &mut Vec<u8>) {
        self.water.flow(self.now);
        let (a, b) = (self.water.gauge_a(self.now), self.water.gauge_b(self.now));
        let gauge_a = self.convert(0.5 + a * 0.010, 3.3, 12, 2.2, 2.5, true);
        let gauge_b = self.convert(0.5 + b * 0.010, 3.3, 12, 2.2, 2.0, true);
        let bed = self.convert(0.5 + self.water.bed(self.now) * 1.5, 5.0, 10, 0.6, 0.4, false);
        let sump = self.convert(0.3 + self.water.sump() * 0.120, 3.3, 12, 1.8, 1.0, false);
        let paddle = u8::from(self.limit_switch());
        let pump = u8::from(self.water.pumping());
        let clock = (self.now * 1e6).round() as u64 as u32;
        let mut text = String::with_capacity(96);
        // Writing to a string cannot fail.
        let _ = write!(
            text,
            "t_us={clock} gauge_a={gauge_a} gauge_b={gauge_b} bed={bed} paddle={paddle} pump={pump} sump={sump}\r\n"
        );
        out.extend_from_slice(text.as_bytes());
    }

    fn next_row(&self) -> f64 {
        self.since.0 + (self.rows + 1 - self.since.1) as f64 / self.rate
    }

    fn set_rate(&mut self, rate: f64) {
        self.since = (self.now, self.rows);
        self.rate = rate;
    }
}

impl Board for Flume {
    fn baud(&self) -> u32 {
        115_200
    }

    fn reset(&mut self) {
        *self = Flume::new(self.programme, self.seed);
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        if !self.greeted {
            self.greeted = true;
            out.extend_from_slice(BANNER.as_bytes());
        }
        loop {
            let next = self.next_row();
            if next > now.as_secs_f64() {
                return;
            }
            self.now = next;
            self.rows += 1;
            self.row(out);
        }
    }

    fn due(&self) -> Duration {
        if self.greeted { Duration::from_secs_f64(self.next_row()) } else { Duration::ZERO }
    }

    fn hear(&mut self, bytes: &[u8], out: &mut Vec<u8>) {
        self.listen(bytes, out);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rows(flume: &mut Flume, seconds: u64) -> Vec<Vec<f64>> {
        let mut out = Vec::new();
        flume.run(Duration::from_secs(seconds), &mut out);
        let text = String::from_utf8(out).unwrap();
        let numbers = |line: &str| line.split(' ').filter_map(|f| f.split_once('=')?.1.parse().ok()).collect();
        text.lines().filter(|line| line.starts_with("t_us=")).map(numbers).collect()
    }

    #[test]
    fn the_same_seed_gives_the_same_bytes_and_a_reset_starts_over() {
        let run = |flume: &mut Flume, cuts: &[u64]| {
            let mut out = Vec::new();
            cuts.iter().for_each(|ms| flume.run(Duration::from_millis(*ms), &mut out));
            out
        };
        let mut flume = Flume::new(Programme::Waves, 7);
        let whole = run(&mut flume, &[9000]);
        assert!(whole.starts_with(b"wave flume board"));
        flume.reset();
        assert_eq!(whole, run(&mut flume, &[1, 15, 2000, 2001, 9000]));
        assert_ne!(whole, run(&mut Flume::new(Programme::Waves, 8), &[9000]));
    }

    #[test]
    fn waves_build_up_the_switch_bounces_and_the_pump_cycles() {
        let rows = rows(&mut Flume::new(Programme::Waves, 1), 90);
        assert_eq!(rows.len(), 9000);
        assert!(rows.windows(2).all(|pair| pair[1][0] - pair[0][0] == 10_000.0), "evenly spaced");
        let swing = |from: usize, to: usize| {
            // Spikes are rare: the 2nd and 98th hundredth leave them out.
            let mut counts: Vec<f64> = rows[from..to].iter().map(|row| row[1]).collect();
            counts.sort_by(f64::total_cmp);
            counts[counts.len() * 98 / 100] - counts[counts.len() * 2 / 100]
        };
        let (still, waves) = (swing(0, 400), swing(4000, 6000));
        assert!(still < 30.0 && waves > 300.0, "{still} {waves}");
        let edges = |column: usize| rows.windows(2).filter(|pair| pair[0][column] != pair[1][column]).count();
        // About 66 strokes at 0.8 Hz make 132 edges without bounce.
        assert!(edges(4) > 160, "{}", edges(4));
        assert!((2..12).contains(&edges(5)), "{}", edges(5));
        assert!(rows.iter().all(|row| row[3] < 1024.0 && row[1] < 4096.0));
    }

    #[test]
    fn the_depth_programme_stands_at_known_depths() {
        let rows = rows(&mut Flume::new(Programme::Depth, 1), 60);
        for (step, depth) in [0.0, 50.0, 100.0, 150.0, 200.0].into_iter().enumerate() {
            let settled = &rows[step * 1200 + 800..step * 1200 + 1190];
            let mean = settled.iter().map(|row| row[1]).sum::<f64>() / settled.len() as f64;
            let expected = (0.5 + depth * 0.010) / 3.3 * 4096.0;
            assert!((mean - expected).abs() < 6.0, "{depth}: {mean} {expected}");
        }
    }
}
