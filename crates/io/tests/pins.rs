//! The dialogue with simulated boards whose pins the host sets up, and the rows that come of it.

use amber_core::Stamp;
use amber_core::ask::{Dialogue, Stage};
use amber_core::split::pins::Pins;
use amber_core::split::{LineOutcome, Shape, Sink, Splitter};
use std::time::Duration;

#[derive(Default)]
struct Rows {
    rows: Vec<(Stamp, Vec<f64>)>,
    rejected: usize,
}

impl Sink for Rows {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        self.rejected += usize::from(matches!(outcome, LineOutcome::Rejected(_)));
    }
    fn row(&mut self, at: Stamp, values: &[f64]) {
        self.rows.push((at, values.to_vec()));
    }
}

/// A board and the host that talks with it; time passes as told.
struct Rig {
    board: Box<dyn amber_boards::Board>,
    dialogue: Dialogue,
    splitter: Splitter,
    rows: Rows,
    now: u64,
}

impl Rig {
    fn new(board: &str, pins: &str) -> Rig {
        let pins: Pins = pins.parse().unwrap();
        let mut dialogue = Dialogue::new(pins.clone());
        dialogue.opened(Stamp(0));
        let board = amber_boards::by_name(board, 1).unwrap();
        Rig { board, dialogue, splitter: Splitter::new(Some(Shape::Pins(pins))), rows: Rows::default(), now: 0 }
    }

    fn pass(&mut self, milliseconds: u64) {
        for _ in 0..milliseconds / 10 {
            self.now += 10;
            let at = Stamp(self.now as i64 * 1_000_000);
            let mut bytes = Vec::new();
            self.board.run(Duration::from_millis(self.now), &mut bytes);
            self.dialogue.hear(at, &bytes);
            let mut answer = Vec::new();
            if let Some(sent) = self.dialogue.poll(at) {
                self.board.hear(&sent, &mut answer);
            }
            self.dialogue.hear(at, &answer);
            bytes.extend(answer);
            self.splitter.feed(at, &bytes, &mut self.rows);
        }
    }
}

const PINS: &str = "every 50 knob:a0 light:a1 button:d2-up lamp:d9-pwm led:d13-out";

#[test]
fn a_board_that_starts_slowly_is_asked_and_its_pins_are_read_and_set() {
    let mut rig = Rig::new("pinbox", PINS);
    rig.pass(1000);
    assert_eq!((rig.dialogue.stage(), rig.rows.rows.len()), (Stage::Greeting, 0));
    rig.pass(4000);
    let board = rig.dialogue.board();
    assert_eq!((board.firmware.as_deref(), board.version), (Some("Pinbox 2.5"), Some((2, 5))));
    assert_eq!((board.modes.len(), board.pin_of(0), board.bits(14, 2)), (20, Some(14), Some(10)));
    let rows = &rig.rows.rows;
    assert!((60..90).contains(&rows.len()), "20 a second: {}", rows.len());
    assert!(rows.iter().skip(1).all(|(_, row)| row.iter().all(|value| value.is_finite())));
    let pressed = rows.iter().filter(|(_, row)| row[2] == 0.0).count();
    assert!((5..30).contains(&pressed), "{pressed}");
    assert_eq!(rig.rows.rejected, 0);
    let before = rig.rows.rows.last().unwrap().1[1];
    let bytes = rig.dialogue.output("lamp", 255).unwrap();
    rig.board.hear(&bytes, &mut Vec::new());
    rig.pass(500);
    assert!(rig.rows.rows.last().unwrap().1[1] > before + 500.0, "the lamp shines on the light sensor");
    for (name, value, part) in [("lamp", 256, "0 to 255"), ("knob", 1, "input"), ("x", 1, "outputs are lamp, led")] {
        let said = rig.dialogue.output(name, value).unwrap_err();
        assert!(said.contains(part), "{said}");
    }
    // Other pins, while it runs.
    let pins: Pins = "every 20 spare:a5".parse().unwrap();
    rig.dialogue.set_pins(pins.clone(), Stamp(rig.now as i64 * 1_000_000));
    rig.splitter = Splitter::new(Some(Shape::Pins(pins)));
    rig.rows = Rows::default();
    rig.pass(2000);
    assert!((90..110).contains(&rig.rows.rows.len()), "{}", rig.rows.rows.len());
}

#[test]
fn a_board_with_an_older_program_is_set_up_without_knowing_its_pins() {
    let mut rig = Rig::new("pinbox-old", PINS);
    rig.pass(12_000);
    assert_eq!(rig.dialogue.stage(), Stage::Running);
    assert!(rig.dialogue.board().modes.is_empty() && rig.dialogue.faults().is_empty());
    assert!(rig.dialogue.state().contains("does not say"), "{}", rig.dialogue.state());
    assert!(rig.rows.rows.len() > 50);
}

#[test]
fn lost_bytes_cost_readings_and_never_the_dialogue() {
    let mut rig = Rig::new("pinbox-lossy", PINS);
    rig.pass(60_000);
    assert_eq!(rig.dialogue.stage(), Stage::Running);
    let mut sound = Rig::new("pinbox", PINS);
    sound.pass(5000);
    let map = |rig: &Rig| (rig.dialogue.board().modes.clone(), rig.dialogue.board().channels.clone());
    assert_eq!(map(&rig), map(&sound), "answers that lost bytes are asked for again");
    assert!(rig.dialogue.state().contains("bytes of its answers were lost"), "{}", rig.dialogue.state());
    assert!(rig.rows.rows.len() > 900 && rig.rows.rejected > 5, "{} {}", rig.rows.rows.len(), rig.rows.rejected);
    let knobs: Vec<f64> = rig.rows.rows.iter().map(|(_, row)| row[0]).filter(|knob| knob.is_finite()).collect();
    assert!(knobs.iter().all(|knob| (0.0..=1023.0).contains(knob)));
}

#[test]
fn a_pin_that_the_board_has_not_is_said_and_a_reset_sets_all_up_again() {
    let mut rig = Rig::new("pinbox", "knob:a0 odd:a9 fan:d2-pwm");
    rig.pass(4000);
    assert_eq!(rig.dialogue.faults().len(), 2, "{:?}", rig.dialogue.faults());
    rig.board.reset();
    rig.now = 4000;
    let mut answers = Vec::new();
    rig.board.run(Duration::from_secs(2), &mut answers);
    rig.dialogue.hear(Stamp(6_000_000_000), &answers);
    assert_eq!(rig.dialogue.stage(), Stage::Capabilities);
}
