//! The struck bowl with two more pick-ups, in binary: 20,000 frames a second behind a sync word, each with a count and a check.
//!
//! `A5 5A`, a count of 16 bits, four codes of 16 bits, CRC-16/IBM-3740 over what stands behind the sync word; all little-endian.

use crate::board::Board;
use crate::chime::{LATER, PAUSE, rings};
use crate::noise::Noise;
use crc::{CRC_16_IBM_3740, Crc};
use std::f64::consts::TAU;
use std::time::Duration;

/// Rows a second.
const RATE: f64 = 20_000.0;

const CHECK: Crc<u16> = Crc::<u16>::new(&CRC_16_IBM_3740);

pub(crate) struct ChimeFrames {
    seed: u64,
    noise: Noise,
    rows: u64,
}

impl ChimeFrames {
    pub(crate) fn new(seed: u64) -> ChimeFrames {
        ChimeFrames { seed, noise: Noise::new(seed), rows: 0 }
    }

    fn codes(&mut self, now: f64) -> [u16; 4] {
        let (near, far) = (rings(now), rings(now - LATER));
        let hum = 6.0 * (TAU * 50.02 * now).sin();
        let since = (now - 0.5).rem_euclid(PAUSE);
        // The hammer is pressed for two milliseconds.
        let hammer = if now >= 0.5 && since < 0.002 { 2600.0 * (TAU * since / 0.004).sin() } else { 0.0 };
        [2048.0 + near, 2048.0 + 0.4 * far + hum, 2048.0 - 0.7 * near + 0.3 * hum, 300.0 + hammer]
            .map(|code| (code + 1.5 * self.noise.gauss()).round().clamp(0.0, 4095.0) as u16)
    }
}

impl Board for ChimeFrames {
    fn baud(&self) -> u32 {
        3_000_000
    }

    fn reset(&mut self) {
        *self = ChimeFrames::new(self.seed);
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        let due = (now.as_secs_f64() * RATE) as u64;
        while self.rows < due {
            self.rows += 1;
            let begin = out.len();
            out.extend([0xa5, 0x5a]);
            out.extend((self.rows as u16).to_le_bytes());
            for code in self.codes(self.rows as f64 / RATE) {
                out.extend(code.to_le_bytes());
            }
            let check = CHECK.checksum(&out[begin + 2..]);
            out.extend(check.to_le_bytes());
        }
    }

    fn due(&self) -> Duration {
        Duration::from_secs_f64((self.rows + 1) as f64 / RATE)
    }

    fn hear(&mut self, _: &[u8], _: &mut Vec<u8>) {}
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn frames_are_whole_counted_and_checked() {
        let mut out = Vec::new();
        ChimeFrames::new(3).run(Duration::from_secs(1), &mut out);
        assert_eq!(out.len(), 20_000 * 14);
        for (i, frame) in out.chunks(14).enumerate() {
            assert_eq!((frame[0], frame[1], u16::from_le_bytes([frame[2], frame[3]])), (0xa5, 0x5a, i as u16 + 1));
            assert_eq!(CHECK.checksum(&frame[2..12]).to_le_bytes(), frame[12..]);
        }
        let rim = |frame: &[u8]| f64::from(u16::from_le_bytes([frame[4], frame[5]])) - 2048.0;
        let loudest = |rows: std::ops::Range<usize>| {
            out.chunks(14).skip(rows.start).take(rows.len()).map(|f| rim(f).abs()).fold(0.0, f64::max)
        };
        assert!(loudest(0..9_000) < 10.0 && loudest(10_000..12_000) > 700.0);
    }
}
