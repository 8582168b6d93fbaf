//! The panel of stage 4: the filters of the selected channel, and what they do to noise and delay.

use super::Effect;
use super::panel::{PartList, Row, SingleSetting, StagePanel, add_row, part_rows};
use crate::keys::Binding;
use crate::session::{Session, Stage};
use amber_core::digits::{duration, fixed, with_unit};
use amber_core::smooth::{delay, smooths};
use amber_core::stats::{Basis, Measured};

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
        let interval = session.chain().interval();
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
        let shown = session.snapshot.of(session.selected);
        let said = |noise: Measured| {
            let text = with_unit(fixed(noise.deviation, places), unit);
            if noise.basis == Basis::White { format!("{text} if white") } else { text }
        };
        if let Some(noise) = shown.noise {
            let apart = if noise.basis == Basis::Settled { ", spikes apart" } else { "" };
            rows.push(Row::fact("noise before", format!("{}{apart}", said(noise))));
            if let Some(after) = shown.noise_after {
                let text = said(after.noise);
                rows.push(Row::fact("noise after", if after.is_bound { format!("at most {text}") } else { text }));
            }
            if noise.basis == Basis::Settled {
                rows.push(Row::fact("measured", "over the last level"));
            } else {
                rows.push(Row::fact("not measured", "the channel was never settled"));
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
