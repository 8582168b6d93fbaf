//! How a bench file writes the shape: one table, told apart by its `shape`.

use super::Split;
use crate::split::pins::Pins;
use crate::split::polled::Polled;
use crate::split::{Frames, Labels, Pattern, Plain, Shape};
use serde::{Deserialize, Serialize};

#[derive(Clone, Serialize, Deserialize)]
#[serde(tag = "shape", rename_all = "kebab-case")]
pub(super) enum Written {
    Auto,
    Labelled(Labels),
    Worded(Labels),
    PerLine(Labels),
    Plain(Plain),
    Json(Labels),
    Pattern(PatternText),
    Frames(FramesText),
    Pins(PinsText),
    Polled(PolledText),
}

/// A pattern by its text.
#[derive(Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PatternText {
    #[serde(with = "text")]
    lines: Pattern,
}

/// Frames by their text.
#[derive(Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FramesText {
    #[serde(with = "text")]
    frames: Frames,
}

/// Pins by their text.
#[derive(Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PinsText {
    #[serde(with = "text")]
    pins: Pins,
}

/// Questions by their text.
#[derive(Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PolledText {
    #[serde(with = "text")]
    questions: Polled,
}

/// A shape that is written as it is typed.
mod text {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};
    use std::fmt::Display;
    use std::str::FromStr;

    pub(super) fn serialize<S: Serializer>(shape: &impl Display, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(shape)
    }

    pub(super) fn deserialize<'a, D: Deserializer<'a>, T: FromStr<Err: Display>>(from: D) -> Result<T, D::Error> {
        String::deserialize(from)?.parse().map_err(D::Error::custom)
    }
}

impl From<Written> for Split {
    fn from(written: Written) -> Self {
        Split::Pinned(match written {
            Written::Auto => return Split::Auto,
            Written::Labelled(labels) => Shape::Labelled(labels),
            Written::Worded(labels) => Shape::Worded(labels),
            Written::PerLine(labels) => Shape::PerLine(labels),
            Written::Plain(plain) => Shape::Plain(plain),
            Written::Json(labels) => Shape::Json(labels),
            Written::Pattern(text) => Shape::Pattern(text.lines),
            Written::Frames(text) => Shape::Frames(text.frames),
            Written::Pins(text) => Shape::Pins(text.pins),
            Written::Polled(text) => Shape::Polled(text.questions),
        })
    }
}

impl From<Split> for Written {
    fn from(split: Split) -> Self {
        match split {
            Split::Auto => Written::Auto,
            Split::Pinned(Shape::Labelled(labels)) => Written::Labelled(labels),
            Split::Pinned(Shape::Worded(labels)) => Written::Worded(labels),
            Split::Pinned(Shape::PerLine(labels)) => Written::PerLine(labels),
            Split::Pinned(Shape::Plain(plain)) => Written::Plain(plain),
            Split::Pinned(Shape::Json(labels)) => Written::Json(labels),
            Split::Pinned(Shape::Pattern(lines)) => Written::Pattern(PatternText { lines }),
            Split::Pinned(Shape::Frames(frames)) => Written::Frames(FramesText { frames }),
            Split::Pinned(Shape::Pins(pins)) => Written::Pins(PinsText { pins }),
            Split::Pinned(Shape::Polled(questions)) => Written::Polled(PolledText { questions }),
        }
    }
}
