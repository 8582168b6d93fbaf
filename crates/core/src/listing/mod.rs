//! Take it to the board: the whole chain of a channel as a listing in plain pseudo-code with its numbers, to be written anew in
//! the language of the board. [`Listing`] works a listing out, so that it can be held against the chain.
//!
//! A line sets a name to a formula of this program; a name that was not set yet is a gap. `row` is the number of the row, 0 for
//! the first. Beside that there are windows: `window w = last 9 of x` keeps the last values of x, and `y = mean of w`, `median
//! of`, `min of`, `max of`, `count of`, `sum of` say what they amount to; `y = sum of w * [0.2, 0.6, 0.2]` weighs them, the
//! oldest first. `wait until x` ends a row there as long as x is 0; `row` counts from 0 below it. What stands behind `#` is a
//! remark.

mod filters;
mod fixed;
mod resistor;
mod run;

pub use fixed::fixed_point;
pub use resistor::{LowPass, MOST_OHMS, low_pass};
pub use run::{Checked, Listing};

use crate::bench::ChannelSettings;
use crate::digits::{duration, short, with_unit};
use crate::part::Listed;
use crate::scale::{Reference, Step, code_number};
use crate::smooth::Filter;
use crate::watch::Watch;

/// So many delays behind a difference a filter has forgotten it to twelve digits or so.
const FORGOTTEN: f64 = 30.0;

/// The value that a listing gives in the end.
pub const RESULT: &str = "value";

/// Its state by the threshold: 1 above, 0 below; before the first crossing what `value` said first.
pub const STATE: &str = "state";

/// Rows at the start in which a listing of these settings may give something else than the chain: a polynomial is fitted to the
/// rows that there are, but the listing waits until its window is full; what follows it needs its time to forget that.
pub fn unlike_at_first(settings: &ChannelSettings, interval: f64) -> usize {
    let mut rows = 0.0;
    for filter in settings.smooth.iter().filter(|filter| !filter.is_bypassed()) {
        match filter {
            Filter::SavitzkyGolay(polynomial) => rows += polynomial.window.rows(interval).ceil(),
            filter if rows > 0.0 => {
                let sections = filter.sections(interval);
                rows += sections.iter().map(|section| section.memory()).sum::<f64>();
                if sections.is_empty() {
                    rows += FORGOTTEN * filter.delay(interval) / interval;
                }
            }
            _ => {}
        }
    }
    rows as usize
}

/// The chain of a channel: `settings`, for rows `interval` seconds apart.
///
/// # Errors
/// Why it has none.
pub fn floating_point(settings: &ChannelSettings, interval: f64) -> Result<String, String> {
    if let Some(formula) = &settings.formula {
        return Err(format!("the channel is computed from others: {}", formula.text()));
    }
    let mut out = vec![format!("# {}: one row every {}", plain(settings.title()), duration(interval))];
    let mut x = "raw".to_owned();
    out.push("# raw is what the converter reads".into());
    let steps: Vec<&Step> = settings.scale.steps.iter().filter(|step| !step.is_bypassed()).collect();
    let codes: Vec<String> = steps.iter().filter_map(|step| step.in_code("x")).collect();
    if codes.iter().any(|code| code.contains("reference")) {
        let converter = settings.scale.converter().map(|(_, converter)| converter);
        match converter.map(|converter| &converter.reference) {
            Some(Reference::Volts(volts)) => out.push(format!("reference = {}", code_number(*volts))),
            Some(Reference::Channel(name)) => {
                return Err(format!("its converter refers to the channel {}: there is no listing of two", plain(name)));
            }
            None => return Err("a step needs the converter's reference, and there is no converter".into()),
        }
    }
    for (at, step) in steps.iter().enumerate() {
        let name = format!("scaled{}", at + 1);
        let unit = step.unit().map_or(String::new(), |unit| format!(" in {}", plain(unit)));
        out.extend(step.in_code(&x).map(|code| format!("{name} = {code}  # {}{unit}", step.kind())));
        x = name;
    }
    for (at, filter) in settings.smooth.iter().filter(|filter| !filter.is_bypassed()).enumerate() {
        out.push(format!("# {}", filter.short()));
        let name = format!("smooth{}", at + 1);
        out.extend(filters::in_code(filter, &x, &name, interval)?);
        x = name;
    }
    let unit = settings.scale.unit();
    out.push(format!(
        "{RESULT} = {x}{}",
        if unit.is_empty() { String::new() } else { format!("  # in {}", plain(unit)) }
    ));
    if let Some(watch) = settings.watch {
        let half = watch.hysteresis / 2.0;
        let [above, below] = [watch.threshold + half, watch.threshold - half].map(code_number);
        let band = with_unit(short(watch.hysteresis, 6), &plain(unit));
        out.push(format!("# threshold {}, hysteresis {band}", with_unit(short(watch.threshold, 6), &plain(unit))));
        out.extend(hold_remark(watch));
        out.push(format!("state = {RESULT} > {above} ? 1 : ({RESULT} < {below} ? 0 : (row == 0 ? 0 : state))"));
    }
    Ok(out.join("\n") + "\n")
}

/// What a listing leaves out of a threshold.
fn hold_remark(watch: Watch) -> Option<String> {
    let hold = crate::digits::duration(watch.hold);
    (watch.hold > 0.0).then(|| format!("# the hold time of {hold} is not part of this listing"))
}

/// A text of others as it may stand in a remark.
fn plain(text: &str) -> String {
    text.chars().map(crate::tail::visible_char).collect()
}

#[cfg(test)]
#[path = "listing_tests.rs"]
mod tests;
