//! A list over the screen, to choose one entry from.

use super::{App, Effect, Overlay, PartList};

/// A list.
#[derive(Debug)]
pub(crate) struct Pick {
    pub(crate) title: String,
    /// Each entry and what it means.
    pub(crate) items: Vec<(String, String)>,
    pub(crate) chosen: usize,
    pub(crate) what: Picked,
}

/// What the entry is chosen for.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Picked {
    /// A new part at this place of a list.
    Part(PartList, usize),
    /// The fixed resistor of the divider that is this step.
    Resistor(usize),
}

impl App {
    pub(super) fn move_pick(&mut self, by: i32) {
        if let Some(Overlay::Pick(pick)) = self.overlays.last_mut() {
            let last = pick.items.len().saturating_sub(1) as i32;
            pick.chosen = (pick.chosen as i32 + by).clamp(0, last) as usize;
        }
    }

    pub(super) fn take_pick(&mut self) -> Vec<Effect> {
        let Some(Overlay::Pick(pick)) = self.overlays.pop() else { return Vec::new() };
        let Some((name, _)) = pick.items.get(pick.chosen) else { return Vec::new() };
        match pick.what {
            Picked::Part(list, place) => self.add_part(list, place, name),
            Picked::Resistor(step) => self.take_resistor(step, name),
        }
        Vec::new()
    }
}
