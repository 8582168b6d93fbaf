//! A formula worked out, without a screen.

use amber_core::Stamp;
use amber_core::digits::{cleaned, typed};
use amber_core::formula::Program;
use anyhow::bail;

/// Prints the value of `formula` for `values`, each NAME=VALUE; `gap` where it has none.
pub(super) fn run(formula: &str, values: &[String]) -> anyhow::Result<u8> {
    let mut given: Vec<(&str, f64)> = Vec::new();
    for value in values {
        let Some((name, number)) = value.split_once('=') else {
            bail!("'{value}': give values as NAME=VALUE, as in x=2.5");
        };
        let number = match number.trim() {
            "gap" => f64::NAN,
            number => typed(number).map_err(anyhow::Error::msg)?,
        };
        let name = name.trim();
        if given.iter().any(|(other, _)| *other == name) {
            bail!("{name} has two values: give it once");
        }
        given.push((name, number));
    }
    let told = |column: usize, message: &str| {
        let blank = " ".repeat(column.saturating_sub(1));
        let shown = amber_core::tail::visible(formula.as_bytes());
        anyhow::anyhow!("column {column}: {message}\n  {shown}\n  {blank}^")
    };
    let mut program = Program::parse(formula).map_err(|error| told(error.column, &error.message))?;
    let mut inputs = Vec::new();
    for input in program.inputs() {
        match given.iter().find(|(name, _)| *name == input.name) {
            Some((_, value)) => inputs.push(*value),
            None => {
                return Err(told(
                    input.column,
                    &format!("no value for {0}: add {0}=VALUE behind the formula", input.name),
                ));
            }
        }
    }
    if let Some((name, _)) = given.iter().find(|(name, _)| program.inputs().iter().all(|input| input.name != *name)) {
        bail!("{name} is not in the formula");
    }
    let value = program.run(Stamp(0), &inputs);
    let text = if value.is_nan() { "gap".to_owned() } else { cleaned(value).to_string() };
    crate::print::line(text, "the value").map(|()| 0)
}
