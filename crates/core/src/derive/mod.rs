//! Stages 3 and 4 for the rows of all channels at once: formulas over other channels, scales, smoothing, in the order in
//! which they need one another.

mod order;

pub use order::circle;
pub(crate) use order::{Names, meant, names};

use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::formula::{FormulaStep, Program, SeenRows, Stage};
use crate::scale::Scaler;
use crate::smooth::{Smoother, smooths};
use order::{in_order, needs};

/// A channel's values in one row; NaN stands for a gap throughout.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LastValues {
    /// As it came, or as its formula says.
    pub raw: f64,
    /// Scaled.
    pub quantity: f64,
    /// Smoothed; the quantity itself without smoothing.
    pub smoothed: f64,
}

/// What rows that follow one another say of one channel, a value a row; NaN stands for a gap throughout.
#[derive(Clone, Debug, Default)]
pub struct Values {
    /// As they came, or as the formula says.
    pub raw: Vec<f64>,
    /// Scaled, where that changes anything.
    scaled: Option<Vec<f64>>,
    /// Smoothed, where that is done.
    smoothed: Option<Vec<f64>>,
}

impl Values {
    /// Scaled.
    #[inline]
    pub fn quantity(&self) -> &[f64] {
        self.scaled.as_ref().unwrap_or(&self.raw)
    }

    /// Smoothed; the quantity itself without smoothing.
    #[inline]
    pub fn smoothed(&self) -> &[f64] {
        self.smoothed.as_deref().unwrap_or(self.quantity())
    }

    /// All of them in the row at this place.
    #[inline]
    pub fn now(&self, row: usize) -> LastValues {
        LastValues { raw: self.raw[row], quantity: self.quantity()[row], smoothed: self.smoothed()[row] }
    }

    /// Forgets all rows.
    pub fn clear(&mut self) {
        self.raw.clear();
        self.scaled.iter_mut().chain(&mut self.smoothed).for_each(Vec::clear);
    }

    /// The scaled values are these instead.
    pub(crate) fn set_quantity(&mut self, quantity: impl Iterator<Item = f64>) {
        let values = self.scaled.get_or_insert_default();
        values.clear();
        values.extend(quantity);
    }

    /// What the filters gave is this instead.
    pub fn set_smoothed(&mut self, smoothed: impl Iterator<Item = f64>) {
        let values = self.smoothed.get_or_insert_default();
        values.clear();
        values.extend(smoothed);
    }

    /// What they are at a stage.
    #[inline]
    pub(crate) fn stage(&self, stage: Stage) -> &[f64] {
        match stage {
            Stage::Raw => &self.raw,
            Stage::Quantity => self.quantity(),
            Stage::Smoothed => self.smoothed(),
        }
    }
}

/// Nothing known.
pub const GAP: LastValues = LastValues { raw: f64::NAN, quantity: f64::NAN, smoothed: f64::NAN };

#[derive(Clone, Debug)]
struct Slot {
    program: Option<Program>,
    /// For each input of the program, the channel that it comes from.
    sources: Vec<Option<(usize, Stage)>>,
    /// What its inputs were.
    seen: SeenRows,
    scaler: Scaler,
    /// The channel that says the converter's reference.
    reference: Option<usize>,
    smoother: Option<Smoother>,
}

impl Slot {
    /// How fine the inputs of its program are, where `step` says it of a channel.
    fn steps(&self, step: impl Fn(usize, Stage) -> f64) -> Vec<f64> {
        self.sources.iter().map(|source| source.map_or(f64::NAN, |(source, stage)| step(source, stage))).collect()
    }

