//! The sign is dropped.

use super::{Role, Transform};
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// Drops the sign.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Absolute {}

impl Part for Absolute {
    const KIND: &'static str = "absolute";
    const HELP: &'static str = "drops the sign";
    const SETTINGS: &'static [Setting<Self>] = &[];
}

impl Transform for Absolute {
    fn in_code(&self, x: &str) -> String {
        format!("abs({x})")
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        x.abs()
    }

    fn role(&self) -> Role {
        Role::Trim
    }
}
