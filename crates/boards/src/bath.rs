//! A heated bath beside the flume: `bath`, the water's temperature in °C with two decimals, and `heater`, 0 or 1; 10 rows a
//! second. Its heater does only what the host says: `heater on`, `heater off`.
//!
//! The heater warms the water by 0.9 °C a second, the room takes it back with a time constant of 60 s, and the sensor
//! follows with one of 2.5 s, so that whoever switches it sees the temperature go on for a while.

use crate::noise::Noise;
use crate::plain::Writer;
use std::fmt::Write;

const ROOM: f64 = 21.0;
const WARMING: f64 = 0.9;
const COOLING: f64 = 60.0;
const SENSOR: f64 = 2.5;

pub(crate) struct Bath {
    water: f64,
    sensor: f64,
    heats: bool,
}

impl Bath {
    pub(crate) fn new() -> Bath {
        Bath { water: 30.0, sensor: 30.0, heats: false }
    }
}

impl Writer for Bath {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 10.0;
    const BANNER: &'static str = "heated bath: heater on, heater off\r\n";

    fn row(&mut self, _: u64, _: f64, noise: &mut Noise, out: &mut String) {
        let step = 1.0 / Self::RATE;
        let warming = if self.heats { WARMING } else { 0.0 };
        self.water += step * (warming - (self.water - ROOM) / COOLING);
        self.sensor += (self.water - self.sensor) * (1.0 - (-step / SENSOR).exp());
        let shown = self.sensor + 0.02 * noise.gauss();
        // Writing to a string cannot fail.
        let _ = write!(out, "bath={shown:.2} heater={}\r\n", u8::from(self.heats));
    }

    fn answer(&mut self, line: &str, _: f64) -> Option<String> {
        self.heats = match line.trim() {
            "heater on" => true,
            "heater off" => false,
            _ => return None,
        };
        Some(format!("ok {}\r\n", line.trim()))
    }
}

#[cfg(test)]
mod tests {
    use crate::by_name;
    use std::time::Duration;

    #[test]
    fn the_bath_cools_until_the_host_heats_it() {
        let mut bath = by_name("bath", 3).unwrap();
        let last = |bath: &mut dyn crate::Board, seconds: u64| -> f64 {
            let mut out = Vec::new();
            bath.run(Duration::from_secs(seconds), &mut out);
            let text = String::from_utf8(out).unwrap();
            text.lines().last().unwrap()[5..].split(' ').next().unwrap().parse().unwrap()
        };
        let cold = last(&mut *bath, 30);
        assert!((25.0..27.5).contains(&cold), "{cold}");
        let mut answer = Vec::new();
        bath.hear(b"heater on\nheater?\n", &mut answer);
        assert_eq!(answer, b"ok heater on\r\nnot understood: heater?\r\n");
        let warm = last(&mut *bath, 60);
        assert!(warm > 40.0, "{warm}");
    }
}
