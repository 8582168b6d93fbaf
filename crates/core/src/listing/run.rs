//! Works a listing out, row by row.

use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::formula::Program;
use crate::smooth::Smoother;
use crate::watch::{Side, Watch, Watcher};
use std::collections::{HashMap, VecDeque};

/// The longest window.
const MOST_ROWS: usize = 65_536;

#[derive(Debug)]
enum Line {
    /// A name, and the formula that it is set to.
    Set(String, Program),
    /// A window: its name, its rows, what goes in.
    Window(String, usize, Program),
    /// What a window amounts to: the name that is set, what of it, the window, weights.
    Of(String, Amount, String, Vec<f64>),
    /// What stands below waits until this name is not 0; how many rows came through since.
    Wait(String, u64),
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Amount {
    Mean,
    Median,
    Min,
    Max,
    Count,
    Sum,
}

const AMOUNTS: [(&str, Amount); 6] = [
    ("mean", Amount::Mean),
    ("median", Amount::Median),
    ("min", Amount::Min),
    ("max", Amount::Max),
    ("count", Amount::Count),
    ("sum", Amount::Sum),
];

/// A listing at work.
#[derive(Debug)]
pub struct Listing {
    lines: Vec<Line>,
    names: HashMap<String, f64>,
    windows: HashMap<String, VecDeque<f64>>,
    row: u64,
}

impl Listing {
    /// Reads a listing.
    ///
    /// # Errors
    /// The number of the line that is wrong, from 1, and what is wrong with it.
    pub fn read(text: &str) -> Result<Listing, String> {
        let mut lines = Vec::new();
        for (number, line) in text.lines().enumerate() {
            let line = line.split('#').next().unwrap_or_default().trim();
            if !line.is_empty() {
                lines.push(read_line(line).map_err(|wrong| format!("line {}: {wrong}", number + 1))?);
            }
        }
        Ok(Listing { lines, names: HashMap::new(), windows: HashMap::new(), row: 0 })
    }

    /// Works one row out; what `name` is set to then is told by [`Listing::value`].
    pub fn run(&mut self, raw: f64) {
        self.names.insert("raw".into(), raw);
        self.names.insert("row".into(), self.row as f64);
        self.row += 1;
        for line in &mut self.lines {
            match line {
                Line::Set(name, program) => {
                    let value = worked_out(program, &self.names);
                    self.names.insert(name.clone(), value);
                }
                Line::Window(name, rows, program) => {
                    let value = worked_out(program, &self.names);
                    let window = self.windows.entry(name.clone()).or_default();
                    window.push_back(value);
                    if window.len() > *rows {
                        window.pop_front();
                    }
                }
                Line::Of(name, amount, window, weights) => {
                    let value = self.windows.get(window).map_or(f64::NAN, |rows| amounts_to(*amount, rows, weights));
                    self.names.insert(name.clone(), value);
                }
                Line::Wait(name, rows) => {
                    if self.names.get(name.as_str()).is_none_or(|value| value.is_nan() || *value == 0.0) {
                        return;
                    }
                    self.names.insert("row".into(), *rows as f64);
                    *rows += 1;
                }
            }
        }
    }

