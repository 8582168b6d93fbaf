//! How a trace's line is broken, so that more traces can be told apart than there are inks, without colour too.

/// The inks that there are: traces that share one differ by their pattern.
const INKS: usize = 6;

/// A line's pattern.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Pattern {
    Solid,
    Dashed,
    Dotted,
}

impl Pattern {
    /// That of the trace with this number.
    pub(crate) fn of(trace: usize) -> Pattern {
        match trace / INKS % 3 {
            0 => Pattern::Solid,
            1 => Pattern::Dashed,
            _ => Pattern::Dotted,
        }
    }

    /// Whether the line is drawn in a column of dots, counted on the chart's fixed grid: a finished column never changes.
    pub(super) fn shows(self, column: i64) -> bool {
        match self {
            Pattern::Solid => true,
            Pattern::Dashed => column.rem_euclid(10) < 6,
            Pattern::Dotted => column.rem_euclid(4) < 1,
        }
    }

    /// A piece of it, for a legend; nothing for a plain line.
    pub(crate) fn sample(self) -> &'static str {
        match self {
            Pattern::Solid => "",
            Pattern::Dashed => "╌",
            Pattern::Dotted => "┈",
        }
    }
}
