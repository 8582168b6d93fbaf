//! A column of a table as others see it.

/// What a channel is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ChannelKind {
    /// The board's own time.
    Clock,
    /// A quantity.
    Analog,
    /// Two states.
    Digital,
    /// More states.
    Code,
}

/// A column of the table.
#[derive(Clone, Debug, PartialEq)]
pub struct Channel {
    /// As the lines or a header call it; `field1`, `field2` … where they do not.
    pub name: String,
    /// As the lines or a header say it; empty for none.
    pub unit: String,
    /// What it is.
    pub kind: ChannelKind,
    /// The words of the codes 0, 1, 2 …; none where it is of numbers.
    pub words: Vec<String>,
}
