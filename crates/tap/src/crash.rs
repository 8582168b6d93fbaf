//! Faults of the program's own: the first panic of any thread is remembered, so that the screen can be given back and
//! takes be finished before it is said.

use std::backtrace::{Backtrace, BacktraceStatus};
use std::panic::PanicHookInfo;
use std::sync::{Mutex, PoisonError};

/// The exit code after such a fault.
pub(crate) const CODE: u8 = 101;

static FIRST: Mutex<Option<String>> = Mutex::new(None);

/// Remembers panics from now on instead of printing them into the screen.
pub(crate) fn remember() {
    std::panic::set_hook(Box::new(|info| {
        let mut first = FIRST.lock().unwrap_or_else(PoisonError::into_inner);
        first.get_or_insert_with(|| sentence(info));
    }));
}

/// What is to be said of a fault, if there was one.
pub(crate) fn seen() -> Option<String> {
    FIRST.lock().unwrap_or_else(PoisonError::into_inner).clone()
}

/// A fault on purpose, for trying out what becomes of one: in the thread that `AMBER_TAP_FAULT` names, and only in a
/// program built for development.
pub(crate) fn on_purpose(thread: &str) {
    if cfg!(debug_assertions) && std::env::var_os("AMBER_TAP_FAULT").is_some_and(|wanted| wanted == thread) {
        panic!("asked for");
    }
}

fn sentence(info: &PanicHookInfo<'_>) -> String {
    let payload = info.payload();
    let what = payload.downcast_ref::<&str>().copied().or(payload.downcast_ref::<String>().map(String::as_str));
    let place = info.location().map_or_else(String::new, |at| format!(" at {}:{}", at.file(), at.line()));
    let thread = std::thread::current();
    let mut text = format!(
        "stopped by a fault of its own in the thread '{}'{place}: {}. What was recorded is kept. Please report this.",
        thread.name().unwrap_or("?"),
        what.unwrap_or("no reason given"),
    );
    let trace = Backtrace::capture();
    if trace.status() == BacktraceStatus::Captured {
        text += &format!("\n{trace}");
    }
    text
}
