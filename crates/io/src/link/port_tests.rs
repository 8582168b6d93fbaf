//! A link driven by ports that are made up: errors, short writes, vanishing, and a screen that takes nothing.

use super::super::wake::Wake;
use super::*;
use crate::clock::HostClock;
use crossbeam_channel::{Receiver, Sender, bounded};
use std::collections::VecDeque;
use std::io::{self, Read, Write};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

const PATIENCE: Duration = Duration::from_secs(20);

#[derive(Clone, Copy)]
enum Step {
    Bytes(&'static [u8]),
    Fails(ErrorKind),
    Gone,
}

/// What becomes of each opening in turn; the last port is silent for ever.
struct Fake {
    openings: Mutex<VecDeque<Result<Vec<Step>, Problem>>>,
    /// Bytes that a port takes before it takes no more.
    takes: usize,
}

struct FakePort {
    steps: VecDeque<Step>,
    takes: usize,
}

impl Read for FakePort {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self.steps.pop_front() {
            Some(Step::Bytes(bytes)) => {
                buffer[..bytes.len()].copy_from_slice(bytes);
                Ok(bytes.len())
            }
            Some(Step::Fails(kind)) => Err(kind.into()),
            Some(Step::Gone) => Ok(0),
            None => {
                std::thread::sleep(Duration::from_millis(2));
                Err(ErrorKind::TimedOut.into())
            }
        }
    }
}

impl Write for FakePort {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let length = bytes.len().min(3).min(self.takes);
        self.takes -= length;
        if length == 0 { Err(ErrorKind::TimedOut.into()) } else { Ok(length) }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Device for FakePort {
    fn set_baud(&mut self, _: u32) -> io::Result<()> {
        Ok(())
    }

    fn discard(&mut self) -> u64 {
        0
    }

    fn identity(&self) -> Option<String> {
        None
    }

    fn reset(&mut self, _: Duration) -> io::Result<()> {
        Ok(())
    }
}

impl Ports for Fake {
    fn open(&self, path: &Path, _: &WireSettings, _: u32) -> Result<Box<dyn Device>, Problem> {
        let next = self.openings.lock().unwrap().pop_front().unwrap_or(Err(Problem::Missing(path.into())));
        Ok(Box::new(FakePort { steps: next?.into(), takes: self.takes }))
    }
}

struct Rig {
    engine: Receiver<Feed>,
    keeper: Receiver<Feed>,
    commands: Sender<Command>,
    stop: Arc<AtomicBool>,
}

impl Drop for Rig {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
    }
}

fn watch(fake: Fake, room_for_engine: usize) -> Rig {
    let (to_engine, engine) = bounded(room_for_engine);
    let (to_keeper, keeper) = bounded(256);
    let (commands, orders) = bounded(8);
    let stop = Arc::new(AtomicBool::new(false));
    let mut outlet = Outlet::new(
        HostClock::start(),
        to_engine,
        to_keeper,
        orders,
        Arc::new(Wake::new().unwrap()),
        Arc::clone(&stop),
    );
    std::thread::spawn(move || {
        let source = WireSettings { baud: Some(9600), ..WireSettings::default() };
        Port::new(&fake, "/dev/made-up".into(), source).watch(&mut outlet);
    });
    Rig { engine, keeper, commands, stop }
}

/// What was fed, in short.
fn short(feed: &Feed) -> String {
    match feed {
        Feed::State(LinkState::Waiting { problem, .. }) => format!("waits: {problem}"),
        Feed::State(LinkState::Open { .. }) => "open".into(),
        Feed::State(state) => format!("{state:?}"),
        Feed::Opened { within, .. } => format!("opened {within}"),
        Feed::Chunk(chunk) => String::from_utf8_lossy(&chunk.bytes).into_owned(),
        Feed::Sent { bytes, .. } => format!("sent {}", String::from_utf8_lossy(bytes)),
        Feed::NotDone(why) => why.clone(),
        other => format!("{other:?}"),
    }
}

fn until(feed: &Receiver<Feed>, last: &str) -> Vec<String> {
    let mut seen = Vec::new();
    while seen.last().is_none_or(|text| text != last) {
        seen.push(short(&feed.recv_timeout(PATIENCE).unwrap_or_else(|_| panic!("waited for {last:?}: {seen:?}"))));
    }
    seen
}

#[test]
fn errors_vanishing_and_short_writes_are_gone_through_and_told() {
    let openings = [
        Err(Problem::Held("/dev/made-up".into())),
        Ok(vec![Step::Bytes(b"a=1\na="), Step::Fails(ErrorKind::Interrupted), Step::Bytes(b"2\n"), Step::Gone]),
        Ok(vec![Step::Bytes(b"a=3\n"), Step::Fails(ErrorKind::BrokenPipe)]),
        Ok(vec![Step::Bytes(b"a=4\n")]),
    ];
    let rig = watch(Fake { openings: Mutex::new(openings.into()), takes: 14 }, 256);
    let held = "waits: /dev/made-up is held by another program: close it there";
    let gone = "waits: /dev/made-up went away: check the cable and the board's power";
    let opened = ["open", "opened true"];
    let expected: Vec<&str> =
        [&["Opening", held][..], &opened, &["a=1\na=", "2\n", gone], &opened, &["a=3\n", gone], &opened, &["a=4\n"]]
            .concat();
    assert_eq!(until(&rig.keeper, "a=4\n"), expected);
    assert_eq!(until(&rig.engine, "a=4\n"), expected, "who keeps up hears the same");
    rig.commands.send(Command::Send(b"stroke 40\n".to_vec())).unwrap();
    assert_eq!(until(&rig.keeper, "sent stroke 40\n").len(), 1, "in several writes, told once");
    rig.commands.send(Command::Send(b"pump on\n".to_vec())).unwrap();
    let told = until(&rig.keeper, "4 of 8 bytes were sent: the board does not take it");
    assert_eq!(told[0], "sent pump");
    rig.commands.send(Command::TakeBack).unwrap();
    until(&rig.keeper, "not taken back: the port is not lent");
}

#[test]
fn a_screen_that_takes_nothing_holds_up_nobody_and_hears_how_it_stands_in_the_end() {
    let away = |bytes| Ok(vec![Step::Bytes(bytes), Step::Gone]);
    let openings = [away(b"a=1\n"), away(b"a=2\n"), away(b"a=3\n"), Ok(vec![Step::Bytes(b"a=4\n")])];
    let rig = watch(Fake { openings: Mutex::new(openings.into()), takes: 0 }, 1);
    // The keeper hears all of it while the only place for the screen is taken.
    let kept = until(&rig.keeper, "a=4\n");
    assert_eq!(kept.iter().filter(|text| *text == "opened true").count(), 4);
    let mut heard = Vec::new();
    let mut merged = 0;
    while merged == 0 {
        match rig.engine.recv_timeout(PATIENCE).unwrap() {
            Feed::Merged(count) => merged = count,
            // A place that becomes free at the right moment.
            Feed::Chunk(_) => {}
            other => heard.push(short(&other)),
        }
    }
    assert_eq!(heard, ["Opening", "open", "opened true"], "the newest of each kind");
    assert_eq!(merged, 9, "six states and three openings before the last");
}
