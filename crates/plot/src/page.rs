//! SVG to PDF, with a font of our own, so that text is there whatever fonts the system has.

use crate::PlotError;
use pdf_writer::{Content, Finish, Name, Pdf, Rect, Ref};
use std::collections::HashMap;
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
    // Lengths in millimetres are read at 96 dots an inch.
    let page = svg2pdf::PageOptions { dpi: 96.0 };
    svg2pdf::to_pdf(&tree(svg, &options())?, svg2pdf::ConversionOptions::default(), page)
        .map_err(|error| PlotError::Page(error.to_string()))
}

fn options() -> usvg::Options<'static> {
    let mut options = usvg::Options { font_family: FAMILY.into(), ..usvg::Options::default() };
    let fonts = options.fontdb_mut();
    fonts.load_font_data(FONT.to_vec());
    fonts.set_sans_serif_family(FAMILY);
    options
}

fn tree(svg: &str, options: &usvg::Options<'_>) -> Result<usvg::Tree, PlotError> {
    usvg::Tree::from_str(svg, options).map_err(|error| PlotError::Page(error.to_string()))
}

/// Points of PDF in a millimetre.
const POINTS: f64 = 72.0 / 25.4;

/// Turns drawings into the pages of one PDF document, each `size` millimetres large.
pub(crate) fn pdf_of_pages(pages: &[String], size: (f64, f64)) -> Result<Vec<u8>, PlotError> {
    let options = options();
    let (wide, high) = ((size.0 * POINTS) as f32, (size.1 * POINTS) as f32);
    let mut next = 1;
    let mut new = || {
        next += 1;
        Ref::new(next - 1)
    };
    let (catalog, tree_ref) = (new(), new());
    let mut pdf = Pdf::new();
    let mut refs = Vec::new();
    for svg in pages {
        let tree = tree(svg, &options)?;
        let (chunk, drawn) = svg2pdf::to_chunk(&tree, svg2pdf::ConversionOptions::default())
            .map_err(|error| PlotError::Page(error.to_string()))?;
        let mut known = HashMap::new();
        let chunk = chunk.renumber(|old| *known.entry(old).or_insert_with(&mut new));
        let drawn = known.get(&drawn).copied().ok_or_else(|| PlotError::Page("the drawing is empty".into()))?;
        let (page, content) = (new(), new());
        let name = Name(b"drawing");
        let mut draw = Content::new();
        // A drawing is one unit wide and high.
        draw.transform([wide, 0.0, 0.0, high, 0.0, 0.0]).x_object(name);
        pdf.stream(content, &draw.finish());
        let mut own = pdf.page(page);
        own.media_box(Rect::new(0.0, 0.0, wide, high)).parent(tree_ref).contents(content);
        own.resources().x_objects().pair(name, drawn);
        own.finish();
        pdf.extend(&chunk);
        refs.push(page);
    }
    pdf.catalog(catalog).pages(tree_ref);
    pdf.pages(tree_ref).count(refs.len() as i32).kids(refs);
    Ok(pdf.finish())
}
