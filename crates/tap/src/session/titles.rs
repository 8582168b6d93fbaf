//! What channels are called where there is little room: never two of them the same.

use super::{ChannelId, Session};
use std::collections::HashSet;

/// `title` in `room` columns, with its first `head` characters, and its last ones after a sign.
fn cut_out(title: &[char], head: usize, room: usize) -> String {
    let tail = room.saturating_sub(head + 1);
    title.iter().take(head).chain(&['…']).chain(title.iter().skip(title.len().saturating_sub(tail))).collect()
}

/// `title`, which is one of `all`, in at most `room` columns: those that are too long are cut in the same way, so that no
/// two of them become the same where that can be had.
pub(crate) fn shortened(title: &str, all: &[&str], room: usize) -> String {
    let own: Vec<char> = title.chars().collect();
    if own.len() <= room || room == 0 {
        return own.into_iter().take(room).collect();
    }
    let mut long: Vec<Vec<char>> = all.iter().map(|other| other.chars().collect()).collect();
    long.retain(|other: &Vec<char>| other.len() > room);
    long.sort();
    long.dedup();
    let different = |head: usize| long.iter().map(|title| cut_out(title, head, room)).collect::<HashSet<_>>().len();
    // As much as can be of the beginning, which says most; the last of equals is the one with the longest beginning.
    let head = (0..room).max_by_key(|head| different(*head)).unwrap_or(0);
    let text = cut_out(&own, head, room);
    if long.iter().filter(|other| cut_out(other, head, room) == text).count() < 2 {
        return text;
    }
    // No way of cutting keeps it apart: its number among them does.
    let number = (long.iter().position(|other| *other == own).unwrap_or(0) + 1).to_string();
    let begin = own.iter().take(room.saturating_sub(number.len() + 1));
    begin.copied().chain(['…']).chain(number.chars()).take(room).collect()
}

impl Session {
    /// What a channel is called within its source, in at most `room` columns; no two channels of a source get the same.
    pub(crate) fn short_title(&self, id: ChannelId, room: usize) -> String {
        let titles: Vec<&str> = self.chain_at(id.source).channels().iter().map(|channel| channel.title()).collect();
        shortened(self.channel_at(id).title(), &titles, room)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_are_cut_stay_apart() {
        let names = ["pressure_inlet_upper", "pressure_inlet_lower", "pressure_outlet_upper", "flow"];
        for room in 3..22 {
            let short: Vec<String> = names.iter().map(|name| shortened(name, &names, room)).collect();
            assert!(short.iter().all(|name| name.chars().count() <= room), "{short:?}");
            for (i, name) in short.iter().enumerate() {
                assert!(!short[..i].contains(name), "{room}: {short:?}");
            }
        }
        assert_eq!(
            shortened("sensor_1_temperature", &["sensor_1_temperature", "sensor_2_temperature"], 12),
            "sensor_1_te…"
        );
        assert_eq!(shortened("bed", &names, 10), "bed");
    }
}
