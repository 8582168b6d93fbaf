//! What a column says of itself by its name and its unit: that it is a clock, in which unit it counts, or something else.

use super::Tick;
use crate::split::Shape;

/// What the name and the unit of a column say, as far as time goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Says {
    /// A clock that counts in this unit.
    Clock(Tick),
    /// A clock that does not say its unit.
    Time,
    /// Nothing: the board gives it no name.
    Nothing,
    /// Another quantity.
    Quantity,
}

/// Words that name a clock.
const CLOCKS: [&str; 12] = [
    "t",
    "time",
    "timestamp",
    "timestamps",
    "stamp",
    "ts",
    "clock",
    "uptime",
    "elapsed",
    "runtime",
    "datetime",
    "epoch",
];

/// Words that may stand beside those, and name no clock alone.
const BESIDE: [&str; 13] =
    ["board", "device", "mcu", "system", "sys", "boot", "sample", "log", "local", "wall", "unix", "utc", "since"];

/// Words that name a unit of time; where they name a column, it is a clock.
const UNITS: [(&str, Tick); 17] = [
    ("us", Tick::Us),
    ("µs", Tick::Us),
    ("μs", Tick::Us),
    ("usec", Tick::Us),
    ("usecs", Tick::Us),
    ("micros", Tick::Us),
    ("microseconds", Tick::Us),
    ("ms", Tick::Ms),
    ("msec", Tick::Ms),
    ("msecs", Tick::Ms),
    ("millis", Tick::Ms),
    ("milliseconds", Tick::Ms),
    ("s", Tick::S),
    ("sec", Tick::S),
    ("secs", Tick::S),
    ("second", Tick::S),
    ("seconds", Tick::S),
];

/// The tick that a unit of time names.
fn tick(unit: &str) -> Option<Tick> {
    UNITS.iter().find(|(known, _)| *known == unit).map(|(_, tick)| *tick)
}

/// The words of a name, in lower case: `sampleTime_ms` is `sample`, `time` and `ms`.
fn words(label: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let (mut is_new, mut was_lower) = (true, false);
    for c in label.chars() {
        if !c.is_alphabetic() {
            // A number is no word of a clock's name.
            if c.is_numeric() {
                words.push(c.into());
            }
            is_new = true;
            continue;
        }
        if is_new || (was_lower && c.is_uppercase()) {
            words.push(String::new());
        }
        (is_new, was_lower) = (false, c.is_lowercase());
        words.iter_mut().last().into_iter().for_each(|word| word.extend(c.to_lowercase()));
    }
    words
}

/// What a name says.
fn by_name(label: &str) -> Says {
    let words = words(label);
    let is_clock = |word: &String| CLOCKS.contains(&word.as_str());
    let is_beside = |word: &String| BESIDE.contains(&word.as_str());
    let told: Vec<Tick> = words.iter().filter_map(|word| tick(word)).collect();
    let named = words.iter().any(is_clock);
    let rest = words.iter().filter(|word| !is_clock(word) && !is_beside(word)).count();
    match told.as_slice() {
        _ if words.is_empty() || rest != told.len() => Says::Quantity,
        // `s` alone is a quantity as any other letter is.
        [_] if words.len() == 1 && words[0] == "s" => Says::Quantity,
        [tick] => Says::Clock(*tick),
        [] if named => Says::Time,
        _ => Says::Quantity,
    }
}

/// What column `index` says of itself.
pub(crate) fn says(shape: &Shape, index: usize) -> Says {
    let label = shape.label(index);
    // Seconds that were written as a date or a time of day.
    if label == "clock_s" || label == "wall_clock" {
        return Says::Clock(Tick::S);
    }
    let unit = tick(&shape.unit(index).to_lowercase());
    let own = if shape.is_named(index) { by_name(&label) } else { Says::Nothing };
    match (own, unit) {
        (Says::Time, Some(tick)) => Says::Clock(tick),
        // What has no name but a unit of time, in front of all else, is when the rest was measured.
        (Says::Nothing, Some(tick)) if index == 0 => Says::Clock(tick),
        (Says::Nothing, None) if !shape.unit(index).is_empty() => Says::Quantity,
        (Says::Nothing, Some(_)) => Says::Quantity,
        (own, _) => own,
    }
}

/// Whether `label` is one that boards give to their own clock and to nothing else.
pub(crate) fn names_a_clock(label: &str) -> bool {
    label == "wall_clock" || matches!(by_name(label), Says::Clock(_))
}

/// Whether `label` is one that rows are numbered under, as those that are published.
pub(crate) fn numbers_rows(label: &str) -> bool {
    label.eq_ignore_ascii_case("row")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_say_what_they_are() {
        let told = |label: &str| by_name(label);
        for (label, expected) in [
            ("t_ms", Says::Clock(Tick::Ms)),
            ("millis", Says::Clock(Tick::Ms)),
            ("ms", Says::Clock(Tick::Ms)),
            ("Seconds", Says::Clock(Tick::S)),
            ("uptimeMs", Says::Clock(Tick::Ms)),
            ("time_since_boot_us", Says::Clock(Tick::Us)),
            ("unix_time", Says::Time),
            ("Timestamp", Says::Time),
            ("t", Says::Time),
            ("ts", Says::Time),
            ("unix", Says::Quantity),
            ("s", Says::Quantity),
            ("temp", Says::Quantity),
            ("pulse_ms", Says::Quantity),
            ("time_constant", Says::Quantity),
            ("t1", Says::Quantity),
            ("T_s_ms", Says::Quantity),
            ("", Says::Quantity),
        ] {
            assert_eq!(told(label), expected, "{label}");
        }
    }
}
