//! Which fixed resistor suits a sensor in a divider.

use super::Divider;

/// A series of preferred values (IEC 60063).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ResistorSeries {
    /// Twelve in a decade.
    #[default]
    E12,
    /// Twenty-four in a decade.
    E24,
}

const E24: [f64; 24] = [
    1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2,
    9.1,
];

impl ResistorSeries {
    /// All values from 1 ohm to 10 megohms, rising.
    fn values(self) -> impl Iterator<Item = f64> {
        let every = if self == ResistorSeries::E12 { 2 } else { 1 };
        let tidy = |value: f64, decade: i32| (value * 10.0).round() * 10f64.powi(decade) / 10.0;
        (0..7).flat_map(move |decade| E24.iter().step_by(every).map(move |value| tidy(*value, decade)))
    }
}

/// What a fixed resistor would give.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Candidate {
    /// Ohms.
    pub fixed: f64,
    /// Volts between the sensor's least and most resistance.
    pub swing: f64,
    /// The largest number of ohms between two codes of the converter over that range; infinite without a swing.
    pub resolution: f64,
}

/// What the resistor of `divider` gives, whose supply is `supply` volts. `least` and `most` are the sensor's resistance in
/// ohms, `volt_step` the size of one code in volts. `None` where the range is none.
pub fn evaluate(divider: &Divider, supply: f64, least: f64, most: f64, volt_step: f64) -> Option<Candidate> {
    if !(least >= 0.0 && least < most && most.is_finite()) {
        return None;
    }
    let fixed = divider.fixed;
    // dR/dV is R^2-like: the coarsest place is at one of the ends.
    let step = |ohms: f64| volt_step * (fixed + ohms) * (fixed + ohms) / (supply * fixed);
    let volts = |ohms: f64| Divider { supply: Some(supply), ..divider.clone() }.volts(ohms, supply);
    Some(Candidate { fixed, swing: (volts(most) - volts(least)).abs(), resolution: step(least).max(step(most)) })
}

/// The resistor of the series with the largest swing first, then its neighbours, the nearer first; `count` in all; empty
/// where the range is none. The arguments are those of [`evaluate`].
///
/// The swing is largest where the fixed resistor is the geometric mean of least and most: the derivative of
/// `Rmax/(R+Rmax) - Rmin/(R+Rmin)` by R is zero at R^2 = Rmin Rmax.
pub fn advise(
    divider: &Divider,
    supply: f64,
    least: f64,
    most: f64,
    volt_step: f64,
    series: ResistorSeries,
    count: usize,
) -> Vec<Candidate> {
    let candidate = |fixed: f64| evaluate(&Divider { fixed, ..divider.clone() }, supply, least, most, volt_step);
    let mut all: Vec<Candidate> = series.values().filter_map(candidate).collect();
    all.sort_by(|a, b| b.swing.total_cmp(&a.swing));
    all.truncate(count);
    all
}
