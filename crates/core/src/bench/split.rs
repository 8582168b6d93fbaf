//! How a bench file writes the shape: one table, told apart by its `shape`.

use super::Split;
use crate::split::{Bare, Labels, Shape};
use serde::{Deserialize, Serialize};

#[derive(Clone, Serialize, Deserialize)]
#[serde(tag = "shape", rename_all = "lowercase")]
pub(super) enum Written {
    Auto,
    Labelled(Labels),
    Worded(Labels),
    Stacked(Labels),
    Bare(Bare),
    Json(Labels),
}

impl From<Written> for Split {
    fn from(written: Written) -> Self {
        Split::Pinned(match written {
            Written::Auto => return Split::Auto,
            Written::Labelled(labels) => Shape::Labelled(labels),
            Written::Worded(labels) => Shape::Worded(labels),
            Written::Stacked(labels) => Shape::Stacked(labels),
            Written::Bare(bare) => Shape::Bare(bare),
            Written::Json(labels) => Shape::Json(labels),
        })
    }
}

impl From<Split> for Written {
    fn from(split: Split) -> Self {
        match split {
            Split::Auto => Written::Auto,
            Split::Pinned(Shape::Labelled(labels)) => Written::Labelled(labels),
            Split::Pinned(Shape::Worded(labels)) => Written::Worded(labels),
            Split::Pinned(Shape::Stacked(labels)) => Written::Stacked(labels),
            Split::Pinned(Shape::Bare(bare)) => Written::Bare(bare),
            Split::Pinned(Shape::Json(labels)) => Written::Json(labels),
        }
    }
}
