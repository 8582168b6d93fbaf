//! `gremlin`: the flume behind a bad cable. It garbles and drops bytes, floods, sends terminal escapes and a line
//! without end, and vanishes and comes back.

use crate::board::Board;
use crate::flume::{Flume, Programme};
use crate::noise::Noise;
use std::time::Duration;

/// Seconds between two tricks, usually.
pub(crate) const PAUSE: f64 = 4.0;

/// What it does, one after the other.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Trick {
    Garble,
    Drop,
    Escapes,
    Flood,
    Endless,
    Vanish,
}

const TRICKS: [Trick; 6] = [Trick::Garble, Trick::Drop, Trick::Escapes, Trick::Flood, Trick::Endless, Trick::Vanish];

/// The bytes of a flood, and of a line without end.
const FLOOD: usize = 400_000;
const ENDLESS: usize = 30_000;

/// How long it stays away.
const AWAY: Duration = Duration::from_millis(700);

/// Things that a terminal would act on: titles, colours, cleared screens, questions about the cursor, other screens.
const ESCAPES: [&[u8]; 6] = [
    b"\x1b]0;gremlin was here\x07\r\n",
    b"\x1b[2J\x1b[H\x1b[31mall red\r\n",
    b"gauge_a=\x1b[5m2000 gauge_b=\x07\r\n",
    b"\x1b[6n\x1bc\x1b[?1049l\r\n",
    b"\x1bPq#0;2;0;0;0#0~~\x1b\\\r\n",
    b"\x9b31m\xe2\x80\xae\xff\xfe\r\n",
];

pub(crate) struct Gremlin {
    flume: Flume,
    noise: Noise,
    seed: u64,
    pause: f64,
    tricks: u64,
    away: bool,
}

impl Gremlin {
    /// A gremlin that waits `pause` seconds before each trick.
    pub(crate) fn new(seed: u64, pause: f64) -> Gremlin {
        let (flume, noise) = (Flume::new(Programme::Waves, seed), Noise::new(seed));
        Gremlin { flume, noise, seed, pause, tricks: 0, away: false }
    }

    fn next_trick(&self) -> f64 {
        (self.tricks + 1) as f64 * self.pause
    }

    fn play(&mut self, trick: Trick, fresh: &mut Vec<u8>, out: &mut Vec<u8>) {
        match trick {
            Trick::Garble => {
                for _ in 0..200 {
                    fresh.push(self.noise.byte());
                }
                fresh.extend_from_slice(b"\r\n");
            }
            Trick::Drop => {
                // Two of three bytes of the last rows.
                let mut text = Vec::new();
                for _ in 0..6 {
                    text.extend_from_slice(b"t_us=1 gauge_a=2000 gauge_b=2000 bed=500 paddle=0 pump=0 sump=1400\r\n");
                }
                text.retain(|_| self.noise.share() < 0.33);
                fresh.extend_from_slice(&text);
                fresh.extend_from_slice(b"\r\n");
            }
            Trick::Escapes => ESCAPES.iter().for_each(|escape| fresh.extend_from_slice(escape)),
            Trick::Flood => {
                let clock = self.next_trick() * 1e6;
                let line = format!("t_us={clock:.0} gauge_a=2100 gauge_b=2000 bed=500 paddle=0 pump=0 sump=1400\r\n");
                fresh.extend(line.bytes().cycle().take(FLOOD / line.len() * line.len()));
            }
            Trick::Endless => {
                fresh.extend(std::iter::repeat_n(b'7', ENDLESS));
                fresh.extend_from_slice(b"\r\n");
            }
            Trick::Vanish => self.away = true,
        }
        out.append(fresh);
    }
}

impl Board for Gremlin {
    fn baud(&self) -> u32 {
        self.flume.baud()
    }

    fn reset(&mut self) {
        *self = Gremlin::new(self.seed, self.pause);
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        let mut fresh = Vec::new();
        self.flume.run(now, &mut fresh);
        if now.as_secs_f64() < self.next_trick() {
            out.append(&mut fresh);
            return;
        }
        let trick = TRICKS[(self.tricks % TRICKS.len() as u64) as usize];
        self.play(trick, &mut fresh, out);
        self.tricks += 1;
    }

    fn due(&self) -> Duration {
        self.flume.due().min(Duration::from_secs_f64(self.next_trick()))
    }

    fn hear(&mut self, bytes: &[u8], out: &mut Vec<u8>) {
        self.flume.hear(bytes, out);
    }

    fn may_vanish(&self) -> bool {
        true
    }

    fn vanishes(&mut self) -> Option<Duration> {
        std::mem::take(&mut self.away).then_some(AWAY.min(Duration::from_secs_f64(self.pause)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_plays_every_trick_and_then_vanishes() {
        let mut gremlin = Gremlin::new(1, PAUSE);
        let mut out = Vec::new();
        let mut vanished_at = None;
        for step in 1..600 {
            gremlin.run(Duration::from_millis(step * 50), &mut out);
            if gremlin.vanishes().is_some() {
                vanished_at.get_or_insert(step * 50);
            }
        }
        assert_eq!(vanished_at, Some(24_000));
        assert!(out.len() > FLOOD + ENDLESS);
        for part in [ESCAPES[0], &[b'7'; 1000], b"gauge_a="] {
            assert!(out.windows(part.len()).any(|window| window == part));
        }
    }
}
