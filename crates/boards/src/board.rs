//! What every simulated board does.

use std::time::Duration;

/// A board without a wire: bytes go in and come out, the time is handed in.
pub trait Board: Send {
    /// The speed of its serial line, in bits a second.
    fn baud(&self) -> u32;

    /// Starts its program anew, as opening the port does on most boards: its clock goes back to zero.
    fn reset(&mut self);

    /// Lets the board run up to `now` since its reset; what it sends meanwhile is added to `out`.
    fn run(&mut self, now: Duration, out: &mut Vec<u8>);

    /// The time since its reset at which it has something to send next.
    fn due(&self) -> Duration;

    /// The board hears bytes from the host; what it answers at once is added to `out`.
    fn hear(&mut self, bytes: &[u8], out: &mut Vec<u8>);

    /// Whether the board ever vanishes.
    fn may_vanish(&self) -> bool {
        false
    }

    /// How long the board goes away for, when it just did: its device vanishes and comes back under another name.
    fn vanishes(&mut self) -> Option<Duration> {
        None
    }
}
