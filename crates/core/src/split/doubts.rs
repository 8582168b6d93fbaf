//! Doubts about signs among digits: a comma may be a decimal one, stand between two numbers or between thousands; a minus
//! that stands apart may belong to its number. One line never tells; many may.

use super::line_shape::worded_form;
use super::number::pointed_length;
use super::shape::{Comma, Delimiter, Plain, Shape, Style, bare_text};
use super::shape_reader::Proposal;
use super::words::Sign;

/// Pairs after which the digits behind commas tell a switch from decimals: the chance that decimals take two values only
/// is then below one in 10^20.
const SWITCH: u32 = 32;

/// What the lines so far tell of signs that can be read in more than one way.
#[derive(Clone, Debug, Default)]
pub(super) struct Doubts {
    /// The least and the most digits behind a comma.
    behind: Option<(usize, usize)>,
    /// A number behind a comma began with a zero, as the second of two numbers never does.
    zero: bool,
    /// There are more than three digits in front of some comma.
    long: bool,
    minus: bool,
    /// The pairs so far, and which single digits stood behind their commas, a bit each.
    pairs: u32,
    digits: u16,
    /// What was seen cannot be anything else than what is read.
    pub(super) settled: bool,
    pub(super) proposal: Option<Proposal>,
}

impl Doubts {
    /// Nothing is doubted of a shape that was pinned.
    pub(super) fn new(pinned: bool) -> Doubts {
        Doubts { settled: pinned, ..Doubts::default() }
    }

    /// Whether there were signs that can be read in more than one way.
    pub(super) fn has_signs(&self) -> bool {
        self.behind.is_some() || self.minus
    }

    fn comma(&mut self, front: usize, behind: usize, zero: bool) {
        let (least, most) = self.behind.unwrap_or((behind, behind));
        self.behind = Some((least.min(behind), most.max(behind)));
        self.zero |= zero;
        self.long |= front > 3;
    }

    /// What else a comma that is read as a decimal one may be, and why.
    fn other_than_decimal(&self) -> Option<(Comma, &'static str)> {
        let groups = self.behind == Some((3, 3)) && !self.long;
        match self.behind {
            None => None,
            // Always as many digits, zeros among the first of them: so decimals are printed, and thousands.
            Some((least, most)) if least == most && self.zero && !groups => None,
            Some(_) if groups && self.zero => Some((Comma::Thousands, "a comma may separate thousands")),
            Some(_) => Some((Comma::Between, "a comma may separate two numbers")),
        }
    }

    /// Takes in the signs of a line of words that was read with `style`.
    #[cold]
    pub(super) fn words(&mut self, signs: Vec<Sign>, style: Style, line: &[u8]) {
        for sign in signs {
            match sign {
                Sign::Comma { front, behind, zero } => self.comma(front, behind, zero),
                Sign::Minus => self.minus = true,
            }
        }
        let rival = match self.other_than_decimal() {
            Some((comma, why)) => Some((Style { comma, ..style }, why)),
            None if self.minus => Some((Style { minus: true, ..style }, "a minus may be the sign of the next number")),
            None => None,
        };
        self.proposal = rival.and_then(|(style, why)| {
            let shape = worded_form(line, style)?.shape;
            Some(Proposal { shape, why: why.into() })
        });
    }

    /// Takes in a line of two numbers with a comma between: they may be one with a decimal comma.
    #[cold]
    pub(super) fn pair(&mut self, line: &[u8]) {
        let text = &line[bare_text(line)];
        let comma = memchr::memchr(b',', text).unwrap_or(text.len());
        let (front, behind) = (&text[..comma], text.get(comma + 1..).unwrap_or_default());
        let front = front.strip_prefix(b"-").unwrap_or(front);
        if pointed_length(text) == Some(text.len())
            && self.behind.is_none_or(|known| known == (behind.len(), behind.len()))
        {
            self.behind = Some((behind.len(), behind.len()));
            self.offer_one("a comma may be a decimal one, and points part thousands");
            return;
        }
        let digits = |text: &[u8]| !text.is_empty() && text.iter().all(u8::is_ascii_digit);
        if !digits(front) || !digits(behind) {
            (self.settled, self.proposal) = (true, None);
            return;
        }
        let zero = behind.len() > 1 && behind[0] == b'0';
        self.comma(front.len(), behind.len(), zero);
        self.pairs += 1;
        self.digits |= 1 << (behind[0] - b'0');
        // A switch beside a reading: a last decimal would take all ten values.
        let switch = self.pairs >= SWITCH && self.behind == Some((1, 1)) && self.digits.count_ones() <= 2;
        let varies = self.behind.is_some_and(|(least, most)| least < most);
        // Decimals always have as many digits, a second number need not.
        if (varies && !self.zero) || switch {
            (self.settled, self.proposal) = (true, None);
        } else {
            self.offer_one("a comma may be a decimal one");
        }
    }

    /// What is read as two numbers may be one with a decimal comma.
    fn offer_one(&mut self, why: &str) {
        if self.proposal.is_none() {
            let shape = Shape::Plain(Plain { comma: true, ..Plain::new(Delimiter::Spaces, 1) });
            self.proposal = Some(Proposal { shape, why: why.into() });
        }
    }

    /// Whether lines of this shape are to be looked at in [`Doubts::pair`].
    pub(super) fn looks_at_pairs(plain: &Plain) -> bool {
        plain.delimiter == Delimiter::Comma && plain.fields == 2 && plain.lines == 1 && plain.names.is_empty()
    }
}
