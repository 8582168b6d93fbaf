//! Stage 2, **split**: bytes become lines, lines become named fields, fields become rows.
//!
//! A [`Framing`] cuts bytes into frames, as [`LineFraming`] does, [`Shape`] says how rows are laid out on lines (detected or pinned),
//! [`Splitter`] joins the two and hands rows and the outcome of each line to a [`Sink`]. Nothing here knows the time: a
//! stamp is carried along with the bytes and given back with what came of them.
//!
//! `line_shape` says what one line could be, `header` what it names, `learn` what a stream of them is, `read` turns a line into values (`plain`,
//! `labelled`, `words` and `json` are its scanners), `turns` puts rows together that take several lines, `pattern` reads
//! what is text with fields in it, `clean` makes text of bytes, `wall` reads dates and times of day, `address` what is no reading; `shape_reader` doubts the
//! shape while it is in force, `doubts` asks what commas and signs mean, `trial` reads the first lines again when another
//! shape does better; `opinion` asks what all of them mean together.
//!
//! Not all streams are lines: `frames` are binary, `pins` are messages of a board whose pins the host sets up; `polled` reads lines by
//! what was asked. `cutter` cuts by the shape in force, `probe` tells frames from text by the first bytes.

mod address;
mod beside;
mod clean;
mod cutter;
mod doubts;
mod effort;
mod frame;
mod frames;
mod header;
mod json;
mod judge;
mod labelled;
mod later;
mod learn;
mod line_shape;
mod number;
mod opinion;
mod outcome;
mod pattern;
pub mod pins;
mod plain;
pub mod polled;
mod probe;
mod read;
mod shape;
mod shape_reader;
mod spelling;
mod splitter;
mod together;
mod trial;
mod turns;
mod units;
mod value;
mod wall;
mod words;

pub use frame::{Frame, Framing, LineFraming, MAX_LINE};
pub use frames::{Check, CheckKind, Content, Count, Counted, Envelope, Field, FieldKind, Frames, Order, Record};
pub use judge::{Judged, judge};
pub use number::{Number, number, scan_number};
pub use outcome::{LineOutcome, Rejection, Sink};
pub use pattern::Pattern;
pub use read::{Column, Resolution};
pub use shape::{Delimiter, Labels, MAX_FIELDS, Plain, Shape};
pub use shape_reader::Proposal;
pub use spelling::NotAShape;
pub use splitter::{Confidence, OpeningState, Splitter, Waiting};
pub use value::STATE_WORDS;
