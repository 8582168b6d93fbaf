//! `stats`, `spectrum` and `block`: what rows amount to, without a screen.

pub(crate) mod block;
pub(crate) mod spectrum;
pub(crate) mod stats;

use super::stretch::Part;
use crate::print::{aside, printed};
use amber_core::digits::{cleaned, short};
use serde_json::{Value, json};
use std::io::{self, Write};

/// A number of a table, without the noise of its rounding; nothing where there is none.
fn plain(value: f64) -> String {
    if value.is_finite() { short(cleaned(value), 12) } else { String::new() }
}

/// A number of a document.
fn number(value: f64) -> Value {
    if value.is_finite() { json!(cleaned(value)) } else { Value::Null }
}

/// Prints one document.
fn whole(document: &Value, what: &str) -> anyhow::Result<()> {
    let mut out = io::stdout().lock();
    printed(
        serde_json::to_writer_pretty(&mut out, document).map_err(io::Error::from).and_then(|()| writeln!(out)),
        what,
    )
}

/// Says so where the rows have no time.
fn untimed(parts: &[Part]) {
    if parts.iter().any(|(_, (chain, _))| chain.timer().is_assumed()) {
        aside(format_args!(
            "the text has no clock: rows are counted, and slopes are per row; --rate gives its rows a second"
        ));
    }
}
