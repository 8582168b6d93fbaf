//! What rows are counted by along an axis: seconds, or their own number where nothing tells their time.

use crate::digits::{duration, grouped, hertz, short, with_unit};

/// What rows are counted by.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Across {
    /// Seconds.
    #[default]
    Seconds,
    /// Their number: a text tells nothing of its time. Within the program so many rows stand for a second.
    Rows(f64),
}

impl Across {
    /// So many seconds of the program, in its unit.
    pub fn of(self, seconds: f64) -> f64 {
        match self {
            Across::Seconds => seconds,
            Across::Rows(rate) => seconds * rate,
        }
    }

    /// The name of a table's column of it.
    pub fn column(self) -> &'static str {
        if self == Across::Seconds { "time_s" } else { "row" }
    }

    /// The word for what is counted.
    pub fn word(self) -> &'static str {
        if self == Across::Seconds { "seconds" } else { "rows" }
    }

    /// Its unit.
    pub fn unit(self) -> &'static str {
        if self == Across::Seconds { "s" } else { "rows" }
    }

    /// The seconds of the program that so much of its unit stands for.
    pub fn seconds(self, of: f64) -> f64 {
        match self {
            Across::Seconds => of,
            Across::Rows(rate) => of / rate,
        }
    }

    /// How long so many seconds of the program are: `2.5 s`, `250 rows`.
    pub fn length(self, seconds: f64) -> String {
        match self {
            Across::Seconds => duration(seconds),
            Across::Rows(_) => {
                let rows = self.of(seconds);
                let is_whole = (rows - rows.round()).abs() < 1e-3 && rows.abs() < 1e15;
                let count = if is_whole { grouped(rows.round().abs() as u64) } else { short(rows.abs(), 3) };
                let sign = if rows < 0.0 && count != "0" { "−" } else { "" };
                format!("{sign}{count} {}", if count == "1" { "row" } else { "rows" })
            }
        }
    }

    /// A frequency in hertz of the program: `4 Hz`, `0.04 /row`.
    pub fn frequency(self, per_second: f64) -> String {
        match self {
            Across::Seconds => hertz(per_second),
            Across::Rows(rate) => with_unit(short(per_second / rate, 4), "/row"),
        }
    }

    /// A slope per second of the program, as a number.
    pub fn slope(self, per_second: f64) -> f64 {
        match self {
            Across::Seconds => per_second,
            Across::Rows(rate) => per_second / rate,
        }
    }

    /// The unit of slopes of what has this `unit`: `V/s`, `V/row`.
    pub fn slope_unit(self, unit: &str) -> String {
        format!("{unit}/{}", if self == Across::Seconds { "s" } else { "row" })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_counted_where_nothing_tells_the_time() {
        let rows = Across::Rows(100.0);
        let thousand = format!("−{} rows", grouped(1200));
        let lengths = [rows.length(0.4), rows.length(0.01), rows.length(-12.0), rows.length(0.005)];
        assert_eq!(lengths, ["40 rows", "1 row", &thousand, "0.5 rows"]);
        assert_eq!(
            (rows.frequency(25.0), rows.slope(3.0), rows.slope_unit("V")),
            ("0.25 /row".into(), 0.03, "V/row".into())
        );
        assert_eq!((rows.column(), rows.of(0.07).round()), ("row", 7.0));
        let seconds = Across::default();
        assert_eq!(
            (seconds.length(0.4), seconds.column(), seconds.slope_unit("mm")),
            ("400 ms".into(), "time_s", "mm/s".into())
        );
    }
}
