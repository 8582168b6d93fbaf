//! What was looked at, to tell why no level was found.

use super::{LevelRule, WINDOW};
use crate::digits::{counted, duration};

/// What was looked at.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Search {
    /// Rows with a value.
    pub(super) rows: u64,
    pub(super) blocks: u64,
    /// Blocks in which rows lay far wider than usual.
    pub(super) wide: u64,
    /// Times that four blocks did not stand as high as one another.
    pub(super) uneven: u64,
    /// Times that rows moved away at once.
    pub(super) moves: u64,
}

impl LevelRule {
    /// The fewest rows of a level, and their seconds, where rows are `interval` seconds apart (above 0).
    pub fn needs(&self, interval: f64) -> (u64, f64) {
        let a_block = (self.seconds / WINDOW as f64 / interval - 1e-6).ceil().max(1.0);
        let rows = WINDOW as f64 * a_block;
        (rows as u64, rows * interval)
    }
}

impl Search {
    /// Why nothing was found by `rule` in rows that are `interval` seconds apart, if that is known.
    pub(super) fn why_none(&self, rule: &LevelRule, interval: Option<f64>) -> String {
        let shortest = duration(rule.seconds);
        if self.blocks < WINDOW as u64 && self.moves == 0 {
            let seen = counted(self.rows, "row");
            return interval.filter(|interval| *interval > 0.0).map_or_else(
                || format!("{seen} with a value are too few"),
                |interval| {
                    let (rows, seconds) = rule.needs(interval);
                    // The noise of a slow channel is learnt first.
                    let rows = if rows <= WINDOW as u64 * 4 { rows * 2 } else { rows };
                    format!(
                        "{seen} with a value are too few: at {} between rows it takes about {}, {}",
                        duration(interval),
                        counted(rows, "row"),
                        duration(seconds * rows as f64 / rule.needs(interval).0 as f64)
                    )
                },
            );
        }
        if self.wide * 2 > self.blocks {
            return format!("rows lie far wider than usual within each quarter of {shortest}");
        }
        let slowly = format!("by more than its noise explains, {}", counted(self.uneven, "time"));
        let leaping = format!("quickly, {}", counted(self.moves, "time"));
        let how = match (self.uneven, self.moves) {
            (_, 0) => slowly,
            (0, _) => leaping,
            _ => format!("{slowly}, and {leaping}"),
        };
        format!(
            "the channel never stood for {shortest}: it moved {how}; a shorter level or a larger allowed spread may find some"
        )
    }
}
