//! The viewport: which stretch of time is shown in this frame, and the rows in it. Chart, readouts, strip, wire lines,
//! table, check-up and figures all go by it, so that all that is shown belongs to one moment: its right
//! edge, or that of the active cursor.

use super::{ChannelId, Session};
use amber_core::Stamp;
use amber_core::clock::Across;
use amber_core::spectrum::even::Even;
use std::ops::Range;

/// The stretch of time that is shown.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Viewport {
    /// The left edge.
    pub(crate) begin: Stamp,
    /// The right edge.
    pub(crate) end: Stamp,
    /// The moment that all numbers and lines belong to: the right edge, or the active cursor.
    pub(crate) moment: Stamp,
    /// Seconds between them.
    pub(crate) span: f64,
    /// The rows of each source between them.
    pub(crate) rows: Vec<Range<u64>>,
    /// The newest row of each source at the moment; none before its first one.
    last: Vec<Option<u64>>,
}

impl Viewport {
    /// The newest row of source `place` at the moment, which may lie before the left edge.
    pub(crate) fn row(&self, place: usize) -> Option<u64> {
        self.last.get(place).copied().flatten()
    }

    /// Whether numbers and lines are those of a cursor, rather than of the right edge.
    pub(crate) fn is_at_cursor(&self) -> bool {
        self.moment != self.end
    }

    /// The rows of source `place` that are shown.
    pub(crate) fn rows_of(&self, place: usize) -> Range<u64> {
        self.rows.get(place).cloned().unwrap_or_default()
    }
}

impl Session {
    /// What would be shown now.
    pub(crate) fn look(&self) -> Viewport {
        let (end, span) = (self.end(), self.axis.span);
        let begin = end.plus(-span);
        let rows: Vec<Range<u64>> = self.chains().map(|chain| chain.store().between(begin, end)).collect();
        let moment = self.shown_moment();
        let last = |chain: &amber_core::chain::Chain| {
            let rows = chain.store().between(begin.min(moment), moment);
            rows.end.checked_sub(1).filter(|row| chain.store().rows().contains(row))
        };
        let last = self.chains().map(last).collect();
        Viewport { begin, end, moment, span, rows, last }
    }

    /// The last rows of a channel that are shown, at most `most` of them, made even: its quantity before the filters, or
    /// `smoothed` behind them.
    ///
    /// # Errors
    /// Why they cannot be.
    pub(crate) fn even_rows(&self, id: ChannelId, smoothed: bool, most: usize) -> Result<Even, String> {
        if !self.channel_ids().any(|known| known == id) {
            return Err("no channel yet: rows must arrive first".into());
        }
        if self.chain_at(id.source).timer().across() != Across::Seconds {
            return Err(
                "a spectrum counts time, and the text has no clock: set its rows a second, or its clock (1)".into()
            );
        }
        let rows = self.viewport.rows_of(id.source);
        let end = self.viewport.row(id.source).map_or(rows.end, |row| row + 1);
        let rows = rows.start.max(end.saturating_sub(most as u64)).min(end)..end;
        self.even_stretch(id, smoothed, rows)
    }

    /// The same of any rows of the channel's source.
    pub(crate) fn even_stretch(&self, id: ChannelId, smoothed: bool, rows: Range<u64>) -> Result<Even, String> {
        let channel = self.channel_at(id);
        let series = if smoothed { channel.output() } else { channel.scaled() };
        Even::of_rows(self.chain_at(id.source).store(), series, rows)
    }

    /// The number behind the last line of the selected source that had come at the moment of `view`.
    pub(crate) fn lines_until(&self, view: &Viewport) -> u64 {
        let chain = self.chain();
        // Rows of a text have times of their own, and so may those on which a cursor is; their lines have those of their
        // arrival.
        let at = if chain.timer().is_text_time() || view.is_at_cursor() {
            view.row(self.place()).and_then(|row| chain.store().arrival(row)).unwrap_or(Stamp(i64::MIN))
        } else {
            view.end
        };
        chain.tail().number_after(at)
    }
}
