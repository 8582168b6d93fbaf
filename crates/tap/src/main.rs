//! `amber-tap`: watch, plot, smooth and log a board's readings in the terminal. This file only wires.

mod app;
mod choose;
mod cli;
mod commands;
mod figure;
mod keys;
mod recent;
mod screen;
mod shell;
mod theme;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    match commands::run(cli::Cli::parse().command) {
        Ok(code) => ExitCode::from(code),
        Err(error) => {
            eprintln!("amber-tap: {error:#}");
            ExitCode::from(1)
        }
    }
}
