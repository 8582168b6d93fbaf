//! The resistor and the capacitor that do the same as a low-pass, ahead of the converter.

use std::f64::consts::TAU;

/// A decade of the row E12 (IEC 60063).
const E12: [f64; 12] = [1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2];

/// Capacitors that are at hand, in farads: E6 from 1 nF to 10 uF.
const E6: [f64; 6] = [1.0, 1.5, 2.2, 3.3, 4.7, 6.8];

/// More ohms in front of a converter than this: it no longer charges its own capacitor in time.
pub const MOST_OHMS: f64 = 10_000.0;

/// A resistor in series and a capacitor to ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LowPass {
    /// The resistor in ohms, of the row E12; 0 where the source's own resistance is enough.
    pub ohms: f64,
    /// The capacitor in farads.
    pub farads: f64,
    /// The cut-off that they make with the source's resistance, in hertz.
    pub cutoff: f64,
    /// The resistance that the converter sees for slow changes.
    pub seen: f64,
}

/// The resistor and capacitor whose cut-off, with a source of `source` ohms (0 for none), comes closest to `cutoff` hertz, among
/// those through which a converter still reads right; the smallest capacitor of those that are within 2 % of the closest.
/// `None` where no capacitor up to 10 uF is large enough.
pub fn low_pass(cutoff: f64, source: f64) -> Option<LowPass> {
    let capacitors = (-9..=-6).flat_map(|power| E6.map(|value| value * 10f64.powi(power))).chain([1e-5]);
    let resistors = || [0.0].into_iter().chain((2..=4).flat_map(|power| E12.map(|value| value * 10f64.powi(power))));
    let mut found: Vec<(f64, LowPass)> = Vec::new();
    for farads in capacitors {
        for ohms in resistors() {
            let seen = source + ohms;
            if seen <= 0.0 || (seen > MOST_OHMS && ohms > 0.0) {
                continue;
            }
            let own = 1.0 / (TAU * seen * farads);
            found.push(((own / cutoff).ln().abs(), LowPass { ohms, farads, cutoff: own, seen }));
        }
    }
    let least = found.iter().map(|(off, _)| *off).fold(f64::INFINITY, f64::min);
    // An octave off is another filter.
    (least < 0.35).then(|| found.iter().find(|(off, _)| *off <= least + 0.02).map(|(_, low_pass)| *low_pass))?
}
