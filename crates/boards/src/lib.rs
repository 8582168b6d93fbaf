//! Simulated boards: made-up microcontrollers, seeded and with the time handed in, that can be served on a real
//! pseudo-terminal, so that whoever opens it goes through the same serial path as with a real board.
//!
//! Depends on no other crate of the workspace.

mod board;
mod flume;
mod garble;
mod serve;

pub use board::Board;
pub use flume::{Flume, Programme};
pub use serve::{Pty, ServeError, ServedBoard, serve};

/// The names by which [`by_name`] knows boards, with what each does.
pub const BOARDS: [(&str, &str); 2] = [
    ("flume", "a wave flume: two wave gauges, bed pressure, a limit switch, a pump and a sump, 100 rows a second"),
    ("flume-depth", "the same flume, raising still water in steps of 50 mm for calibration"),
];

/// The board called `name`, whose randomness follows from `seed`; `None` when there is no such board.
pub fn by_name(name: &str, seed: u64) -> Option<Box<dyn Board>> {
    let programme = match name {
        "flume" => Programme::Waves,
        "flume-depth" => Programme::Depth,
        _ => return None,
    };
    Some(Box::new(Flume::new(programme, seed)))
}
