//! Bytes to frames. A [`Framing`] knows where one ends; the first of them is [`LineFraming`].

use super::outcome::Rejection;
use memchr::memchr2;

/// The longest line that is kept, in bytes without its ending. What goes beyond is dropped up to the next line ending.
pub const MAX_LINE: usize = 4096;

/// What a framing found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Frame<'a> {
    /// A whole frame, without what only marks its end; never empty.
    Whole(&'a [u8]),
    /// What is no frame, and why: as much of it as is kept. Given once, as soon as that is known.
    Bad(Rejection, &'a [u8]),
}

/// Cuts a stream of bytes, in pieces of any size, into frames. The same bytes give the same frames however they are cut.
pub trait Framing {
    /// Takes bytes up to the end of the next frame; gives how many it used, and the frame: none when all were used and
    /// there is more of it to come.
    fn step<'a>(&'a mut self, bytes: &'a [u8]) -> (usize, Option<Frame<'a>>);

    /// No more bytes come: what is unfinished counts as a frame, if it is one.
    fn finish(&mut self) -> Option<Frame<'_>>;

    /// Forgets an unfinished frame, as after a broken link; gives the number of bytes forgotten.
    fn reset(&mut self) -> usize;

    /// The place in `bytes` behind the last end of a frame, where a new frame begins, if one ends there.
    fn boundary(bytes: &[u8]) -> Option<usize>;

    /// The most bytes of an unfinished frame that are kept.
    const LONGEST: usize;
}

/// The framing of lines, ended by LF, CRLF or CR, never longer than [`MAX_LINE`].
///
/// Empty lines are skipped, which is also why CRLF needs no state: it is a line and an empty line.
#[derive(Clone, Debug, Default)]
pub struct LineFraming {
    partial: Vec<u8>,
    /// What is in `partial` was given.
    is_given: bool,
    /// The rest of a line that is too long.
    discards: bool,
}

impl LineFraming {
    fn forget_given(&mut self) {
        if std::mem::take(&mut self.is_given) {
            self.partial.clear();
        }
    }

    /// Goes on with a line of which a part came before: as [`Framing::step`].
    fn go_on(&mut self, bytes: &[u8]) -> (usize, Option<Frame<'_>>) {
        let end = memchr2(b'\n', b'\r', bytes);
        let head = &bytes[..end.unwrap_or(bytes.len())];
        let used = end.map_or(bytes.len(), |end| end + 1);
        if self.partial.len() + head.len() > MAX_LINE {
            self.partial.extend_from_slice(&head[..MAX_LINE - self.partial.len()]);
            (self.is_given, self.discards) = (true, end.is_none());
            return (used, Some(Frame::Bad(Rejection::TooLong, &self.partial)));
        }
        self.partial.extend_from_slice(head);
        self.is_given = end.is_some();
        (used, end.map(|_| Frame::Whole(&self.partial)))
    }
}

