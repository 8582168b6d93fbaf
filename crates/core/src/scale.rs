//! Stage 3, **scale**: a count becomes volts becomes a quantity with a unit.

use serde::{Deserialize, Serialize};

/// How a channel's raw value becomes a quantity: `(volts - offset) x gain`, where `volts` is the raw value itself when
/// no converter is described.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Scale {
    /// Bits of the converter, 1 to 32. With `reference` it turns counts into volts.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bits: Option<u8>,
    /// The converter's reference in volts.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reference: Option<f64>,
    /// Taken away after the converter, in volts (or raw units without a converter).
    pub offset: f64,
    /// Units of the quantity per volt (or per raw unit).
    pub gain: f64,
    /// The quantity's unit; empty where the raw value or the volts are the quantity.
    pub unit: String,
}

impl Default for Scale {
    fn default() -> Self {
        Scale { bits: None, reference: None, offset: 0.0, gain: 1.0, unit: String::new() }
    }
}

impl Scale {
    /// Volts per count, when both the bits and the reference are given: reference / 2^bits, so that the top code
    /// stands for one step less than the reference.
    pub fn volts_per_count(&self) -> Option<f64> {
        Some(self.reference? / 2f64.powi(i32::from(self.bits?)))
    }

    /// The volts that `raw` stands for; `None` without a converter.
    pub fn volts(&self, raw: f64) -> Option<f64> {
        Some(raw * self.volts_per_count()?)
    }

    /// The quantity that `raw` stands for. A gap (NaN) stays a gap.
    #[inline]
    pub fn quantity(&self, raw: f64) -> f64 {
        (raw * self.volts_per_count().unwrap_or(1.0) - self.offset) * self.gain
    }

    /// Whether a raw value is changed at all.
    pub fn is_plain(&self) -> bool {
        self.volts_per_count().is_none() && self.offset == 0.0 && self.gain == 1.0
    }

    /// Whether nothing is set, the unit included.
    pub fn is_default(&self) -> bool {
        *self == Scale::default()
    }

    /// The unit that a person reads: the one given, else `V` behind a converter, else none.
    pub fn unit(&self) -> &str {
        match (self.unit.as_str(), self.volts_per_count()) {
            ("", Some(_)) => "V",
            (unit, _) => unit,
        }
    }

    /// The size of one raw step in units of the quantity. `raw_step` is 1 for whole counts, 0.01 for two decimals.
    /// Zero when the gain is zero.
    pub fn resolution(&self, raw_step: f64) -> f64 {
        (raw_step * self.volts_per_count().unwrap_or(1.0) * self.gain).abs()
    }

    /// The quantity at the converter's lowest and highest code, in rising order; `None` when the bits are not known.
    pub fn full_scale(&self) -> Option<(f64, f64)> {
        let (a, b) = (self.quantity(0.0), self.quantity(2f64.powi(i32::from(self.bits?)) - 1.0));
        Some((a.min(b), a.max(b)))
    }

    /// Decimals with which the quantity is written to files: two finer than one step of the converter. `None` where
    /// the step is not known; the shortest text that reads back as the same number is written then.
    pub fn file_decimals(&self) -> Option<usize> {
        self.volts_per_count().map(|_| crate::digits::decimals(self.resolution(1.0)) + 2)
    }

    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<&'static str> {
        match self {
            Scale { bits: Some(bits), .. } if !(1..=32).contains(bits) => Some("bits must be 1 to 32"),
            Scale { reference: Some(volts), .. } if !(volts.is_finite() && *volts > 0.0) => {
                Some("reference must be a number of volts above 0")
            }
            Scale { offset, .. } if !offset.is_finite() => Some("offset must be a finite number"),
            Scale { gain, .. } if !gain.is_finite() || *gain == 0.0 => Some("gain must be a finite number, not 0"),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_count_becomes_volts_becomes_millimetres() {
        let scale = Scale { bits: Some(12), reference: Some(3.3), offset: 0.5, gain: 81.3, unit: "mm".into() };
        assert!((scale.volts(2210.0).unwrap() - 1.78051758).abs() < 1e-8);
        assert!((scale.quantity(2210.0) - (2210.0 * 3.3 / 4096.0 - 0.5) * 81.3).abs() < 1e-9);
        assert!((scale.resolution(1.0) - 0.0655).abs() < 1e-4);
        assert!(scale.quantity(f64::NAN).is_nan());
        let falling = Scale { gain: -1.0, ..scale.clone() };
        let (low, high) = falling.full_scale().unwrap();
        assert!(low < high && (high - 0.5).abs() < 1e-12);
        assert_eq!(Scale { unit: String::new(), ..scale }.unit(), "V");
        assert!(Scale::default().is_plain() && Scale::default().full_scale().is_none());
    }
}
