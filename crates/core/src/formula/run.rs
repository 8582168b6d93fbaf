//! The stack machine.

use super::{FormulaError, Input};
use crate::{Stamp, or_gap};

/// The deepest that values pile up; the parser rejects formulas that need more.
pub(super) const DEPTH: usize = 32;

/// Functions of one value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum One {
    Negate,
    Not,
    Square,
    Cube,
    Abs,
    Sign,
    Sqrt,
    Cbrt,
    Exp,
    Ln,
    Log10,
    Log2,
    Sin,
    Cos,
    Tan,
    Asin,
    Acos,
    Atan,
    Sinh,
    Cosh,
    Tanh,
    Deg,
    Rad,
    Floor,
    Ceil,
    Round,
    Trunc,
}

/// Functions and operators of two values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Two {
    Add,
    Subtract,
    Multiply,
    Divide,
    Mod,
    Pow,
    Less,
    LessOrEqual,
    More,
    MoreOrEqual,
    Equal,
    NotEqual,
    And,
    Or,
    Atan2,
    Angle,
    IfGap,
}

/// Functions of several values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Many {
    Min,
    Max,
    Mean,
    Length,
}

/// Functions with a memory.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Remembers {
    Prev,
    Hold,
    Diff,
    Rate,
    Integral,
    RunningMin,
    RunningMax,
}

/// One instruction.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Op {
    /// Puts a number on the stack.
    Number(f64),
    /// Puts an input on the stack.
    Input(u32),
    /// Puts the seconds since the first row on the stack.
    Time,
    /// Changes the top.
    One(One),
    /// Takes two, puts one.
    Two(Two),
    /// Takes so many, puts one.
    Many(Many, u32),
    /// Takes x, low and high.
    Clamp,
    /// Takes the test and both values.
    If,
    /// Passes the top through a memory.
    Remember(Remembers, u32),
}

/// What one remembering function remembers.
#[derive(Clone, Copy, Debug)]
struct Memory {
    last: f64,
    at: Stamp,
    sum: f64,
}

const EMPTY: Memory = Memory { last: f64::NAN, at: Stamp(0), sum: f64::NAN };

/// A formula that is ready to run, with its memory.
#[derive(Clone, Debug, Default)]
pub struct Program {
    pub(super) ops: Vec<Op>,
    pub(super) inputs: Vec<Input>,
    memories: Vec<Memory>,
    start: Option<Stamp>,
}

impl Program {
    /// Reads a formula.
    ///
    /// # Errors
    /// The first thing that is wrong, with its column.
    pub fn parse(text: &str) -> Result<Program, FormulaError> {
        super::parse::program(text)
    }

    pub(super) fn of(ops: Vec<Op>, inputs: Vec<Input>, memories: usize) -> Program {
        Program { ops, inputs, memories: vec![EMPTY; memories], start: None }
    }

    /// What it needs from outside, in the order in which [`Program::run`] takes it.
    pub fn inputs(&self) -> &[Input] {
        &self.inputs
    }

    /// Forgets all rows.
    pub fn reset(&mut self) {
        self.memories.fill(EMPTY);
        self.start = None;
    }

    /// The next row does not follow from the last one: no difference, rate or area reaches across. Sums, least and most
    /// stay.
    pub fn break_off(&mut self) {
        self.memories.iter_mut().for_each(|memory| memory.last = f64::NAN);
    }

    /// The value in the row at `at`, for one value an input; a gap (NaN) where it has none. An infinity is a gap at once,
    /// in the inputs and in every part of the formula. A missing input counts as a gap.
    #[inline]
    pub fn run(&mut self, at: Stamp, inputs: &[f64]) -> f64 {
        let start = *self.start.get_or_insert(at);
        let mut stack = [f64::NAN; DEPTH];
        // `top` is one above the last value; the parser keeps it within the stack, the mask spares the check.
        let mut top = 0usize;
        for op in &self.ops {
            match *op {
                Op::Number(value) => {
                    stack[top & (DEPTH - 1)] = value;
                    top += 1;
                }
                Op::Input(index) => {
                    stack[top & (DEPTH - 1)] = or_gap(inputs.get(index as usize).copied().unwrap_or(f64::NAN));
                    top += 1;
                }
                Op::Time => {
                    stack[top & (DEPTH - 1)] = at.seconds_since(start);
                    top += 1;
                }
                Op::One(one) => {
                    let place = &mut stack[top.wrapping_sub(1) & (DEPTH - 1)];
                    *place = or_gap(one.of(*place));
                }
                Op::Two(two) => {
                    top = top.wrapping_sub(1);
                    let b = stack[top & (DEPTH - 1)];
                    let place = &mut stack[top.wrapping_sub(1) & (DEPTH - 1)];
                    *place = or_gap(two.of(*place, b));
                }
                Op::Many(many, count) => {
                    let first = top.saturating_sub(count as usize);
                    stack[first] = or_gap(many.of(&stack[first..top.min(DEPTH)]));
                    top = first + 1;
                }
                Op::Clamp | Op::If => {
                    let first = top.saturating_sub(3);
                    let [x, a, b] = [stack[first], stack[first + 1], stack[first + 2]];
                    stack[first] = if *op == Op::If { choose(x, a, b) } else { within(x, a, b) };
                    top = first + 1;
                }
                Op::Remember(what, slot) => {
                    let place = &mut stack[top.wrapping_sub(1) & (DEPTH - 1)];
                    if let Some(memory) = self.memories.get_mut(slot as usize) {
                        *place = memory.pass(what, at, *place);
                    }
                }
            }
        }
        if top == 1 { stack[0] } else { f64::NAN }
    }
}

