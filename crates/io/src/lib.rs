//! Amber Tap's edge: bytes come in over serial ports, takes go out to disk and come back.
//!
//! Depends on `amber-core` and on no other crate of the workspace; knows no terminal. Each file format is a codec that
//! does no input or output, with a thin pump around it.

mod broker;
mod clock;
pub mod disk;
pub mod export;
mod link;
mod network;
mod publish;
mod serial;
mod share;
mod spill_file;
pub mod take;

pub use clock::{HostClock, local_zone};
pub use link::{Chunk, Command, Endpoint, Feed, Link, LinkState, Simulated, Tried};
pub use publish::{BrokerState, PublishOutlet, PublishState, Publisher};
pub use serial::{FoundPort, Problem, ports};
pub use share::{Share, ShareNews};
pub use spill_file::SpillFile;
