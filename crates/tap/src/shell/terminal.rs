//! The terminal: taken over at the start, given back whatever happens.
//!
//! A terminal may stop reading (its connection hangs, its output was stopped). So a thread of its own writes to it, a
//! frame at a time, and nothing else ever waits for it.

use super::symbols::Font;
use anyhow::{Context, anyhow};
use crossbeam_channel::{Receiver, RecvTimeoutError, Sender, TryRecvError, bounded};
use crossterm::cursor::{Hide, Show};
use crossterm::event::{DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture};
use crossterm::queue;
use crossterm::terminal::{
    BeginSynchronizedUpdate, Clear, ClearType, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen,
    disable_raw_mode, enable_raw_mode,
};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::fs::File;
use std::io::{self, Write};
use std::time::Duration;

const LOST: &str = "the terminal cannot be written to";

/// The longest that a terminal is waited for that is to be given back.
const PATIENCE: Duration = Duration::from_millis(500);

/// Bytes beside the frames, such as a copied text, that wait for a terminal at most.
const ASIDE: usize = 256 * 1024;

/// The screen. Restores the terminal when dropped.
pub(super) struct Screen {
    /// What the terminal shows.
    front: Buffer,
    back: Buffer,
    /// What goes out before the next frame.
    aside: Vec<u8>,
    writer: Writer,
    font: Font,
}

/// The thread that writes.
struct Writer {
    give: Sender<Vec<u8>>,
    /// Says that all that was given has been written, or why not.
    written: Receiver<io::Result<()>>,
    /// Something was given and is not written yet.
    busy: bool,
}

impl Writer {
    fn start() -> anyhow::Result<Writer> {
        // Not the standard library's handle: that is locked while it is written to.
        let mut out = File::from(rustix::io::dup(io::stdout()).context(LOST)?);
        let (give, bytes) = bounded::<Vec<u8>>(1);
        let (say, written) = bounded(1);
        let write = move || {
            for bytes in bytes {
                if say.send(out.write_all(&bytes)).is_err() {
                    return;
                }
            }
        };
        std::thread::Builder::new().name("terminal".into()).spawn(write).context("no thread for the terminal")?;
        Ok(Writer { give, written, busy: false })
    }

    /// Gives bytes to be written; only while it is not busy.
    fn write(&mut self, bytes: Vec<u8>) -> anyhow::Result<()> {
        self.busy = true;
        self.give.try_send(bytes).map_err(|_| anyhow!(LOST))
    }

    fn is_ready(&mut self) -> anyhow::Result<bool> {
        if self.busy {
            match self.written.try_recv() {
                Ok(done) => {
                    self.busy = false;
                    done.context(LOST)?;
                }
                Err(TryRecvError::Empty) => {}
                Err(TryRecvError::Disconnected) => return Err(anyhow!(LOST)),
            }
        }
        Ok(!self.busy)
    }

    /// Waits until all is written, but not for ever. Whether it is.
    fn catch_up(&mut self) -> bool {
        if self.busy {
            self.busy = matches!(self.written.recv_timeout(PATIENCE), Err(RecvTimeoutError::Timeout));
        }
        !self.busy
    }
}

impl Screen {
    pub(super) fn take_over() -> anyhow::Result<Screen> {
        let empty = Buffer::empty(Rect::ZERO);
        let (writer, font) = (Writer::start()?, Font::from_environment(|name| std::env::var(name).ok()));
        let mut screen = Screen { front: empty.clone(), back: empty, aside: Vec::new(), writer, font };
        screen.begin()?;
        Ok(screen)
    }

    fn begin(&mut self) -> anyhow::Result<()> {
        enable_raw_mode().context("the terminal cannot be switched to raw mode")?;
        queue!(self.aside, EnterAlternateScreen, EnableMouseCapture, EnableBracketedPaste, Hide).context(LOST)
    }

    /// Gives the terminal back, as far as it can be written to.
    fn give_back(&mut self) {
        // Frames that wait for ever are given up; the terminal's own settings go back in any case.
        if self.writer.catch_up() {
            let mut last = Vec::new();
            // Writing to a vector cannot fail.
            let _ = queue!(last, DisableBracketedPaste, DisableMouseCapture, LeaveAlternateScreen, Show);
            if self.writer.write(last).is_ok() {
                self.writer.catch_up();
            }
        }
        let _ = disable_raw_mode();
    }

