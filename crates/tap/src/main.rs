//! `amber-tap`: watch, plot, smooth and log a board's readings in the terminal. This file only wires.

mod app;
mod choose;
mod cli;
mod commands;
mod comparison;
mod crash;
mod figure;
mod keys;
mod print;
mod recent;
mod report;
#[cfg_attr(not(test), warn(clippy::indexing_slicing))]
mod rooms;
mod save;
mod screen;
#[cfg_attr(not(test), warn(clippy::indexing_slicing))]
mod session;
mod shell;
mod theme;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let command = cli::Cli::parse().command;
    crash::remember();
    let ended = std::panic::catch_unwind(|| commands::run(command));
    if let Some(fault) = crash::seen() {
        print::aside(format_args!("amber-tap {fault}"));
        return ExitCode::from(crash::CODE);
    }
    match ended {
        Ok(Ok(code)) => ExitCode::from(code),
        Ok(Err(error)) if error.is::<print::NobodyReads>() => ExitCode::SUCCESS,
        Ok(Err(error)) => {
            print::aside(format_args!("amber-tap: {error:#}"));
            ExitCode::FAILURE
        }
        Err(_) => ExitCode::from(crash::CODE),
    }
}
