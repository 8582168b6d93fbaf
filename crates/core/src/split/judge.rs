//! Whether bytes are what a board would send: the question that finds the baud.

use super::clean::clean;
use super::frames;
use super::line_shape::form_of;

/// Bytes of which less is text may be binary frames.
const MOSTLY: f64 = 0.8;

/// What a stretch of bytes looks like.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Judged {
    /// Bytes looked at.
    pub bytes: usize,
    /// The share of them that is text, 0 to 1.
    pub text: f64,
    /// Whole lines: those between two line endings.
    pub lines: usize,
    /// Whole lines that are text throughout.
    pub legible: usize,
    /// Whole lines that split into numbers.
    pub numbers: usize,
}

impl Judged {
    /// How much it looks like what a board sends, 0 to 1. Text counts for half where no line splits into numbers.
    pub fn score(&self) -> f64 {
        if self.lines == 0 {
            return self.text * 0.5;
        }
        let share = |part: usize| part as f64 / self.lines as f64;
        self.text * (0.5 * share(self.legible) + 0.5 * share(self.numbers))
    }
}

/// Judges `bytes`, which may begin and end within a line. Binary frames with a check that is right count as lines of numbers.
pub fn judge(bytes: &[u8]) -> Judged {
    let printed = |bytes: &[u8]| bytes.iter().filter(|b| matches!(b, b' '..=b'~' | b'\t' | b'\r' | b'\n')).count();
    let share = |text: usize| text as f64 / bytes.len().max(1) as f64;
    let mut text = printed(bytes);
    let mut judged = Judged { bytes: bytes.len(), text: share(text), ..Judged::default() };
    // Frames whose checks are right come at no wrong speed.
    if judged.text < MOSTLY
        && let Some(found) = frames::find(bytes).filter(|found| found.frames.check.is_some())
    {
        let frames = found.seen;
        return Judged { text: 1.0, lines: frames, legible: frames, numbers: frames, ..judged };
    }
    let ends = |b: &u8| matches!(b, b'\n' | b'\r');
    let (Some(first), Some(last)) = (bytes.iter().position(ends), bytes.iter().rposition(ends)) else { return judged };
    for line in bytes[first..last].split(ends).filter(|line| !line.is_empty()) {
        judged.lines += 1;
        let Some(cleaned) = clean(line) else { continue };
        judged.legible += 1;
        judged.numbers += usize::from(form_of(&cleaned).is_some());
        // The few odd bytes of a line that reads well are text.
        text += line.len() - printed(line);
    }
    judged.text = share(text);
    judged
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn readings_are_told_from_garbage_and_from_mere_text() {
        let readings = judge(b"=77 b=3\r\na=1 b=2\r\na=4 b=5\r\nboard hot\r\na=7 b=");
        assert_eq!((readings.lines, readings.legible, readings.numbers), (3, 3, 2));
        assert!(readings.score() > 0.8);
        let garbage: Vec<u8> = (0..400u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 13) as u8).collect();
        assert!(judge(&garbage).score() < 0.3, "{:?}", judge(&garbage));
        let odd = b"\r\n\x1b[32mt\x1b[0m=21 \xb0C\r\n\x1b[32mt\x1b[0m=22 \xb0C\r\n";
        assert_eq!((judge(odd).text, judge(odd).score()), (1.0, 1.0), "a sign of degrees and colours are no noise");
        assert!((0.4..0.6).contains(&judge(b"hello\nthere\nyou\nall\n").score()));
        assert_eq!(judge(b"").score(), 0.0);
    }
}
