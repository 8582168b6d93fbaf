//! The host's clock: where stamps come from.

use amber_core::Stamp;
use std::time::{Instant, SystemTime, UNIX_EPOCH};

/// Makes stamps: the wall clock as it was at the start, moved on by the monotone clock.
#[derive(Clone, Copy, Debug)]
pub struct HostClock {
    wall: i64,
    begun: Instant,
}

impl HostClock {
    /// A clock that starts now.
    pub fn start() -> Self {
        let wall = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_nanos() as i64);
        HostClock { wall, begun: Instant::now() }
    }

    /// The present.
    pub fn now(&self) -> Stamp {
        Stamp(self.wall + self.begun.elapsed().as_nanos() as i64)
    }
}
