//! Settings of a channel that are looked at while a bench is read.

use super::{ChannelSettings, Sides, words};
use crate::part::Listed;
use crate::scale::Scale;
use crate::smooth::Filter;
use crate::watch::Watch;
use crate::watch::interval::EdgeInterval;
use crate::watch::target::Target;
use serde::{Deserialize, Deserializer};

/// Settings that can be wrong although each value has the right type.
pub(super) trait Check {
    fn check(&self) -> Option<String>;
}

impl Check for String {
    fn check(&self) -> Option<String> {
        ChannelSettings::name_fault(self).map(str::to_owned)
    }
}

impl Check for Scale {
    fn check(&self) -> Option<String> {
        self.fault()
    }
}

impl Check for Vec<Filter> {
    fn check(&self) -> Option<String> {
        Filter::fault_of(self)
    }
}

impl Check for Option<Target> {
    fn check(&self) -> Option<String> {
        self.as_ref().and_then(Target::fault).map(str::to_owned)
    }
}

impl Check for Option<EdgeInterval> {
    fn check(&self) -> Option<String> {
        self.as_ref().and_then(EdgeInterval::fault).map(str::to_owned)
    }
}

impl Check for Sides {
    fn check(&self) -> Option<String> {
        let sound = |word: &String| word.is_empty() || words::is_plain(word);
        let is_sound = sound(&self.below) && sound(&self.above);
        (!is_sound).then(|| "a word is 1 to 32 characters without commas".to_owned())
    }
}

impl Check for Option<Watch> {
    fn check(&self) -> Option<String> {
        self.as_ref().and_then(Watch::fault).map(str::to_owned)
    }
}

/// Reads settings that hold together.
///
/// # Errors
/// What is wrong with them.
pub(super) fn sound<'de, D: Deserializer<'de>, T: Deserialize<'de> + Check>(from: D) -> Result<T, D::Error> {
    let value = T::deserialize(from)?;
    value.check().map_or(Ok(value), |fault| Err(serde::de::Error::custom(fault)))
}
