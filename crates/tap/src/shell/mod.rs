//! What touches the world: terminal, threads, files. Runs the effects that the state asks for.

mod choose;
mod pacing;
mod run;
mod terminal;

pub(crate) use choose::choose;
pub(crate) use run::{Front, Live, run};

use anyhow::{Context, bail};
use rustix::fd::AsFd;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// A flag that is raised by Ctrl-C and by a request to end, so that a take is ended properly.
pub(crate) fn interrupted() -> anyhow::Result<Arc<AtomicBool>> {
    let flag = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM, signal_hook::consts::SIGHUP] {
        signal_hook::flag::register(signal, Arc::clone(&flag)).context("signals cannot be watched")?;
    }
    Ok(flag)
}

/// Whether there is a screen to draw on, and a keyboard; standard input may be something else.
pub(crate) fn need_terminal() -> anyhow::Result<()> {
    let is_terminal = |fd: rustix::fd::BorrowedFd<'_>| rustix::termios::isatty(fd);
    let keyboard = is_terminal(std::io::stdin().as_fd()) || std::fs::File::open("/dev/tty").is_ok();
    if !is_terminal(std::io::stdout().as_fd()) || !keyboard {
        bail!("the screen needs a terminal; without one, use `amber-tap log`, `amber-tap plot` or `amber-tap split`");
    }
    Ok(())
}
