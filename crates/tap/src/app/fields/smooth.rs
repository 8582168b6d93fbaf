//! The panel of stage 4: the filters of the selected channel, and what they do to noise and delay.

use super::super::App;
use super::{Field, PartList, add_field, fact, part_fields};
use amber_core::chain::Channel;
use amber_core::digits::{duration, fixed, with_unit};
use amber_core::smooth::{delay, noise_gain, smooths};

impl App {
    pub(super) fn smooth_fields(&self, channel: &Channel) -> Vec<Field> {
        let settings = channel.wished();
        let filters = &settings.smooth;
        let interval = self.chain().rate().interval();
        let mut fields = vec![fact("channel", format!("{} {}", self.letter(self.selected), channel.title()))];
        for (i, filter) in filters.iter().enumerate() {
            let late = interval.map_or("–".into(), |interval| format!("{} late", duration(filter.delay(interval))));
            fields.extend(part_fields(PartList::Filters, filters, i, settings.scale.unit(), late));
        }
        fields.push(add_field(PartList::Filters, filters));
        fields.push(fact("", ""));
        let unit = channel.settings().scale.unit();
        let places = channel.decimals() + 1;
        let in_force = interval.filter(|_| smooths(filters));
        if let Some(noise) = channel.noise() {
            fields.push(fact("noise before", with_unit(fixed(noise, places), unit)));
            if let Some(interval) = in_force {
                let (gain, is_bound) = noise_gain(filters, interval);
                let after = with_unit(fixed(noise * gain, places), unit);
                fields.push(fact("noise after", if is_bound { format!("at most {after}") } else { after }));
            }
        }
        if let Some(interval) = in_force {
            fields.push(fact("delay", duration(delay(filters, interval))));
        }
        fields
    }
}
