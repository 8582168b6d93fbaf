//! Several sources side by side: one of them is at hand, for panels, lines and talk; the chart shows the channels of
//! all. A channel's number counts through all sources in their order.

use super::{App, Source};
use amber_core::bench::{Bench, source_names};
use amber_core::chain::{Chain, Channel};

/// A source that is not at hand.
#[derive(Debug)]
pub(crate) struct Side {
    /// Its place among all sources.
    place: usize,
    chain: Chain,
    source: Source,
}

impl App {
    /// Adds sources beside the first.
    pub(crate) fn beside(mut self, others: impl IntoIterator<Item = (Chain, Source)>) -> App {
        let places = self.sides.len() + 1..;
        self.sides.extend(places.zip(others).map(|(place, (chain, source))| Side { place, chain, source }));
        self.saved_bench = self.bench();
        if self.is_take() && self.sources() > 1 {
            self.show_all_takes();
        }
        self
    }

    /// Shows takes from the beginning of the first to the end of the last.
    fn show_all_takes(&mut self) {
        let store = |chain: &Chain| {
            let store = chain.store();
            let rows = store.rows();
            Some((store.time(rows.start)?, store.time(rows.end.checked_sub(1)?)?))
        };
        let ends = self.chains().filter_map(store).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
        if let Some((start, end)) = ends {
            self.now = self.now.max(end);
            self.sight.show_all(start, end);
        }
    }

    /// The number of sources.
    pub(crate) fn sources(&self) -> usize {
        self.sides.len() + 1
    }

    /// The chain of the source at `place`; of the one at hand where there is none.
    pub(crate) fn chain_at(&self, place: usize) -> &Chain {
        self.sides.iter().find(|side| side.place == place).map_or(&self.chain, |side| &side.chain)
    }

    /// The sources that are not at hand, with their places.
    pub(super) fn others(&self) -> impl Iterator<Item = (usize, &Chain, &Source)> {
        self.sides.iter().map(|side| (side.place, &side.chain, &side.source))
    }

    /// The chains of all sources in their order.
    pub(crate) fn chains(&self) -> impl Iterator<Item = &Chain> {
        (0..self.sources()).map(|place| self.chain_at(place))
    }

    /// The names of all sources in their order.
    pub(crate) fn source_names(&self) -> Vec<String> {
        source_names(self.chains().map(|chain| &chain.settings().source))
    }

    /// The number of the first channel of the source at `place`.
    pub(crate) fn first_of(&self, place: usize) -> usize {
        self.chains().take(place).map(|chain| chain.channels().len()).sum()
    }

    /// The number of all channels.
    pub(crate) fn channel_count(&self) -> usize {
        self.first_of(self.sources())
    }

    /// The place of the source of channel `id`, and the channel's number there.
    pub(crate) fn place_of(&self, id: usize) -> (usize, usize) {
        if self.sides.is_empty() {
            return (0, id);
        }
        let mut own = id;
        for (place, chain) in self.chains().enumerate() {
            match own.checked_sub(chain.channels().len()) {
                None => return (place, own),
                Some(rest) => own = rest,
            }
        }
        (self.place, self.selected)
    }

    /// Channel `id`, which must be below [`App::channel_count`].
    pub(crate) fn channel_at(&self, id: usize) -> &Channel {
        let (place, own) = self.place_of(id);
        &self.chain_at(place).channels()[own]
    }

    /// The chain that channel `id` belongs to.
    pub(crate) fn chain_of(&self, id: usize) -> &Chain {
        self.chain_at(self.place_of(id).0)
    }

    /// What a channel is called, with its source where there are several.
    pub(crate) fn title(&self, id: usize) -> String {
        let title = self.channel_at(id).title();
        if self.sides.is_empty() {
            return title.to_owned();
        }
        let (place, _) = self.place_of(id);
        format!("{}.{title}", self.source_names()[place])
    }

    /// The number of the selected channel among all.
    pub(crate) fn selected_id(&self) -> usize {
        self.first_of(self.place) + self.selected
    }

    /// Selects channel `id`, and takes its source to hand.
    pub(crate) fn select(&mut self, id: usize) {
        let (place, own) = self.place_of(id);
        self.turn_to(place);
        self.selected = own;
    }

    /// Takes another source to hand.
    pub(crate) fn turn_to(&mut self, place: usize) {
        if place == self.place || place >= self.sources() {
            return;
        }
        let set = self.chain.settings().clone();
        self.swap(place);
        // What is set for all sources is the same in each.
        self.chain.edit_bench(|bench| {
            (bench.name, bench.screen, bench.lane, bench.say) = (set.name, set.screen, set.lane, set.say);
        });
        self.selected = 0;
        self.lines.forget();
        self.refresh_soon();
    }

    /// Does something as if the source at `place` were at hand.
    pub(super) fn at_place<R>(&mut self, place: usize, run: impl FnOnce(&mut App) -> R) -> R {
        let before = self.place;
        self.swap(place);
        let done = run(self);
        self.swap(before);
        done
    }

    fn swap(&mut self, place: usize) {
        if let Some(side) = self.sides.iter_mut().find(|side| side.place == place) {
            std::mem::swap(&mut self.chain, &mut side.chain);
            std::mem::swap(&mut self.source, &mut side.source);
            std::mem::swap(&mut self.place, &mut side.place);
        }
    }

    /// The settings of each source, in their order, with what is set for all.
    fn parts(&self, of: impl Fn(&Chain) -> Bench) -> Vec<Bench> {
        let all = self.chain.settings();
        let part = |chain: &Chain| {
            let (name, screen, lane, say) = (all.name.clone(), all.screen.clone(), all.lane.clone(), all.say.clone());
            Bench { name, screen, lane, say, history: all.history, ..of(chain) }
        };
        self.chains().map(part).collect()
    }

    /// All settings in one bench.
    pub(crate) fn bench(&self) -> Bench {
        Bench::of_parts(self.parts(Chain::bench))
    }

    /// The settings of each source, as its take needs them.
    pub(crate) fn pinned_benches(&self) -> Vec<Bench> {
        self.parts(Chain::pinned_bench)
    }

    /// Changes how much history is kept, of all sources.
    pub(super) fn set_limits(&mut self, edit: impl Fn(&mut amber_core::store::Limits)) {
        self.chain.set_limits(&edit);
        self.sides.iter_mut().for_each(|side| side.chain.set_limits(&edit));
    }
}
