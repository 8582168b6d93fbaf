//! A bench meter that only answers: `*IDN?`, `MEAS:VOLT?`, `MEAS:TEMP?` and `READ?`, which has both. It takes 30 ms for an answer, and
//! now and then gives none.

use crate::board::Board;
use crate::ear::Ear;
use crate::noise::Noise;
use std::collections::VecDeque;
use std::f64::consts::TAU;
use std::time::Duration;

/// Seconds that an answer takes.
const SLOW: f64 = 0.03;

/// Of so many questions one is not answered.
const DEAF: u64 = 25;

pub(crate) struct Meter {
    seed: u64,
    noise: Noise,
    now: f64,
    heard: u64,
    ear: Ear,
    answers: VecDeque<(f64, String)>,
}

impl Meter {
    pub(crate) fn new(seed: u64) -> Meter {
        Meter { seed, noise: Noise::new(seed), now: 0.0, heard: 0, ear: Ear::default(), answers: VecDeque::new() }
    }

    fn answer(&mut self, question: &str) -> String {
        let volts = 1.65 + 0.9 * (TAU * self.now / 20.0).sin() + 0.0004 * self.noise.gauss();
        let celsius = 21.5 + 2.0 * (TAU * self.now / 90.0).sin() + 0.02 * self.noise.gauss();
        match question.trim().to_ascii_uppercase().as_str() {
            "*IDN?" => "FLUME LAB,BENCH METER,7,1.2".into(),
            "MEAS:VOLT?" => format!("{volts:+.4E}"),
            "MEAS:TEMP?" => format!("{celsius:.2} C"),
            "READ?" => format!("{volts:.4},{celsius:.2}"),
            _ => "ERR -113".into(),
        }
    }
}

impl Board for Meter {
    fn baud(&self) -> u32 {
        9600
    }

    fn reset(&mut self) {
        *self = Meter::new(self.seed);
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        self.now = now.as_secs_f64();
        while self.answers.front().is_some_and(|(due, _)| *due <= self.now) {
            let (_, answer) = self.answers.pop_front().unwrap_or_default();
            out.extend(answer.bytes().chain(*b"\r\n"));
        }
    }

    fn due(&self) -> Duration {
        Duration::from_secs_f64(self.answers.front().map_or(self.now + 0.5, |(due, _)| *due))
    }

    fn hear(&mut self, bytes: &[u8], _: &mut Vec<u8>) {
        for line in self.ear.hear(bytes) {
            self.heard += 1;
            if !self.heard.is_multiple_of(DEAF) {
                let answer = self.answer(&line);
                self.answers.push_back((self.now + SLOW, answer));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_answers_what_it_knows_and_now_and_then_not() {
        let mut meter = Meter::new(1);
        let mut out = Vec::new();
        for i in 0..50u64 {
            meter.run(Duration::from_millis(i * 100), &mut out);
            meter.hear(b"READ?\n", &mut Vec::new());
        }
        meter.run(Duration::from_secs(6), &mut out);
        let text = String::from_utf8(out).unwrap();
        assert_eq!(text.lines().count(), 48);
        assert!(text.lines().all(|line| line.split(',').count() == 2), "{text}");
    }
}
