//! Finding a board's speed by listening: how much of what comes at each speed is text that splits into numbers.

use super::device::Device;
use super::outlet::{Halt, Outlet};
use super::{Command, Feed, LinkState, Tried};
use amber_core::Stamp;
use amber_core::split::{Judged, judge};
use std::io::ErrorKind;
use std::time::{Duration, Instant};

/// The speeds that are tried, in the order in which boards use them.
pub(super) const COMMON: [u32; 18] = [
    115_200, 9600, 57_600, 38_400, 19_200, 230_400, 250_000, 921_600, 460_800, 500_000, 1_000_000, 2_000_000,
    1_500_000, 3_000_000, 74_880, 4800, 2400, 1200,
];

/// A score that is good enough to listen no further, and one that is too bad to go on with.
const GOOD: f64 = 0.85;
const BAD: f64 = 0.35;

/// Whole lines that make a good score a sure one.
const LINES: usize = 3;

/// Lines of nothing but text that tell the speed, whatever they say.
const TEXT_LINES: usize = 8;

/// Bytes after which a bad score is believed, some time after the first of them, and after which any is.
const FEW: usize = 24;
const MANY: usize = 600;

/// What is no text may be binary frames, of which a few must have come.
const FRAMES: Duration = Duration::from_millis(150);

/// Time from the first byte after which what came is judged.
const LISTEN: Duration = Duration::from_millis(1600);

/// A silence that stands between lines: the first byte after it begins one, and the last byte before it has ended one.
const SILENCE: Duration = Duration::from_millis(300);

/// Whole lines that are enough from a board that sends rarely, and the longest that the second one is waited for.
const FEW_LINES: usize = 2;
const WAIT: Duration = Duration::from_secs(60);

/// Bytes with the time when they came; the first are none, at the time since when it was listened.
type Pieces = Vec<(Stamp, Vec<u8>)>;

/// What listening came to.
pub(super) enum Outcome {
    /// The speed is set; `tried` has it last.
    Found {
        tried: Vec<Tried>,
        /// What was heard at it.
        heard: Pieces,
    },
    /// The port went away.
    Vanished,
    /// A person said something else.
    Told(Command),
}

/// Listens at each speed until one is good; else sets the best of them.
pub(super) fn find(port: &mut dyn Device, outlet: &mut Outlet) -> Result<Outcome, Halt> {
    let mut tried: Vec<Tried> = Vec::new();
    // What was heard at the best of them, which is kept if no better one comes.
    let mut best: (f64, Pieces) = (-1.0, Vec::new());
    for baud in COMMON {
        outlet.state(LinkState::Finding { baud, tried: tried.clone() })?;
        // A driver that does not do this speed leaves the one before, which was tried.
        if port.set_baud(baud).is_err() {
            continue;
        }
        // What waits was sampled at the speed before.
        outlet.tell(Feed::Unkept(port.discard()))?;
        outlet.listen(baud)?;
        let mut heard = Vec::new();
        let judged = match listen(port, &mut heard, outlet)? {
            Heard::Enough(judged) => judged,
            end => {
                outlet.tell_engine(Feed::Unkept(length(&heard) + length(&best.1)))?;
                return Ok(match end {
                    Heard::Told(command) => Outcome::Told(command),
                    _ => Outcome::Vanished,
                });
            }
        };
        tried.push(Tried { baud, heard: judged });
        if judged.score() >= GOOD || is_text(&judged) {
            outlet.tell_engine(Feed::Unkept(length(&best.1)))?;
            return Ok(Outcome::Found { tried, heard });
        }
        // Of equals the later one is set, as below.
        if judged.score() >= best.0 {
            std::mem::swap(&mut best.1, &mut heard);
            best.0 = judged.score();
        }
        outlet.tell_engine(Feed::Unkept(length(&heard)))?;
    }
    tried.sort_by(|a, b| a.heard.score().total_cmp(&b.heard.score()));
    if let Some(best) = tried.last() {
        // It was accepted before.
        let _ = port.set_baud(best.baud);
    }
    Ok(Outcome::Found { tried, heard: best.1 })
}

/// Whether so many lines are text, all of them, that the speed must be right, though few are numbers: JSON over several lines,
/// or sentences.
fn is_text(judged: &Judged) -> bool {
    judged.lines >= TEXT_LINES && judged.legible == judged.lines && judged.text == 1.0
}

fn length(pieces: &Pieces) -> u64 {
    pieces.iter().map(|(_, bytes)| bytes.len() as u64).sum()
}

enum Heard {
    /// What came can be judged.
    Enough(Judged),
    Vanished,
    Told(Command),
}

/// Listens until what comes can be judged; a board that is silent is waited for.
fn listen(port: &mut dyn Device, pieces: &mut Pieces, outlet: &mut Outlet) -> Result<Heard, Halt> {
    let begun = Instant::now();
    pieces.push((outlet.now(), Vec::new()));
    let (mut first, mut last) = (None, begun);
    // What follows a silence begins a line, as if one had ended before it.
    let mut heard: Vec<u8> = Vec::new();
    let mut buffer = [0; 1024];
    loop {
        match port.read(&mut buffer) {
            Ok(0) => return Ok(Heard::Vanished),
            Ok(length) => {
                last = Instant::now();
                if first.is_none() && begun.elapsed() >= SILENCE {
                    heard.push(b'\n');
                }
                first.get_or_insert(last);
                heard.extend_from_slice(&buffer[..length]);
                let at = outlet.now();
                outlet.hear(at, &buffer[..length])?;
                pieces.push((at, buffer[..length].to_vec()));
            }
            Err(error) if matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::Interrupted) => {}
            Err(_) => return Ok(Heard::Vanished),
        }
        match outlet.command()? {
            Some(command @ Command::Send(_)) => outlet.reject(&command, "the baud rate is still being detected")?,
            Some(command) => return Ok(Heard::Told(command)),
            None => {}
        }
        let Some(first) = first else { continue };
        let judged = judge(&heard);
        let is_good = judged.score() >= GOOD;
        let is_silent = last.elapsed() >= SILENCE;
        let is_believed = heard.len() >= MANY || heard.len() >= FEW && first.elapsed() >= FRAMES;
        let hopeless = judged.text < 0.8 && judged.score() < BAD && (is_believed || is_silent);
        let enough = heard.len() >= MANY && judged.lines >= LINES || heard.len() >= 4 * MANY || is_text(&judged);
        let is_late = first.elapsed() > LISTEN;
        let wanted = if is_late { FEW_LINES } else { LINES };
        // A rare sender's first line, or the end of one, was good: the next ones tell.
        let is_promising = is_good || (judged.lines == 0 && judged.text == 1.0);
        let waits = is_promising && judged.lines < FEW_LINES && first.elapsed() < WAIT;
        if is_good && judged.lines >= wanted || hopeless || enough || is_late && !waits {
            return Ok(Heard::Enough(judged));
        }
    }
}
