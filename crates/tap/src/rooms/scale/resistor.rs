//! Which fixed resistor suits a divider, by the range that its sensor showed. What is fitted, by which ohms are reckoned, is
//! one thing; what is considered is another until a person says that it is fitted.

use super::super::list::{Item, List};
use super::Effect;
use crate::app::App;
use crate::session::Session;
use amber_core::chain::Channel;
use amber_core::digits::{measured, si};
use amber_core::part::Listed;
use amber_core::scale::{Candidate, ResistorSeries, Scale, Step, evaluate};

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
    let ohms = [low, high].map(|raw| scale.walk(raw, reference).get(at + 1).copied().unwrap_or(f64::NAN));
    let (least, most) = (ohms[0].min(ohms[1]), ohms[0].max(ohms[1]));
    let step = scale.upto(at).resolution(Channel::raw_step(channel));
    let supply = divider.supply(scale.reference_volts(reference));
    let fitted = divider.fixed;
    let about = |candidate: Candidate| {
        let swing = measured(candidate.swing, 0.001, "V");
        let share = candidate.swing / supply * 100.0;
        let resolution = si(candidate.resolution, "Ω");
        format!("swing {swing}, {share:.0} % of the supply; resolution {resolution} at the coarsest")
    };
    let advise_all = |series, count| amber_core::scale::advise(divider, supply, least, most, step, series, count);
    let mut items = Vec::new();
    if let Some(now) = evaluate(divider, supply, least, most, step) {
        let leave = move |_: &mut App| Vec::new();
        let best = advise_all(ResistorSeries::E24, 1).first().is_none_or(|best| now.swing >= best.swing);
        let praise = if best { "none swings more: " } else { "" };
        items.push(Item::new(format!("{} fitted", si(fitted, "Ω")), format!("{praise}{}", about(now)), leave));
    }
    for (series, name) in [(ResistorSeries::E12, "E12"), (ResistorSeries::E24, "E24")] {
        for candidate in advise_all(series, CANDIDATES).into_iter().filter(|candidate| candidate.fixed != fitted) {
            let ohms = candidate.fixed;
            let name = format!("{} {name}", si(ohms, "Ω"));
            items.push(Item::new(name, about(candidate), move |_| vec![is_fitted(at, fitted, ohms)]));
        }
    }
    if items.is_empty() {
        return Err("the sensor has not moved yet: take it through its range, then ask again");
    }
    let [least, most, fitted] = [least, most, fitted].map(|ohms| si(ohms, "Ω"));
    let title = format!("fixed resistors to consider for {least} to {most}, as seen with {fitted} fitted");
    Ok(vec![Effect::Choose(List::new(title, items, 0))])
}

/// Asks whether the resistor that is considered is fitted: ohms are reckoned by the one on the board.
fn is_fitted(at: usize, fitted: f64, ohms: f64) -> Effect {
    let [old, new] = [fitted, ohms].map(|ohms| si(ohms, "Ω"));
    let swap =
        Item::new(format!("{new} is fitted now"), format!("ohms are reckoned with {new} from now on"), move |app| {
            take(&mut app.session, at, ohms);
            Vec::new()
        });
    let about = format!("still with {old}, which is on the board");
    let leave = Item::new("not yet", about, |_| Vec::new());
    Effect::Choose(List::new(format!("is {new} fitted on the board in place of {old}?"), vec![leave, swap], 0))
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
