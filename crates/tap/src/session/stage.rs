//! The six stages of the chain.

/// The six stages of the chain, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Stage {
    Wire,
    Split,
    Scale,
    Smooth,
    Watch,
    Keep,
}

impl Stage {
    pub(crate) const ALL: [Stage; 6] =
        [Stage::Wire, Stage::Split, Stage::Scale, Stage::Smooth, Stage::Watch, Stage::Keep];

    pub(crate) const fn name(self) -> &'static str {
        match self {
            Stage::Wire => "wire",
            Stage::Split => "split",
            Stage::Scale => "scale",
            Stage::Smooth => "smooth",
            Stage::Watch => "watch",
            Stage::Keep => "keep",
        }
    }

    /// The key that opens its panel.
    pub(crate) fn number(self) -> usize {
        self as usize + 1
    }
}
