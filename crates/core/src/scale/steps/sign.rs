//! The sign is turned.

use super::Transform;
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// Turns the sign.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sign {}

impl Part for Sign {
    const KIND: &'static str = "sign";
    const HELP: &'static str = "turns the sign";
    const SETTINGS: &'static [Setting<Self>] = &[];

    fn short(&self) -> String {
        "×-1".into()
    }
}

impl Transform for Sign {
    fn in_code(&self, x: &str) -> String {
        format!("-{x}")
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        -x
    }

    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        Some((-1.0, 0.0))
    }
}
