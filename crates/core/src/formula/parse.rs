//! Words to instructions, by precedence climbing. What is known beforehand is worked out here.
//!
//! From loosest to tightest: `? :`, `or`, `and`, `not`, one comparison, `+ -`, `* / %`, the sign, `^` (which takes the
//! right one first, so that `2^3^2` is `2^9`, and binds tighter than a sign before it: `-x^2` is `-(x^2)`).

use super::functions::{CONSTANTS, FUNCTIONS, Help, Kind};
use super::lex::{Word, error, words};
use super::run::{DEPTH, Many, One, Op, Program, Two};
use super::{FormulaError, Input, Stage};
use crate::or_gap;

/// How deep brackets and operators may nest.
const NESTING: usize = 40;

type Parsed = Result<(), FormulaError>;

struct Parser {
    words: Vec<(Word, usize)>,
    at: usize,
    nested: usize,
    ops: Vec<Op>,
    inputs: Vec<Input>,
    memories: usize,
}

pub(super) fn program(text: &str) -> Result<Program, FormulaError> {
    let words = words(text)?;
    if words.len() == 1 {
        return error(1, "a formula is needed, such as (a + b) / 2");
    }
    let mut parser = Parser { words, at: 0, nested: 0, ops: Vec::new(), inputs: Vec::new(), memories: 0 };
    parser.whole()?;
    parser.expect_end()?;
    if deepest(&parser.ops) > DEPTH {
        return error(1, "this formula is too deep: take a part of it into a channel of its own");
    }
    Ok(Program::of(parser.ops, parser.inputs, parser.memories))
}

/// The most values that are on the stack at once.
fn deepest(ops: &[Op]) -> usize {
    let (mut height, mut most) = (0usize, 0);
    for op in ops {
        height = match op {
            Op::Number(_) | Op::Input(_) | Op::Time => height + 1,
            Op::One(_) | Op::Remember(..) => height,
            Op::Two(_) => height.saturating_sub(1),
            Op::Many(_, count) => (height + 1).saturating_sub(*count as usize),
            Op::Clamp | Op::If => height.saturating_sub(2),
        };
        most = most.max(height);
    }
    most
}

/// Comparisons, by their signs.
const COMPARISONS: [(&str, Two); 6] = [
    ("<=", Two::LessOrEqual),
    (">=", Two::MoreOrEqual),
    ("==", Two::Equal),
    ("!=", Two::NotEqual),
    ("<", Two::Less),
    (">", Two::More),
];

impl Parser {
    fn column(&self) -> usize {
        self.words[self.at].1
    }