    /// Works out what is behind the raw values. `reference`: what the reference channel says in each row.
    fn scale_and_smooth(&mut self, at: &[Stamp], reference: Option<&[f64]>, values: &mut Values) {
        if self.scaler.line() == Some((1.0, 0.0)) {
            values.scaled = None;
        } else {
            let scaled = values.scaled.get_or_insert_default();
            scaled.clear();
            scaled.extend_from_slice(&values.raw);
            match reference {
                None => self.scaler.quantities(scaled),
                Some(reference) => {
                    scaled.iter_mut().zip(reference).for_each(|(x, volts)| *x = self.scaler.quantity(*x, *volts));
                }
            }
        }
        let Some(smoother) = &mut self.smoother else {
            values.smoothed = None;
            return;
        };
        let mut smoothed = values.smoothed.take().unwrap_or_default();
        smoothed.clear();
        smoothed.extend_from_slice(values.quantity());
        smoother.push_all(at, &mut smoothed);
        values.smoothed = Some(smoothed);
    }
}

/// The channels of one source, ready to run.
#[derive(Clone, Debug, Default)]
pub struct Deriver {
    slots: Vec<Slot>,
    /// All channels, each behind those that it needs.
    order: Vec<usize>,
    inputs: Vec<f64>,
    /// What the channels are called.
    names: Vec<Names>,
}

/// Works out rows as they come, for whoever wants more than their raw values.
#[derive(Clone, Debug, Default)]
pub struct Derived {
    deriver: Deriver,
    values: Vec<Values>,
    smooth_all: bool,
}

impl Derived {
    /// For channels that are told later. `smooth_all`: smooth also what no formula asks for.
    pub fn new(smooth_all: bool) -> Derived {
        Derived { smooth_all, ..Derived::default() }
    }

    /// These are the channels from now on. What formulas and smoothing of those remember that keep their place stays.
    pub fn follow(&mut self, channels: &[ChannelSettings]) {
        let fresh = self.fresh(channels);
        let before = std::mem::replace(&mut self.deriver, fresh);
        let known: Vec<usize> = (0..before.slots.len()).collect();
        self.deriver.adopt(before, &known);
        self.values.resize_with(channels.len(), Values::default);
    }

    /// A deriver for these channels, which remembers nothing.
    pub fn fresh(&self, channels: &[ChannelSettings]) -> Deriver {
        Deriver::new(&channels.iter().collect::<Vec<_>>(), self.smooth_all)
    }

    /// What works the channels out.
    pub fn deriver(&self) -> &Deriver {
        &self.deriver
    }

    /// The same, for changing it.
    pub fn deriver_mut(&mut self) -> &mut Deriver {
        &mut self.deriver
    }

    /// Works out the rows at `times`, which follow one another and have these raw values, a column a channel.
    pub fn take(&mut self, times: &[Stamp], raw: &[Vec<f64>]) {
        for (values, raw) in self.values.iter_mut().zip(raw) {
            values.clear();
            values.raw.extend_from_slice(raw);
        }
        self.deriver.all_rows(times, &mut self.values);
    }

    /// What all channels say in the rows that were taken last.
    pub fn values(&self) -> &[Values] {
        &self.values
    }
}

impl Deriver {
    /// For channels with these settings. Channels that need one another in a circle give gaps. `smooth_all`: smooth also
    /// what no formula asks for.
    pub fn new(channels: &[&ChannelSettings], smooth_all: bool) -> Self {
        let mut needs = needs(channels);
        let order = loop {
            match in_order(&needs) {
                Ok(order) => break order,
                Err(circle) => circle.iter().for_each(|at| needs[*at].clear()),
            }
        };
        let names = names(channels);
        let mut slots: Vec<Slot> = Vec::with_capacity(channels.len());
        for (at, channel) in channels.iter().enumerate() {
            let program = channel.formula.as_ref().map(|formula| formula.program());
            let source = |name: &str| meant(&names, name).filter(|source| needs[at].contains(source));
            let sources = program.iter().flat_map(|program| program.inputs());
            let sources = sources.map(|input| source(&input.name).map(|source| (source, input.stage))).collect();
            let scaler = channel.scale.scaler();
            let reference = scaler.reference().and_then(source);
            let smoother = smooths(&channel.smooth).then(|| Smoother::new(&channel.smooth));
            slots.push(Slot { program, sources, seen: SeenRows::default(), scaler, reference, smoother });
        }
        if !smooth_all {
            let asked = slots.iter().flat_map(|slot| slot.sources.iter().flatten());
            let asked: Vec<usize> = asked.filter(|(_, s)| *s == Stage::Smoothed).map(|(at, _)| *at).collect();
            let unasked = slots.iter_mut().enumerate().filter(|(at, _)| !asked.contains(at));
            unasked.for_each(|(_, slot)| slot.smoother = None);
        }
        Deriver { slots, order, inputs: Vec::new(), names }
    }

