//! Formulas and scales against values that were worked out apart from the program (`scripts/references.py`).

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::formula::Program;

fn number(text: &str) -> f64 {
    if matches!(text, "gap") { f64::NAN } else { text.parse().unwrap() }
}

fn close(got: f64, expected: f64, relative: f64) -> bool {
    (got.is_nan() && expected.is_nan()) || (got - expected).abs() <= relative * expected.abs().max(1e-6)
}

#[test]
fn formulas_say_what_was_worked_out_apart() {
    let mut wrong = Vec::new();
    let mut rows = 0;
    for line in include_str!("references/formulas.tsv").lines() {
        let mut cells = line.split('\t');
        let text = cells.next().unwrap();
        let mut program = Program::parse(text).unwrap_or_else(|error| panic!("{text}: {error}"));
        for cell in cells {
            let all: Vec<f64> = cell.split(' ').map(number).collect();
            let [at, a, b, c, expected] = all[..] else { panic!("{cell}") };
            let names = program.inputs().iter().map(|input| match input.name.as_str() {
                "a" => a,
                "b" => b,
                _ => c,
            });
            let inputs: Vec<f64> = names.collect();
            let got = program.run(Stamp(0).plus(at), &inputs);
            rows += 1;
            if !close(got, expected, 1e-8) {
                wrong.push(format!("{text} at {at}, a {a} b {b} c {c}: {got}, not {expected}"));
            }
        }
    }
    assert!(
        rows >= 2500 && wrong.is_empty(),
        "{} of {rows} wrong:\n{}",
        wrong.len(),
        wrong[..wrong.len().min(20)].join("\n")
    );
}

#[test]
fn scales_say_what_was_worked_out_apart_both_ways() {
    let mut wrong = Vec::new();
    let mut lines = 0;
    for line in include_str!("references/scales.tsv").lines() {
        let cells: Vec<&str> = line.split('\t').collect();
        let [steps, raw, expected] = cells[..] else { panic!("{line}") };
        let text = format!("format = 2\n[[source]]\n[[source.channel]]\nname = 'x'\nscale = {{ steps = {steps} }}\n");
        let bench = Bench::parse(&text).unwrap_or_else(|error| panic!("{steps}: {error}"));
        let scale = &bench.first().channel("x").unwrap().scale;
        let (raw, expected) = (number(raw), number(expected));
        let got = scale.scaler().quantity(raw, f64::NAN);
        lines += 1;
        if !close(got, expected, 1e-9) {
            wrong.push(format!("{steps} of {raw}: {got}, not {expected}"));
        }
        // And back: where there is a way, it leads to the same quantity.
        if let Some(back) = scale.raw_of(got, f64::NAN, None).filter(|_| got.is_finite()) {
            let again = scale.without_rounding().quantity(back, f64::NAN);
            if !close(again, got, 1e-5) && (again - got).abs() > 1e-4 * scale.resolution(1.0) {
                wrong.push(format!("{steps} of {raw}: {got} leads back to {back}, which gives {again}"));
            }
        }
    }
    assert!(
        lines >= 500 && wrong.is_empty(),
        "{} of {lines} wrong:\n{}",
        wrong.len(),
        wrong[..wrong.len().min(20)].join("\n")
    );
}
