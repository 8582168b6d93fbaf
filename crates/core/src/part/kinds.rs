//! A stage's list: one enum over its kinds of part, made from a list of their types.

use super::SettingView;

/// A kind of part, as a person chooses it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Kind {
    /// Its name, also in a bench file.
    pub name: &'static str,
    /// What it does.
    pub help: &'static str,
    /// Whether a person can add it to a list.
    pub is_added: bool,
}

/// A part of some kind in a stage's list, in force or bypassed.
pub trait Listed: Clone + PartialEq + Sized + 'static {
    /// All kinds, in the order in which they are offered.
    const KINDS: &'static [Kind];
    /// What a person calls a part of this list.
    const NOUN: &'static str;
    /// The most parts of a list.
    const MAX: usize;

    /// A part of the kind of this name, as it is before anything is set; `None` where there is no such kind.
    fn of_kind(name: &str) -> Option<Self>;

    /// The name of its kind, also while it is bypassed; its own name where it has one.
    fn kind(&self) -> &str;

    /// In a few characters; empty while it is bypassed.
    fn short(&self) -> String;

    /// What is wrong with it, if anything.
    fn fault(&self) -> Option<String>;

    /// Its settings as they are shown. `unit` is the unit of the value in front of it.
    fn settings(&self, unit: &str) -> Vec<SettingView>;

    /// Takes what was typed for setting `index`.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence; the part is as it was then.
    fn set(&mut self, index: usize, text: &str) -> Result<(), String>;

    /// Moves setting `index` a little up (1) or down (-1), or to its next choice. `finest` is the resolution of the value
    /// in front of the part. What cannot be moved stays.
    fn nudge(&mut self, index: usize, by: i32, finest: f64);

    /// Whether values go through it unchanged, to compare.
    fn is_bypassed(&self) -> bool;

    /// The same, in force if it was bypassed, bypassed if it was in force.
    #[must_use]
    fn toggled(self) -> Self;

    /// What is wrong with a list of them, if anything: too many, or the first one with a fault.
    fn fault_of(list: &[Self]) -> Option<String> {
        if list.len() > Self::MAX {
            return Some(format!("there are at most {} {}s", Self::MAX, Self::NOUN));
        }
        list.iter().enumerate().find_map(|(i, part)| {
            let fault = part.fault()?;
            Some(format!("{} {} ({}): {fault}", Self::NOUN, i + 1, part.kind()))
        })
    }
}

/// A list of parts, whatever their kinds.
pub trait Parts {
    /// What a person calls one of them.
    fn noun(&self) -> &'static str;

    /// The kinds that a person can add, in the order in which they are offered.
    fn kinds(&self) -> Vec<Kind>;

    /// How many there are.
    fn count(&self) -> usize;

    /// The most that there can be.
    fn most(&self) -> usize;

    /// The name of the kind of part `at`.
    fn kind(&self, at: usize) -> &str;

    /// Whether part `at` is bypassed.
    fn is_bypassed(&self, at: usize) -> bool;

    /// The settings of part `at`; see [`Listed::settings`].
    fn settings(&self, at: usize, unit: &str) -> Vec<SettingView>;

    /// Takes what was typed for setting `index` of part `at`.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence; the part is as it was then.
    fn set(&mut self, at: usize, index: usize, text: &str) -> Result<(), String>;

    /// Moves setting `index` of part `at`; see [`Listed::nudge`].
    fn nudge(&mut self, at: usize, index: usize, by: i32, finest: f64);

    /// Adds a part of this kind as part `at`.
    fn add(&mut self, at: usize, kind: &str);

    /// Deletes part `at`.
    fn delete(&mut self, at: usize);

    /// Exchanges two parts.
    fn exchange(&mut self, a: usize, b: usize);

    /// Bypasses part `at`, or puts it in force again.
    fn toggle(&mut self, at: usize);
}

