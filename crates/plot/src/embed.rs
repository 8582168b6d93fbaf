//! The glyphs that an SVG uses, embedded in it, so that a viewer shows its text whatever fonts the system has.

use crate::PlotError;
use crate::page::{FAMILY, FONT};
use allsorts::binary::read::ReadScope;
use allsorts::font::{Font, MatchingPresentation};
use allsorts::font_data::FontData;
use allsorts::subset::{CmapTarget, SubsetProfile, subset};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::collections::BTreeSet;

/// A `style` element with the part of our font that `svg` needs.
pub(crate) fn style(svg: &str) -> Result<String, PlotError> {
    let font = glyphs(svg.chars().collect())?;
    Ok(format!(
        "<style>@font-face {{ font-family: \"{FAMILY}\"; src: url(data:font/ttf;base64,{}) }}</style>\n",
        STANDARD.encode(font)
    ))
}

/// Our font with the glyphs of `characters` alone. Characters that it does not have are left to the viewer.
fn glyphs(characters: BTreeSet<char>) -> Result<Vec<u8>, PlotError> {
    let broken = |what: &dyn std::fmt::Display| PlotError::Drawing(format!("the font: {what}"));
    let data = ReadScope::new(FONT).read::<FontData<'_>>().map_err(|error| broken(&error))?;
    let tables = data.table_provider(0).map_err(|error| broken(&error))?;
    let mut font = Font::new(tables).map_err(|error| broken(&error))?;
    let found = characters.into_iter().map(|c| font.lookup_glyph_index(c, MatchingPresentation::NotRequired, None).0);
    // Glyph 0, which stands for what is not there, comes first in every font.
    let mut wanted: Vec<u16> = found.chain([0]).collect();
    wanted.sort_unstable();
    wanted.dedup();
    subset(&font.font_table_provider, &wanted, &SubsetProfile::Minimal, CmapTarget::Unicode)
        .map_err(|error| broken(&error))
}

/// How wide texts in our font are.
pub(crate) struct Widths {
    /// Of the characters of ASCII and Latin-1, in shares of the size.
    narrow: Vec<f64>,
}

/// Of all other characters, in shares of the size: as wide as the widest letters.
const OTHER: f64 = 0.75;

impl Widths {
    pub(crate) fn new() -> Result<Widths, PlotError> {
        let broken = |what: &dyn std::fmt::Display| PlotError::Drawing(format!("the font: {what}"));
        let data = ReadScope::new(FONT).read::<FontData<'_>>().map_err(|error| broken(&error))?;
        let tables = data.table_provider(0).map_err(|error| broken(&error))?;
        let mut font = Font::new(tables).map_err(|error| broken(&error))?;
        let units = f64::from(font.head_table.units_per_em).max(1.0);
        let width = |code: u32| {
            let c = char::from_u32(code)?;
            let glyph = font.lookup_glyph_index(c, MatchingPresentation::NotRequired, None).0;
            font.horizontal_advance(glyph).map(|advance| f64::from(advance) / units)
        };
        Ok(Widths { narrow: (0..256).map(width).map(|width| width.unwrap_or(OTHER)).collect() })
    }

    /// The width of a line in a size, in its unit.
    pub(crate) fn of(&self, line: &str, size: i32) -> i32 {
        let shares = line.chars().map(|c| self.narrow.get(c as usize).copied().unwrap_or(OTHER));
        (shares.sum::<f64>() * f64::from(size)).ceil() as i32
    }

    /// Words in lines of at most `wide`; a word that is wider is cut.
    pub(crate) fn wrapped(&self, words: &str, wide: i32, size: i32) -> Vec<String> {
        let mut lines = Vec::new();
        let mut line = String::new();
        for word in words.split_whitespace() {
            let longer = if line.is_empty() { word.to_owned() } else { format!("{line} {word}") };
            if self.of(&longer, size) <= wide {
                line = longer;
                continue;
            }
            if !line.is_empty() {
                lines.push(std::mem::take(&mut line));
            }
            line = self.cut(word, wide, size);
        }
        lines.extend((!line.is_empty()).then_some(line));
        lines
    }

    /// A text as far as it fits.
    pub(crate) fn cut(&self, line: &str, wide: i32, size: i32) -> String {
        if self.of(line, size) <= wide {
            return line.to_owned();
        }
        let mut out = String::new();
        for c in line.chars() {
            out.push(c);
            if self.of(&out, size) + self.of("…", size) > wide {
                out.pop();
                break;
            }
        }
        out + "…"
    }
}
