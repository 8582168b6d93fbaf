//! Faults of the program's own: the first panic of any thread is remembered, so that the screen can be given back and
//! takes be finished before it is said. A fault of a job is told, and the program goes on.

use std::any::Any;
use std::backtrace::{Backtrace, BacktraceStatus};
use std::cell::{Cell, RefCell};
use std::panic::{AssertUnwindSafe, PanicHookInfo};
use std::sync::{Mutex, PoisonError};

/// The exit code after such a fault.
pub(crate) const CODE: u8 = 101;

static FIRST: Mutex<Option<String>> = Mutex::new(None);

thread_local! {
    /// In a thread that does a job: the fault of that job.
    static OF_JOB: RefCell<Option<String>> = const { RefCell::new(None) };
    static IN_JOB: Cell<bool> = const { Cell::new(false) };
}

/// Remembers panics from now on instead of printing them into the screen.
pub(crate) fn remember() {
    std::panic::set_hook(Box::new(|info| {
        if IN_JOB.get() {
            OF_JOB.set(Some(what_and_where(info)));
            return;
        }
        let mut first = FIRST.lock().unwrap_or_else(PoisonError::into_inner);
        first.get_or_insert_with(|| sentence(info));
    }));
}

/// What is to be said of a fault, if there was one.
pub(crate) fn seen() -> Option<String> {
    FIRST.lock().unwrap_or_else(PoisonError::into_inner).clone()
}

/// Does a job, and says what its fault was if it had one. What the job worked on must not be used any more then.
///
/// # Errors
/// The fault, with its place in the program.
pub(crate) fn contained<T>(job: impl FnOnce() -> T) -> Result<T, String> {
    IN_JOB.set(true);
    let done = std::panic::catch_unwind(AssertUnwindSafe(job));
    IN_JOB.set(false);
    done.map_err(|payload| {
        // Without the hook, as in tests, the payload says it.
        let told = OF_JOB.take().unwrap_or_else(|| reason(&*payload).to_owned());
        format!("a fault of the program: {told}; please report it")
    })
}

/// A fault on purpose, for trying out what becomes of one: in the thread that `AMBER_TAP_FAULT` names, and only in a
/// program built for development.
pub(crate) fn on_purpose(thread: &str) {
    if cfg!(debug_assertions) && std::env::var_os("AMBER_TAP_FAULT").is_some_and(|wanted| wanted == thread) {
        panic!("asked for");
    }
}

fn reason(payload: &dyn Any) -> &str {
    let text = payload.downcast_ref::<&str>().copied();
    text.or(payload.downcast_ref::<String>().map(String::as_str)).unwrap_or("no reason given")
}

fn what_and_where(info: &PanicHookInfo<'_>) -> String {
    let place = info.location().map_or_else(String::new, |at| format!(" at {}:{}", at.file(), at.line()));
    format!("{}{place}", reason(info.payload()))
}

fn sentence(info: &PanicHookInfo<'_>) -> String {
    let thread = std::thread::current();
    let mut text = format!(
        "stopped by an internal fault in the thread '{}': {}. What was recorded is kept. Please report this.",
        thread.name().unwrap_or("?"),
        what_and_where(info),
    );
    let trace = Backtrace::capture();
    if trace.status() == BacktraceStatus::Captured {
        text += &format!("\n{trace}");
    }
    text
}
