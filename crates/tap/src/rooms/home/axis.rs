//! What decides the y axis of the selected channel's lane.

use super::super::list::{Item, List};
use super::super::prompt::Prompt;
use super::Effect;
use crate::session::Session;
use amber_core::axis::Rule;
use amber_core::bench::Kind;
use amber_core::digits::typed;

/// Lets it be chosen.
pub(super) fn choose(session: &mut Session) -> Vec<Effect> {
    let lanes = session.lanes();
    let selected = session.selected;
    let Some(lane) = lanes.analog.into_iter().find(|lane| lane.channels.contains(&selected)) else {
        let is_analog = session.channel().is_some_and(|channel| channel.kind() == Kind::Analog);
        let why = if is_analog { "this channel is hidden" } else { "this channel is not analog" };
        session.say(format!("{why}: select another one with Tab"), true);
        return Vec::new();
    };
    let set = |rule: Rule, unit: String| {
        move |app: &mut crate::app::App| {
            app.session.set_axis_rule(&unit, rule);
            Vec::new()
        }
    };
    let mut items = vec![
        Item::new("fit the data", "grows at once, shrinks slowly, in round steps", set(Rule::Fit, lane.unit.clone()))
            .with_key("f"),
    ];
    if let Some((low, high)) = session.full_scale(&lane.channels) {
        let about = format!("the range of the converter: {low} to {high} {}", lane.unit);
        items.push(Item::new("full scale", about, set(Rule::Full, lane.unit.clone())).with_key("s"));
    }
    let (unit, limits) = (lane.unit.clone(), lane.limits);
    let type_limits = move |_: &mut crate::app::App| vec![Effect::Ask(limits_prompt(&unit, limits))];
    items.push(Item::new("typed limits", "two numbers, low and high", type_limits).with_key("t"));
    let now = match lane.rule {
        Rule::Fit => 0,
        Rule::Full => 1,
        Rule::Typed(..) => items.len() - 1,
    };
    let of = if lane.unit.is_empty() { "raw" } else { &lane.unit };
    vec![Effect::Choose(List::new(format!("y axis: {of}"), items, now).by_letter())]
}

fn limits_prompt(unit: &str, (low, high): (f64, f64)) -> Prompt {
    let title = format!("limits of the {} axis", if unit.is_empty() { "raw" } else { unit });
    let unit = unit.to_owned();
    Prompt::new(title, "two numbers, low and high", format!("{low} {high}"), move |app, text| {
        let numbers: Vec<f64> = text.split_whitespace().map(typed).collect::<Result<_, _>>()?;
        match numbers[..] {
            [low, high] if low < high => {
                app.session.set_axis_rule(&unit, Rule::Typed(low, high));
                Ok(Vec::new())
            }
            [_, _] => Err("the first must be the lower one".into()),
            _ => Err("type two numbers, low and high".into()),
        }
    })
}