impl Memory {
    /// The function's value for `x` in the row at `at`, always finite or NaN, as `x` must be. A gap leaves the memory as it
    /// was, and so does a sum that is too large for a number.
    fn pass(&mut self, what: Remembers, at: Stamp, x: f64) -> f64 {
        if x.is_nan() {
            return if what == Remembers::Hold { self.last } else { x };
        }
        let seconds = at.seconds_since(self.at);
        let value = match what {
            Remembers::Prev => self.last,
            Remembers::Hold => x,
            Remembers::Diff => x - self.last,
            // Rows of one instant have no rate.
            Remembers::Rate if seconds > 0.0 => (x - self.last) / seconds,
            Remembers::Rate => f64::NAN,
            Remembers::Integral => {
                let area = if self.last.is_nan() { 0.0 } else { (x / 2.0 + self.last / 2.0) * seconds };
                let sum = or_gap(if self.sum.is_nan() { area } else { self.sum + area });
                if !sum.is_nan() {
                    self.sum = sum;
                }
                sum
            }
            // The other operand where one is NaN, as before the first row.
            Remembers::RunningMin => {
                self.sum = self.sum.min(x);
                self.sum
            }
            Remembers::RunningMax => {
                self.sum = self.sum.max(x);
                self.sum
            }
        };
        (self.last, self.at) = (x, at);
        or_gap(value)
    }
}

fn truth(holds: bool) -> f64 {
    f64::from(u8::from(holds))
}

fn choose(test: f64, x: f64, y: f64) -> f64 {
    if test.is_nan() {
        f64::NAN
    } else if test != 0.0 {
        x
    } else {
        y
    }
}

fn within(x: f64, low: f64, high: f64) -> f64 {
    if low.is_nan() || high.is_nan() || x.is_nan() { f64::NAN } else { x.max(low).min(high.max(low)) }
}

impl One {
    #[inline]
    pub(super) fn of(self, x: f64) -> f64 {
        match self {
            One::Negate => -x,
            One::Not if x.is_nan() => x,
            One::Not => truth(x == 0.0),
            One::Square => x * x,
            One::Cube => x * x * x,
            One::Abs => x.abs(),
            One::Sign if x == 0.0 || x.is_nan() => x,
            One::Sign => x.signum(),
            One::Sqrt => x.sqrt(),
            One::Cbrt => x.cbrt(),
            One::Exp => x.exp(),
            One::Ln => x.ln(),
            One::Log10 => x.log10(),
            One::Log2 => x.log2(),
            One::Sin => x.sin(),
            One::Cos => x.cos(),
            One::Tan => x.tan(),
            One::Asin => x.asin(),
            One::Acos => x.acos(),
            One::Atan => x.atan(),
            One::Sinh => x.sinh(),
            One::Cosh => x.cosh(),
            One::Tanh => x.tanh(),
            One::Deg => x.to_degrees(),
            One::Rad => x.to_radians(),
            One::Floor => x.floor(),
            One::Ceil => x.ceil(),
            One::Round => x.round(),
            One::Trunc => x.trunc(),
        }
    }
}

impl Two {
    #[inline]
    pub(super) fn of(self, a: f64, b: f64) -> f64 {
        let test = |holds: bool| if a.is_nan() || b.is_nan() { f64::NAN } else { truth(holds) };
        match self {
            Two::Add => a + b,
            Two::Subtract => a - b,
            Two::Multiply => a * b,
            Two::Divide => a / b,
            Two::Mod => a - b * (a / b).floor(),
            // Anything to the 0 is 1, but nothing is known of a gap.
            Two::Pow if a.is_nan() || b.is_nan() => f64::NAN,
            Two::Pow => a.powf(b),
            Two::Less => test(a < b),
            Two::LessOrEqual => test(a <= b),
            Two::More => test(a > b),
            Two::MoreOrEqual => test(a >= b),
            Two::Equal => test(a == b),
            Two::NotEqual => test(a != b),
            Two::And => test(a != 0.0 && b != 0.0),
            Two::Or => test(a != 0.0 || b != 0.0),
            Two::Atan2 => a.atan2(b),
            Two::Angle => b.atan2(a).to_degrees(),
            Two::IfGap => {
                if a.is_nan() {
                    b
                } else {
                    a
                }
            }
        }
    }
}

impl Many {
    fn of(self, values: &[f64]) -> f64 {
        if values.iter().any(|value| value.is_nan()) {
            return f64::NAN;
        }
        match self {
            Many::Min => values.iter().copied().fold(f64::INFINITY, f64::min),
            Many::Max => values.iter().copied().fold(f64::NEG_INFINITY, f64::max),
            Many::Mean => values.iter().sum::<f64>() / values.len() as f64,
            Many::Length => values.iter().fold(0.0, |length: f64, value| length.hypot(*value)),
        }
    }
}
