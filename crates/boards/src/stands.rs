//! Small stands of the laboratory, each with one thing to be measured: what a person sets up first.

use crate::noise::Noise;
use crate::plain::Writer;
use std::f64::consts::TAU;
use std::fmt::Write;

/// `lamp`: a light-dependent resistor under the lamp over the flume, above 10 kilohms to ground; 12 bits of 3.3 V.
pub(crate) struct Lamp;

/// The resistor at an illuminance in lux: 12 kilohms at 100 lx, a tenth of it at 27 times as much.
fn resistance(lux: f64) -> f64 {
    12_000.0 * (lux / 100.0).powf(-0.7)
}

impl Writer for Lamp {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 50.0;
    const BANNER: &'static str = "";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let daylight = 85.0 + 20.0 * (TAU * now / 90.0).sin();
        // The lamp warms up.
        let since = now % 20.0;
        let lamp = if since < 12.0 { 540.0 * (1.0 - (-since / 0.8).exp()) } else { 0.0 };
        let volts = 3.3 * 10_000.0 / (10_000.0 + resistance(daylight + lamp));
        let code = volts / 3.3 * 4096.0 + 2.0 * noise.gauss();
        // Writing to a string cannot fail.
        let _ = write!(out, "light={:.0}\r\n", code.clamp(0.0, 4095.0));
    }
}

/// `motor`: the current of the paddle's motor: 2.5 V at 0 A and 0.1 V an ampere, 10 bits of 5 V, a plain number a line.
pub(crate) struct Motor;

impl Writer for Motor {
    const BAUD: u32 = 57_600;
    const RATE: f64 = 100.0;
    const BANNER: &'static str = "";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let since = now % 12.0;
        let amperes = if since < 8.0 {
            3.2 + 6.0 * (-since / 0.25).exp() + 0.6 * (TAU * 0.5 * since).sin()
        } else if since < 8.4 {
            // It brakes, and feeds back.
            -1.6
        } else {
            0.0
        };
        let code = (2.5 + 0.1 * amperes) / 5.0 * 1024.0 + 0.7 * noise.gauss();
        let _ = write!(out, "{:.0}\r\n", code.clamp(0.0, 1023.0));
    }
}

/// `pad`: a force pad on a converter of 24 bits, 421 counts a gram, on which known weights are put and taken off.
pub(crate) struct Pad;

impl Writer for Pad {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 10.0;
    const BANNER: &'static str = "force pad ready\r\n";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        const GRAMS: [f64; 6] = [0.0, 100.0, 200.0, 500.0, 200.0, 0.0];
        let place = (now / 8.0) as usize;
        let (before, after) = (GRAMS[(place + 5) % 6], GRAMS[place % 6]);
        let grams = after + (before - after) * (-(now % 8.0) / 0.3).exp();
        let _ = write!(out, "raw: {:.0}\r\n", 8_413_000.0 + 421.0 * grams + 40.0 * noise.gauss());
    }
}

/// `lift`: two levers that lift the gate, 10 bits each; the right one sticks on its way up.
pub(crate) struct Lift;

impl Writer for Lift {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 50.0;
    const BANNER: &'static str = "";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let phase = now % 14.0 / 7.0;
        let way = if phase < 1.0 { phase } else { 2.0 - phase };
        let stuck = if phase < 1.0 && (0.55..0.68).contains(&way) { 0.55 } else { way };
        let mut code = |way: f64| 80.0 + 860.0 * way + 1.2 * noise.gauss();
        let _ = write!(out, "L:{:.0},R:{:.0}\r\n", code(way), code(stuck));
    }
}

/// `valve`: the inlet valve, whose sensor sends codes: 0 closed, 1 opening, 2 open, 3 closing; and a fault.
pub(crate) struct Valve;

impl Writer for Valve {
    const BAUD: u32 = 9600;
    const RATE: f64 = 10.0;
    const BANNER: &'static str = "inlet valve 3\r\n";

    fn row(&mut self, _: u64, now: f64, _: &mut Noise, out: &mut String) {
        let since = now % 24.0;
        // Every fourth time it is stuck for a while.
        let is_stuck = (now / 24.0) as u64 % 4 == 3 && (5.0..9.0).contains(&since);
        let code = match since {
            _ if is_stuck => 1,
            ..4.0 => 0,
            ..6.0 => 1,
            ..14.0 => 2,
            ..17.0 => 3,
            _ => 0,
        };
        let _ = write!(out, "valve={code} fault={}\r\n", u8::from(is_stuck));
    }
}
