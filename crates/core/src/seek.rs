//! The next peak from a row: where a cursor goes.

/// The first row, along `rows` as they come, at which the signal turns: the highest before it falls by `swing`, or the lowest
/// before it rises by as much. The row that comes first is where the search begins and is none itself. A gap (NaN) is passed
/// over. `None` where the signal does not turn by so much. `swing` must be above 0.
pub fn next_peak(rows: impl Iterator<Item = (u64, f64)>, swing: f64) -> Option<u64> {
    let mut rows = rows.filter(|(_, value)| !value.is_nan());
    let start = rows.next()?;
    let (mut high, mut low) = (start, start);
    for (row, value) in rows {
        if value > high.1 {
            high = (row, value);
        }
        if value < low.1 {
            low = (row, value);
        }
        if high.0 != start.0 && high.1 - value >= swing && high.0 != row {
            return Some(high.0);
        }
        if low.0 != start.0 && value - low.1 >= swing && low.0 != row {
            return Some(low.0);
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn peaks_are_where_the_signal_turns_by_more_than_the_swing() {
        let wave = |row: u64| (row, (row as f64 * std::f64::consts::TAU / 40.0).sin() + 0.01 * ((row * 7 % 5) as f64));
        // Highest at 10, lowest at 30, highest at 50; noise is none.
        let near = |found: Option<u64>, at: u64| found.is_some_and(|row| row.abs_diff(at) <= 2);
        assert!(near(next_peak((0..200).map(wave), 0.2), 10));
        assert!(near(next_peak((12..200).map(wave), 0.2), 30));
        assert!(near(next_peak((32..200).map(wave), 0.2), 50));
        assert!(near(next_peak((0..49).rev().map(wave), 0.2), 30));
        assert_eq!(next_peak((0..200).map(wave), 5.0), None);
        // A wave that only rises, and a gap.
        assert_eq!(next_peak((0..9).map(|row| (row, row as f64)), 0.5), None);
        let values = [0.0, f64::NAN, 3.0, 1.0];
        assert_eq!(next_peak((0..).zip(values), 1.0), Some(2));
        assert_eq!(next_peak(std::iter::empty(), 1.0), None);
    }

    #[test]
    fn from_a_peak_it_goes_on_to_the_next_one() {
        let values = [0.0, 5.0, 0.0, 5.0, 0.0, 5.0, 0.0];
        let rows = |from: u64| (from..7).map(|row| (row, values[row as usize]));
        let mut found = vec![next_peak(rows(0), 2.0).unwrap()];
        while let Some(row) = next_peak(rows(*found.last().unwrap()), 2.0) {
            found.push(row);
        }
        assert_eq!(found, [1, 2, 3, 4, 5]);
    }
}
