//! What figures are drawn on, and what stands on them.

use serde::{Deserialize, Serialize};
use std::fmt::{self, Display};
use std::str::FromStr;

/// How figures are drawn.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct FigureSettings {
    /// Their size.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub size: PaperSize,
    /// A dark ground, as for a projector.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub dark: bool,
    /// What stands above them; the name of the bench where it is empty.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub title: String,
    /// What the axis of time says; what it measures where it is empty.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub x_label: String,
}

/// A size of paper, in millimetres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PaperSize {
    /// Across.
    pub width: f64,
    /// Up.
    pub height: f64,
}

impl Default for PaperSize {
    /// A4, landscape.
    fn default() -> PaperSize {
        PaperSize { width: 297.0, height: 210.0 }
    }
}

/// Millimetres of a pixel, at 96 of them an inch.
const PIXEL: f64 = 25.4 / 96.0;

/// The smallest and the largest side, in millimetres.
const SIDES: std::ops::RangeInclusive<f64> = 40.0..=2000.0;

impl Display for PaperSize {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let round = |side: f64| (side * 100.0).round() / 100.0;
        write!(f, "{}x{} mm", round(self.width), round(self.height))
    }
}

impl FromStr for PaperSize {
    type Err = String;

    fn from_str(text: &str) -> Result<PaperSize, String> {
        let usage = "type a size as 160x100 mm or 1200x800 px, each side 40 to 2000 mm";
        let text = text.trim().to_lowercase().replace('×', "x");
        let (sides, unit) = match text.strip_suffix("px") {
            Some(sides) => (sides, PIXEL),
            None => (text.strip_suffix("mm").unwrap_or(&text), 1.0),
        };
        let sides = sides.split_once('x').and_then(|(width, height)| {
            let side = |text: &str| text.trim().parse::<f64>().ok().map(|side| side * unit);
            Some(PaperSize { width: side(width)?, height: side(height)? })
        });
        let is_sound = |size: &PaperSize| SIDES.contains(&size.width) && SIDES.contains(&size.height);
        sides.filter(is_sound).ok_or_else(|| usage.into())
    }
}
