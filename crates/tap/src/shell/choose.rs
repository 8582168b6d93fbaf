//! The loop of the list of what can be watched.

use super::run::is_suspend;
use super::{Front, Signals};
use crate::choose::{Choice, Chooser, draw};
use crate::theme::{Depth, Theme};
use crossterm::event::{Event, KeyEventKind};
use std::time::{Duration, Instant};

/// How often the ports are looked at.
const LOOK: Duration = Duration::from_millis(500);

/// Shows the list until something is chosen.
pub(crate) fn choose(front: &mut Front, chooser: &mut Chooser, signals: &Signals) -> anyhow::Result<Choice> {
    let theme = Theme::new(Depth::from_environment(|name| std::env::var(name).ok()));
    chooser.set_ports(amber_io::ports());
    let mut looked = Instant::now();
    let mut changed = true;
    while signals.ended().is_none() {
        if signals.went_on() {
            front.screen.begin_again()?;
            changed = true;
        }
        let ready = front.screen.is_ready()?;
        if changed && ready {
            changed = false;
            let size = front.screen.size();
            front.screen.draw(size, None, |buffer| draw(chooser, theme, buffer))?;
        }
        changed |= match front.input.recv_timeout(LOOK / 4) {
            Ok(Event::Key(key)) if is_suspend(key) => {
                front.screen.suspend()?;
                true
            }
            Ok(Event::Paste(text)) => chooser.paste(&text),
            Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => {
                if let Some(choice) = chooser.key(key) {
                    return Ok(choice);
                }
                true
            }
            Ok(Event::Resize(..)) => true,
            Ok(_) | Err(crossbeam_channel::RecvTimeoutError::Timeout) => false,
            Err(crossbeam_channel::RecvTimeoutError::Disconnected) => return Ok(Choice::Quit),
        };
        if looked.elapsed() >= LOOK {
            looked = Instant::now();
            changed |= chooser.set_ports(amber_io::ports());
        }
    }
    Ok(Choice::Quit)
}
