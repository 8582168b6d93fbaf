//! What a text of readings means: candidate readings of its lines, ranked by their description length in bits.
//!
//! `text` makes lines of bytes. `lex` cuts lines into tokens without deciding what they mean; what commas, letters and colons
//! mean are options of the whole text, tried one beside the other. Lines with the same marks are a `template`, the places
//! between are `column`s, judged over all their lines; `merge` joins templates that differ by optional fields, a template may
//! be parted by a key. `rows` puts lines together to rows. `bits` says what each costs, `search` tries the readings and ranks
//! them, `reader` reads on by one, line by line, `spec` tells it to whoever reads streams fast. `table` tells the best one, its
//! `channel`s and, by its `structure`, what speaks against it; `told` says which of its columns are some, `names`, `header` and
//! `units` what they are called. `sentences` takes whole lines for states.

mod bits;
mod channel;
mod column;
mod header;
mod lex;
mod merge;
mod moment;
mod names;
mod number;
mod reader;
mod rows;
mod search;
mod sentences;
mod spec;
mod structure;
mod table;
mod template;
mod text;
mod told;
mod units;

pub use channel::{Channel, ChannelKind};
pub use lex::Options;
pub use number::{Comma, Writing};
pub use rows::Doubt;
pub use spec::{Spec, SpecColumn, SpecKind, SpecLine, SpecPart};
pub use table::{Finding, Table, find};
pub use text::Lines;
