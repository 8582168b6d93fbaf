//! Serves a board on a pseudo-terminal: a simulated one, or a take whose bytes come again as they came.

use crate::print::{aside, line};
use crate::shell::Signals;
use amber_boards::Board;
use amber_core::Stamp;
use amber_core::clock::Opening;
use amber_core::digits::{bytes, counted, duration};
use amber_core::tail::visible;
use amber_io::take::{self, Event, OpenedTake, Replay, ReplayItem};
use anyhow::bail;
use std::path::Path;
use std::time::Duration;

/// The speed of a take whose bench names none, in bits a second.
const BAUD: u32 = 115_200;

/// From the end of a take to its first byte when it is repeated.
const PAUSE: Duration = Duration::from_secs(1);

/// Bytes of a piece without times that are sent at once.
const PART: usize = 256;

/// Serves the board of this name, or the take in this folder.
pub(super) fn run(name: &str, seed: u64, speed: f64, repeat: bool) -> anyhow::Result<u8> {
    if !(speed.is_finite() && (0.001..=1000.0).contains(&speed)) {
        bail!("--speed is 0.001 to 1000 times the recorded pace");
    }
    let simulated = amber_boards::by_name(name, seed);
    let boards: Vec<(String, Box<dyn Board>)> = match simulated {
        Some(_) if repeat || speed != 1.0 => bail!("--speed and --repeat are for takes: {name} is a simulated board"),
        Some(board) => vec![(name.to_owned(), board)],
        None if Path::new(name).exists() => recorded(Path::new(name), speed, repeat)?,
        None => {
            bail!(
                "{}",
                crate::cli::boards(&format!("there is no board and no take '{name}'. There are these boards:"))
            );
        }
    };
    let mut served = Vec::new();
    for (name, board) in boards {
        let baud = board.baud();
        served.push((name, baud, amber_boards::serve(board)?));
    }
    let signals = Signals::watch()?;
    for (name, baud, board) in &served {
        line(board.path().display(), "the device's path")?;
        aside(format_args!("{} at {baud} baud; Ctrl-C ends it", visible(name.as_bytes())));
    }
    while signals.ended().is_none() {
        std::thread::sleep(Duration::from_millis(50));
    }
    Ok(0)
}

/// The sources of the take in `folder`, each as a board with its name.
fn recorded(folder: &Path, speed: f64, repeat: bool) -> anyhow::Result<Vec<(String, Box<dyn Board>)>> {
    let mut boards: Vec<(String, Box<dyn Board>)> = Vec::new();
    for (source, take) in take::open_all(folder)? {
        let name = if source.is_empty() { folder.display().to_string() } else { source };
        take.told.iter().for_each(|told| aside(format_args!("{}: {told}", visible(name.as_bytes()))));
        if take.pieces.is_empty() {
            bail!("{}: there is not a single byte in it to serve", visible(name.as_bytes()));
        }
        let lasts = duration(take.end().seconds_since(take.start) / speed);
        let size = bytes(take.wire.len() as u64);
        let then = if repeat { "again and again" } else { "then silent until the device is opened again" };
        let sent = if take.sent.is_empty() {
            String::new()
        } else {
            format!("; {} sent to the board then, which it does not wait for", counted(take.sent.len() as u64, "line"))
        };
        aside(format_args!("{}: {size} over {lasts}, {then}{sent}", visible(name.as_bytes())));
        boards.push((name, Box::new(Recorded::new(take, speed, repeat))));
    }
    Ok(boards)
}

/// A take that is sent again: what arrived comes at its time since the beginning, what has no times at the line's pace.
struct Recorded {
    take: OpenedTake,
    speed: f64,
    repeat: bool,
    replay: Replay,
    /// What comes next, and when since the reset.
    next: Option<(Duration, Vec<u8>)>,
    /// When this round began, since the reset.
    begun: Duration,
    /// What comes now has no times of its own.
    is_text: bool,
    /// When the line is free again.
    free: Duration,
}

impl Recorded {
    fn new(take: OpenedTake, speed: f64, repeat: bool) -> Recorded {
        let replay = take.replay();
        let (begun, free) = (Duration::ZERO, Duration::ZERO);
        let mut board = Recorded { take, speed, repeat, replay, next: None, begun, is_text: false, free };
        board.advance();
        board
    }

    /// When what came at `at` is sent.
    fn moment(&self, at: Stamp) -> Duration {
        let seconds = at.seconds_since(self.take.start).max(0.0) / self.speed;
        self.begun + Duration::try_from_secs_f64(seconds).unwrap_or(Duration::MAX / 4)
    }

