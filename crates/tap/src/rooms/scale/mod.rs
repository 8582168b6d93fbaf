//! The panel of stage 3: the steps of the selected channel's scale, each with the value behind it, and the tools that
//! find a scale or doubt it.

mod computed;
mod resistor;
mod settings;

use super::panel::{PartList, Row, SingleSetting, StagePanel, add_row, part_rows};
use super::split::WORDS;
use super::{Effect, RoomId};
use crate::keys::{Binding, NONE, keys};
use crate::session::{Session, Stage};
use amber_core::chain::{Channel, ChannelValues};
use amber_core::digits::{fixed, measured, si, with_unit};
use amber_core::scale::{Converter, Reference, Scale as Steps, Step};
use crossterm::event::KeyCode::Char;

/// Stage 3.
#[derive(Debug, Default)]
pub(crate) struct Scale;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Calibrate,
    Survey,
    Checkup,
    ZeroAll,
    NewFormula,
    DeleteComputed,
    Resistor,
}

impl StagePanel for Scale {
    type Action = Action;
    const STAGE: Stage = Stage::Scale;
    const HELP: &'static str = "count to volts to quantity; calibrate, survey, check-up";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('c'), NONE)], Action::Calibrate, "c", "calibrate the channel by its levels", Some("c calibrate"), channel;
        [(Char('r'), NONE)], Action::Survey, "r", "survey the travel of a knob or lever", Some("r survey"), channel;
        [(Char('d'), NONE)], Action::Checkup, "d", "check-up: faults of any channel", Some("d check-up");
        [(Char('Z'), NONE)], Action::ZeroAll, "Z", "zero all channels that are settled", None, channel;
        [(Char('F'), NONE)], Action::NewFormula, "F", "add a channel computed by a formula", Some("F formula");
        [(Char('X'), NONE)], Action::DeleteComputed, "X", "delete the computed channel", None, channel;
        [(Char('A'), NONE)], Action::Resistor, "A", "advise on the divider's fixed resistor", None, channel;
    };
    const PARTS: Option<PartList> = Some(PartList::Steps);

    fn settings() -> Vec<&'static SingleSetting> {
        settings::INPUT.iter().chain(&settings::RAW).collect()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let Some(channel) = session.channel() else { return vec![super::no_channel()] };
        let settings = channel.wished();
        let scale = &settings.scale;
        let reading = session.reading(session.selected);
        let mut rows = vec![super::channel_row(session)];
        rows.extend(Row::setting(computed::FormulaSetting, session));
        rows.extend(unknown_names(session, channel).into_iter().flat_map(|told| Row::text("", &told)));
        rows.extend(Row::settings(&settings::INPUT, session));
        let walk = reading.map(|r| scale.walk(r.raw, r.reference.unwrap_or(f64::NAN)));
        for (at, step) in scale.steps.iter().enumerate() {
            let value = value_behind(scale, at, walk.as_deref(), channel.raw_step());
            rows.extend(part_rows(PartList::Steps, at, value, session));
            if let (Step::Converter(converter), Some(reading)) = (step, reading) {
                rows.extend(other_way(converter, reading));
            }
        }
        rows.extend(add_row(PartList::Steps, session));
        rows.extend(Row::setting(&WORDS, session));
        rows.extend(Row::settings(&settings::RAW, session));
        rows.push(Row::blank());
        rows.extend(facts(session, channel, reading));
        rows
    }

    fn act(&mut self, action: Action, row: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Calibrate => return vec![Effect::Show(RoomId::Calibrate)],
            Action::Survey => return vec![Effect::Show(RoomId::Survey)],
            Action::Checkup => return vec![Effect::Show(RoomId::Checkup)],
            Action::ZeroAll => session.zero(true),
            Action::NewFormula => return vec![Effect::Ask(computed::prompt())],
            Action::DeleteComputed => computed::delete(session),
            Action::Resistor => return resistor::advise(session, row.and_then(|row| row.part).map(|(_, at)| at)),
        }
        Vec::new()
    }
}

/// What follows from the steps.
fn facts(session: &Session, channel: &Channel, reading: Option<ChannelValues>) -> Vec<Row> {
    let scale = &channel.wished().scale;
    let unit = scale.unit();
    let mut rows = Vec::new();
    let here = reading.map(|r| channel.difference_of(channel.raw_step(), r.raw));
    let step = here.filter(|step| step.is_finite()).map(|step| si(step, unit));
    let volts = scale.volts_per_count().map(|volts| si(volts * channel.raw_step(), "V"));
    let sizes: Vec<String> = volts.filter(|_| unit != "V").into_iter().chain(step).collect();
    if !sizes.is_empty() && !scale.is_plain() {
        rows.push(Row::fact("resolution (1 LSB)", sizes.join(" or ")));
    }
    let is_divider = |step: &Step| matches!(step, Step::Divider(divider) if divider.supply.is_none());
    if scale.steps.iter().any(is_divider) && scale.reference_volts(1.0).is_nan() {
        let what = "not known: type it, or put a converter before the divider".to_owned();
        rows.push(Row::fact("supply of the divider", what));
    }
    let places = channel.decimals();
    if let Some((low, high)) = scale.full_scale() {
        let range = format!("{} to {}", fixed(low, places), fixed(high, places));
        rows.push(Row::fact("full scale", with_unit(range, unit)));
    }
    if let Some(level) = session.settled(session.selected) {
        let mean = channel.quantity_of(level.mean);
        let text = measured(mean, channel.resolution() / 10.0, unit);
        rows.push(Row::fact("settled at", format!("{text}, {:.0} s", level.seconds())));
    } else {
        rows.push(Row::fact("settled at", "not settled"));
    }
    rows
}

/// The names in a channel's formula that mean no channel.
fn unknown_names(session: &Session, channel: &Channel) -> Option<String> {
    let formula = channel.wished().formula.as_ref()?;
    let known = |name: &str| session.chain().channels().iter().any(|c| c.name() == name || c.title() == name);
    let missing: Vec<String> =
        formula.program().inputs().iter().filter(|i| !known(&i.name)).map(|i| i.name.clone()).collect();
    (!missing.is_empty()).then(|| format!("▲ waits for {}", missing.join(", ")))
}

/// The value behind a step.
fn value_behind(scale: &Steps, index: usize, walk: Option<&[f64]>, raw_step: f64) -> String {
    let upto = scale.upto(index + 1);
    let unit = scale.unit_behind(index + 1);
    match walk.and_then(|walk| walk.get(index + 1)) {
        None => "–".into(),
        Some(value) => match upto.decimals() {
            Some(places) => with_unit(fixed(*value, places), unit),
            None => measured(*value, upto.resolution(raw_step), unit),
        },
    }
}

/// What the value would be if the top code had its other meaning.
fn other_way(converter: &Converter, reading: ChannelValues) -> Option<Row> {
    converter.bits?;
    let volts = match converter.reference {
        Reference::Volts(volts) => volts,
        Reference::Channel(_) => reading.reference?,
    };
    let other = Converter { top_is_reference: !converter.top_is_reference, ..converter.clone() };
    let [own, other] = [converter, &other].map(|converter| reading.raw * volts * converter.share());
    let more = if other >= own { "+" } else { "" };
    Some(Row::fact("    other top code", format!("{} ({more}{})", si(other, "V"), si(other - own, "V"))))
}
