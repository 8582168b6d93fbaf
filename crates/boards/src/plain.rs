//! Small boards around the flume that only send: each with another shape of stream.

use crate::board::Board;
use crate::ear::{Ear, not_understood};
use crate::noise::Noise;
use std::f64::consts::TAU;
use std::fmt::Write;
use std::time::Duration;

/// What a plain board writes.
pub(crate) trait Writer: Send {
    /// Bits a second on the wire.
    const BAUD: u32;
    /// Rows a second.
    const RATE: f64;
    /// Sent at reset.
    const BANNER: &'static str;

    /// Writes row `row`, measured at `now` seconds since reset.
    fn row(&mut self, row: u64, now: f64, noise: &mut Noise, out: &mut String);

    /// The answer to a line from the host; `None` when it is not understood, as every line is by a board that only sends.
    fn answer(&mut self, _line: &str, _now: f64) -> Option<String> {
        None
    }
}

/// A board that writes rows at a fixed rate.
pub(crate) struct Plain<W> {
    make: fn() -> W,
    writer: W,
    seed: u64,
    noise: Noise,
    rows: u64,
    greeted: bool,
    ear: Ear,
}

impl<W: Writer> Plain<W> {
    pub(crate) fn new(make: fn() -> W, seed: u64) -> Self {
        Plain { make, writer: make(), seed, noise: Noise::new(seed), rows: 0, greeted: false, ear: Ear::default() }
    }
}

impl<W: Writer> Board for Plain<W> {
    fn baud(&self) -> u32 {
        W::BAUD
    }

    fn reset(&mut self) {
        *self = Plain::new(self.make, self.seed);
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        if !self.greeted {
            self.greeted = true;
            out.extend_from_slice(W::BANNER.as_bytes());
        }
        let due = (now.as_secs_f64() * W::RATE) as u64;
        let mut text = String::new();
        while self.rows < due {
            self.rows += 1;
            self.writer.row(self.rows, self.rows as f64 / W::RATE, &mut self.noise, &mut text);
        }
        out.extend_from_slice(text.as_bytes());
    }

    fn due(&self) -> Duration {
        if self.greeted { Duration::from_secs_f64((self.rows + 1) as f64 / W::RATE) } else { Duration::ZERO }
    }

    fn hear(&mut self, bytes: &[u8], out: &mut Vec<u8>) {
        let now = self.rows as f64 / W::RATE;
        for line in self.ear.hear(bytes) {
            let answer = self.writer.answer(&line, now).unwrap_or_else(|| not_understood(&line));
            out.extend_from_slice(answer.as_bytes());
        }
    }
}

/// `twin`: the valve's end switch (0 or 1) and the flow meter's count, a plain number a line, in turn.
pub(crate) struct Twin;

impl Writer for Twin {
    const BAUD: u32 = 9600;
    const RATE: f64 = 20.0;
    const BANNER: &'static str = "";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let open = (now / 4.0).fract() > 0.5;
        let flow = if open { 655.0 } else { 640.0 } + 3.0 * noise.gauss();
        // Writing to a string cannot fail.
        let _ = write!(out, "{}\r\n{flow:.0}\r\n", u8::from(open));
    }
}

/// `notes`: the basin's weather note, a JSON object a line.
pub(crate) struct Notes;

impl Writer for Notes {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 10.0;
    const BANNER: &'static str = "basin notes 2\r\n";

    fn row(&mut self, row: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let water = 14.2 + 0.6 * (TAU * now / 50.0).sin() + 0.03 * noise.gauss();
        let bed = 498.0 + 40.0 * (TAU * now * 0.2).sin() + noise.gauss();
        let (wind, gust) = (3.1 + 0.4 * noise.gauss(), 4.8 + 0.7 * noise.gauss());
        let on = (now / 6.0).fract() < 0.3;
        let _ = write!(
            out,
            "{{\"t_ms\":{:.0},\"bed\":{{\"p\":{bed:.0},\"water\":{water:.2}}},\"wind\":[{wind:.1},{gust:.1}],\"pump\":{on}",
            now * 1000.0
        );
        // The hall's thermometer is read now and then.
        if row.is_multiple_of(10) {
            let _ = write!(out, ",\"hall\":{:.1}", 19.0 + 0.1 * noise.gauss());
        }
        out.push_str("}\r\n");
    }

