//! The terminal: taken over at the start, given back whatever happens.

use anyhow::Context;
use crossterm::event::{DisableMouseCapture, EnableMouseCapture};
use crossterm::terminal::{
    BeginSynchronizedUpdate, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode,
    enable_raw_mode,
};
use crossterm::{execute, queue};
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::buffer::Buffer;
use std::io::{BufWriter, Stdout, Write};

/// The screen. Restores the terminal when dropped.
pub(super) struct Screen {
    terminal: Terminal<CrosstermBackend<BufWriter<Stdout>>>,
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
        execute!(out, EnterAlternateScreen, EnableMouseCapture).context("the terminal cannot be written to")?;
        let mut terminal = Terminal::new(CrosstermBackend::new(out)).context("the terminal cannot be written to")?;
        terminal.clear().context("the terminal cannot be written to")?;
        Ok(Screen { terminal })
    }

    pub(super) fn size(&self) -> (u16, u16) {
        self.terminal.size().map_or((80, 24), |size| (size.width, size.height))
    }

    /// Draws one frame, which the terminal shows in one piece.
    pub(super) fn draw(&mut self, draw: impl FnOnce(&mut Buffer)) -> anyhow::Result<()> {
        let lost = "the terminal cannot be written to";
        queue!(self.terminal.backend_mut(), BeginSynchronizedUpdate).context(lost)?;
        self.terminal.draw(|frame| draw(frame.buffer_mut())).context(lost)?;
        queue!(self.terminal.backend_mut(), EndSynchronizedUpdate).context(lost)?;
        Write::flush(self.terminal.backend_mut()).context(lost)
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
    let _ = execute!(std::io::stdout(), DisableMouseCapture, LeaveAlternateScreen, crossterm::cursor::Show);
}
