//! The formulas behind the steps.

/// 0 °C in kelvin.
pub(super) const KELVIN: f64 = 273.15;

/// `x` held between two limits; a gap stays a gap.
#[inline]
pub(super) fn clamp(x: f64, low: f64, high: f64) -> f64 {
    if x < low {
        low
    } else if x > high {
        high
    } else {
        x
    }
}

/// `x` with so many decimals, halves away from zero.
#[inline]
pub(super) fn round(x: f64, places: u8) -> f64 {
    let power = 10f64.powi(i32::from(places));
    let rounded = (x * power).round() / power;
    // Where there is nothing to round any more, the product may have overflowed.
    if rounded.is_finite() { rounded } else { x }
}

/// The line through `points` (two or more, in rising order), piece by piece, going on beyond the ends.
#[inline]
pub(super) fn along(points: &[(f64, f64)], x: f64) -> f64 {
    if x.is_nan() || points.len() < 2 {
        return f64::NAN;
    }
    let after = points.partition_point(|point| point.0 <= x).clamp(1, points.len() - 1);
    let ((x0, y0), (x1, y1)) = (points[after - 1], points[after]);
    y0 + (x - x0) * ((y1 - y0) / (x1 - x0))
}

/// By Horner's rule, the constant first.
#[inline]
pub(super) fn polynomial(terms: &[f64], x: f64) -> f64 {
    terms.iter().rev().fold(if x.is_nan() { x } else { 0.0 }, |sum, term| sum * x + term)
}

/// 1/T = 1/T0 + ln(R/R0)/beta, with T in kelvin; a gap for no or negative resistance.
#[inline]
pub(super) fn beta_celsius(ohms: f64, at: f64, celsius: f64, beta: f64) -> f64 {
    absolute(((celsius + KELVIN).recip() + (ohms / at).ln() / beta).recip())
}

/// The way back: R = R0 exp(beta (1/T - 1/T0)).
pub(super) fn beta_ohms(t: f64, at: f64, celsius: f64, beta: f64) -> f64 {
    at * (beta * ((t + KELVIN).recip() - (celsius + KELVIN).recip())).exp()
}

/// 1/T = a + b ln R + c (ln R)^3 (Steinhart and Hart, "Calibration curves for thermistors", Deep-Sea Research 15,
/// 1968).
#[inline]
pub(super) fn steinhart_celsius(ohms: f64, [a, b, c]: [f64; 3]) -> f64 {
    let l = ohms.ln();
    absolute((a + b * l + c * l * l * l).recip())
}

/// The way back: the one real root of c l^3 + b l + (a - 1/T) = 0 by Cardano's formula; `None` when there are three.
pub(super) fn steinhart_ohms(t: f64, [a, b, c]: [f64; 3]) -> Option<f64> {
    let rest = a - (t + KELVIN).recip();
    if c == 0.0 {
        return Some((-rest / b).exp());
    }
    let (p, q) = (b / c, rest / c);
    let inside = q * q / 4.0 + p * p * p / 27.0;
    (inside >= 0.0).then(|| {
        let root = inside.sqrt();
        // The larger of the two cube roots is made without cancellation, the other one follows from it.
        let u = if q > 0.0 { -(q / 2.0 + root).cbrt() } else { (root - q / 2.0).cbrt() };
        let v = if u == 0.0 { 0.0 } else { -p / (3.0 * u) };
        (u + v).exp()
    })
}

/// Kelvin to degrees; a gap where the formula gives no temperature.
#[inline]
fn absolute(kelvin: f64) -> f64 {
    if kelvin > 0.0 && kelvin.is_finite() { kelvin - KELVIN } else { f64::NAN }
}