    fn answer(&mut self, line: &str, _: f64) -> Option<String> {
        (line == "?").then(|| "{\"help\":\"this board only sends\"}\r\n".into())
    }
}

/// Readings that `chatter` remembers.
const REMEMBERED: usize = 32;

/// `chatter`: a carriage on the flume's rails, a labelled field a line, that says what it does, and sends its last
/// readings in a block when asked for `history`.
pub(crate) struct Chatter {
    history: Vec<(f64, f64)>,
}

impl Chatter {
    pub(crate) fn new() -> Chatter {
        Chatter { history: Vec::new() }
    }
}

impl Writer for Chatter {
    const BAUD: u32 = 57_600;
    const RATE: f64 = 10.0;
    const BANNER: &'static str = "*** carriage controller ***\r\nhoming ... ok\r\nready> \r\n";

    fn row(&mut self, row: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let x = 400.0 * (TAU * now / 20.0).sin();
        let y = 25.0 + 0.5 * noise.gauss();
        let speed = 400.0 * TAU / 20.0 * (TAU * now / 20.0).cos() + noise.gauss();
        let _ = write!(out, "x={x:.1} mm\r\ny={y:.1} mm\r\nspeed={speed:.0} mm/s\r\n");
        self.history.push((now, x));
        if self.history.len() > REMEMBERED {
            self.history.remove(0);
        }
        if row.is_multiple_of(100) {
            out.push_str("carriage turns\r\n");
        }
        if row % 330 == 170 {
            out.push_str("warning: rail is dry, code 12\r\n");
        }
    }

    fn answer(&mut self, line: &str, now: f64) -> Option<String> {
        match line {
            "history" => {
                let mut block = format!("history at {now:.1} s\r\ni t_s x_mm\r\n");
                for (i, (at, x)) in self.history.iter().enumerate() {
                    let _ = write!(block, "{i} {at:.3} {x:.1}\r\n");
                }
                Some(block)
            }
            "?" => Some("commands: history, ?\r\n".into()),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::by_name;
    use std::time::Duration;

    #[test]
    fn each_board_sends_its_shape_the_same_for_the_same_seed() {
        let run = |name: &str, seed, cuts: &[u64]| {
            let mut board = by_name(name, seed).unwrap();
            let mut out = Vec::new();
            cuts.iter().for_each(|ms| board.run(Duration::from_millis(*ms), &mut out));
            String::from_utf8(out).unwrap()
        };
        for (name, line) in [("twin", "0"), ("notes", "{\"t_ms\":100,\"bed\":{\"p\":"), ("chatter", "x=12.6 mm")] {
            let whole = run(name, 3, &[10_000]);
            assert_eq!(whole, run(name, 3, &[17, 18, 900, 10_000]));
            assert_ne!(whole, run(name, 4, &[10_000]));
            assert!(whole.lines().any(|l| l.starts_with(line)), "{name}: {whole}");
        }
        assert_eq!(run("twin", 1, &[10_000]).lines().count(), 400);
    }

    #[test]
    fn the_carriage_sends_its_history_when_asked() {
        let mut board = by_name("chatter", 1).unwrap();
        board.run(Duration::from_secs(10), &mut Vec::new());
        let mut out = Vec::new();
        board.hear(b"history\r\n", &mut out);
        let text = String::from_utf8(out).unwrap();
        assert!(text.starts_with("history at 10.0 s\r\ni t_s x_mm\r\n0 6.900 "), "{text}");
        assert_eq!(text.lines().count(), 34);
    }
}
