//! The trials of `examples/faults.rs` in a shortened form.

#![allow(missing_docs)]

mod trials;

use std::path::Path;
use trials::{Count, Outcome, Rig};

fn tried(name: &str, times: usize, trial: fn(&mut Rig, usize) -> Outcome<Count>) {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new(Path::new(env!("CARGO_BIN_EXE_amber-tap")), dir.path());
    let count = trial(&mut rig, times).unwrap();
    assert!(count.wrong.is_empty() && count.tried == times, "{name}: {count:#?}");
}

#[test]
fn kills_cost_a_second_at_most() {
    tried("kills", 4, trials::kills);
}

#[test]
fn a_full_disk_and_a_folder_that_goes_leave_a_whole_take_or_none() {
    tried("disks", 8, trials::disks);
}

#[test]
fn what_arrives_is_kept_however_often_the_cable_is_out() {
    tried("replugs", 8, trials::replugs);
}

#[test]
fn a_terminal_that_reads_nothing_costs_nothing() {
    tried("blocked", 4, trials::blocked);
}

#[test]
fn hostile_streams_are_split_or_rejected() {
    tried("hostile", 60, trials::hostile);
}

#[test]
fn nothing_that_is_pressed_makes_it_deaf_or_ends_it() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new(Path::new(env!("CARGO_BIN_EXE_amber-tap")), dir.path());
    let count = trials::keys(&mut rig, 40).unwrap();
    // How soon pictures come is measured elsewhere: this is a build for debugging, on a machine that is busy.
    let wrong: Vec<&String> = count.wrong.iter().filter(|wrong| !wrong.contains("a picture after")).collect();
    assert!(wrong.is_empty() && count.tried > 3, "{count:#?}");
}

#[test]
fn many_channels_that_come_fast_are_all_kept_while_keys_are_pressed() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new(Path::new(env!("CARGO_BIN_EXE_amber-tap")), dir.path());
    let count = trials::soak(&mut rig, 5).unwrap();
    assert!(count.wrong.is_empty() && count.tried > 0, "{count:#?}");
}

#[test]
fn a_machine_that_has_run_for_years_keeps_time() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new(Path::new(env!("CARGO_BIN_EXE_amber-tap")), dir.path());
    // Nothing is tried where the system has no time namespaces.
    let count = trials::clocks(&mut rig, 4).unwrap();
    assert!(count.wrong.is_empty(), "{count:#?}");
}

#[test]
fn damaged_takes_open() {
    tried("damaged", 200, trials::damaged);
}
