//! What the flume understands on its serial line.

use super::Flume;
use crate::ear::not_understood;

const HELP: &str = "commands: stroke MM (0-80), depth MM (0-250), pump on|off|auto, rate HZ (1-1000), ?\r\n";

impl Flume {
    pub(super) fn listen(&mut self, bytes: &[u8], out: &mut Vec<u8>) {
        for line in self.ear.hear(bytes) {
            let answer = self.obey(&line).unwrap_or_else(|| not_understood(&line));
            out.extend_from_slice(answer.as_bytes());
        }
    }

    /// Does what was asked and gives the answer; `None` when it makes no sense.
    fn obey(&mut self, text: &str) -> Option<String> {
        let mut words = text.split_whitespace();
        let (command, value) = (words.next()?, words.next());
        if words.next().is_some() {
            return None;
        }
        let number = |low: f64, high: f64| value?.parse::<f64>().ok().filter(|v| (low..=high).contains(v));
        match command {
            "?" if value.is_none() => return Some(HELP.into()),
            "stroke" => self.water.stroke = number(0.0, 80.0)?,
            "depth" => self.water.asked_depth = Some(number(0.0, 250.0)?),
            "rate" => self.set_rate(number(1.0, 1000.0)?),
            "pump" => {
                self.water.asked_pump = match value? {
                    "on" => Some(true),
                    "off" => Some(false),
                    "auto" => None,
                    _ => return None,
                }
            }
            _ => return None,
        }
        Some(format!("ok {text}\r\n"))
    }
}

#[cfg(test)]
mod tests {
    use crate::{Board, Flume, Programme};
    use std::time::Duration;

    #[test]
    fn commands_do_what_they_say() {
        let mut flume = Flume::new(Programme::Waves, 1);
        let mut out = Vec::new();
        flume.run(Duration::from_secs(1), &mut out);
        let mut ask = |text: &[u8]| {
            let mut answer = Vec::new();
            flume.hear(text, &mut answer);
            String::from_utf8(answer).unwrap()
        };
        assert_eq!(ask(b"rate 20"), "");
        assert_eq!(ask(b"0\r\nstroke 0\npump on\n"), "ok rate 200\r\nok stroke 0\r\nok pump on\r\n");
        assert!(ask(b"?\r").starts_with("commands: stroke"));
        assert_eq!(ask(b"depth 900\n"), "not understood: depth 900\r\n");
        assert_eq!(ask(b"depth 150\n"), "ok depth 150\r\n");
        assert_eq!(ask(b"\x1b[2Jdance\n"), "not understood: [2Jdance\r\n");
        let mut out = Vec::new();
        flume.run(Duration::from_secs(16), &mut out);
        let text = String::from_utf8(out).unwrap();
        assert_eq!(text.lines().count(), 15 * 200);
        let last = text.lines().last().unwrap();
        assert!(last.contains("pump=1 sump=3"), "the sump runs dry, to 0.3 V: {last}");
        let gauge: f64 = last.split("gauge_a=").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
        assert!((gauge - 2.0 / 3.3 * 4096.0).abs() < 15.0, "{gauge}");
    }
}