impl Framing for LineFraming {
    #[inline]
    fn step<'a>(&'a mut self, bytes: &'a [u8]) -> (usize, Option<Frame<'a>>) {
        self.forget_given();
        let mut at = 0;
        while at < bytes.len() {
            let rest = &bytes[at..];
            if self.discards {
                let end = memchr2(b'\n', b'\r', rest);
                self.discards = end.is_none();
                at += end.map_or(rest.len(), |end| end + 1);
                continue;
            }
            if !self.partial.is_empty() {
                let (used, frame) = self.go_on(rest);
                return (at + used, frame);
            }
            let Some(end) = memchr2(b'\n', b'\r', rest) else {
                if rest.len() > MAX_LINE {
                    self.discards = true;
                    return (bytes.len(), Some(Frame::Bad(Rejection::TooLong, &rest[..MAX_LINE])));
                }
                self.partial.extend_from_slice(rest);
                return (bytes.len(), None);
            };
            at += end + 1;
            // The LF behind a CR is an empty line, which is skipped at once.
            at += usize::from(rest[end] == b'\r' && bytes.get(at) == Some(&b'\n'));
            if end > MAX_LINE {
                return (at, Some(Frame::Bad(Rejection::TooLong, &rest[..MAX_LINE])));
            }
            if end > 0 {
                return (at, Some(Frame::Whole(&rest[..end])));
            }
        }
        (at, None)
    }

    fn finish(&mut self) -> Option<Frame<'_>> {
        self.forget_given();
        self.discards = false;
        self.is_given = true;
        (!self.partial.is_empty()).then_some(Frame::Whole(&self.partial))
    }

    fn reset(&mut self) -> usize {
        self.forget_given();
        self.discards = false;
        let lost = self.partial.len();
        self.partial.clear();
        lost
    }

    fn boundary(bytes: &[u8]) -> Option<usize> {
        memchr::memrchr2(b'\n', b'\r', bytes).map(|end| end + 1)
    }

    const LONGEST: usize = MAX_LINE;
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn frames(pieces: &[&[u8]]) -> Vec<String> {
        let mut lines = LineFraming::default();
        let mut out = Vec::new();
        let told = |frame: Frame<'_>| match frame {
            Frame::Whole(line) => String::from_utf8_lossy(line).into_owned(),
            Frame::Bad(why, head) => format!("{}: {}", why.text(), head.len()),
        };
        for piece in pieces {
            let mut at = 0;
            loop {
                let (used, frame) = lines.step(&piece[at..]);
                at += used;
                match frame {
                    Some(frame) => out.push(told(frame)),
                    None => break,
                }
            }
            assert_eq!(at, piece.len(), "more is asked for only when all was used");
        }
        out.extend(lines.finish().map(|frame| format!("rest {}", told(frame))));
        assert_eq!(lines.finish(), None);
        out
    }

    #[test]
    fn all_three_endings_and_an_unfinished_line() {
        assert_eq!(frames(&[b"a\r\nb\nc\rd"]), ["a", "b", "c", "rest d"]);
        assert_eq!(frames(&[b"a\r", b"\nb", b"\n\r\n"]), ["a", "b"]);
    }

    #[test]
    fn a_line_without_end_is_said_once_and_then_back_in_step() {
        let long = vec![b'x'; MAX_LINE + 1];
        let whole = [&long[..], b"xx\nok\n"].concat();
        assert_eq!(frames(&[&whole]), ["line too long: 4096", "ok"]);
        let exact = [&long[..MAX_LINE], b"\n"].concat();
        assert!(frames(&[&exact])[0].starts_with("xxx"));
        assert_eq!(frames(&[&long]), ["line too long: 4096"], "the rest of it is no frame");
    }

    proptest! {
        #[test]
        fn frames_do_not_depend_on_how_bytes_are_cut(
            parts in proptest::collection::vec(prop_oneof![
                8 => "[a-z]{0,9}", 3 => Just("\n".to_owned()), 2 => Just("\r\n".to_owned()), 1 => "x{4090,4100}"
            ], 0..12),
            cuts in proptest::collection::vec(any::<u16>(), 0..6),
        ) {
            let whole = parts.concat().into_bytes();
            let mut cuts: Vec<usize> = cuts.iter().map(|cut| usize::from(*cut) % (whole.len() + 1)).collect();
            cuts.extend([0, whole.len()]);
            cuts.sort_unstable();
            let pieces: Vec<&[u8]> = cuts.windows(2).map(|pair| &whole[pair[0]..pair[1]]).collect();
            let single: Vec<&[u8]> = whole.chunks(1).collect();
            let once = frames(&[&whole]);
            prop_assert_eq!(&frames(&pieces), &once);
            prop_assert_eq!(&frames(&single), &once);
            // What lies behind the last end is what is unfinished.
            let rest = LineFraming::boundary(&whole).map_or(whole.len(), |at| whole.len() - at);
            let told = once.last().is_some_and(|last| last.starts_with("rest "));
            prop_assert_eq!(told, rest > 0 && rest <= MAX_LINE);
        }
    }
}
