//! The sources that are watched: one of them is selected, for panels, lines and talk; the chart shows the channels of all.

use super::{Session, Source, Underway};
use amber_core::ask::Asker;
use amber_core::bench::{Bench, ChannelSettings, Kind, source_names};
use amber_core::chain::{Chain, Channel};
use std::sync::LazyLock;

/// A channel, by its source and its place there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct ChannelId {
    /// The place of its source among all.
    pub(crate) source: usize,
    /// Its place among the channels of that source.
    pub(crate) channel: usize,
}

/// A source with what comes of it.
#[derive(Debug)]
pub(crate) struct Watched {
    pub(crate) chain: Chain,
    pub(crate) source: Source,
    /// Its history is being made anew.
    pub(super) underway: Option<Underway>,
    /// What is said to a board that is asked.
    pub(super) asker: Option<Asker>,
}

impl Watched {
    pub(super) fn new(chain: Chain, source: Source) -> Watched {
        Watched { chain, source, underway: None, asker: None }
    }
}

/// The sources in their order. There is always a first one; a place where there is none stands for it.
#[derive(Debug)]
pub(crate) struct Sources {
    first: Watched,
    others: Vec<Watched>,
}

impl Sources {
    pub(super) fn new(first: Watched) -> Sources {
        Sources { first, others: Vec::new() }
    }

    /// How many there are, at least 1.
    pub(crate) fn count(&self) -> usize {
        1 + self.others.len()
    }

    pub(crate) fn get(&self, place: usize) -> Option<&Watched> {
        self.iter().nth(place)
    }

    pub(super) fn get_mut(&mut self, place: usize) -> Option<&mut Watched> {
        self.iter_mut().nth(place)
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = &Watched> {
        std::iter::once(&self.first).chain(&self.others)
    }

    pub(super) fn iter_mut(&mut self) -> impl Iterator<Item = &mut Watched> {
        std::iter::once(&mut self.first).chain(&mut self.others)
    }

    /// The one at `place`.
    pub(crate) fn at(&self, place: usize) -> &Watched {
        self.get(place).unwrap_or(&self.first)
    }

    pub(super) fn at_mut(&mut self, place: usize) -> &mut Watched {
        match place.checked_sub(1).and_then(|other| self.others.get_mut(other)) {
            Some(other) => other,
            None => &mut self.first,
        }
    }
}

/// What stands for a channel that is not there: one without a name and without a row.
static NO_CHANNEL: LazyLock<Channel> = LazyLock::new(Channel::default);

impl Session {
    /// Adds sources beside the first.
    pub(crate) fn beside(mut self, others: impl IntoIterator<Item = (Chain, Source)>) -> Session {
        self.watched.others.extend(others.into_iter().map(|(chain, source)| Watched::new(chain, source)));
        self.forget_changes();
        if self.is_take() {
            self.show_all_takes();
        }
        self
    }

    /// Shows takes from the beginning of the first to the end of the last.
    pub(super) fn show_all_takes(&mut self) {
        let ends_of = |watched: &Watched| {
            let store = watched.chain.store();
            let rows = store.rows();
            let ends = store.time(rows.start).zip(rows.end.checked_sub(1).and_then(|last| store.time(last)));
            match &watched.source {
                // Rows of a text have times of their own.
                Source::Take(take) if !watched.chain.timer().is_text_time() => {
                    let (start, end) = ends.unwrap_or((take.start, take.start));
                    Some((start.min(take.start), end.max(take.end())))
                }
                _ => ends,
            }
        };
        let ends = self.watched.iter().filter_map(ends_of).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
        if let Some((start, end)) = ends {
            self.now = self.now.max(end);
            self.axis.show_all(start, end);
            self.whole_axis = self.axis;
        }
    }

    /// The number of sources.
    pub(crate) fn sources(&self) -> usize {
        self.watched.count()
    }

    /// The place of the selected source.
    pub(crate) fn place(&self) -> usize {
        self.selected.source
    }

    /// The chain of the selected source.
    pub(crate) fn chain(&self) -> &Chain {
        self.chain_at(self.place())
    }

    /// The same, for changing it.
    pub(crate) fn chain_mut(&mut self) -> &mut Chain {
        let place = self.place();
        &mut self.watched.at_mut(place).chain
    }

