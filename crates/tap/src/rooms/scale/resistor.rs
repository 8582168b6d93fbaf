//! Which fixed resistor suits a divider, by the range that its sensor showed.

use super::super::list::{Item, List};
use super::Effect;
use crate::session::Session;
use amber_core::chain::Channel;
use amber_core::digits::{measured, si};
use amber_core::part::Listed;
use amber_core::scale::{ResistorSeries, Scale, Step};

/// Candidates of each series.
const CANDIDATES: usize = 5;

/// Lets a resistor be chosen for the divider that is step `at`.
pub(super) fn advise(session: &mut Session, at: Option<usize>) -> Vec<Effect> {
    items(session, at).unwrap_or_else(|why| {
        session.say(why, true);
        Vec::new()
    })
}

fn items(session: &Session, at: Option<usize>) -> Result<Vec<Effect>, &'static str> {
    let channel = session.channel().ok_or("no channel yet: rows must arrive first")?;
    let scale: Scale = channel.wished().scale.clone();
    let divider = at.and_then(|at| match scale.steps.get(at) {
        Some(Step::Divider(divider)) if !divider.ohms_to_volts => Some((at, divider)),
        _ => None,
    });
    let (at, divider) = divider.ok_or("A is for a divider that turns volts into ohms: select that step first")?;
    let (low, high) = channel.ends().ok_or("move the sensor through its range first: nothing was seen of it yet")?;
    let reference = session.reference(session.selected);
    let ohms = [low, high].map(|raw| scale.walk(raw, reference)[at + 1]);
    let (least, most) = (ohms[0].min(ohms[1]), ohms[0].max(ohms[1]));
    let step = scale.upto(at).resolution(Channel::raw_step(channel));
    let mut items = Vec::new();
    for (series, name) in [(ResistorSeries::E12, "E12"), (ResistorSeries::E24, "E24")] {
        for candidate in amber_core::scale::advise(divider, least, most, step, series, CANDIDATES) {
            let swing = measured(candidate.swing, 0.001, "V");
            let share = candidate.swing / divider.supply * 100.0;
            let ohms = candidate.fixed;
            let resolution = si(candidate.resolution, "Ω");
            let about = format!("swing {swing}, {share:.0} % of the supply; resolution {resolution} at the coarsest");
            items.push(Item::new(format!("{} {name}", si(ohms, "Ω")), about, move |app| {
                take(&mut app.session, at, ohms);
                Vec::new()
            }));
        }
    }
    if items.is_empty() {
        return Err("the sensor has not moved yet: take it through its range, then ask again");
    }
    let title = format!("fixed resistor for {} to {}, as seen so far", si(least, "Ω"), si(most, "Ω"));
    Ok(vec![Effect::Choose(List::new(title, items, 0))])
}

/// Takes the resistor into the divider that is step `at`.
fn take(session: &mut Session, at: usize, ohms: f64) {
    let Some(channel) = session.channel() else { return };
    let mut settings = channel.wished().clone();
    let set = settings.scale.steps.get_mut(at).map_or(Ok(()), |step| step.set(0, &ohms.to_string()));
    if let Err(wrong) = set.and_then(|()| session.take_settings(settings)) {
        session.say(wrong, true);
    }
}
