//! Stage 2, **split**: bytes become lines, lines become named fields, fields become rows.
//!
//! [`Framer`] cuts bytes into lines, [`Shape`] says how a line of numbers is laid out (found by itself or pinned),
//! [`Splitter`] joins the two and hands rows, messages and refusals to a [`Sink`]. Nothing here knows the time: a
//! stamp is carried along with the bytes and given back with what came of them.

mod frame;
mod learn;
mod number;
mod read;
mod shape;
mod splitter;

pub use frame::{Frame, Framer, MAX_LINE};
pub use number::{Number, number, scan_number};
pub use shape::{Delimiter, MAX_FIELDS, Shape};
pub use splitter::{Refusal, Sink, Splitter};
