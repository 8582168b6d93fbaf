//! What a formula can call: one table for the parser, the help and the README.

use super::run::{Many, One, Op, Remembers, Two};

/// A function, as a person reads it.
#[derive(Debug)]
pub struct Help {
    /// Its name.
    pub name: &'static str,
    /// How it is called.
    pub usage: &'static str,
    /// What it gives.
    pub gives: &'static str,
    pub(super) kind: Kind,
}

#[derive(Clone, Copy, Debug)]
pub(super) enum Kind {
    One(One),
    Two(Two),
    /// One argument or more.
    Many(Many),
    Three(Op),
    Remembers(Remembers),
    /// Takes a channel's name.
    Stage(super::Stage),
}

impl Kind {
    /// The least and most arguments.
    pub(super) fn arguments(self) -> (usize, usize) {
        match self {
            Kind::One(_) | Kind::Remembers(_) | Kind::Stage(_) => (1, 1),
            Kind::Two(_) => (2, 2),
            Kind::Three(_) => (3, 3),
            Kind::Many(_) => (1, 16),
        }
    }
}

macro_rules! functions {
    ($($name:literal, $usage:literal, $gives:literal, $kind:expr;)+) => {
        &[$(Help { name: $name, usage: $usage, gives: $gives, kind: $kind }),+]
    };
}

use Kind as K;

/// Every function.
pub const FUNCTIONS: &[Help] = functions! {
    "abs", "abs(x)", "x without its sign", K::One(One::Abs);
    "sign", "sign(x)", "-1, 0 or 1", K::One(One::Sign);
    "sqrt", "sqrt(x)", "square root", K::One(One::Sqrt);
    "cbrt", "cbrt(x)", "cube root", K::One(One::Cbrt);
    "exp", "exp(x)", "e to the x", K::One(One::Exp);
    "ln", "ln(x)", "natural logarithm", K::One(One::Ln);
    "log10", "log10(x)", "decimal logarithm", K::One(One::Log10);
    "log2", "log2(x)", "binary logarithm", K::One(One::Log2);
    "sin", "sin(x)", "of x in radians", K::One(One::Sin);
    "cos", "cos(x)", "of x in radians", K::One(One::Cos);
    "tan", "tan(x)", "of x in radians", K::One(One::Tan);
    "asin", "asin(x)", "in radians", K::One(One::Asin);
    "acos", "acos(x)", "in radians", K::One(One::Acos);
    "atan", "atan(x)", "in radians", K::One(One::Atan);
    "sinh", "sinh(x)", "hyperbolic sine", K::One(One::Sinh);
    "cosh", "cosh(x)", "hyperbolic cosine", K::One(One::Cosh);
    "tanh", "tanh(x)", "hyperbolic tangent", K::One(One::Tanh);
    "atan2", "atan2(y, x)", "the angle of (x, y) in radians", K::Two(Two::Atan2);
    "angle", "angle(x, y)", "the direction of (x, y) in degrees, -180 to 180", K::Two(Two::Angle);
    "deg", "deg(x)", "radians to degrees", K::One(One::Deg);
    "rad", "rad(x)", "degrees to radians", K::One(One::Rad);
    "floor", "floor(x)", "the whole number below", K::One(One::Floor);
    "ceil", "ceil(x)", "the whole number above", K::One(One::Ceil);
    "round", "round(x)", "the nearest whole number, halves away from 0", K::One(One::Round);
    "trunc", "trunc(x)", "x without its fraction", K::One(One::Trunc);
    "mod", "mod(x, y)", "what is left of x / y, with the sign of y, as x % y", K::Two(Two::Mod);
    "pow", "pow(x, y)", "x to the y, as x ^ y", K::Two(Two::Pow);
    "clamp", "clamp(x, low, high)", "x held between two limits", K::Three(Op::Clamp);
    "if", "if(test, x, y)", "x where the test holds (is not 0), else y", K::Three(Op::If);
    "ifgap", "ifgap(x, y)", "y where x is a gap", K::Two(Two::IfGap);
    "min", "min(x, y, ...)", "the minimum of several", K::Many(Many::Min);
    "max", "max(x, y, ...)", "the maximum of several", K::Many(Many::Max);
    "mean", "mean(x, y, ...)", "the mean of several", K::Many(Many::Mean);
    "length", "length(x, y, ...)", "the length of a vector", K::Many(Many::Length);
    "hypot", "hypot(x, y, ...)", "the same", K::Many(Many::Length);
    "prev", "prev(x)", "x in the last row before that has it", K::Remembers(Remembers::Prev);
    "hold", "hold(x)", "x; where it is a gap, its last value", K::Remembers(Remembers::Hold);
    "diff", "diff(x)", "x less prev(x)", K::Remembers(Remembers::Diff);
    "rate", "rate(x)", "the change of x a second", K::Remembers(Remembers::Rate);
    "integral", "integral(x)", "the running integral of x over seconds", K::Remembers(Remembers::Integral);
    "running_min", "running_min(x)", "the minimum of x so far", K::Remembers(Remembers::RunningMin);
    "running_max", "running_max(x)", "the maximum of x so far", K::Remembers(Remembers::RunningMax);
    "raw", "raw(channel)", "the raw value of the channel, before its scale", K::Stage(super::Stage::Raw);
    "smoothed", "smoothed(channel)", "the channel after its filters", K::Stage(super::Stage::Smoothed);
};

/// Names that stand for numbers, and what they are; `time` is the seconds since the first row.
pub const CONSTANTS: [(&str, f64); 3] =
    [("pi", std::f64::consts::PI), ("tau", std::f64::consts::TAU), ("e", std::f64::consts::E)];
