//! The manual page, made of the same definitions as the command line: one page with all commands and their options.

use crate::cli::Cli;
use clap::{Arg, Command, CommandFactory};
use std::io::{self, Write};

/// The page as roff text.
///
/// # Errors
/// None in practice: it is written to memory.
pub(super) fn page() -> io::Result<Vec<u8>> {
    let mut command = Cli::command();
    command.build();
    let mut page = Vec::new();
    let man = clap_mangen::Man::new(command.clone());
    man.render_title(&mut page)?;
    man.render_name_section(&mut page)?;
    man.render_synopsis_section(&mut page)?;
    writeln!(page, ".SH COMMANDS")?;
    for sub in command.get_subcommands_mut().filter(|sub| sub.get_name() != "help") {
        describe(sub, &mut page)?;
    }
    man.render_extra_section(&mut page)?;
    man.render_version_section(&mut page)?;
    Ok(page)
}

fn describe(command: &mut Command, page: &mut Vec<u8>) -> io::Result<()> {
    let usage = command.render_usage().to_string();
    writeln!(page, ".SS {}", plain(usage.trim_start_matches("Usage: ")))?;
    writeln!(page, "{}", plain(&command.get_about().map(ToString::to_string).unwrap_or_default()))?;
    for arg in command.get_arguments().filter(|arg| arg.get_id() != "help") {
        writeln!(page, ".TP\n\\fB{}\\fR\n{}", plain(&shown(arg)), plain(&help(arg)))?;
    }
    if let Some(more) = command.get_after_help() {
        writeln!(page, ".PP\n.nf\n{}\n.fi", plain(&more.to_string()))?;
    }
    Ok(())
}

/// An option or an argument as it is typed.
fn shown(arg: &Arg) -> String {
    let names = arg.get_value_names().unwrap_or_default().iter().map(ToString::to_string).collect::<Vec<_>>().join(" ");
    match arg.get_long() {
        Some(long) if arg.get_action().takes_values() => format!("--{long} {names}"),
        Some(long) => format!("--{long}"),
        None => names,
    }
}

/// What it is for, with its usual value.
fn help(arg: &Arg) -> String {
    let usual = arg.get_default_values().iter().map(|value| value.to_string_lossy()).collect::<Vec<_>>().join(" ");
    let help = arg.get_help().map(ToString::to_string).unwrap_or_default();
    if usual.is_empty() { help } else { format!("{help} [default: {usual}]") }
}

/// Text that roff takes for nothing else.
fn plain(text: &str) -> String {
    let line = |line: &str| {
        let line = line.replace('\\', "\\e").replace('-', "\\-");
        // A line that begins like a request is none.
        if line.starts_with(['.', '\'']) { format!("\\&{line}") } else { line }
    };
    text.lines().map(line).collect::<Vec<_>>().join("\n")
}
