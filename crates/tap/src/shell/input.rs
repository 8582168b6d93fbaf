//! What is typed and done with the mouse, read by a thread of its own. Whatever waits is read at once, and what a person
//! cannot have typed is known by its pace: a text from another program, in a terminal that does not say so.

use crate::crash;
use anyhow::Context;
use crossbeam_channel::{Receiver, TryRecvError, bounded};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, MouseEventKind};
use std::collections::VecDeque;
use std::time::{Duration, Instant};

/// So many keys within [`PACE`] are no person's.
const MOST_KEYS: usize = 50;
const PACE: Duration = Duration::from_millis(20);

/// Steps of the wheel in one direction that count, of those that come together.
const MOST_STEPS: usize = 12;

/// Events that are given together at most.
const BATCH: usize = 4096;

/// Long enough to look whether more has come; the terminal's library takes no time at all for none.
const LOOK: Duration = Duration::from_micros(50);

/// What came, in its order.
#[derive(Debug, PartialEq)]
pub(super) enum Arrived {
    Event(Event),
    /// Keys that came faster than anybody types.
    Burst(Vec<KeyEvent>),
}

/// The text of a burst, its lines apart.
pub(super) fn text_of(keys: &[KeyEvent]) -> String {
    let text = |key: &KeyEvent| match key.code {
        KeyCode::Char(letter) => Some(letter),
        KeyCode::Enter => Some('\n'),
        KeyCode::Tab => Some('\t'),
        _ => None,
    };
    keys.iter().filter_map(text).collect()
}

/// The keyboard and the mouse.
pub(crate) struct Input {
    batches: Receiver<(Instant, Vec<Event>)>,
    pace: Pace,
}

/// Nothing will be read any more: the keyboard is gone.
#[derive(Debug)]
pub(super) struct Gone;

impl Input {
    pub(super) fn start() -> anyhow::Result<Input> {
        let (send, batches) = bounded(8);
        let read = move || {
            while let Ok(batch) = read_all() {
                if batch.iter().any(|event| matches!(event, Event::Paste(_))) {
                    crash::on_purpose("input");
                }
                if send.send((Instant::now(), batch)).is_err() {
                    return;
                }
            }
        };
        std::thread::Builder::new().name("input".into()).spawn(read).context("no thread for the keyboard")?;
        Ok(Input { batches, pace: Pace::default() })
    }

    /// What says that something came.
    pub(super) fn waiting(&self) -> &Receiver<(Instant, Vec<Event>)> {
        &self.batches
    }

    /// What came since the last call, a batch of it; nothing where nothing came.
    pub(super) fn take(&mut self) -> Result<Vec<Arrived>, Gone> {
        match self.batches.try_recv() {
            Ok((at, events)) => Ok(self.pace.sort(at, events)),
            Err(TryRecvError::Empty) => Ok(Vec::new()),
            Err(TryRecvError::Disconnected) => Err(Gone),
        }
    }
}

/// Waits for something, and gives all that is there.
fn read_all() -> std::io::Result<Vec<Event>> {
    let mut batch = vec![crossterm::event::read()?];
    while batch.len() < BATCH && crossterm::event::poll(LOOK)? {
        batch.push(crossterm::event::read()?);
    }
    Ok(batch)
}

/// Tells what a person typed from what came in a burst.
#[derive(Debug, Default)]
struct Pace {
    /// When the last keys came, as many as make a burst.
    last: VecDeque<Instant>,
    /// The newest key of a burst.
    burst: Option<Instant>,
}