    /// Takes the next bytes of the take.
    fn advance(&mut self) {
        self.next = None;
        loop {
            match self.replay.next_step() {
                Ok(Some(ReplayItem::Bytes(at, part))) => {
                    let part = part.to_vec();
                    let moment = self.moment(at).max(self.free);
                    self.next = Some((moment, part));
                    return;
                }
                Ok(Some(ReplayItem::Event(_, Event::Opened { opening, .. }))) => {
                    self.is_text = matches!(opening, Opening::Text { arrives: false, .. });
                }
                Ok(Some(_)) => {}
                Ok(None) if self.repeat => {
                    let end = self.moment(self.take.end()).max(self.free);
                    self.begun = end + PAUSE;
                    (self.free, self.replay) = (self.begun, self.take.replay());
                }
                Ok(None) => return,
                Err(error) => {
                    aside(format_args!("the take's bytes cannot be read: {error}; nothing more is sent"));
                    return;
                }
            }
        }
    }
}

impl Board for Recorded {
    fn baud(&self) -> u32 {
        self.take.bench.first().wire.baud.unwrap_or(BAUD)
    }

    fn reset(&mut self) {
        (self.begun, self.free, self.replay) = (Duration::ZERO, Duration::ZERO, self.take.replay());
        self.advance();
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        let baud = self.baud();
        while let Some((moment, part)) = self.next.as_mut().filter(|(moment, _)| *moment <= now) {
            if self.is_text && part.len() > PART {
                let rest = part.split_off(PART);
                let sent = std::mem::replace(part, rest);
                // Ten bits a byte.
                let seconds = sent.len() as f64 * 10.0 / f64::from(baud);
                *moment += Duration::from_secs_f64(seconds / self.speed);
                self.free = *moment;
                out.extend(sent);
                continue;
            }
            out.append(part);
            self.advance();
        }
    }

    fn due(&self) -> Duration {
        self.next.as_ref().map_or(Duration::MAX / 4, |(moment, _)| *moment)
    }

    fn hear(&mut self, _: &[u8], _: &mut Vec<u8>) {}
}

#[cfg(test)]
mod tests {
    use super::*;
    use amber_core::bench::Bench;
    use amber_io::take::{TakePlace, Writer};

    /// What a board sends, and the milliseconds at which it does, looked at every 10 ms.
    fn sent(board: &mut dyn Board, seconds: u64) -> (Vec<u64>, Vec<u8>) {
        let (mut moments, mut all) = (Vec::new(), Vec::new());
        for step in 0..=seconds * 100 {
            let before = all.len();
            board.run(Duration::from_millis(step * 10), &mut all);
            moments.extend((all.len() > before).then_some(step * 10));
        }
        (moments, all)
    }

    fn take_of(opening: Event, pieces: &[(f64, String)]) -> OpenedTake {
        let dir = tempfile::tempdir().unwrap();
        let (place, start) = (TakePlace::Exactly(dir.path().join("x")), Stamp(1_780_000_000_000_000_000));
        let bench = Bench::parse("[[source]]\nwire = { baud = 9600 }\n").unwrap();
        let mut writer = Writer::create(&place, &bench, start, opening).unwrap();
        for (at, text) in pieces {
            writer.chunk(start.plus(*at), text.as_bytes()).unwrap();
        }
        writer.finish(start.plus(2.0)).unwrap();
        take::open(&dir.path().join("x")).unwrap()
    }

    #[test]
    fn a_take_is_sent_again_byte_for_byte_at_its_pace_a_faster_one_and_again_and_again() {
        let pieces: Vec<_> = (0..20).map(|i| (f64::from(i) * 0.1, format!("x={i}\n\u{1}°"))).collect();
        let opened = take_of(Event::BEGIN, &pieces);
        let whole: String = pieces.iter().map(|(_, text)| text.as_str()).collect();
        let mut board = Recorded::new(opened.clone(), 1.0, false);
        assert_eq!(board.baud(), 9600);
        for _ in 0..2 {
            let (moments, all) = sent(&mut board, 4);
            assert_eq!((moments, all), ((0..20).map(|i| i * 100).collect(), whole.clone().into_bytes()));
            board.reset();
        }
        let (moments, all) = sent(&mut Recorded::new(opened.clone(), 10.0, false), 4);
        assert!(moments.last() <= Some(&200) && all == whole.as_bytes(), "{moments:?}");
        // 0.2 s and a pause of 1 s each.
        let (_, again) = sent(&mut Recorded::new(opened, 10.0, true), 5);
        assert!(again.starts_with(whole.repeat(4).as_bytes()) && again.len() < whole.len() * 6);
    }

    #[test]
    fn a_text_without_times_is_sent_at_the_pace_of_its_line() {
        let opening = Opening::Text { at: Stamp(1_780_000_000_000_000_000), arrives: false };
        let text = "x=1\n".repeat(600);
        let opened = take_of(Event::Opened { opening, within: false }, &[(0.0, text.clone())]);
        // 2,400 bytes at 960 a second.
        let (moments, all) = sent(&mut Recorded::new(opened, 1.0, false), 4);
        assert!((2200..=2600).contains(moments.last().unwrap()) && all == text.as_bytes(), "{moments:?}");
    }
}