/// All indices must lie within the list.
impl<P: Listed> Parts for Vec<P> {
    fn noun(&self) -> &'static str {
        P::NOUN
    }

    fn kinds(&self) -> Vec<Kind> {
        P::KINDS.iter().filter(|kind| kind.is_added).copied().collect()
    }

    fn count(&self) -> usize {
        self.len()
    }

    fn most(&self) -> usize {
        P::MAX
    }

    fn kind(&self, at: usize) -> &str {
        self[at].kind()
    }

    fn is_bypassed(&self, at: usize) -> bool {
        self[at].is_bypassed()
    }

    fn settings(&self, at: usize, unit: &str) -> Vec<SettingView> {
        self[at].settings(unit)
    }

    fn set(&mut self, at: usize, index: usize, text: &str) -> Result<(), String> {
        self[at].set(index, text)
    }

    fn nudge(&mut self, at: usize, index: usize, by: i32, finest: f64) {
        self[at].nudge(index, by, finest);
    }

    fn add(&mut self, at: usize, kind: &str) {
        if let Some(part) = P::of_kind(kind) {
            self.insert(at.min(self.len()), part);
        }
    }

    fn delete(&mut self, at: usize) {
        self.remove(at);
    }

    fn exchange(&mut self, a: usize, b: usize) {
        self.swap(a, b);
    }

    fn toggle(&mut self, at: usize) {
        self[at] = self[at].clone().toggled();
    }
}

/// Makes the enum of a stage's list from the types of its kinds, each of which is a [`super::Part`] and does what the
/// stage asks of it (the trait behind `as`).
macro_rules! kinds {
    (
        $(#[$meta:meta])*
        enum $name:ident as $does:ident, at most $max:literal, $noun:literal: $($kind:ident),+ $(,)?
    ) => {
        $(#[$meta])*
        #[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
        #[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
        pub enum $name {
            $(#[doc = concat!("See [`", stringify!($kind), "`].")] $kind($kind),)+
            /// One that is bypassed, to compare: values go on unchanged.
            Bypassed {
                /// What is bypassed.
                of: Box<$name>,
            },
        }

        $(impl From<$kind> for $name {
            fn from(part: $kind) -> $name {
                $name::$kind(part)
            }
        })+

        impl $name {
            /// What it does; nothing while it is bypassed.
            fn in_force(&self) -> Option<&dyn $does> {
                match self {
                    $($name::$kind(part) => Some(part),)+
                    $name::Bypassed { .. } => None,
                }
            }
        }

        impl $crate::part::Listed for $name {
            const KINDS: &'static [$crate::part::Kind] = &[$($crate::part::Kind {
                name: <$kind as $crate::part::Part>::KIND,
                help: <$kind as $crate::part::Part>::HELP,
                is_added: <$kind as $crate::part::Part>::IS_ADDED,
            }),+];
            const NOUN: &'static str = $noun;
            const MAX: usize = $max;

            fn of_kind(name: &str) -> Option<Self> {
                $(if name == <$kind as $crate::part::Part>::KIND {
                    return Some($name::$kind($kind::default()));
                })+
                None
            }

            fn kind(&self) -> &str {
                match self {
                    $($name::$kind(_) => <$kind as $crate::part::Part>::KIND,)+
                    $name::Bypassed { of } => of.kind(),
                }
            }

            fn short(&self) -> String {
                match self {
                    $($name::$kind(part) => $crate::part::Part::short(part),)+
                    $name::Bypassed { .. } => String::new(),
                }
            }

            fn fault(&self) -> Option<String> {
                match self {
                    $($name::$kind(part) => $crate::part::Part::fault(part),)+
                    $name::Bypassed { of } if of.is_bypassed() => Some(format!("a {} is bypassed once", $noun)),
                    $name::Bypassed { of } => of.fault(),
                }
            }

            fn settings(&self, unit: &str) -> Vec<$crate::part::SettingView> {
                match self {
                    $($name::$kind(part) => $crate::part::Part::views(part, unit),)+
                    $name::Bypassed { of } => of.settings(unit),
                }
            }

            fn set(&mut self, index: usize, text: &str) -> Result<(), String> {
                match self {
                    $($name::$kind(part) => $crate::part::Part::set(part, index, text),)+
                    $name::Bypassed { of } => of.set(index, text),
                }
            }

            fn nudge(&mut self, index: usize, by: i32, finest: f64) {
                match self {
                    $($name::$kind(part) => $crate::part::Part::nudge(part, index, by, finest),)+
                    $name::Bypassed { of } => of.nudge(index, by, finest),
                }
            }

            fn is_bypassed(&self) -> bool {
                matches!(self, $name::Bypassed { .. })
            }

            fn toggled(self) -> Self {
                match self {
                    $name::Bypassed { of } => *of,
                    of => $name::Bypassed { of: Box::new(of) },
                }
            }
        }
    };
}

pub(crate) use kinds;
