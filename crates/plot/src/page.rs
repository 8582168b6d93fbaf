//! SVG to PDF, with a font of our own, so that text is there whatever fonts the system has.

use crate::PlotError;
use svg2pdf::usvg;

/// The family that figures are set in, as the embedded font calls itself.
pub(crate) const FAMILY: &str = "Ubuntu";

/// The families that a viewer of the SVG may set it in, best first.
pub(crate) const FAMILIES: &str = "Ubuntu, DejaVu Sans, Helvetica, Arial, sans-serif";

/// The font itself.
pub(crate) const FONT: &[u8] = epaint_default_fonts::UBUNTU_LIGHT;

/// Turns a drawing made by [`crate::svg`] into a PDF document of one page. Text stays text, and its font is embedded.
///
/// # Errors
/// When `svg` is no SVG document.
pub fn pdf(svg: &str) -> Result<Vec<u8>, PlotError> {
    let mut options = usvg::Options { font_family: FAMILY.into(), ..usvg::Options::default() };
    let fonts = options.fontdb_mut();
    fonts.load_font_data(FONT.to_vec());
    fonts.set_sans_serif_family(FAMILY);
    let tree = usvg::Tree::from_str(svg, &options).map_err(|error| PlotError::Page(error.to_string()))?;
    // Lengths in millimetres are read at 96 dots an inch.
    let page = svg2pdf::PageOptions { dpi: 96.0 };
    svg2pdf::to_pdf(&tree, svg2pdf::ConversionOptions::default(), page)
        .map_err(|error| PlotError::Page(error.to_string()))
}
