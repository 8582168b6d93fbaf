//! The loop of the list of what can be watched.

use super::input::{Arrived, text_of};
use super::run::is_suspend;
use super::{Front, Signals};
use crate::choose::{Choice, Chooser, draw};
use crate::theme::{Depth, Theme};
use crossbeam_channel::Select;
use crossterm::event::Event;
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
        let mut select = Select::new();
        let waiting = front.input.waiting().clone();
        select.recv(&waiting);
        // Nothing has come when this ends, or something has: both are looked at.
        let _ = select.ready_timeout(LOOK / 4);
        let Ok(arrived) = front.input.take() else { return Ok(Choice::Quit) };
        for arrived in arrived {
            changed |= match arrived {
                Arrived::Event(Event::Key(key)) if is_suspend(key) => {
                    front.screen.suspend()?;
                    true
                }
                Arrived::Event(Event::Key(key)) => {
                    if let Some(choice) = chooser.key(key) {
                        return Ok(choice);
                    }
                    true
                }
                Arrived::Event(Event::Paste(text)) => chooser.paste(&text),
                Arrived::Event(Event::Resize(..)) => true,
                Arrived::Event(_) => false,
                // A text from elsewhere is a path at most.
                Arrived::Burst(keys) => chooser.paste(&text_of(&keys)),
            };
        }
        if looked.elapsed() >= LOOK {
            looked = Instant::now();
            changed |= chooser.set_ports(amber_io::ports());
        }
    }
    Ok(Choice::Quit)
}
