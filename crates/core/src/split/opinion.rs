//! What the lines on trial mean, all of them read together, by readings that are ranked by their description length.

use super::clean::clean;
use super::header::Header;
use super::pattern::shapes_of;
use super::shape::Shape;
use amber_grammar::{Channel, ChannelKind, Doubt, Finding, Lines, find};
use std::cmp::Ordering;

/// Counts of lines at which they are looked at.
const LOOKS: [usize; 4] = [16, 32, 64, MOST];

/// Whether lines are looked at when there are so many, and there were so many when they were looked at before.
pub(super) fn is_due(before: usize, lines: usize) -> bool {
    LOOKS.iter().any(|look| (before + 1..=lines).contains(look))
}

/// Lines before which no shape stays, since fewer tell too little: rare kinds of lines come once in dozens.
pub(super) const MOST: usize = 128;

/// So many seconds, and so many lines within them, tell enough of a slow stream, which nobody wants to wait for.
pub(super) const SLOW: (f64, usize) = (60.0, 32);

/// What the lines are, taken together.
pub(super) struct Opinion {
    /// Shapes that may read them so, the fastest first.
    pub(super) shapes: Vec<Shape>,
    /// What speaks against it, in a few words.
    pub(super) doubt: Option<&'static str>,
    /// That speaks against other readings that tell the same as well.
    pub(super) is_open: bool,
    /// Nothing but that nothing changes speaks against it.
    pub(super) is_dull: bool,
    /// Its columns that vary.
    columns: Vec<Column>,
    /// Its named numbers that do not, and come in some rows alone; those of all rows may as well be parts of names.
    constants: Vec<Values>,
}

struct Column {
    name: String,
    is_clock: bool,
    has_words: bool,
    values: Values,
}

impl Column {
    /// Whether these values tell the same: a clock may be told in another unit, and states by other numbers.
    fn is_told_by(&self, values: &Values) -> bool {
        self.values.are_those_of(values)
            || (self.is_clock && self.values.run_like(values))
            || (self.has_words && self.values.are_states_of(values))
    }
}

/// What these lines are.
pub(super) fn opinion<'l>(lines: impl Iterator<Item = &'l [u8]>, header: Option<&Header>) -> Option<Opinion> {
    let lines = lines.filter_map(clean).map(|line| String::from_utf8_lossy(&line).into_owned()).collect();
    let text = Lines { lines, is_ended: true };
    let found: Finding = find(&text)?;
    let table = found.table(&text, false);
    let column = |(place, channel): (usize, &Channel)| Column {
        name: channel.name.clone(),
        is_clock: channel.kind == ChannelKind::Clock,
        has_words: !channel.words.is_empty(),
        values: Values::of(table.rows.iter().filter_map(|row| row[place])),
    };
    let all = table.channels.iter().enumerate().map(column);
    let (columns, still): (Vec<Column>, Vec<Column>) = all.partition(|column| column.values.vary());
    let is_told = |column: &Column| {
        let is_rare = column.values.count * 10 < table.rows.len() * 9;
        is_rare && !column.has_words && !column.is_clock && !column.name.starts_with("field")
    };
    let constants = still.into_iter().filter(is_told).map(|column| column.values).collect();
    let shapes = found.spec.as_ref().map_or_else(Vec::new, |spec| shapes_of(spec, header));
    let open = found.doubts.iter().find(|doubt| is_open(doubt));
    let doubt = open.or(found.doubts.first()).map(Doubt::said);
    let is_dull = found.doubts == [Doubt::Constant];
    Some(Opinion { shapes, doubt, is_open: open.is_some(), is_dull, columns, constants })
}

/// Whether a doubt is one about what the lines mean, and not about how few or how dull they are.
fn is_open(doubt: &Doubt) -> bool {
    matches!(
        doubt,
        Doubt::Irregular | Doubt::NoOrder | Doubt::Names | Doubt::Comma | Doubt::Bits | Doubt::Date | Doubt::Signs
    )
}

impl Opinion {
    /// Whether these rows tell the same, whatever they call it.
    pub(super) fn is_told_by(&self, rows: &Rows) -> bool {
        let is_known = |values: &Values| self.columns.iter().any(|column| column.is_told_by(values));
        let is_there = |column: &Column| column.is_clock || rows.varying().any(|values| column.is_told_by(values));
        let is_kept = |constant: &Values| rows.columns.iter().any(|values| values.are_those_of(constant));
        rows.varying().all(is_known) && self.columns.iter().all(is_there) && self.constants.iter().all(is_kept)
    }