    /// What a name stands for now; a gap where it was not set.
    pub fn value(&self, name: &str) -> f64 {
        self.names.get(name).copied().unwrap_or(f64::NAN)
    }
}

fn read_line(line: &str) -> Result<Line, String> {
    let program = |text: &str| Program::parse(text).map_err(|error| format!("{text}: {error}"));
    if let Some(name) = line.strip_prefix("wait until ") {
        return Ok(Line::Wait(name.trim().to_owned(), 0));
    }
    let (name, rest) = line.split_once('=').ok_or("a line sets a name: name = formula")?;
    let (name, rest) = (name.trim(), rest.trim());
    if let Some(name) = name.strip_prefix("window ") {
        let rest = rest.strip_prefix("last ").ok_or("a window is: window w = last 9 of x")?;
        let (rows, of) = rest.split_once(" of ").ok_or("a window is: window w = last 9 of x")?;
        let rows = rows.trim().parse().ok().filter(|rows| (1..=MOST_ROWS).contains(rows));
        let rows = rows.ok_or_else(|| format!("a window has 1 to {MOST_ROWS} rows"))?;
        return Ok(Line::Window(name.trim().to_owned(), rows, program(of)?));
    }
    let amount = rest.split_once(" of ").and_then(|(what, of)| {
        let amount = AMOUNTS.iter().find(|(name, _)| *name == what.trim())?.1;
        Some((amount, of))
    });
    match amount {
        None => Ok(Line::Set(name.to_owned(), program(rest)?)),
        Some((amount, of)) => {
            let (window, weights) = match of.split_once('*') {
                None => (of, Vec::new()),
                Some((window, list)) => {
                    let list = list.trim().strip_prefix('[').and_then(|list| list.strip_suffix(']'));
                    let list = list.ok_or("weights stand in brackets: sum of w * [0.2, 0.6, 0.2]")?;
                    let number = |text: &str| {
                        let text = text.trim().trim_matches(['(', ')']);
                        text.parse::<f64>().map_err(|_| format!("'{text}' is not a number"))
                    };
                    (window, list.split(',').map(number).collect::<Result<_, String>>()?)
                }
            };
            Ok(Line::Of(name.to_owned(), amount, window.trim().to_owned(), weights))
        }
    }
}

fn worked_out(program: &mut Program, names: &HashMap<String, f64>) -> f64 {
    let inputs: Vec<f64> =
        program.inputs().iter().map(|input| names.get(&input.name).copied().unwrap_or(f64::NAN)).collect();
    program.run(Stamp::default(), &inputs)
}

fn amounts_to(amount: Amount, rows: &VecDeque<f64>, weights: &[f64]) -> f64 {
    let count = rows.len() as f64;
    match amount {
        Amount::Count => count,
        Amount::Sum if weights.is_empty() => rows.iter().sum(),
        Amount::Sum => rows.iter().zip(weights).map(|(value, weight)| value * weight).sum(),
        Amount::Mean => rows.iter().sum::<f64>() / count,
        Amount::Min => rows.iter().copied().fold(f64::INFINITY, f64::min),
        Amount::Max => rows.iter().copied().fold(f64::NEG_INFINITY, f64::max),
        Amount::Median => {
            let mut sorted: Vec<f64> = rows.iter().copied().collect();
            sorted.sort_by(f64::total_cmp);
            (sorted[(sorted.len() - 1) / 2] + sorted[sorted.len() / 2]) / 2.0
        }
    }
}

/// How a listing compares with the chain.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Checked {
    /// Rows that were compared.
    pub rows: usize,
    /// The largest difference of the values.
    pub largest: f64,
    /// From the least to the greatest value of the chain.
    pub span: f64,
    /// The greatest magnitude of a value of the chain.
    pub size: f64,
    /// Rows whose state by the threshold differs.
    pub states: usize,
}

impl Checked {
    /// What writing numbers with twelve digits may make of them.
    pub fn allowed(&self) -> f64 {
        1e-6 * self.span + 1e-8 * self.size
    }

    /// Runs `listing` and the chain of `settings` over the same raw values, `interval` seconds apart, and compares what they
    /// give, in units of which `scale` make one of the chain's. The first rows are not compared where the listing begins in
    /// a simpler way (see [`super::unlike_at_first`]), nor are gaps.
    ///
    /// # Errors
    /// What is wrong with the listing.
    pub fn of(
        listing: &str,
        settings: &ChannelSettings,
        interval: f64,
        raw: &[f64],
        scale: f64,
    ) -> Result<Checked, String> {
        let mut listing = Listing::read(listing)?;
        let skipped = super::unlike_at_first(settings, interval);
        let scaler = settings.scale.scaler();
        let mut smoother = Smoother::new(&settings.smooth);
        let mut watcher = settings.watch.map(|watch| Watcher::new(Watch { hold: 0.0, ..watch }, 0));
        let mut checked = Checked { rows: 0, largest: 0.0, span: 0.0, size: 0.0, states: 0 };
        let (mut least, mut most) = (f64::INFINITY, f64::NEG_INFINITY);
        for (row, raw) in raw.iter().filter(|raw| raw.is_finite()).enumerate() {
            let quantity = scaler.quantity(*raw, f64::NAN);
            let value = smoother.push(Stamp::default().plus(row as f64 * interval), quantity);
            if let Some(watcher) = &mut watcher {
                watcher.extend(&[Stamp::default()], &[value]);
            }
            listing.run(*raw);
            let told = listing.value(super::RESULT) / scale;
            if row < skipped || value.is_nan() {
                continue;
            }
            checked.rows += 1;
            (least, most) = (least.min(value), most.max(value));
            // Infinities are alike.
            let off = if told == value { 0.0 } else { (told - value).abs() };
            checked.largest = if off.is_nan() { f64::INFINITY } else { checked.largest.max(off) };
            let side = watcher.as_ref().map(|watcher| watcher.now().side);
            let differs = match side {
                Some(Side::Above) => listing.value(super::STATE) != 1.0,
                Some(Side::Below) => listing.value(super::STATE) != 0.0,
                Some(Side::Unknown) | None => false,
            };
            checked.states += usize::from(differs);
        }
        checked.span = (most - least).max(0.0);
        checked.size = least.abs().max(most.abs());
        Ok(checked)
    }
}
