//! The panel of stage 3: the steps of the selected channel's scale, each with the value behind it.

use super::super::App;
use super::{Field, FieldId, PartList, add_field, fact, part_fields, setting, text};
use amber_core::chain::{Channel, Reading};
use amber_core::digits::{fixed, measured, si, with_unit};
use amber_core::scale::{Converter, Reference, Scale, Step};

impl App {
    pub(super) fn scale_fields(&self, channel: &Channel) -> Vec<Field> {
        let settings = channel.wished();
        let scale = &settings.scale;
        let reading = self.reading(self.selected);
        let mut fields = vec![fact("channel", format!("{} {}", self.letter(self.selected), channel.title()))];
        if let Some(formula) = &settings.formula {
            let hint = "computed from other channels; X deletes this channel";
            fields.push(setting(FieldId::Formula, "formula", formula.text(), hint));
            fields.extend(self.unknown_names(channel).into_iter().flat_map(|told| text("", &told)));
        }
        let raw = reading.map_or("–".into(), |r| with_unit(fixed(r.raw, channel.raw_decimals()), &scale.unit));
        let came = if settings.formula.is_some() { "computed" } else { "as it comes" };
        fields.push(setting(FieldId::Unit, came, raw, "Enter: the unit of the value in front of the first step"));
        let walk = reading.map(|r| scale.walk(r.raw, r.reference.unwrap_or(f64::NAN)));
        for (i, step) in scale.steps.iter().enumerate() {
            let value = value_behind(scale, i, walk.as_deref(), channel.raw_step());
            fields.extend(part_fields(PartList::Steps, &scale.steps, i, scale.unit_behind(i), value));
            if let (Step::Converter(converter), Some(reading)) = (step, reading) {
                fields.extend(other_way(converter, reading));
            }
        }
        fields.push(add_field(PartList::Steps, &scale.steps));
        if settings.formula.is_none() {
            let words = settings.words.spelled();
            let words = if words.is_empty() { "none".to_owned() } else { words };
            fields.push(setting(
                FieldId::Words,
                "words for codes",
                words,
                "for numbers that stand for states: 0 idle, 3 blue",
            ));
        }
        fields.push(fact("", ""));
        fields.extend(self.scale_facts(channel, reading));
        fields
    }

    /// What follows from the steps.
    fn scale_facts(&self, channel: &Channel, reading: Option<Reading>) -> Vec<Field> {
        let scale = &channel.wished().scale;
        let unit = scale.unit();
        let mut fields = Vec::new();
        let here = reading.map(|r| channel.difference_of(channel.raw_step(), r.raw));
        let step = here.filter(|step| step.is_finite()).map(|step| si(step, unit));
        let volts = scale.volts_per_count().map(|volts| si(volts * channel.raw_step(), "V"));
        let sizes: Vec<String> = volts.filter(|_| unit != "V").into_iter().chain(step).collect();
        if !sizes.is_empty() && !scale.is_plain() {
            fields.push(fact("resolution", sizes.join(" or ")));
        }
        let places = channel.decimals();
        if let Some((low, high)) = scale.full_scale() {
            let range = format!("{} to {}", fixed(low, places), fixed(high, places));
            fields.push(fact("full scale", with_unit(range, unit)));
        }
        if let Some(level) = self.settled(self.selected) {
            let mean = channel.quantity_of(level.mean);
            let text = measured(mean, channel.resolution() / 10.0, unit);
            fields.push(fact("settled at", format!("{text}, {:.0} s", level.seconds())));
        } else {
            fields.push(fact("settled at", "not settled"));
        }
        fields
    }

    /// The names in a channel's formula that mean no channel.
    fn unknown_names(&self, channel: &Channel) -> Option<String> {
        let formula = channel.wished().formula.as_ref()?;
        let known = |name: &str| self.chain().channels().iter().any(|c| c.name() == name || c.title() == name);
        let missing: Vec<String> =
            formula.program().inputs().iter().filter(|i| !known(&i.name)).map(|i| i.name.clone()).collect();
        (!missing.is_empty()).then(|| format!("▲ waits for {}", missing.join(", ")))
    }
}

/// The value behind a step.
fn value_behind(scale: &Scale, index: usize, walk: Option<&[f64]>, raw_step: f64) -> String {
    let upto = scale.upto(index + 1);
    let unit = scale.unit_behind(index + 1);
    match walk {
        None => "–".into(),
        Some(walk) => match upto.decimals() {
            Some(places) => with_unit(fixed(walk[index + 1], places), unit),
            None => measured(walk[index + 1], upto.resolution(raw_step), unit),
        },
    }
}

/// What the value would be if the top code had its other meaning.
fn other_way(converter: &Converter, reading: Reading) -> Option<Field> {
    converter.bits?;
    let volts = match converter.reference {
        Reference::Volts(volts) => volts,
        Reference::Channel(_) => reading.reference?,
    };
    let other = Converter { top: !converter.top, ..converter.clone() };
    let [own, other] = [converter, &other].map(|converter| reading.raw * volts * converter.share());
    let more = if other >= own { "+" } else { "" };
    Some(fact("    otherwise", format!("{} ({more}{})", si(other, "V"), si(other - own, "V"))))
}
