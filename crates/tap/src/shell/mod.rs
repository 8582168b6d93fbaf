//! What touches the world: terminal, threads, files. Runs the effects that the state asks for.

mod choose;
mod encode;
mod input;
mod jobs;
mod pacing;
mod run;
mod symbols;
mod terminal;

pub(crate) use choose::choose;
pub(crate) use run::{Ended, Front, Live, run};

use anyhow::{Context, bail};
use rustix::fd::AsFd;
use signal_hook::{consts, flag};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::Duration;

/// How long last words may take when the end was asked for.
const LAST_WORDS: Duration = Duration::from_secs(1);

/// What the system tells this program by signals.
#[derive(Clone, Debug)]
pub(crate) struct Signals {
    /// The number of the one that asked for the end; 0 while none did.
    end: Arc<AtomicUsize>,
    /// The program goes on after it was stopped.
    goes_on: Arc<AtomicBool>,
}

impl Signals {
    /// Watches for Ctrl-C and requests to end, so that a take is ended properly, and takes no notice of a file that has
    /// reached its size limit, since writing to it fails like writing to a full disk.
    ///
    /// # Errors
    /// When signals cannot be watched.
    pub(crate) fn watch() -> anyhow::Result<Signals> {
        let signals = Signals { end: Arc::default(), goes_on: Arc::default() };
        let register = || -> std::io::Result<()> {
            for signal in [consts::SIGINT, consts::SIGTERM, consts::SIGHUP, consts::SIGQUIT] {
                flag::register_usize(signal, Arc::clone(&signals.end), signal as usize)?;
            }
            flag::register(consts::SIGXFSZ, Arc::default())?;
            flag::register(consts::SIGCONT, Arc::clone(&signals.goes_on)).map(drop)
        };
        register().context("signals cannot be watched")?;
        Ok(signals)
    }

    /// The number of the signal that asked for the end.
    pub(crate) fn ended(&self) -> Option<u8> {
        Some(self.end.load(Ordering::Relaxed) as u8).filter(|signal| *signal > 0)
    }

    /// Whether the program went on, since this was last asked, after it was stopped.
    pub(crate) fn went_on(&self) -> bool {
        self.goes_on.swap(false, Ordering::Relaxed)
    }

    /// All work is done and only words are left to print: whoever asked for the end does not wait for a terminal that
    /// takes none.
    pub(crate) fn end_at_last(&self) {
        let signals = self.clone();
        let wait = move || {
            loop {
                std::thread::sleep(LAST_WORDS);
                if let Some(signal) = signals.ended() {
                    std::process::exit(128 + i32::from(signal));
                }
            }
        };
        // Without it the program ends when it has printed, as it would mostly.
        let _ = std::thread::Builder::new().name("end".into()).spawn(wait);
    }
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
