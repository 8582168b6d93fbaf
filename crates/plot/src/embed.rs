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