    /// All channels in the order in which they are worked out.
    pub fn order(&self) -> &[usize] {
        &self.order
    }

    /// Of the channels, `which` and all that need one of them, in order.
    pub fn dependents(&self, which: &[usize]) -> Vec<usize> {
        let mut found = vec![false; self.slots.len()];
        which.iter().for_each(|at| found[*at] = true);
        for at in &self.order {
            found[*at] |= self.needs(*at).any(|need| found[need]);
        }
        self.order.iter().copied().filter(|at| found[*at]).collect()
    }

    /// The channels that are needed to work out `wanted`, themselves included, in order.
    pub fn needed(&self, wanted: &[usize]) -> Vec<usize> {
        let mut found = vec![false; self.slots.len()];
        wanted.iter().for_each(|at| found[*at] = true);
        for at in self.order.iter().rev() {
            if found[*at] {
                self.needs(*at).for_each(|need| found[need] = true);
            }
        }
        self.order.iter().copied().filter(|at| found[*at]).collect()
    }

    /// The channels that channel `at` is worked out from.
    fn needs(&self, at: usize) -> impl Iterator<Item = usize> {
        let slot = &self.slots[at];
        slot.sources.iter().flatten().map(|(source, _)| *source).chain(slot.reference)
    }

    /// Whether a channel has a formula.
    pub fn is_computed(&self, channel: usize) -> bool {
        self.slots[channel].program.is_some()
    }

    /// How fine the values of a channel's formula are by the last rows, where `step` says how fine those of a channel are;
    /// `None` without a formula, or before the first row.
    pub fn formula_step(&self, channel: usize, step: impl Fn(usize, Stage) -> f64) -> Option<FormulaStep> {
        let slot = &self.slots[channel];
        Some(slot.program.as_ref()?.step(&slot.seen.recent()?, &slot.steps(step)))
    }

    /// The same by the first rows, which does not depend on how the rows came; `None` until they are there.
    pub fn first_formula_step(&self, channel: usize, step: impl Fn(usize, Stage) -> f64) -> Option<FormulaStep> {
        let slot = &self.slots[channel];
        Some(slot.program.as_ref()?.step(slot.seen.first()?, &slot.steps(step)))
    }

    /// A channel's scale.
    pub fn scaler(&self, channel: usize) -> &Scaler {
        &self.slots[channel].scaler
    }

    /// Whether a channel's quantity is its raw value.
    pub fn is_as_it_came(&self, channel: usize) -> bool {
        self.slots[channel].scaler.line() == Some((1.0, 0.0))
    }

    /// The channel that says the reference of a channel's converter.
    pub fn reference(&self, channel: usize) -> Option<usize> {
        self.slots[channel].reference
    }