    /// Gives the terminal back until the program is told to go on: as after Ctrl-Z at a shell.
    ///
    /// # Errors
    /// When the terminal cannot be had again.
    pub(super) fn suspend(&mut self) -> anyhow::Result<()> {
        self.give_back();
        // The whole job stops, as a terminal would have it; this returns when it is told to go on.
        rustix::process::kill_current_process_group(rustix::process::Signal::TSTP)
            .context("the program cannot be suspended")?;
        self.begin_again()
    }

    /// Takes the terminal over again after it was in other hands.
    ///
    /// # Errors
    /// When it cannot be had.
    pub(super) fn begin_again(&mut self) -> anyhow::Result<()> {
        // What it shows now is unknown: all is drawn anew.
        self.front = Buffer::empty(Rect::ZERO);
        self.begin()
    }

    pub(super) fn size(&self) -> (u16, u16) {
        crossterm::terminal::size().unwrap_or((80, 24))
    }

    /// Whether the terminal has taken all that was drawn.
    ///
    /// # Errors
    /// When it cannot be written to.
    pub(super) fn is_ready(&mut self) -> anyhow::Result<bool> {
        self.writer.is_ready()
    }

    /// Says that the terminal has taken what was drawn; taken out by [`Screen::is_ready`].
    pub(super) fn written(&self) -> Receiver<io::Result<()>> {
        self.writer.written.clone()
    }

    /// Draws one whole frame of this size; what is the same is not sent again. What stands in `kept` is in the buffer
    /// already. Only for a screen that is ready.
    pub(super) fn draw(
        &mut self,
        (width, height): (u16, u16),
        kept: Option<Rect>,
        draw: impl FnOnce(&mut Buffer),
    ) -> anyhow::Result<()> {
        let area = Rect::new(0, 0, width, height);
        let mut bytes = self.begin_frame()?;
        if self.front.area != area {
            queue!(bytes, Clear(ClearType::All)).context(LOST)?;
            self.front = Buffer::empty(area);
            self.back = Buffer::empty(area);
        }
        self.back.reset();
        copy(kept.unwrap_or_default(), &self.front, &mut self.back);
        draw(&mut self.back);
        super::encode::cells(&mut bytes, self.front.diff(&self.back).into_iter(), self.font);
        std::mem::swap(&mut self.front, &mut self.back);
        self.end_frame(bytes)
    }

    /// Replaces one part of the frame that is shown. Only for a screen that is ready.
    pub(super) fn patch(&mut self, part: &Buffer) -> anyhow::Result<()> {
        let mut bytes = self.begin_frame()?;
        let mut before = Buffer::empty(part.area);
        copy(part.area, &self.front, &mut before);
        super::encode::cells(&mut bytes, before.diff(part).into_iter(), self.font);
        copy(part.area, part, &mut self.front);
        self.end_frame(bytes)
    }

    fn begin_frame(&mut self) -> anyhow::Result<Vec<u8>> {
        let mut bytes = std::mem::take(&mut self.aside);
        queue!(bytes, BeginSynchronizedUpdate).context(LOST)?;
        Ok(bytes)
    }

    /// The terminal shows a frame in one piece.
    fn end_frame(&mut self, mut bytes: Vec<u8>) -> anyhow::Result<()> {
        queue!(bytes, EndSynchronizedUpdate).context(LOST)?;
        self.writer.write(bytes)
    }

    /// Puts `text` where other programs paste from, by the escape sequence that terminals have for it (OSC 52). Those
    /// that do not know it leave it out.
    pub(super) fn copy(&mut self, text: &str) {
        let encoded = base64::Engine::encode(&base64::prelude::BASE64_STANDARD, text);
        self.beside(format!("\x1b]52;c;{encoded}\x07").as_bytes());
    }

    /// Rings the terminal's bell.
    pub(super) fn ring(&mut self) {
        self.beside(b"\x07");
    }

    fn beside(&mut self, bytes: &[u8]) {
        if self.aside.len() + bytes.len() <= ASIDE {
            self.aside.extend_from_slice(bytes);
        }
    }
}

/// Copies the cells of an area, as far as both have them, a row at a time.
fn copy(area: Rect, from: &Buffer, to: &mut Buffer) {
    let area = area.intersection(from.area).intersection(to.area);
    for y in area.top()..area.bottom() {
        let [source, target] =
            [from.area, to.area].map(|of| usize::from(y - of.y) * usize::from(of.width) + usize::from(area.x - of.x));
        let width = usize::from(area.width);
        to.content[target..target + width].clone_from_slice(&from.content[source..source + width]);
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        self.give_back();
    }
}