    /// What the selected source is.
    pub(crate) fn source(&self) -> &Source {
        &self.watched.at(self.place()).source
    }

    /// The chain of the source at `place`, the first one where that is not there.
    pub(crate) fn chain_at(&self, place: usize) -> &Chain {
        &self.watched.at(place).chain
    }

    /// The chains of all sources in their order.
    pub(crate) fn chains(&self) -> impl Iterator<Item = &Chain> {
        self.watched.iter().map(|watched| &watched.chain)
    }

    /// The names of all sources in their order.
    pub(crate) fn source_names(&self) -> Vec<String> {
        source_names(self.chains().map(|chain| &chain.settings().wire))
    }

    /// The name of the source at `place`.
    pub(crate) fn name_of_source(&self, place: usize) -> String {
        self.source_names().into_iter().nth(place).unwrap_or_default()
    }

    /// All channels, source by source.
    pub(crate) fn channel_ids(&self) -> impl Iterator<Item = ChannelId> {
        let counts = self.chains().map(|chain| chain.channels().len()).enumerate();
        counts.flat_map(|(source, count)| (0..count).map(move |channel| ChannelId { source, channel }))
    }

    /// Channel `channel` of the selected source.
    pub(crate) fn own(&self, channel: usize) -> ChannelId {
        ChannelId { source: self.place(), channel }
    }

    /// Channel `id`; where there is none of [`Session::channel_ids`], one without a name and without a row.
    pub(crate) fn channel_at(&self, id: ChannelId) -> &Channel {
        self.chain_at(id.source).channels().get(id.channel).unwrap_or(&NO_CHANNEL)
    }

    /// What a channel is called, with its source where there are several.
    pub(crate) fn title(&self, id: ChannelId) -> String {
        let title = self.channel_at(id).title();
        if self.sources() == 1 {
            return title.to_owned();
        }
        format!("{}.{title}", self.name_of_source(id.source))
    }

    /// Selects channel `id`, and with it its source.
    pub(crate) fn select(&mut self, id: ChannelId) {
        if id.source != self.place() {
            self.refresh_soon();
        }
        self.selected = id;
    }

    /// Selects the source at `place`.
    pub(crate) fn turn_to(&mut self, place: usize) {
        if place < self.sources() && place != self.place() {
            self.select(ChannelId { source: place, channel: 0 });
        }
    }

    /// All settings: what is set once, and what each source has of its own.
    fn bench_of(&self, of: impl Fn(&Chain) -> amber_core::bench::SourceSettings) -> Bench {
        Bench { shared: self.shared.clone(), sources: self.chains().map(of).collect() }
    }

    /// All settings.
    pub(crate) fn bench(&self) -> Bench {
        self.bench_of(Chain::live_settings)
    }

    /// The settings of each source for a take of its own.
    pub(crate) fn pinned_benches(&self) -> Vec<Bench> {
        let Bench { shared, mut sources } = self.bench_of(Chain::pinned_settings);
        if !shared.keep.clocks.board() {
            // What was found to be a clock is one in the take, however few rows that has.
            for (source, chain) in sources.iter_mut().zip(self.chains()) {
                for own in chain.channels().iter().filter(|own| own.kind() == Kind::Clock) {
                    match source.channel.iter_mut().find(|settings| settings.name == own.name()) {
                        Some(settings) => settings.kind = Kind::Clock,
                        None => {
                            let settings = ChannelSettings { kind: Kind::Clock, ..ChannelSettings::named(own.name()) };
                            source.channel.push(settings);
                        }
                    }
                }
            }
        }
        sources.into_iter().map(|source| Bench { shared: shared.clone(), sources: vec![source] }).collect()
    }

    /// Keeps as much history as is set, of all sources.
    pub(super) fn apply_limits(&mut self) {
        let limits = self.shared.history;
        self.watched.iter_mut().for_each(|watched| watched.chain.set_limits(limits));
    }

    /// Goes by what counts as a level, as it is set, for all sources.
    pub(super) fn apply_levels(&mut self) {
        let rule = self.shared.levels;
        let others = self.watched.iter_mut().filter(|watched| watched.chain.level_rule() != rule);
        others.for_each(|watched| watched.chain.set_levels(rule));
    }
}
