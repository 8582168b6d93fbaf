//! Mending a take: told first, done when it is wanted.

use crate::print::{aside, line};
use amber_io::take::mend_all;
use anyhow::bail;
use std::io::{BufRead, IsTerminal};
use std::path::Path;

/// Says what mending the take in `folder` comes to and, when `yes` or a person says so, does it.
pub(super) fn run(folder: &Path, yes: bool) -> anyhow::Result<u8> {
    let mendings = mend_all(folder)?;
    for mending in &mendings {
        let name = mending.folder.display();
        mending.told.iter().for_each(|told| aside(format_args!("{name}: {told}")));
        for repair in &mending.repairs {
            line(format_args!("{name}/{}: {}", repair.file, repair.what), "what is to be mended")?;
        }
    }
    if mendings.iter().all(|mending| mending.repairs.is_empty()) {
        line("nothing to mend: all files agree", "that there is nothing to mend")?;
        return Ok(0);
    }
    if !yes && !agreed()? {
        bail!("nothing was changed; use --yes to mend without being asked");
    }
    for mending in mendings {
        for kept in mending.carry_out()? {
            line(format_args!("original kept as {}", kept.display()), "what was kept")?;
        }
    }
    line("mended", "that it is done").map(|()| 0)
}

/// Asks the person, where there is one.
fn agreed() -> anyhow::Result<bool> {
    if !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return Ok(false);
    }
    aside("Mend these files? A copy of each is kept. [y/N]");
    let mut answer = String::new();
    std::io::stdin().lock().read_line(&mut answer)?;
    Ok(answer.trim().eq_ignore_ascii_case("y"))
}
