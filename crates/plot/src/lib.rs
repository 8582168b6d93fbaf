//! Amber Tap's figures: a chart model in, SVG or PDF out, on a light ground and fit for paper.
//!
//! One drawing serves both formats: [`svg`] draws, [`pdf`] turns that drawing into a page. Knows nothing of chains,
//! takes or terminals; of the workspace it depends on `amber-core` alone.

mod document;
mod draw;
mod embed;
mod page;

pub use document::{Block, Document, FIGURE_WIDTH, Table, document_pdf, pages};
pub use page::pdf;

/// A figure could not be drawn.
#[derive(Debug, thiserror::Error)]
pub enum PlotError {
    /// The drawing library rejected.
    #[error("the figure cannot be drawn: {0}")]
    Drawing(String),
    /// The drawing could not be turned into a page.
    #[error("the figure cannot be turned into PDF: {0}")]
    Page(String),
}

/// A figure: lanes above one another over one axis, mostly of time.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Figure {
    /// What it shows.
    pub title: String,
    /// Where and when it was measured.
    pub subtitle: String,
    /// The limits of the axis across, the first before the last: seconds, or hertz of a spectrum.
    pub x: (f64, f64),
    /// What the axis across says.
    pub x_label: String,
    /// Analog lanes from top to bottom.
    pub lanes: Vec<Lane>,
    /// Digital lanes from top to bottom.
    pub logic: Vec<LogicLane>,
    /// Conditions from top to bottom, with their events.
    pub events: Vec<EventLane>,
    /// Notes at moments.
    pub marks: Vec<FigureMark>,
    /// Where on the axis across something was measured, from the first cursor on.
    pub cursors: Vec<f64>,
    /// Lines of text below the figure.
    pub notes: Vec<String>,
    /// What it is drawn on.
    pub paper: Paper,
}

/// What a figure is drawn on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Paper {
    /// In millimetres, above 0.
    pub width: f64,
    /// In millimetres, above 0.
    pub height: f64,
    /// A dark ground, as for a projector, rather than a white one.
    pub is_dark: bool,
}

impl Default for Paper {
    /// A4, landscape, white.
    fn default() -> Paper {
        Paper { width: 297.0, height: 210.0, is_dark: false }
    }
}

/// Analog channels that share a y axis.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Lane {
    /// What the axis is labelled with.
    pub label: String,
    /// The unit that the legend gives its channels; may be empty.
    pub unit: String,
    /// Bottom and top of the axis; bottom below top, both finite.
    pub limits: (f64, f64),
    /// The channels.
    pub traces: Vec<Trace>,
    /// Values that are watched, as dashed lines.
    pub thresholds: Vec<Threshold>,
    /// Rows of shades behind all else, as those of a waterfall.
    pub shades: Vec<Shades>,
    /// Stretches in which a channel was settled.
    pub levels: Vec<LevelLine>,
}

/// A stretch in which a channel was settled.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LevelLine {
    /// From where on the axis across.
    pub from: f64,
    /// Up to where.
    pub to: f64,
    /// On the lane's axis.
    pub value: f64,
    /// The number of its ink.
    pub ink: usize,
    /// What stands above it: its value with its unit.
    pub label: String,
}

/// A value that is watched.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Threshold {
    /// On the lane's axis.
    pub value: f64,
    /// The width of the dead band around it, drawn as a pale band; 0 or more.
    pub hysteresis: f64,
    /// The number of its ink.
    pub ink: usize,
    /// What stands on its line: its value with its unit.
    pub label: String,
}

/// A row of shades.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shades {
    /// From which value of the lane's axis it reaches.
    pub from: f64,
    /// Up to which one.
    pub to: f64,
    /// From where to where on the axis across.
    pub x: (f64, f64),
    /// The number of its ink.
    pub ink: usize,
    /// How dark each part of it is, all parts being equally wide: from 0, nothing, to 1.
    pub shares: Vec<f32>,
}

/// One channel as lines.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Trace {
    /// The letter that stands at its end.
    pub letter: char,
    /// Its name in the legend.
    pub name: String,
    /// What the legend says of it beyond that, such as `smoothed`; may be empty.
    pub note: &'static str,
    /// The number of its ink.
    pub ink: usize,
    /// Points (across, value), broken into runs where there are gaps.
    pub runs: Vec<Vec<(f64, f64)>>,
    /// The same before smoothing, drawn pale behind; empty when not smoothed.
    pub pale: Vec<Vec<(f64, f64)>>,
}

/// A digital channel: stretches from second to second in which it was low or high.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LogicLane {
    /// The letter that stands at its end.
    pub letter: char,
    /// Its name.
    pub name: String,
    /// The number of its ink.
    pub ink: usize,
    /// From, to, high.
    pub levels: Vec<(f64, f64, bool)>,
    /// From, to, and the word for its code there; of a channel that carries codes.
    pub words: Vec<(f64, f64, String)>,
}

/// The events of a condition.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct EventLane {
    /// The name of the condition.
    pub name: String,
    /// Since when it was true and until when; one that is true still has no end.
    pub spans: Vec<(f64, Option<f64>)>,
}

/// A note at a moment.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FigureMark {
    /// The number that stands on its line.
    pub number: u64,
    /// Where on the axis across.
    pub at: f64,
    /// The note; listed below the figure.
    pub note: String,
}

/// Draws the figure as an SVG document of the size of its paper. All text is text.
///
/// # Errors
/// When the drawing library rejects.
pub fn svg(figure: &Figure) -> Result<String, PlotError> {
    draw::svg(figure)
}
