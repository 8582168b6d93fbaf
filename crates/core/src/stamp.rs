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
        Stamp(self.0.saturating_add((seconds * 1e9).round() as i64))
    }
}
