//! Printing to standard output and standard error, which may be closed, full or gone.

use anyhow::Context;
use std::io::{self, Write};

/// Whoever read standard output has enough of it: not an error, but the end.
#[derive(Debug, thiserror::Error)]
#[error("nobody reads what is printed any more")]
pub(crate) struct NobodyReads;

/// What became of printing, `what` being printed.
///
/// # Errors
/// [`NobodyReads`] when the pipe is closed; else what the system says.
pub(crate) fn printed(done: io::Result<()>, what: &str) -> anyhow::Result<()> {
    match done {
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Err(NobodyReads.into()),
        done => done.with_context(|| format!("cannot print {what}")),
    }
}

/// Prints a line to standard output.
///
/// # Errors
/// As [`printed`].
pub(crate) fn line(text: impl std::fmt::Display, what: &str) -> anyhow::Result<()> {
    let mut out = io::stdout().lock();
    printed(writeln!(out, "{text}").and_then(|()| out.flush()), what)
}

/// Prints a line to standard error. Where that is gone, there is nobody to tell.
pub(crate) fn aside(text: impl std::fmt::Display) {
    let _ = writeln!(io::stderr().lock(), "{text}");
}