    /// Works out the rows at `at`, which follow one another, for the channels `which`, which must be in order and hold all
    /// that they need. `rows` holds the raw values that came, one a row in each channel; the rest of it is filled in.
    pub fn rows(&mut self, which: &[usize], at: &[Stamp], rows: &mut [Values]) {
        for channel in which {
            let slot = &mut self.slots[*channel];
            let mut own = std::mem::take(&mut rows[*channel]);
            if let Some(program) = &mut slot.program {
                let sources: Vec<Option<&[f64]>> =
                    slot.sources.iter().map(|source| source.map(|(source, stage)| rows[source].stage(stage))).collect();
                own.raw.clear();
                let count = at.len();
                for (row, at) in at.iter().enumerate() {
                    self.inputs.clear();
                    // What is only worked out later, while an edit has not taken effect, is a gap.
                    let input = |source: &Option<&[f64]>| source.and_then(|values| values.get(row)).copied();
                    self.inputs.extend(sources.iter().map(|source| input(source).unwrap_or(f64::NAN)));
                    own.raw.push(program.run(*at, &self.inputs));
                    slot.seen.push(*at, &self.inputs, count - 1 - row);
                }
            }
            let reference = slot.reference.map(|reference| rows[reference].quantity());
            slot.scale_and_smooth(at, reference.filter(|volts| volts.len() == at.len()), &mut own);
            rows[*channel] = own;
        }
    }

    /// The same for all channels.
    pub fn all_rows(&mut self, at: &[Stamp], rows: &mut [Values]) {
        let order = std::mem::take(&mut self.order);
        self.rows(&order, at, rows);
        self.order = order;
    }

    /// Lets two channels change places.
    pub fn swap(&mut self, a: usize, b: usize) {
        let turn = |at: usize| {
            if at == a {
                b
            } else if at == b {
                a
            } else {
                at
            }
        };
        self.slots.swap(a, b);
        self.names.swap(a, b);
        self.order.iter_mut().for_each(|at| *at = turn(*at));
        for slot in &mut self.slots {
            slot.sources.iter_mut().flatten().for_each(|(at, _)| *at = turn(*at));
            slot.reference = slot.reference.map(turn);
        }
    }

    /// The next row does not follow from the last one.
    pub fn break_off(&mut self) {
        for slot in &mut self.slots {
            if let Some(smoother) = &mut slot.smoother {
                smoother.reset();
            }
            if let Some(program) = &mut slot.program {
                program.break_off();
            }
            slot.seen.break_off();
        }
    }

    /// Lets go of a channel; those behind it move up, and those that need it have gaps.
    pub fn remove(&mut self, channel: usize) {
        self.slots.remove(channel);
        self.names.remove(channel);
        self.order.retain(|at| *at != channel);
        let moved = |at: usize| if at > channel { at - 1 } else { at };
        self.order.iter_mut().for_each(|at| *at = moved(*at));
        for slot in &mut self.slots {
            let still = |source: usize| (source != channel).then(|| moved(source));
            let sources = slot.sources.iter_mut();
            sources.for_each(|source| *source = source.and_then(|(at, stage)| Some((still(at)?, stage))));
            slot.reference = slot.reference.and_then(still);
        }
    }

    /// Takes over what `other`, of the same channels, remembers of those among `which`. Where it has another formula or
    /// reference, it has it here, too.
    pub fn adopt(&mut self, other: Deriver, which: &[usize]) {
        for (at, theirs) in other.slots.into_iter().enumerate() {
            let Some(slot) = self.slots.get_mut(at).filter(|_| which.contains(&at)) else { continue };
            // What a name means is known here, where there may be more channels by now.
            let names = &self.names;
            let inputs = |program: &Option<Program>| program.as_ref().map(|program| program.inputs().to_vec());
            let wanted = inputs(&theirs.program);
            if inputs(&slot.program) != wanted {
                let sources = wanted.iter().flatten();
                slot.sources = sources.map(|input| Some((meant(names, &input.name)?, input.stage))).collect();
            }
            if slot.scaler.reference() != theirs.scaler.reference() {
                slot.reference = theirs.scaler.reference().and_then(|name| meant(names, name));
            }
            let (sources, reference) = (std::mem::take(&mut slot.sources), slot.reference);
            *slot = Slot { sources, reference, ..theirs };
        }
    }

    /// Works the channels out in another order, which must be one of [`Deriver::order`] for the same channels.
    pub fn reorder(&mut self, order: Vec<usize>) {
        self.order = order;
    }
}