impl Pace {
    /// Sorts what came at `at`. Of motions that follow one another, only the last counts, and of steps of the wheel a few.
    fn sort(&mut self, at: Instant, events: Vec<Event>) -> Vec<Arrived> {
        let is_key = |event: &&Event| matches!(event, Event::Key(key) if key.kind != KeyEventKind::Release);
        let keys = events.iter().filter(is_key).count();
        for _ in 0..keys.min(MOST_KEYS + 1) {
            self.last.push_back(at);
        }
        while self.last.len() > MOST_KEYS + 1 {
            self.last.pop_front();
        }
        let is_fast = self.last.len() > MOST_KEYS && self.last.front().is_some_and(|first| at - *first <= PACE);
        // It lasts until there is a pause.
        let goes_on = self.burst.is_some_and(|last| at - last <= PACE);
        let is_burst = keys > 0 && (is_fast || goes_on);
        if is_burst {
            self.burst = Some(at);
        }
        let mut sorted: Vec<Arrived> = Vec::new();
        let mut steps = 0;
        for event in events {
            let is_step = |last: &Arrived| matches!((&event, last), (Event::Mouse(a), Arrived::Event(Event::Mouse(b))) if a.kind == b.kind && is_wheel(a.kind));
            steps = if sorted.last().is_some_and(is_step) { steps + 1 } else { 0 };
            if steps >= MOST_STEPS {
                continue;
            }
            match (event, sorted.last_mut()) {
                (Event::Key(key), _) if key.kind == KeyEventKind::Release => {}
                (Event::Key(key), Some(Arrived::Burst(keys))) if is_burst => keys.push(key),
                (Event::Key(key), _) if is_burst => sorted.push(Arrived::Burst(vec![key])),
                // Moving the mouse changes nothing while no button is pressed.
                (Event::Mouse(mouse), _) if mouse.kind == MouseEventKind::Moved => {}
                (Event::Mouse(mouse), Some(Arrived::Event(Event::Mouse(last))))
                    if mouse.kind == last.kind && matches!(mouse.kind, MouseEventKind::Drag(_)) =>
                {
                    *last = mouse;
                }
                (event @ Event::Resize(..), Some(Arrived::Event(last @ Event::Resize(..)))) => *last = event,
                (event, _) => sorted.push(Arrived::Event(event)),
            }
        }
        sorted
    }
}

fn is_wheel(kind: MouseEventKind) -> bool {
    matches!(
        kind,
        MouseEventKind::ScrollUp
            | MouseEventKind::ScrollDown
            | MouseEventKind::ScrollLeft
            | MouseEventKind::ScrollRight
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crossterm::event::{KeyModifiers, MouseButton, MouseEvent};

    fn keys(count: usize) -> Vec<Event> {
        vec![Event::Key(KeyCode::Char('x').into()); count]
    }

    fn mouse(kind: MouseEventKind, column: u16) -> Event {
        Event::Mouse(MouseEvent { kind, column, row: 1, modifiers: KeyModifiers::NONE })
    }

    #[test]
    fn a_burst_is_told_from_typing_and_motions_are_merged() {
        let begun = Instant::now();
        let later = |ms| begun + Duration::from_millis(ms);
        let mut pace = Pace::default();
        // A key that is held down, and a line that a script types.
        assert!((0..200).all(|i| matches!(pace.sort(later(i * 30), keys(1))[..], [Arrived::Event(_)])));
        assert_eq!(pace.sort(later(10_000), keys(50)).len(), 50);
        // A text of three parts, the last one short, with the mouse in between.
        let mut text = keys(1000);
        text.insert(500, mouse(MouseEventKind::Down(MouseButton::Left), 3));
        let parts = pace.sort(later(20_000), text);
        assert!(
            matches!(&parts[..], [Arrived::Burst(a), Arrived::Event(_), Arrived::Burst(b)] if a.len() + b.len() == 1000)
        );
        assert!(matches!(&pace.sort(later(20_015), keys(700))[..], [Arrived::Burst(keys)] if keys.len() == 700));
        assert!(matches!(&pace.sort(later(20_030), keys(1))[..], [Arrived::Burst(_)]));
        assert!(matches!(&pace.sort(later(20_090), keys(1))[..], [Arrived::Event(_)]), "after a pause a key is a key");
        // Many small parts are a burst too, from the 51st key on.
        let parts: Vec<Arrived> = (0..60).flat_map(|i| pace.sort(later(30_000 + i / 4), keys(1))).collect();
        assert_eq!(parts.iter().filter(|part| matches!(part, Arrived::Burst(_))).count(), 10);
        let moves = (0..5000).map(|i| mouse(MouseEventKind::Moved, i % 90)).collect();
        assert_eq!(pace.sort(later(40_000), moves), []);
        let drags: Vec<Event> = (0..90).map(|i| mouse(MouseEventKind::Drag(MouseButton::Left), i)).collect();
        let wheel = (0..5000).map(|i| mouse(MouseEventKind::ScrollDown, i % 90)).collect();
        assert_eq!(pace.sort(later(40_500), wheel).len(), MOST_STEPS);
        assert_eq!(pace.sort(later(41_000), drags.clone()), [Arrived::Event(drags[89].clone())]);
    }
}
