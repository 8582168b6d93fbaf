//! `take.toml`: how the take was written, so that later versions can read it.

use super::decode::DECODER;
use serde::{Deserialize, Serialize};

/// The number of the format in which takes are written. Takes without a number are of format 0; since format 2 the last
/// row of `wire.csv` says that a take was ended properly; since format 3 its rows `listen` and `speed` tell what was heard while the
/// baud rate was being detected.
pub(super) const FORMAT: u32 = 3;

/// What a take says of itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct About {
    /// The format of its files.
    pub format: u32,
    /// The version of the program that wrote it; empty when it is not known.
    pub program: String,
    /// The decoder that made its table; tables of another one are not compared.
    pub decoder: u32,
}

impl Default for About {
    /// Format 0, which said nothing.
    fn default() -> About {
        About { format: 0, program: String::new(), decoder: 0 }
    }
}

impl About {
    /// As this version writes takes.
    pub(super) fn now() -> About {
        About { format: FORMAT, program: env!("CARGO_PKG_VERSION").into(), decoder: DECODER }
    }

    pub(super) fn text(&self) -> String {
        format!("format = {}\nprogram = \"{}\"\ndecoder = {}\n", self.format, self.program, self.decoder)
    }
}
