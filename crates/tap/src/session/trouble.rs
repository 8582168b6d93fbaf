//! How the wire stands, in a few words: what is watched, and what is wrong with it.

use super::{Session, Source, Watched};
use amber_core::chain::Chain;
use amber_core::digits::duration;
use amber_io::LinkState;

impl Session {
    /// What is wrong with a wire for as long as it is, in a sentence that says what to do; of the source selected first.
    pub(crate) fn trouble(&self) -> Option<String> {
        let own = trouble_of(self.chain(), self.source(), true);
        own.or_else(|| {
            let names = self.source_names();
            let others = self.watched.iter().zip(&names).enumerate().filter(|(place, _)| *place != self.place());
            others.map(|(_, other)| other).find_map(|(Watched { chain, source, .. }, name)| {
                Some(format!("{name}: {}", trouble_of(chain, source, false)?))
            })
        })
    }

    /// The live source in a few words.
    pub(crate) fn source_text(&self) -> String {
        let wire = &self.chain().settings().wire;
        let port = &wire.port;
        let text = match self.baud() {
            _ if wire.is_input() => "standard input".into(),
            Some(baud) => format!("{port} at {baud} baud"),
            None => port.clone(),
        };
        if wire.name.is_empty() { text } else { format!("{}: {text}", wire.name) }
    }

    /// The same for a paper that others read: without the folders of a path.
    pub(crate) fn source_on_paper(&self) -> String {
        let wire = &self.chain().settings().wire;
        let is_path = wire.port.starts_with('/') || wire.port.starts_with('.');
        let last = wire.port.rsplit('/').next().unwrap_or_default();
        match is_path {
            true => self.source_text().replace(&wire.port, last),
            false => self.source_text(),
        }
    }

    /// The speed of the wire, set or found.
    pub(crate) fn baud(&self) -> Option<u32> {
        baud_of(self.chain(), self.source())
    }
}

fn baud_of(chain: &Chain, source: &Source) -> Option<u32> {
    match source {
        Source::Live { link: LinkState::Open { baud, .. } } => *baud,
        Source::Live { link: LinkState::Finding { baud, .. } } => Some(*baud),
        _ => chain.settings().wire.baud,
    }
}

fn trouble_of(chain: &Chain, source: &Source, is_selected: bool) -> Option<String> {
    if let Source::Live { link: LinkState::Waiting { problem, pause } } = source {
        return Some(format!("{problem}; next try every {}", duration(pause.as_secs_f64())));
    }
    // Keys are for the selected source.
    let key = |key: &str| if is_selected { key.to_owned() } else { format!("1 \\ then {key}") };
    let is_live = matches!(source, Source::Live { .. });
    if let Some(share) = chain.unreadable().filter(|_| is_live) {
        let advice = match baud_of(chain, source) {
            Some(baud) => format!("{baud} baud is probably wrong, detect it ({})", key("1 B")),
            None if chain.settings().wire.is_network() => "is it the right address?".into(),
            None => "is it the right file?".into(),
        };
        return Some(format!("{:.0} % of what arrives is not text: {advice}", share * 100.0));
    }
    if let Some(share) = chain.damaged_frames().filter(|_| is_live) {
        let key = key("2");
        return Some(format!(
            "{:.0} % of what arrives is no sound frame: look at the shape ({key}) and the baud",
            share * 100.0
        ));
    }
    let Some(offer) = chain.doubts().1 else { return chain.troubles().first().cloned() };
    // The key stands first, where a narrow screen does not cut it off.
    Some(format!("{} reads it as {}: {}", key("2 o"), offer.shape.sentence(), offer.why))
}
