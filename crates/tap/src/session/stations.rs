//! Numbered stations: what the channels come to at one place after the other.

use super::{ChannelId, Request, Session, Taking};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::digits::counted;
use amber_core::keep::{Station, StationRule};
use std::ops::Range;

/// The stations so far, and the one that is being taken.
#[derive(Debug, Default)]
pub(crate) struct Stations {
    pub(crate) list: Vec<Station>,
    /// The one that is selected, by its place.
    pub(crate) selected: usize,
    pub(crate) gathering: Option<Gathering>,
}

/// A station that is being taken.
#[derive(Clone, Debug)]
pub(crate) struct Gathering {
    pub(crate) number: u64,
    name: String,
    id: ChannelId,
    /// From this row on.
    from: u64,
    since: Stamp,
    rule: StationRule,
}

impl Session {
    /// Begins the next station, or with the number of one that is there takes it again. Of what is held and of a take, rows
    /// up to the right edge count at once.
    pub(crate) fn take_station(&mut self, again: Option<u64>) -> Vec<Request> {
        if self.stations.gathering.take().is_some() {
            self.say("the station is cancelled", false);
            return Vec::new();
        }
        let last = self.stations.list.last().map_or(0, |station| station.number);
        let number = again.unwrap_or(last + 1);
        let name = self.stations.list.iter().find(|own| own.number == number).map(|own| own.name.clone());
        let name = name.unwrap_or_default();
        let rule = self.shared().keep.station;
        let id = self.selected;
        let rows = self.chain_at(id.source).store().rows();
        if !self.is_take() && !self.is_held() {
            let from = rows.end;
            self.stations.gathering = Some(Gathering { number, name, id, from, since: self.now, rule });
            let what = match rule {
                StationRule::Rows(rows) => counted(rows, "row"),
                StationRule::Level => format!("the next level of {}", self.title(id)),
            };
            self.say(format!("station {number}: {what}; N cancels it"), false);
            return Vec::new();
        }
        let Some(edge) = self.viewport.row(id.source) else {
            self.say("there are no rows up to here", true);
            return Vec::new();
        };
        let found = match rule {
            StationRule::Rows(count) => Some((edge + 1).saturating_sub(count).max(rows.start)..edge + 1),
            StationRule::Level => {
                let levels = self.channel_at(id).levels().found();
                levels.iter().find(|level| level.rows.contains(&edge)).map(|level| level.rows.clone())
            }
        };
        match found {
            Some(rows) => self.put_station(id, rows, number, name),
            None => {
                self.say(
                    format!("{} is not settled here: move to a level, or set a number of rows", self.title(id)),
                    true,
                );
                Vec::new()
            }
        }
    }

    /// Takes the station that was begun, once its rows are there.
    pub(crate) fn follow_stations(&mut self) -> Vec<Request> {
        let Some(gathering) = self.stations.gathering.clone() else { return Vec::new() };
        let Gathering { number, name, id, from, since, rule } = gathering;
        if id.channel >= self.chain_at(id.source).channels().len() {
            self.stations.gathering = None;
            self.say("the station is cancelled: its channel is gone", true);
            return Vec::new();
        }
        let end = self.chain_at(id.source).store().rows().end;
        let rows = match rule {
            StationRule::Rows(count) => (end >= from + count).then(|| from..from + count),
            StationRule::Level => {
                let levels = self.channel_at(id).levels();
                let is_next = |rows: &Range<u64>, begin: Stamp| begin >= since && rows.start >= from;
                let found = levels.found().back().filter(|level| is_next(&level.rows, level.from));
                found.map(|level| level.rows.clone())
            }
        };
        let Some(rows) = rows else { return Vec::new() };
        self.stations.gathering = None;
        self.put_station(id, rows, number, name)
    }

    /// How far the station is that is being taken, in words.
    pub(crate) fn station_progress(&self) -> Option<String> {
        let Gathering { number, id, from, rule, .. } = self.stations.gathering.as_ref()?;
        let end = self.chain_at(id.source).store().rows().end;
        Some(match rule {
            StationRule::Rows(count) => {
                format!("station {number}: {} of {}", end.saturating_sub(*from).min(*count), counted(*count, "row"))
            }
            StationRule::Level => format!("station {number} waits for a level of {}", self.title(*id)),
        })
    }

    fn put_station(&mut self, id: ChannelId, rows: Range<u64>, number: u64, name: String) -> Vec<Request> {
        let chain = self.chain_at(id.source);
        let skip = |index: usize| chain.channels().get(index).is_none_or(|own| own.kind() == Kind::Clock);
        let Some(station) = Station::of(chain, rows, number, skip) else {
            self.say("there are no rows up to here", true);
            return Vec::new();
        };
        let station = Station { name, ..station };
        let own = station.readings.iter().find(|reading| reading.channel == self.channel_at(id).title());
        let told = own.map_or(String::new(), |reading| {
            let form = |value: f64| amber_core::digits::fixed(value, self.channel_at(id).decimals() + 1);
            let unit = if reading.unit.is_empty() { String::new() } else { format!(" {}", reading.unit) };
            format!(": {} {} ± {}{unit}", reading.channel, form(reading.mean), form(reading.deviation))
        });
        self.say(format!("station {number}{told}"), false);
        self.keep_station(station)
    }

    /// Names the station at `place` in the list.
    pub(crate) fn name_station(&mut self, place: usize, name: &str) -> Vec<Request> {
        let Some(station) = self.stations.list.get(place) else { return Vec::new() };
        let station = Station { name: name.to_owned(), ..station.clone() };
        self.keep_station(station)
    }

    /// Puts a station into the list, in place of the one with its number, and into the running take.
    fn keep_station(&mut self, station: Station) -> Vec<Request> {
        let list = &mut self.stations.list;
        let place = list.partition_point(|own| own.number < station.number);
        match list.get_mut(place).filter(|own| own.number == station.number) {
            Some(own) => *own = station.clone(),
            None => list.insert(place, station.clone()),
        }
        self.stations.selected = place;
        let runs = matches!(self.taking, Taking::Yes { .. });
        if runs { vec![Request::Station(Box::new(station))] } else { Vec::new() }
    }
}
