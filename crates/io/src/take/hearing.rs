//! What was heard while the baud rate was being detected: it waits until that is known, and is read then.

use super::wire::Event;
use amber_core::Stamp;
use amber_core::digits::bytes;
use amber_core::split::judge;

/// Bytes that wait at most; of more, the oldest are not read.
const MOST: usize = 4 << 20;

/// The first bytes of what came at one speed by which that is judged.
pub(super) const JUDGED: usize = 1 << 16;

/// How much of what came at one speed must look like what boards send, where nobody found the speed before the end.
const LEGIBLE: f64 = 0.45;

/// What came at one speed, before that was known to be right.
#[derive(Debug)]
struct Stretch {
    baud: u32,
    begun: Stamp,
    pieces: Vec<(Stamp, Vec<u8>)>,
}

impl Stretch {
    fn size(&self) -> usize {
        self.pieces.iter().map(|(_, bytes)| bytes.len()).sum()
    }
}

/// What waits for the speed.
#[derive(Debug, Default)]
pub(super) struct Hearing {
    stretches: Vec<Stretch>,
    is_listening: bool,
    size: usize,
    /// Bytes that are not read.
    unread: u64,
}

/// A part of what waited that can be read now: with a link opened first, then bytes.
pub(super) type Settled = Vec<(Stamp, Option<Event>, Vec<u8>)>;

impl Hearing {
    /// Whether bytes wait for the speed.
    pub(super) fn is_listening(&self) -> bool {
        self.is_listening
    }

    /// Bytes are heard at `baud` from `at` on.
    pub(super) fn listen(&mut self, at: Stamp, baud: u32) {
        self.is_listening = true;
        self.stretches.push(Stretch { baud, begun: at, pieces: Vec::new() });
    }

    /// Bytes came.
    pub(super) fn hear(&mut self, at: Stamp, bytes: &[u8]) {
        let Some(last) = self.stretches.last_mut() else { return };
        last.pieces.push((at, bytes.to_vec()));
        self.size += bytes.len();
        while self.size > MOST && self.stretches.len() > 1 {
            let gone = self.stretches.remove(0).size();
            self.size -= gone;
            self.unread += gone as u64;
        }
    }

    /// The speed is `baud`; where nobody found it, the one at which most looked like what boards send, if any did.
    pub(super) fn settle(&mut self, baud: Option<u32>) -> Settled {
        self.is_listening = false;
        let stretches = std::mem::take(&mut self.stretches);
        self.size = 0;
        let told = |stretch: &Stretch| {
            let all = stretch.pieces.iter().flat_map(|(_, bytes)| bytes);
            all.take(JUDGED).copied().collect::<Vec<u8>>()
        };
        let baud = baud.or_else(|| best(stretches.iter().map(|stretch| (stretch.baud, told(stretch)))));
        let mut settled = Vec::new();
        for stretch in stretches {
            if Some(stretch.baud) == baud {
                settled.push((stretch.begun, Some(Event::JOIN), Vec::new()));
                settled.extend(stretch.pieces.into_iter().map(|(at, bytes)| (at, None, bytes)));
            } else {
                self.unread += stretch.size() as u64;
            }
        }
        settled
    }

    /// Bytes that are not read, since the last call.
    pub(super) fn take_unread(&mut self) -> u64 {
        std::mem::take(&mut self.unread)
    }
}

/// What is said of so many bytes that are not read.
pub(super) fn unread_said(unread: u64) -> Option<String> {
    (unread > 0).then(|| format!("{} came at wrong baud rates while it was detected: kept, not read", bytes(unread)))
}

/// Of speeds and what was heard at each, the one at which most looks like what boards send.
pub(super) fn best(heard: impl Iterator<Item = (u32, Vec<u8>)>) -> Option<u32> {
    let scores = heard.filter(|(_, bytes)| !bytes.is_empty()).map(|(baud, bytes)| (baud, judge(&bytes).score()));
    let best = scores.max_by(|a, b| a.1.total_cmp(&b.1))?;
    (best.1 >= LEGIBLE).then_some(best.0)
}
