//! Simulated boards: made-up microcontrollers, seeded and with the time handed in, that can be served on a real
//! pseudo-terminal, so that whoever opens it goes through the same serial path as with a real board.
//!
//! Depends on no other crate of the workspace.

mod bath;
mod board;
mod chime;
mod chime_frames;
mod desk;
mod ear;
mod flume;
mod garble;
mod gremlin;
mod meter;
mod noise;
mod pinbox;
mod plain;
mod raft;
mod serve;
mod stands;

pub use board::Board;
pub use flume::{Flume, Programme};
pub use serve::{Pty, ServeError, ServedBoard, serve};

use bath::Bath;
use chime::Chime;
use chime_frames::ChimeFrames;
use desk::ControlDesk;
use gremlin::Gremlin;
use meter::Meter;
use pinbox::Pinbox;
use plain::{Chatter, Notes, Plain, Twin};
use raft::Raft;
use stands::{Lamp, Lift, Motor, Pad, Valve};

/// The names by which [`by_name`] knows boards, with what each does.
pub const BOARDS: [(&str, &str); 21] = [
    ("flume", "a wave flume: two wave gauges, bed pressure, a limit switch, a pump and a sump, 100 rows a second"),
    ("flume-depth", "the same flume, raising still water in steps of 50 mm for calibration"),
    ("flume-pump", "the same flume, whose pump is switched by the host alone: pump on, pump off"),
    ("raft", "a raft in the waves: accelerations of three axes; dropped and knocked now and then"),
    ("bath", "a heated bath: temperature and heater, which the host switches: heater on, heater off"),
    ("lamp", "the lamp over the flume: a light-dependent resistor in a divider, raw counts of 12 bits"),
    ("motor", "the paddle's motor: a current sensor, one plain number a line, at 57600 baud"),
    ("pad", "a force pad: known weights are put on and taken off, raw counts of 24 bits"),
    ("lift", "the gate's lift: two levers that should move alike, one of which sticks"),
    ("valve", "the inlet valve: a code for what it does and one for a fault, at 9600 baud"),
    ("twin", "a valve's end switch and a flow meter: two plain numbers that alternate, at 9600 baud"),
    ("notes", "the basin's weather: a JSON object a line"),
    ("chatter", "a carriage: a labelled field a line, words between, its history on request, at 57600 baud"),
    ("desk", "the flume's control desk: knob, lever, thermistor, and three faulty inputs"),
    ("chime", "a struck glass bowl with two pick-ups, 4,000 rows a second at 2 Mbaud"),
    ("chime-binary", "the same bowl with four sensors, 20,000 binary frames a second at 3 Mbaud"),
    ("pinbox", "a box with 20 pins, 6 of them analog, that the host sets up, at 57600 baud"),
    ("pinbox-old", "the same with an older program, which does not say what its pins can do"),
    ("pinbox-lossy", "the same behind a bad cable: bytes are lost in both directions"),
    ("meter", "a bench meter that only answers: *IDN?, MEAS:VOLT?, MEAS:TEMP?, READ?; at 9600 baud"),
    ("gremlin", "the flume behind a bad cable: garbles, drops, floods, sends escapes, vanishes and comes back"),
];

/// The board called `name`, whose randomness follows from `seed`; `None` when there is no such board.
pub fn by_name(name: &str, seed: u64) -> Option<Box<dyn Board>> {
    Some(match name {
        "flume" => Box::new(Flume::new(Programme::Waves, seed)),
        "flume-depth" => Box::new(Flume::new(Programme::Depth, seed)),
        "flume-pump" => Box::new(Flume::new(Programme::Pump, seed)),
        "raft" => Box::new(Plain::new(|| Raft, seed)),
        "bath" => Box::new(Plain::new(Bath::new, seed)),
        "lamp" => Box::new(Plain::new(|| Lamp, seed)),
        "motor" => Box::new(Plain::new(|| Motor, seed)),
        "pad" => Box::new(Plain::new(|| Pad, seed)),
        "lift" => Box::new(Plain::new(|| Lift, seed)),
        "valve" => Box::new(Plain::new(|| Valve, seed)),
        "twin" => Box::new(Plain::new(|| Twin, seed)),
        "notes" => Box::new(Plain::new(|| Notes, seed)),
        "chatter" => Box::new(Plain::new(Chatter::new, seed)),
        "desk" => Box::new(Plain::new(|| ControlDesk, seed)),
        "chime-binary" => Box::new(ChimeFrames::new(seed)),
        "chime" => Box::new(Plain::new(|| Chime, seed)),
        "pinbox" => Box::new(Pinbox::new(pinbox::Nature::Sound, seed)),
        "pinbox-old" => Box::new(Pinbox::new(pinbox::Nature::Old, seed)),
        "pinbox-lossy" => Box::new(Pinbox::new(pinbox::Nature::Lossy, seed)),
        "meter" => Box::new(Meter::new(seed)),
        "gremlin" => Box::new(Gremlin::new(seed, gremlin::PAUSE)),
        _ => return None,
    })
}

/// The gremlin with `pause` seconds before each of its tricks, the last of which is to vanish for as long at most.
pub fn hasty_gremlin(seed: u64, pause: f64) -> Box<dyn Board> {
    Box::new(Gremlin::new(seed, pause))
}
