//! The terminal: taken over at the start, given back whatever happens.

use anyhow::Context;
use crossterm::cursor::{Hide, Show};
use crossterm::event::{DisableMouseCapture, EnableMouseCapture};
use crossterm::terminal::{
    BeginSynchronizedUpdate, Clear, ClearType, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen,
    disable_raw_mode, enable_raw_mode,
};
use crossterm::{execute, queue};
use ratatui::backend::{Backend, CrosstermBackend};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::io::{BufWriter, Stdout, Write};

const LOST: &str = "the terminal cannot be written to";

/// The screen. Restores the terminal when dropped.
pub(super) struct Screen {
    backend: CrosstermBackend<BufWriter<Stdout>>,
    /// What the terminal shows.
    front: Buffer,
    back: Buffer,
}

impl Screen {
    pub(super) fn take_over() -> anyhow::Result<Screen> {
        let usual = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            give_back();
            usual(info);
        }));
        enable_raw_mode().context("the terminal cannot be switched to raw mode")?;
        let mut out = BufWriter::with_capacity(64 * 1024, std::io::stdout());
        execute!(out, EnterAlternateScreen, EnableMouseCapture, Hide).context(LOST)?;
        let empty = Buffer::empty(Rect::ZERO);
        Ok(Screen { backend: CrosstermBackend::new(out), front: empty.clone(), back: empty })
    }

    pub(super) fn size(&self) -> (u16, u16) {
        crossterm::terminal::size().unwrap_or((80, 24))
    }

    /// Draws one whole frame of this size; what is the same is not sent again.
    pub(super) fn draw(&mut self, (width, height): (u16, u16), draw: impl FnOnce(&mut Buffer)) -> anyhow::Result<()> {
        let area = Rect::new(0, 0, width, height);
        queue!(self.backend, BeginSynchronizedUpdate).context(LOST)?;
        if self.front.area != area {
            queue!(self.backend, Clear(ClearType::All)).context(LOST)?;
            self.front = Buffer::empty(area);
            self.back = Buffer::empty(area);
        }
        self.back.reset();
        draw(&mut self.back);
        self.backend.draw(self.front.diff(&self.back).into_iter()).context(LOST)?;
        std::mem::swap(&mut self.front, &mut self.back);
        self.end_frame()
    }

    /// Replaces one part of the frame that is shown.
    pub(super) fn patch(&mut self, part: &Buffer) -> anyhow::Result<()> {
        queue!(self.backend, BeginSynchronizedUpdate).context(LOST)?;
        let mut before = Buffer::empty(part.area);
        for position in part.area.positions() {
            if let (Some(cell), Some(shown)) = (before.cell_mut(position), self.front.cell(position)) {
                cell.clone_from(shown);
            }
        }
        self.backend.draw(before.diff(part).into_iter()).context(LOST)?;
        for position in part.area.positions() {
            if let (Some(shown), Some(cell)) = (self.front.cell_mut(position), part.cell(position)) {
                shown.clone_from(cell);
            }
        }
        self.end_frame()
    }

    /// The terminal shows a frame in one piece.
    fn end_frame(&mut self) -> anyhow::Result<()> {
        queue!(self.backend, EndSynchronizedUpdate).context(LOST)?;
        Write::flush(&mut self.backend).context(LOST)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back();
    }
}

/// Best effort: there is nobody left to tell.
fn give_back() {
    let _ = disable_raw_mode();
    let _ = execute!(std::io::stdout(), DisableMouseCapture, LeaveAlternateScreen, Show);
}

/// Puts `text` where other programs paste from, by the escape sequence that terminals have for it (OSC 52). Those that
/// do not know it leave it out.
pub(super) fn copy(text: &str) {
    let encoded = base64::Engine::encode(&base64::prelude::BASE64_STANDARD, text);
    let mut out = std::io::stdout().lock();
    // A terminal that cannot be written to is told when the screen is drawn.
    let _ = write!(out, "\x1b]52;c;{encoded}\x07").and_then(|()| out.flush());
}

/// Rings the terminal's bell.
pub(super) fn ring() {
    let mut out = std::io::stdout().lock();
    let _ = out.write_all(b"\x07").and_then(|()| out.flush());
}
