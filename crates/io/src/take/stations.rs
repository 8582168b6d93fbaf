//! The codec of `stations.csv`: what the channels amounted to at numbered places, a row for each station and channel.

use super::when::{self, iso8601};
use super::{csv_row, read_rows, seconds_after};
use amber_core::Stamp;
use amber_core::digits::{cleaned, write_shortest};
use amber_core::keep::{Station, StationReading};

/// The header row.
pub(super) const HEADER: &[u8] =
    b"number,name,time_s,wall_clock,duration_s,channel,unit,rows,mean,deviation,min,max\r\n";

fn number(value: f64) -> Vec<u8> {
    let mut out = Vec::new();
    write_shortest(cleaned(value) + 0.0, &mut out);
    out
}

/// A station as rows, for a take that started at `start`.
pub(super) fn rows(station: &Station, start: Stamp) -> Vec<u8> {
    let (begin, end) = station.times;
    let seconds = |nanoseconds: i64| {
        let mut out = Vec::new();
        when::seconds(nanoseconds, &mut out);
        out
    };
    let row = |reading: &StationReading| {
        csv_row(&[
            station.number.to_string().into_bytes(),
            station.name.clone().into(),
            seconds(begin.0 - start.0),
            iso8601(begin).into_bytes(),
            seconds(end.0 - begin.0),
            reading.channel.clone().into(),
            reading.unit.clone().into(),
            reading.rows.to_string().into_bytes(),
            number(reading.mean),
            number(reading.deviation),
            number(reading.min),
            number(reading.max),
        ])
    };
    station.readings.iter().flat_map(row).collect()
}

/// All stations of a table as one text, with its header.
pub fn stations_csv(stations: &[Station], start: Stamp) -> String {
    let rows = stations.iter().flat_map(|station| rows(station, start));
    String::from_utf8_lossy(&HEADER.iter().copied().chain(rows).collect::<Vec<u8>>()).into_owned()
}

/// Reads the stations of a take that started at `start`, by their numbers; how many rows make no sense is the second. A
/// station that was taken again, or renamed, stands there more than once: the last one counts.
pub(super) fn parse(text: &[u8], start: Stamp) -> (Vec<Station>, u64) {
    let (found, lost) = read_rows(text, |row| {
        let begin = when::parse(row.get(3)?).or_else(|| seconds_after(start, row.get(2)?))?;
        let end = seconds_after(begin, row.get(4)?)?;
        let value = |column: usize| match row.get(column)? {
            "" => Some(f64::NAN),
            text => text.parse::<f64>().ok().filter(|value| value.is_finite()),
        };
        let reading = StationReading {
            channel: row.get(5)?.to_owned(),
            unit: row.get(6)?.to_owned(),
            rows: row.get(7)?.parse().ok()?,
            mean: value(8)?,
            deviation: value(9)?,
            min: value(10)?,
            max: value(11)?,
        };
        Some(Station {
            number: row.get(0)?.parse().ok()?,
            name: row.get(1)?.to_owned(),
            times: (begin, end),
            readings: vec![reading],
        })
    });
    let mut stations: Vec<Station> = Vec::new();
    for mut row in found {
        let place = stations.iter().position(|own| own.number == row.number);
        let Some(own) = place.map(|place| &mut stations[place]) else {
            stations.push(row);
            continue;
        };
        let is_same = own.times == row.times && own.name == row.name;
        let has = own.readings.iter().any(|reading| reading.channel == row.readings[0].channel);
        if is_same && !has { own.readings.append(&mut row.readings) } else { *own = row }
    }
    stations.sort_by_key(|station| station.number);
    (stations, lost)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stations_come_back_and_the_last_of_a_number_counts() {
        let start = Stamp(1_700_000_000_000_000_000);
        let reading = |channel: &str, mean: f64| StationReading {
            channel: channel.into(),
            unit: "mm".into(),
            rows: 100,
            mean,
            deviation: f64::NAN,
            min: mean - 1.0,
            max: 0.1,
        };
        let station = |number: u64, name: &str, by: f64| Station {
            number,
            name: name.into(),
            times: (start.plus(number as f64), start.plus(number as f64 + by)),
            readings: vec![reading("a", by), reading("b, \"c\"", f64::NAN)],
        };
        let all =
            [station(2, "wall", 0.5), station(1, "", 1.25), station(2, "wall", 0.75), station(2, "door, left", 0.75)];
        let text = stations_csv(&all, start);
        let (found, lost) = parse(text.as_bytes(), start);
        assert_eq!((format!("{found:?}"), lost), (format!("{:?}", [&all[1], &all[3]]), 0));
        assert_eq!(parse(b"number\r\n1,x\r\n\xff,1,2,3,4,5,6,7,8,9,1,1\r\n", start), (Vec::new(), 2));
    }
}
