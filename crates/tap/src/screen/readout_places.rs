//! Which channels have a readout, how much is shown of each, and where it stands.

use crate::session::{ChannelId, Session};
use amber_core::bench::Kind;

/// How much of a channel is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Detail {
    /// Name, very large digits, bar, min and max, state, a blank row.
    Huge,
    /// Name, large digits, bar, min and max, state, a blank row.
    Large,
    /// Name and number, bar, min and max, state.
    Middle,
    /// Name and number, bar.
    Small,
    /// Name and number.
    Line,
}

/// What stands somewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Entry {
    /// The name of a source, over its channels.
    Source(usize),
    Channel(ChannelId, Detail),
    /// So many channels stand further up or down.
    More(usize),
}

fn height(detail: Detail, kind: Kind) -> u16 {
    match (detail, kind) {
        (Detail::Huge | Detail::Large, Kind::Digital) => 2,
        (_, Kind::Digital) => 1,
        (Detail::Huge, _) => 10,
        (Detail::Large, _) => 8,
        (Detail::Middle, _) => 4,
        (Detail::Small, _) => 2,
        (Detail::Line, _) => 1,
    }
}

/// Columns for very large digits.
const WIDE: u16 = 44;

/// For the selected channel, and for the others.
const PLANS: [(Detail, Detail); 9] = [
    (Detail::Huge, Detail::Huge),
    (Detail::Large, Detail::Large),
    (Detail::Large, Detail::Middle),
    (Detail::Middle, Detail::Middle),
    (Detail::Large, Detail::Small),
    (Detail::Middle, Detail::Small),
    (Detail::Small, Detail::Small),
    (Detail::Middle, Detail::Line),
    (Detail::Line, Detail::Line),
];

/// What stands in so many rows, from the top: the richest plan for which all fits, the selected channel a step richer;
/// where nothing fits, a part of the list with the selected channel in it.
pub(super) fn places(session: &Session, width: u16, rows: u16) -> Vec<(Entry, u16)> {
    let kind_of = |id: ChannelId| {
        let channel = session.channel_at(id);
        let is_short = channel.settings().hidden || channel.kind() == Kind::Code;
        if is_short { Kind::Digital } else { channel.kind() }
    };
    let shown: Vec<(ChannelId, Kind)> =
        session.channel_ids().map(|id| (id, kind_of(id))).filter(|(_, kind)| *kind != Kind::Clock).collect();
    let groups = if session.sources() > 1 { session.sources() as u16 } else { 0 };
    let detail = |plan: (Detail, Detail), id: ChannelId| if id == session.selected { plan.0 } else { plan.1 };
    let needs = |plan| groups + shown.iter().map(|(id, kind)| height(detail(plan, *id), *kind)).sum::<u16>();
    let plan =
        PLANS.into_iter().filter(|plan| width >= WIDE || plan.0 != Detail::Huge).find(|plan| needs(*plan) <= rows);
    let mut entries: Vec<(Entry, u16)> = Vec::new();
    for (id, kind) in shown {
        let is_first =
            !entries.iter().any(|(entry, _)| matches!(entry, Entry::Channel(other, _) if other.source == id.source));
        if groups > 0 && is_first {
            entries.push((Entry::Source(id.source), 1));
        }
        let detail = detail(plan.unwrap_or((Detail::Line, Detail::Line)), id);
        entries.push((Entry::Channel(id, detail), height(detail, kind)));
    }
    if plan.is_none() {
        entries = part(entries, session.selected, usize::from(rows));
    }
    let mut y = 0;
    let place = |(entry, height): (Entry, u16)| {
        let top = y;
        y += height;
        (entry, top)
    };
    entries.into_iter().map(place).collect()
}

/// The part of a list of single rows that holds the selected channel, with how many stand above and below.
fn part(entries: Vec<(Entry, u16)>, selected: ChannelId, rows: usize) -> Vec<(Entry, u16)> {
    let at = entries.iter().position(|(entry, _)| matches!(entry, Entry::Channel(id, _) if *id == selected));
    let room = rows.saturating_sub(2).max(1);
    let first = at.unwrap_or(0).saturating_sub(room / 2).min(entries.len().saturating_sub(room));
    let last = (first + room).min(entries.len());
    let more = |count: usize| (count > 0).then_some((Entry::More(count), 1));
    let below = entries.len() - last;
    more(first).into_iter().chain(entries[first..last].iter().copied()).chain(more(below)).collect()
}
