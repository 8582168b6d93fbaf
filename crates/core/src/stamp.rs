//! The one kind of time in the core: an instant, handed in from outside.

/// An instant in nanoseconds since the Unix epoch, never running backwards within one session.
///
/// Whoever makes stamps reads the wall clock once and adds a monotone clock to it, so that differences are true
/// durations even when the wall clock is set meanwhile.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Stamp(pub i64);

impl Stamp {
    /// The seconds from `earlier` to `self`; negative when `self` is the earlier one.
    pub fn seconds_since(self, earlier: Stamp) -> f64 {
        (self.0 - earlier.0) as f64 * 1e-9
    }

    /// The instant `seconds` later (earlier when negative), to the nanosecond; saturates at the ends of the range.
    pub fn plus(self, seconds: f64) -> Stamp {
        let nanoseconds = seconds * 1e9;
        // As `round` does it, halves away from zero, which is a call into a library.
        let whole = nanoseconds as i64;
        let rest = nanoseconds - whole as f64;
        Stamp(self.0.saturating_add(whole).saturating_add(i64::from(rest >= 0.5) - i64::from(rest <= -0.5)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn seconds_are_rounded_to_the_nanosecond(seconds in prop_oneof![-9e9..9e9, -1e-6..1e-6, Just(1.5e-9), Just(-0.5e-9), Just(0.5e-9 * (1.0 - f64::EPSILON))]) {
            prop_assert_eq!(Stamp(7).plus(seconds), Stamp(7 + (seconds * 1e9).round() as i64));
        }
    }
}
