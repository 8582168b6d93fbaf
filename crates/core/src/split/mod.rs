//! Stage 2, **split**: bytes become lines, lines become named fields, fields become rows.
//!
//! A [`Framing`] cuts bytes into frames, as [`Lines`] does, [`Shape`] says how rows are laid out on lines (found by itself or pinned),
//! [`Splitter`] joins the two and hands rows and the fate of each line to a [`Sink`]. Nothing here knows the time: a
//! stamp is carried along with the bytes and given back with what came of them.
//!
//! `form` says what one line could be, `learn` what a stream of them is, `read` turns a line into values (`bare`,
//! `labelled`, `words` and `json` are its scanners), `turns` puts rows together that take several lines, `reading` doubts
//! the shape while it is in force, `doubts` asks what commas and signs mean, `trial` reads the first lines again when another shape does better.

mod bare;
mod doubts;
mod fate;
mod form;
mod frame;
mod json;
mod judge;
mod labelled;
mod learn;
mod number;
mod read;
mod reading;
mod shape;
mod spelling;
mod splitter;
mod trial;
mod turns;
mod value;
mod words;

pub use fate::{Fate, Refusal, Sink};
pub use frame::{Frame, Framing, Lines, MAX_LINE};
pub use judge::{Judged, judge};
pub use number::{Number, number, scan_number};
pub use read::{Column, Resolution};
pub use reading::Offer;
pub use shape::{Bare, Delimiter, Labels, MAX_FIELDS, Shape};
pub use spelling::NotAShape;
pub use splitter::{Splitter, Standing, Sure, Waiting};
pub use value::STATE_WORDS;