    /// How many columns it tells that vary.
    pub(super) fn columns(&self) -> usize {
        self.columns.len()
    }

    /// Whether it tells a time.
    pub(super) fn has_clock(&self) -> bool {
        self.columns.iter().any(|column| column.is_clock)
    }

    /// What it tells, in a few words.
    pub(super) fn said(&self) -> String {
        let names: Vec<&str> = self.columns.iter().take(4).map(|column| column.name.as_str()).collect();
        let more = if self.columns.len() > names.len() { " …" } else { "" };
        format!("all lines together may also be read as {}{more}", names.join(", "))
    }
}

/// What rows tell.
#[derive(Default)]
pub(super) struct Rows {
    /// How many there are.
    pub(super) count: usize,
    columns: Vec<Values>,
}

impl Rows {
    /// Of these rows, NaN for a gap.
    pub(super) fn of(rows: &[Vec<f64>]) -> Rows {
        let width = rows.iter().map(Vec::len).max().unwrap_or(0);
        let column = |at: usize| Values::of(rows.iter().filter_map(|row| row.get(at)).copied());
        Rows { count: rows.len(), columns: (0..width).map(column).collect() }
    }

    /// Whether a column varies.
    pub(super) fn varies(&self, column: usize) -> bool {
        self.columns.get(column).is_some_and(Values::vary)
    }

    /// The columns that vary.
    pub(super) fn varying(&self) -> impl Iterator<Item = &Values> {
        self.columns.iter().filter(|values| values.vary())
    }
}

/// The values of a column, gaps (NaN) left out.
#[derive(Default)]
pub(super) struct Values {
    count: usize,
    /// From the first one to those after a quarter, a half, three quarters, and to the last.
    way: [f64; 4],
    /// How often each comes, by its bits in their order.
    each: Vec<(u64, usize)>,
    /// How often, the rarest first.
    counts: Vec<usize>,
}

impl Values {
    fn of(values: impl Iterator<Item = f64>) -> Values {
        let values: Vec<f64> = values.filter(|value| !value.is_nan()).collect();
        let quarter = |part: usize| values.get(values.len().saturating_sub(1) * part / 4).zip(values.first());
        let way = [1, 2, 3, 4].map(|part| quarter(part).map_or(0.0, |(value, first)| value - first));
        // Both zeros are one value.
        let mut bits: Vec<u64> = values.iter().map(|value| (value + 0.0).to_bits()).collect();
        bits.sort_unstable();
        let each: Vec<_> = bits.chunk_by(|a, b| a == b).map(|alike| (alike[0], alike.len())).collect();
        let mut counts: Vec<usize> = each.iter().map(|(_, count)| *count).collect();
        counts.sort_unstable();
        Values { count: values.len(), way, each, counts }
    }

    fn vary(&self) -> bool {
        self.each.len() > 1
    }

    /// Whether nearly all are the same.
    fn are_those_of(&self, other: &Values) -> bool {
        let most = self.count.max(other.count);
        let shared = self.shared(other);
        shared + 2 >= most || shared * 20 >= most * 19
    }

    /// Whether both may be the same states under other numbers: each comes about as often.
    fn are_states_of(&self, other: &Values) -> bool {
        let apart: usize = self.counts.iter().zip(&other.counts).map(|(a, b)| a.abs_diff(*b)).sum();
        self.counts.len() == other.counts.len() && apart * 10 <= self.count.max(other.count) + 10
    }

    /// How many of both are the same.
    fn shared(&self, other: &Values) -> usize {
        let (mut a, mut b) = (self.each.iter().peekable(), other.each.iter().peekable());
        let mut shared = 0;
        while let (Some(one), Some(two)) = (a.peek(), b.peek()) {
            match one.0.cmp(&two.0) {
                Ordering::Less => {
                    a.next();
                }
                Ordering::Greater => {
                    b.next();
                }
                Ordering::Equal => {
                    shared += one.1.min(two.1);
                    a.next();
                    b.next();
                }
            }
        }
        shared
    }

    /// Whether both may be one clock in two units.
    fn run_like(&self, other: &Values) -> bool {
        let is_near = |part: usize| {
            let (own, others) = (self.way[part] / self.way[3], other.way[part] / other.way[3]);
            (own - others).abs() < 0.05
        };
        let is_alike = self.count.abs_diff(other.count) * 5 <= self.count.max(other.count) + 10;
        is_alike && self.way[3] != 0.0 && (self.way[3] > 0.0) == (other.way[3] > 0.0) && (0..3).all(is_near)
    }
}
