//! How fast a text was written that has no arrival times: by the board's clock in it, where it has one.

use super::Tick;
use super::timer::told_tick;
use crate::Stamp;
use crate::split::{Fate, Shape, Sink, Splitter};

/// The seconds that are given to each line of a text in which there is no clock.
pub const UNTIMED_LINE: f64 = 0.01;

/// Rows that are needed to tell.
const ENOUGH: usize = 8;

/// The seconds from one line to the next, by a column whose label is that of a clock; `None` where there is none, where
/// it does not rise throughout, or where there are too few rows. `text` is the beginning of the text.
pub fn seconds_a_line(text: &[u8]) -> Option<f64> {
    let mut clock = Clock::default();
    Splitter::new(None).feed(Stamp(0), text, &mut clock);
    let (_, tick) = clock.column?;
    let (first, last) = clock.values.first().zip(clock.values.last())?;
    let rises = clock.values.windows(2).all(|pair| pair[1] > pair[0]);
    let lines = clock.lines.checked_sub(clock.lines_before)?;
    let seconds = (last - first) * tick.seconds() / lines as f64;
    (rises && clock.values.len() >= ENOUGH && seconds.is_finite() && seconds > 0.0).then_some(seconds)
}

#[derive(Default)]
struct Clock {
    column: Option<(usize, Tick)>,
    values: Vec<f64>,
    /// All lines, and those up to the first row.
    lines: usize,
    lines_before: usize,
}

impl Sink for Clock {
    fn shape(&mut self, shape: &Shape) {
        self.column = (0..shape.columns()).find_map(|column| Some((column, told_tick(&shape.label(column))?)));
    }

    fn line(&mut self, _: Stamp, _: Fate, _: &[u8]) {
        self.lines += 1;
    }

    fn row(&mut self, _: Stamp, values: &[f64]) {
        if self.values.is_empty() {
            self.lines_before = self.lines;
        }
        self.values.extend(self.column.and_then(|(column, _)| values.get(column)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_clock_in_a_text_tells_its_pace() {
        let text = |line: &dyn Fn(u32) -> String| (0..20).map(|i| line(i) + "\n").collect::<String>();
        let pace = |text: &str| seconds_a_line(text.as_bytes()).map(|seconds| (seconds * 1e6).round());
        assert_eq!(pace(&text(&|i| format!("t_ms={} gauge=7", 500 + i * 50))), Some(50_000.0));
        assert_eq!(pace(&format!("t_s,depth\n{}", text(&|i| format!("{}.5,7", i * 2)))), Some(2e6));
        assert_eq!(pace(&text(&|i| format!("t_us={}\ngauge={i}", i * 1000))), Some(500.0), "two lines a row");
        assert_eq!(pace(&text(&|i| format!("gauge={i}"))), None);
        assert_eq!(pace(&text(&|i| format!("t_ms={} gauge=7", i % 5))), None, "a clock that jumps back");
        assert_eq!(pace("t_ms=1\nt_ms=2\n"), None, "too few rows");
    }
}
