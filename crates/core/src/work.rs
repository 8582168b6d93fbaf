//! What work that may be long is handed: how far it is, and whether anybody still wants it.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};

/// Shared by those who do a piece of work and those who wait for it.
#[derive(Clone, Debug, Default)]
pub struct Ticket {
    cancelled: Arc<AtomicBool>,
    /// In millionths.
    done: Arc<AtomicU32>,
}

/// Nobody wants the work any more; what was done of it is of no use.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Cancelled;

impl Ticket {
    /// Nobody wants the work any more.
    pub fn cancel(&self) {
        self.cancelled.store(true, Ordering::Relaxed);
    }

    /// Whether nobody wants the work any more.
    pub fn is_cancelled(&self) -> bool {
        self.cancelled.load(Ordering::Relaxed)
    }

    /// So much of all is done; to be said now and then, as it is here that work is given up.
    ///
    /// # Errors
    /// [`Cancelled`] when the work is not wanted any more.
    #[inline]
    pub fn done(&self, done: u64, all: u64) -> Result<(), Cancelled> {
        let share = done as f64 / all.max(1) as f64;
        self.done.store((share.min(1.0) * 1e6) as u32, Ordering::Relaxed);
        if self.is_cancelled() { Err(Cancelled) } else { Ok(()) }
    }

    /// The share that is done, 0 to 1.
    pub fn share(&self) -> f64 {
        f64::from(self.done.load(Ordering::Relaxed)) / 1e6
    }
}
