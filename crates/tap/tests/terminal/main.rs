//! The real program on a real terminal, with boards on real devices.

#![allow(missing_docs)]

mod analysis;
mod broker;
mod conditions;
mod day;
mod faults;
mod program;
mod publishing;
mod scales;
mod support;
mod wires;
