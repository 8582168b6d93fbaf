//! What a frequency may be: the mains, or something faster than half the row rate that shows in its place.

use crate::digits::short;

/// The mains of the world, in hertz.
pub const MAINS: [f64; 2] = [50.0, 60.0];

/// Multiples of the mains that are named.
const MULTIPLES: u32 = 6;

/// What shows below this share of the row rate cannot be told from slow movement.
const LOWEST: f64 = 0.02;

/// Where a frequency shows in rows `rate` a second, in hertz: itself up to half the rate, else its alias.
pub fn shown_at(hertz: f64, rate: f64) -> f64 {
    let turns = hertz / rate;
    (turns - turns.round()).abs() * rate
}

/// The mains, or a multiple of it, that shows at `hertz`, known to `within` hertz: what to call it; `None` for anything else.
pub fn mains(hertz: f64, rate: f64, within: f64) -> Option<String> {
    if hertz < LOWEST * rate {
        return None;
    }
    let all = (1..=MULTIPLES).flat_map(|n| MAINS.map(|mains| (n, mains)));
    let mut near: Vec<(u32, f64, f64)> = all
        .map(|(n, mains)| (n, mains, (shown_at(mains * f64::from(n), rate) - hertz).abs()))
        // The mains itself keeps to within a hundredth or two.
        .filter(|(n, _, off)| *off <= within + 0.02 * f64::from(*n))
        .collect();
    near.sort_by(|a, b| (a.0, a.2).partial_cmp(&(b.0, b.2)).unwrap_or(std::cmp::Ordering::Equal));
    let (n, mains, _) = near.first()?;
    let name = if *n == 1 { format!("{mains} Hz mains") } else { format!("{n} × {mains} Hz mains") };
    let at = mains * f64::from(*n);
    Some(if at <= rate / 2.0 { name } else { format!("{name}, folded at {} rows/s", short(rate, 4)) })
}

/// The first two frequencies above half the row rate that would show at `hertz` as well.
pub fn others(hertz: f64, rate: f64) -> [f64; 2] {
    [rate - hertz, rate + hertz]
}
