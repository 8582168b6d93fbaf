//! Amber Tap's computation, with no files, threads, clocks, randomness or terminal.
//!
//! One module a stage, in the order in which a reading walks the chain:
//! [`split`] (bytes to rows), [`clock`] (how often rows come), [`scale`] (counts to quantities),
//! [`smooth`] (noise, and what removing it costs in delay), [`watch`] (thresholds), and [`store`] (the buffer behind
//! the chart). [`formula`] reads formulas over channels, [`mod@derive`] works out the rows of all channels, [`levels`] finds
//! where they were settled. [`mod@bench`] holds the settings, [`interpret`] joins the stages
//! from bytes to rows, [`chain`] puts the buffer behind them, [`ask`] says what is sent to boards that are asked, and [`axis`], [`digits`] and
//! [`window`] decide what of it a person sees. Every transform takes the time as data, as a [`Stamp`].

pub mod ask;
pub mod axis;
pub mod bench;
pub mod block;
pub mod calibrate;
pub mod chain;
pub mod checkup;
pub mod clock;
pub mod compare;
pub mod derive;
pub mod digits;
pub mod formula;
pub mod interpret;
pub mod keep;
pub mod levels;
pub mod listing;
pub mod part;
pub mod scale;
pub mod seek;
pub mod smooth;
pub mod spectrum;
pub mod split;
pub mod stats;
pub mod store;
pub mod survey;
pub mod tail;
pub mod talk;
pub mod watch;
pub mod window;
pub mod work;

mod stamp;

/// `value`, or NaN, which stands for a gap throughout, where it is not finite.
#[inline]
pub(crate) fn or_gap(value: f64) -> f64 {
    if value.is_finite() { value } else { f64::NAN }
}

/// `value`, or `other` where it is a gap.
#[inline]
pub(crate) fn gap_as(value: f64, other: f64) -> f64 {
    if value.is_nan() { other } else { value }
}

mod chance;

pub use stamp::Stamp;
