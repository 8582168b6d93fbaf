//! The panel of stage 4: the filters of the selected channel, and what they do to noise and delay.

use super::Effect;
use super::panel::{PartList, Row, SingleSetting, StagePanel, add_row, part_rows};
use crate::keys::Binding;
use crate::session::{Session, Stage};
use amber_core::digits::{duration, fixed, with_unit};
use amber_core::smooth::{delay, noise_gain, smooths};

/// Stage 4.
#[derive(Debug, Default)]
pub(crate) struct Smooth;

impl StagePanel for Smooth {
    type Action = ();
    const STAGE: Stage = Stage::Smooth;
    const HELP: &'static str = "less noise, and the delay it costs";
    const KEYS: &'static [Binding<()>] = &[];
    const PARTS: Option<PartList> = Some(PartList::Filters);

    fn settings() -> Vec<&'static SingleSetting> {
        Vec::new()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let Some(channel) = session.channel() else { return vec![super::no_channel()] };
        let settings = channel.wished();
        let filters = &settings.smooth;
        let interval = session.chain().rate().interval();
        let mut rows = vec![super::channel_row(session)];
        for (at, filter) in filters.iter().enumerate() {
            let late = interval.map_or("–".into(), |interval| format!("{} late", duration(filter.delay(interval))));
            rows.extend(part_rows(PartList::Filters, at, late, session));
        }
        rows.extend(add_row(PartList::Filters, session));
        rows.push(Row::blank());
        let unit = channel.settings().scale.unit();
        let places = channel.decimals() + 1;
        let in_force = interval.filter(|_| smooths(filters));
        if let Some(noise) = channel.noise() {
            rows.push(Row::fact("noise before", with_unit(fixed(noise, places), unit)));
            if let Some(interval) = in_force {
                let (gain, is_bound) = noise_gain(filters, interval);
                let after = with_unit(fixed(noise * gain, places), unit);
                rows.push(Row::fact("noise after", if is_bound { format!("at most {after}") } else { after }));
            }
        }
        if let Some(interval) = in_force {
            rows.push(Row::fact("delay", duration(delay(filters, interval))));
        }
        rows
    }

    fn act(&mut self, (): (), _: Option<&Row>, _: &mut Session) -> Vec<Effect> {
        Vec::new()
    }
}
