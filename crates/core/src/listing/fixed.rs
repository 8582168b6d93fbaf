//! The same in whole numbers, where that is simple: a scale that is a straight line, and filters that average.

use super::filters::rows;
use crate::bench::ChannelSettings;
use crate::digits::{decimals, duration};
use crate::part::Listed;
use crate::smooth::{Filter, Strength};

/// Parts of a step that a running average keeps at least.
const FRACTION: f64 = 16.0;

/// Bits of its weight.
const WEIGHT: i32 = 14;

/// What a product may need: it fits a signed number of 32 bits.
const LARGEST: f64 = 2147483648.0;

/// The chain in whole numbers of 32 bits, and how many of its units make one of the chain's: 100 for two decimals. Differences
/// come of rounding; they are for the check to tell.
///
/// # Errors
/// Why it is not simple.
pub fn fixed_point(settings: &ChannelSettings, interval: f64) -> Result<(String, f64), String> {
    let scale = &settings.scale;
    if settings.formula.is_some() {
        return Err("the channel is computed from others".into());
    }
    let (gain, shift) = scale
        .scaler()
        .line()
        .filter(|(gain, shift)| gain.is_finite() && shift.is_finite())
        .ok_or("the scale is no straight line")?;
    let top = scale.converter().map(|(_, converter)| converter).filter(|converter| converter.bits.is_some());
    let top = top.map(|converter| converter.top_code()).ok_or("the converter's bits are not known")?;
    // A unit is less than a step of the converter.
    let places = decimals(gain.abs() / 10.0).min(6) as i32;
    let units = 10f64.powi(places);
    let mut out = vec![format!(
        "# {}: one row every {}, in whole numbers of 32 bits",
        super::plain(settings.title()),
        duration(interval)
    )];
    out.push("# floor(x / 2^n) is a shift to the right by n".into());
    // The raw value times `counts` at present.
    let (mut x, mut counts) = ("raw".to_owned(), 1.0);
    for (at, filter) in settings.smooth.iter().filter(|filter| !filter.is_bypassed()).enumerate() {
        let y = format!("smooth{}", at + 1);
        out.push(format!("# {}", filter.short()));
        match filter {
            Filter::Mean(mean) => {
                let rows = rows(mean.window, interval);
                // The sum itself is the average, so many times.
                out.push(format!("window {y}_window = last {rows} of {x}"));
                out.push(format!("{y}_rows = count of {y}_window"));
                out.push(format!("{y}_all = sum of {y}_window"));
                out.push(format!("{y} = {y}_rows < {rows} ? floor({y}_all / {y}_rows + 0.5) * {rows} : {y}_all"));
                counts *= rows as f64;
            }
            Filter::Exponential(exponential) => {
                let steps = match exponential.time_constant {
                    Strength::Rows(rows) => 1.0 / f64::from(rows.max(1)),
                    Strength::Seconds(seconds) => interval / seconds,
                };
                let share = ((1.0 - (-steps).exp()) * 2f64.powi(WEIGHT)).round().max(1.0);
                // What is less than half of a unit by its share moves it no more: that is kept below half a step.
                let more = FRACTION.max((2f64.powi(WEIGHT) / share).log2().ceil().exp2());
                out.push(format!(
                    "{y} = row == 0 ? {x} * {more} : {y} + floor(({x} * {more} - {y}) * {share} / 2^{WEIGHT} + 0.5)"
                ));
                if top * counts * more * share > LARGEST {
                    return Err("the running average does not fit 32 bits".into());
                }
                // What goes on needs no more than a fraction of a step, which leaves bits to the factor.
                counts *= FRACTION;
                if more > FRACTION {
                    out.push(format!("{y}_short = floor({y} / 2^{})", (more / FRACTION).log2()));
                    x = format!("{y}_short");
                    continue;
                }
            }
            other => return Err(format!("the filter {} is not simple in whole numbers", other.kind())),
        }
        x = y;
    }
    if top * counts > LARGEST {
        return Err("the sum of the window does not fit 32 bits".into());
    }
    let factor = gain * units / counts;
    // As many bits as the product leaves.
    let bits = (LARGEST / (top * counts * factor.abs() + (shift * units).abs()).max(1.0)).log2().floor() as i32 - 1;
    let bits = bits.clamp(0, 24);
    let power = 2f64.powi(bits);
    let (by, plus) = ((factor * power).round(), (shift * units * power).round());
    if by == 0.0 {
        return Err("the factor does not fit 32 bits".into());
    }
    let unit = scale.unit();
    let unit = if unit.is_empty() { String::new() } else { format!(" {}", super::plain(unit)) };
    let (by, plus) = (crate::scale::code_number(by), crate::scale::code_number(plus));
    out.push(format!("value = floor(({x} * {by} + {plus}) / 2^{bits} + 0.5)  # in 1/{units}{unit}"));
    if let Some(watch) = settings.watch {
        let half = watch.hysteresis / 2.0;
        // More than the edge: more than the whole number below it; less than it: less than the one above.
        let above = ((watch.threshold + half) * units).floor();
        let below = ((watch.threshold - half) * units).ceil();
        let [above, below] = [above, below].map(crate::scale::code_number);
        out.extend(super::hold_remark(watch));
        out.push(format!("state = value > {above} ? 1 : (value < {below} ? 0 : (row == 0 ? 0 : state))"));
    }
    Ok((out.join("\n") + "\n", units))
}
