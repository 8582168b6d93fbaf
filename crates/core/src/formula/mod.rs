//! Formulas over channels: text to a small program, run once a row.
//!
//! Arithmetic is that of double precision; a gap (NaN) among the values a result depends on makes it a gap. What is not
//! finite is a gap at once, wherever in a formula it comes up. Functions that remember (`prev`, `rate`, `integral` …) see
//! every row, whichever branch of a condition they stand in; a gap passes them by and leaves their memory as it was. Only
//! `hold` has a value in a gap: the last one since the rows began or broke off.

mod functions;
mod lex;
mod parse;
mod run;
mod step;

pub use functions::{CONSTANTS, FUNCTIONS, Help};
pub use run::Program;
pub use step::{FormulaStep, SEEN, SeenRows};

use serde::{Deserialize, Serialize};

/// The most characters of a formula.
pub const MAX_LENGTH: usize = 1000;

/// What is wrong with a formula, and where.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("column {column}: {message}")]
pub struct FormulaError {
    /// From 1, in characters.
    pub column: usize,
    /// What was found and what to do.
    pub message: String,
}

/// Which of a channel's values a formula takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Stage {
    /// As it came: `raw(x)`.
    Raw,
    /// Scaled: `x`.
    Quantity,
    /// Smoothed: `smoothed(x)`.
    Smoothed,
}

/// A value that a formula needs from outside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Input {
    /// The channel's name, as the board or the bench says it.
    pub name: String,
    /// Which of its values.
    pub stage: Stage,
    /// Where it stands first, from 1.
    pub column: usize,
}

/// A formula's text, which is sound.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Formula(String);

impl Formula {
    /// Takes a text.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn new(text: &str) -> Result<Formula, FormulaError> {
        Program::parse(text)?;
        Ok(Formula(text.trim().to_owned()))
    }

    /// The text.
    pub fn text(&self) -> &str {
        &self.0
    }

    /// The program for it.
    pub fn program(&self) -> Program {
        // It was parsed before; an empty program gives gaps.
        Program::parse(&self.0).unwrap_or_default()
    }
}

impl TryFrom<String> for Formula {
    type Error = FormulaError;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        Formula::new(&text)
    }
}

impl From<Formula> for String {
    fn from(formula: Formula) -> String {
        formula.0
    }
}
