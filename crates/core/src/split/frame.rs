//! Bytes to lines: ended by LF, CRLF or CR, never longer than [`MAX_LINE`].

use memchr::memchr2;

/// The longest line that is kept, in bytes without its ending. What goes beyond is dropped up to the next line ending.
pub const MAX_LINE: usize = 4096;

/// What the framer found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Frame<'a> {
    /// A whole line without its ending; never empty.
    Line(&'a [u8]),
    /// The head of a line that outgrew [`MAX_LINE`], given once, as soon as that is known.
    TooLong(&'a [u8]),
}

/// Cuts a stream of bytes, in pieces of any size, into lines.
///
/// Empty lines are skipped, which is also why CRLF needs no state: it is a line and an empty line.
#[derive(Clone, Debug, Default)]
pub struct Framer {
    partial: Vec<u8>,
    discarding: bool,
}

impl Framer {
    /// A framer at the start of a line.
    pub fn new() -> Self {
        Self::default()
    }

    /// Forgets an unfinished line, as after a broken link; gives the number of bytes forgotten.
    pub fn reset(&mut self) -> usize {
        self.discarding = false;
        let lost = self.partial.len();
        self.partial.clear();
        lost
    }

    /// Takes all of `bytes` and gives each frame to `sink` in order. Memory stays below [`MAX_LINE`] bytes.
    pub fn feed(&mut self, mut bytes: &[u8], mut sink: impl FnMut(Frame<'_>)) {
        if self.discarding || !self.partial.is_empty() {
            let end = memchr2(b'\n', b'\r', bytes);
            let head = &bytes[..end.unwrap_or(bytes.len())];
            if !self.discarding {
                if self.partial.len() + head.len() > MAX_LINE {
                    let room = MAX_LINE - self.partial.len();
                    self.partial.extend_from_slice(&head[..room]);
                    sink(Frame::TooLong(&self.partial));
                    self.discarding = true;
                } else {
                    self.partial.extend_from_slice(head);
                }
            }
            let Some(end) = end else { return };
            if !self.discarding {
                sink(Frame::Line(&self.partial));
            }
            self.discarding = false;
            self.partial.clear();
            bytes = &bytes[end + 1..];
        }
        let mut start = 0;
        for end in memchr::memchr2_iter(b'\n', b'\r', bytes) {
            let line = &bytes[start..end];
            start = end + 1;
            if line.len() > MAX_LINE {
                sink(Frame::TooLong(&line[..MAX_LINE]));
            } else if !line.is_empty() {
                sink(Frame::Line(line));
            }
        }
        let rest = &bytes[start..];
        if rest.len() > MAX_LINE {
            sink(Frame::TooLong(&rest[..MAX_LINE]));
            self.discarding = true;
        } else {
            self.partial.extend_from_slice(rest);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frames(pieces: &[&[u8]]) -> Vec<String> {
        let mut framer = Framer::new();
        let mut out = Vec::new();
        for piece in pieces {
            framer.feed(piece, |frame| {
                out.push(match frame {
                    Frame::Line(line) => String::from_utf8_lossy(line).into_owned(),
                    Frame::TooLong(head) => format!("too long: {}", head.len()),
                })
            });
        }
        out
    }

    #[test]
    fn all_three_endings_and_an_unfinished_line() {
        assert_eq!(frames(&[b"a\r\nb\nc\rd"]), ["a", "b", "c"]);
        assert_eq!(frames(&[b"a\r", b"\nb", b"\n\r\n"]), ["a", "b"]);
    }

    #[test]
    fn a_line_without_end_is_said_once_and_then_back_in_step() {
        let long = vec![b'x'; MAX_LINE + 1];
        let whole = [&long[..], b"xx\nok\n"].concat();
        assert_eq!(frames(&[&whole]), ["too long: 4096", "ok"]);
        let pieces: Vec<&[u8]> = whole.chunks(700).collect();
        assert_eq!(frames(&pieces), ["too long: 4096", "ok"]);
        let exact = [&long[..MAX_LINE], b"\n"].concat();
        assert_eq!(frames(&[&exact]).len(), 1);
        assert!(!frames(&[&exact])[0].starts_with("too long"));
    }
}