    fn next_sign(&self) -> Option<&'static str> {
        if let Word::Sign(sign) = &self.words[self.at].0 { Some(sign) } else { None }
    }

    /// Takes a sign, or a word in its place, if it comes next.
    fn take(&mut self, sign: &str, word: &str) -> bool {
        let here = match &self.words[self.at].0 {
            Word::Sign(other) => *other == sign,
            Word::Name(name, false) => !word.is_empty() && name == word,
            _ => false,
        };
        self.at += usize::from(here);
        here
    }

    /// What stands next, as a person reads it.
    fn found(&self) -> String {
        match &self.words[self.at].0 {
            Word::Number(number) => format!("found {number}"),
            Word::Name(name, _) => format!("found '{}'", crate::tail::visible(name.as_bytes())),
            Word::Sign(sign) => format!("found '{sign}'"),
            Word::End => "the formula ends".into(),
        }
    }

    fn expect_end(&self) -> Parsed {
        match &self.words[self.at].0 {
            Word::End => Ok(()),
            Word::Sign(")") => error(self.column(), "this bracket was never opened"),
            Word::Sign(",") => error(self.column(), "a comma separates the values of a function; write 0.5, not 0,5"),
            Word::Sign("(") | Word::Name(..) | Word::Number(_) => {
                error(self.column(), format!("{}, but an operator such as * is missing before it", self.found()))
            }
            Word::Sign(sign) => error(self.column(), format!("'{sign}' is not expected here")),
        }
    }

    fn expect(&mut self, sign: &str, why: &str) -> Parsed {
        if self.take(sign, "") {
            return Ok(());
        }
        error(self.column(), format!("'{sign}' is missing {why}; {}", self.found()))
    }

    fn whole(&mut self) -> Parsed {
        self.nested += 1;
        if self.nested > NESTING {
            return error(self.column(), "too many brackets within brackets");
        }
        self.or()?;
        if self.take("?", "") {
            self.whole()?;
            self.expect(":", "behind ? and its value")?;
            self.whole()?;
            self.push(Op::If);
        }
        self.nested -= 1;
        Ok(())
    }

    fn or(&mut self) -> Parsed {
        self.and()?;
        while self.take("||", "or") {
            self.and()?;
            self.push(Op::Two(Two::Or));
        }
        Ok(())
    }

    fn and(&mut self) -> Parsed {
        self.not()?;
        while self.take("&&", "and") {
            self.not()?;
            self.push(Op::Two(Two::And));
        }
        Ok(())
    }

    fn not(&mut self) -> Parsed {
        let mut turned = 0;
        while self.take("!", "not") {
            turned += 1;
        }
        self.comparison()?;
        (0..turned).for_each(|_| self.push(Op::One(One::Not)));
        Ok(())
    }

    fn comparison(&mut self) -> Parsed {
        self.sum()?;
        let sign = |parser: &Parser| {
            let next = parser.next_sign()?;
            COMPARISONS.iter().find(|(sign, _)| *sign == next).map(|(_, two)| *two)
        };
        if let Some(two) = sign(self) {
            self.at += 1;
            self.sum()?;
            self.push(Op::Two(two));
            if sign(self).is_some() {
                return error(self.column(), "compare one at a time: 1 < x and x < 5");
            }
        }
        Ok(())
    }

    fn sum(&mut self) -> Parsed {
        self.product()?;
        loop {
            let two = match self.next_sign() {
                Some("+") => Two::Add,
                Some("-") => Two::Subtract,
                _ => return Ok(()),
            };
            self.at += 1;
            self.product()?;
            self.push(Op::Two(two));
        }
    }

    fn product(&mut self) -> Parsed {
        self.signed()?;
        loop {
            let two = match self.next_sign() {
                Some("*") => Two::Multiply,
                Some("/") => Two::Divide,
                Some("%") => Two::Mod,
                _ => return Ok(()),
            };
            self.at += 1;
            self.signed()?;
            self.push(Op::Two(two));
        }
    }

    fn signed(&mut self) -> Parsed {
        let mut turned = false;
        loop {
            if self.take("-", "") {
                turned = !turned;
            } else if !self.take("+", "") {
                break;
            }
        }
        self.power()?;
        if turned {
            self.push(Op::One(One::Negate));
        }
        Ok(())
    }

    fn power(&mut self) -> Parsed {
        self.value()?;
        if self.take("^", "") {
            self.nested += 1;
            if self.nested > NESTING {
                return error(self.column(), "too many powers of powers");
            }
            self.signed()?;
            self.nested -= 1;
            self.push(Op::Two(Two::Pow));
        }
        Ok(())
    }

    fn value(&mut self) -> Parsed {
        let (word, column) = self.words[self.at].clone();
        match word {
            Word::Number(number) => {
                self.at += 1;
                self.push(Op::Number(number));
                Ok(())
            }
            Word::Sign("(") => {
                self.at += 1;
                self.whole()?;
                self.expect(")", "to close the bracket")
            }
            Word::Name(name, quoted) => {
                self.at += 1;
                if !quoted && self.next_sign() == Some("(") {
                    return self.call(&name, column);
                }
                self.name(name, quoted, column)
            }
            Word::End => error(column, "the formula ends where a value is expected"),
            Word::Sign(sign) => error(column, format!("'{sign}' is where a value is expected")),
        }
    }

    fn name(&mut self, name: String, quoted: bool, column: usize) -> Parsed {
        let constant = CONSTANTS.iter().find(|(constant, _)| !quoted && *constant == name);
        if let Some((_, value)) = constant {
            self.push(Op::Number(*value));
        } else if !quoted && name == "time" {
            self.push(Op::Time);
        } else if !quoted && matches!(name.as_str(), "and" | "or" | "not") {
            return error(column, format!("'{name}' is where a value is expected"));
        } else {
            self.input(name, Stage::Quantity, column);
        }
        Ok(())
    }

    fn input(&mut self, name: String, stage: Stage, column: usize) {
        let known = self.inputs.iter().position(|input| input.name == name && input.stage == stage);
        let index = known.unwrap_or(self.inputs.len());
        if known.is_none() {
            self.inputs.push(Input { name, stage, column });
        }
        self.push(Op::Input(index as u32));
    }

    fn call(&mut self, name: &str, column: usize) -> Parsed {
        let Some(help) = FUNCTIONS.iter().find(|help| help.name == name) else {
            let more = match name {
                "log" => ": ln is the natural logarithm, log10 the decimal one",
                "avg" | "average" => ": it is mean here",
                "pi" | "tau" | "e" | "time" => ": it is not a function, write it without brackets",
                _ => ": ? lists the functions",
            };
            return error(column, format!("there is no function {name}{more}"));
        };
        self.at += 1;
        if let Kind::Stage(stage) = help.kind {
            return self.stage(stage, help);
        }
        let mut count = 0;
        if !self.take(")", "") {
            loop {
                self.whole()?;
                count += 1;
                if !self.take(",", "") {
                    break;
                }
            }
            self.expect(")", &format!("to close {name}("))?;
        }
        let (least, most) = help.kind.arguments();
        if !(least..=most).contains(&count) {
            let wants = if least == most { least.to_string() } else { format!("{least} to {most}") };
            return error(column, format!("{} takes {wants}, found {count}", help.usage));
        }
        match help.kind {
            Kind::One(one) => self.push(Op::One(one)),
            Kind::Two(two) => self.push(Op::Two(two)),
            Kind::Many(many) => self.push(Op::Many(many, count as u32)),
            Kind::Three(op) => self.push(op),
            Kind::Remembers(what) => {
                self.ops.push(Op::Remember(what, self.memories as u32));
                self.memories += 1;
            }
            Kind::Stage(_) => {}
        }
        Ok(())
    }

    fn stage(&mut self, stage: Stage, help: &Help) -> Parsed {
        let (word, column) = self.words[self.at].clone();
        let Word::Name(name, _) = word else {
            return error(column, format!("{} takes the name of a channel; {}", help.usage, self.found()));
        };
        self.at += 1;
        self.input(name, stage, column);
        self.expect(")", &format!("behind the channel: {} takes a name alone", help.usage))
    }

    /// Adds an instruction; one on numbers alone is worked out now, and powers that are products become such.
    fn push(&mut self, op: Op) {
        use Op::Number;
        let (op, drop) = match (self.ops.as_slice(), op) {
            ([.., Number(x)], Op::One(one)) => (Number(or_gap(one.of(*x))), 1),
            ([.., Number(a), Number(b)], Op::Two(two)) => (Number(or_gap(two.of(*a, *b))), 2),
            ([.., Number(power)], Op::Two(Two::Pow)) if *power == 2.0 => (Op::One(One::Square), 1),
            ([.., Number(power)], Op::Two(Two::Pow)) if *power == 3.0 => (Op::One(One::Cube), 1),
            ([.., Number(power)], Op::Two(Two::Pow)) if *power == 0.5 => (Op::One(One::Sqrt), 1),
            (_, Op::Many(Many::Mean | Many::Min | Many::Max, 1)) => return,
            (_, op) => (op, 0),
        };
        self.ops.truncate(self.ops.len() - drop);
        self.ops.push(op);
    }
}
