//! Finding a board's speed by listening: how much of what comes at each speed is text that splits into numbers.

use super::outlet::{Halt, Outlet};
use super::{Command, Feed, LinkState, Tried};
use amber_core::split::{Judged, judge};
use serialport::{ClearBuffer, SerialPort, TTYPort};
use std::io::{ErrorKind, Read};
use std::time::{Duration, Instant};

/// The speeds that are tried, in the order in which boards use them.
pub(super) const COMMON: [u32; 15] = [
    115_200, 9600, 57_600, 38_400, 19_200, 230_400, 250_000, 921_600, 460_800, 500_000, 1_000_000, 74_880, 4800, 2400,
    1200,
];

/// A score that is good enough to listen no further, and one that is too bad to go on with.
const GOOD: f64 = 0.85;
const BAD: f64 = 0.35;

/// Whole lines that make a good score a sure one.
const LINES: usize = 3;

/// Bytes after which a bad score is believed, and after which any is.
const FEW: usize = 24;
const MANY: usize = 600;

/// Time from the first byte after which what came is judged.
const LISTEN: Duration = Duration::from_millis(1600);

/// What listening came to.
pub(super) enum Outcome {
    /// The speed is set; `tried` has it last.
    Found {
        tried: Vec<Tried>,
        /// What was heard at it.
        heard: Vec<u8>,
    },
    /// The port went away.
    Vanished,
    /// A person said something else.
    Told(Command),
}

/// Listens at each speed until one is good; else sets the best of them.
pub(super) fn find(port: &mut TTYPort, outlet: &mut Outlet) -> Result<Outcome, Halt> {
    let mut tried: Vec<Tried> = Vec::new();
    for baud in COMMON {
        outlet.state(LinkState::Finding { baud, tried: tried.clone() })?;
        // A driver that does not do this speed leaves the one before, which was tried.
        if port.set_baud_rate(baud).is_err() {
            continue;
        }
        // What waits was sampled at the speed before.
        let waiting = port.bytes_to_read().unwrap_or(0);
        if port.clear(ClearBuffer::Input).is_ok() {
            outlet.tell(Feed::Unkept(u64::from(waiting)))?;
        }
        let mut heard = Vec::new();
        let judged = match listen(port, &mut heard, outlet)? {
            Heard::Enough(judged) => judged,
            end => {
                outlet.tell(Feed::Unkept(heard.len() as u64))?;
                return Ok(match end {
                    Heard::Told(command) => Outcome::Told(command),
                    _ => Outcome::Vanished,
                });
            }
        };
        tried.push(Tried { baud, heard: judged });
        if judged.score() >= GOOD {
            return Ok(Outcome::Found { tried, heard });
        }
        outlet.tell(Feed::Unkept(heard.len() as u64))?;
    }
    tried.sort_by(|a, b| a.heard.score().total_cmp(&b.heard.score()));
    if let Some(best) = tried.last() {
        // It was accepted before.
        let _ = port.set_baud_rate(best.baud);
    }
    Ok(Outcome::Found { tried, heard: Vec::new() })
}

enum Heard {
    /// What came can be judged.
    Enough(Judged),
    Vanished,
    Told(Command),
}

/// Listens until what comes can be judged; a board that is silent is waited for.
fn listen(port: &mut TTYPort, heard: &mut Vec<u8>, outlet: &mut Outlet) -> Result<Heard, Halt> {
    let mut first = None;
    let mut buffer = [0; 1024];
    loop {
        match port.read(&mut buffer) {
            Ok(0) => return Ok(Heard::Vanished),
            Ok(length) => {
                heard.extend_from_slice(&buffer[..length]);
                first.get_or_insert_with(Instant::now);
            }
            Err(error) if matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::Interrupted) => {}
            Err(_) => return Ok(Heard::Vanished),
        }
        if let Some(command) = outlet.command()? {
            return Ok(Heard::Told(command));
        }
        let judged = judge(heard);
        let sure = judged.lines >= LINES && judged.score() >= GOOD;
        let hopeless = heard.len() >= FEW && judged.text < 0.8 && judged.score() < BAD;
        let enough = heard.len() >= MANY && judged.lines >= LINES || heard.len() >= 4 * MANY;
        let late = first.is_some_and(|first| first.elapsed() > LISTEN);
        if sure || hopeless || enough || late {
            return Ok(Heard::Enough(judged));
        }
    }
}
