//! What became of each line.

use super::shape::Shape;
use crate::Stamp;

/// Why a line did not become a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rejection {
    /// Holds bytes that are not text.
    Unreadable,
    /// A field's text is not a number.
    NotANumber,
    /// More or fewer numbers than the other rows.
    FieldCount,
    /// A label that was not there before and has not yet been seen often enough to become a channel.
    NewLabel,
    /// The same label twice on a line, as when two lines ran together.
    LabelTwice,
    /// A label that every other row has is not there.
    MissingLabel,
    /// A unit that is not that of the other rows.
    OtherUnit,
    /// JSON that does not hold together.
    NotJson,
    /// Numbers in turn that fit better in another order: a line was lost.
    OutOfTurn,
    /// Longer than [`super::MAX_LINE`].
    TooLong,
    /// Came before any shape could be found.
    NoShape,
    /// A label that was not there before, when there are as many channels as there can be.
    TooManyLabels,
    /// The text around the values is not that of the other rows.
    OtherText,
    /// The checksum at its end is not that of the line.
    Checksum,
    /// Bytes that are no whole frame, or stand between frames.
    NoFrame,
    /// A frame whose check is wrong.
    FrameCheck,
    /// Bytes that no stuffing makes.
    Stuffing,
    /// Not as long as a frame is.
    FrameLength,
    /// A line that came before the stream was cut into frames.
    CutAsLine,
    /// A frame that came before the stream was cut into lines.
    CutAsFrame,
    /// An answer that came when it was no longer waited for.
    Late,
    /// More numbers than a row may have, while no shape is known.
    TooManyFields,
}

impl Rejection {
    /// All reasons; the position of each is its index in a table of counts.
    pub const ALL: [Rejection; 22] = [
        Rejection::Unreadable,
        Rejection::NotANumber,
        Rejection::FieldCount,
        Rejection::NewLabel,
        Rejection::LabelTwice,
        Rejection::MissingLabel,
        Rejection::OtherUnit,
        Rejection::NotJson,
        Rejection::OutOfTurn,
        Rejection::TooLong,
        Rejection::NoShape,
        Rejection::TooManyLabels,
        Rejection::OtherText,
        Rejection::Checksum,
        Rejection::NoFrame,
        Rejection::FrameCheck,
        Rejection::Stuffing,
        Rejection::FrameLength,
        Rejection::CutAsLine,
        Rejection::CutAsFrame,
        Rejection::Late,
        Rejection::TooManyFields,
    ];

    /// Whether the framing found it: the bytes were no whole frame.
    pub fn is_of_frame(self) -> bool {
        use Rejection::{CutAsFrame, CutAsLine, FrameCheck, NoFrame, Stuffing, TooLong};
        matches!(self, TooLong | NoFrame | FrameCheck | Stuffing | CutAsLine | CutAsFrame)
    }

    /// The reason in a few words.
    pub fn text(self) -> &'static str {
        match self {
            Rejection::Unreadable => "not readable text",
            Rejection::NotANumber => "a field is not a number",
            Rejection::FieldCount => "wrong number of fields",
            Rejection::NewLabel => "a label not seen before",
            Rejection::LabelTwice => "a label appears twice",
            Rejection::MissingLabel => "a field is missing",
            Rejection::OtherUnit => "another unit than before",
            Rejection::NotJson => "broken JSON",
            Rejection::OutOfTurn => "out of turn, a line was lost",
            Rejection::TooLong => "line too long",
            Rejection::NoShape => "no shape found yet",
            Rejection::TooManyLabels => "a new label, and 64 channels are there already",
            Rejection::OtherText => "other text around the values",
            Rejection::Checksum => "wrong checksum",
            Rejection::NoFrame => "no whole frame",
            Rejection::FrameCheck => "wrong check of a frame",
            Rejection::Stuffing => "broken byte stuffing",
            Rejection::FrameLength => "wrong length of a frame",
            Rejection::CutAsLine => "came before frames were set",
            Rejection::Late => "answer too late",
            Rejection::TooManyFields => "more than 64 numbers on a line",
            Rejection::CutAsFrame => "came before lines were set",
        }
    }
}

/// What became of a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineOutcome {
    /// Became a row, or a part of one that begins with this column.
    Row(u8),
    /// Words of the board's own: a banner, an answer, an error message.
    Message,
    /// The rest of a line, or of a row of several lines, whose beginning was sent before anyone listened. Not damage.
    Half,
    /// Rejected.
    Rejected(Rejection),
    /// Did not come but was sent to the board. The splitter never says this.
    Sent,
}

/// Where the splitter's findings go, each with the stamp of the bytes that completed its line.
pub trait Sink {
    /// The shape was found, pinned, or has grown a column at its end.
    fn shape(&mut self, shape: &Shape);
    /// A line, or the first [`super::MAX_LINE`] bytes of one; every line is given exactly once.
    fn line(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]);
    /// A row: one value a column, NaN for a gap. Comes after its last line.
    fn row(&mut self, at: Stamp, values: &[f64]);
    /// The link was broken before the next line. Only said of lines that waited for their shape: whoever breaks the link
    /// knows of it otherwise.
    fn gap(&mut self) {}
    /// The shape was found too early: lines and rows that were given since the first [`Sink::shape`] are void. They come
    /// again, behind another [`Sink::shape`].
    fn restart(&mut self) {}
}

/// What is found goes nowhere.
pub(super) struct Nothing;

impl Sink for Nothing {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
    fn row(&mut self, _: Stamp, _: &[f64]) {}
}
