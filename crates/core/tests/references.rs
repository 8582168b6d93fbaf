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

#[test]
fn filters_give_what_was_worked_out_apart() {
    use amber_core::smooth::Smoother;
    use std::collections::HashMap;

    let mut inputs: HashMap<&str, Vec<(Stamp, f64)>> = HashMap::new();
    let (mut wrong, mut values) = (Vec::new(), 0);
    for line in include_str!("references/filters.tsv").lines() {
        let [filter, input, cells] = line.split('\t').collect::<Vec<_>>()[..] else { panic!("{line}") };
        let pairs = cells.split(' ').map(|cell| cell.split_once(':').unwrap());
        if filter == "input" {
            let row = |(time, value): (&str, &str)| (Stamp::default().plus(time.parse().unwrap()), number(value));
            inputs.insert(input, pairs.map(row).collect());
            continue;
        }
        let text = format!("format = 3\n[[source]]\n[[source.channel]]\nname = 'x'\nsmooth = [{filter}]\n");
        let bench = Bench::parse(&text).unwrap_or_else(|error| panic!("{filter}: {error}"));
        let mut smoother = Smoother::new(&bench.first().channel("x").unwrap().smooth);
        let rows = &inputs[input];
        let largest = rows.iter().map(|(_, value)| value.abs()).fold(0.0, f64::max);
        // In parts, as rows come.
        let mut got: Vec<f64> = rows.iter().map(|(_, value)| *value).collect();
        let times: Vec<Stamp> = rows.iter().map(|(at, _)| *at).collect();
        let cut = rows.len() / 3;
        smoother.push_all(&times[..cut], &mut got[..cut]);
        smoother.push_all(&times[cut..], &mut got[cut..]);
        for (row, expected) in pairs {
            let (row, expected) = (row.parse::<usize>().unwrap(), number(expected));
            values += 1;
            let near = (got[row] - expected).abs() <= 1e-9 * expected.abs().max(1e-3 * largest);
            let both_gaps = got[row].is_nan() && expected.is_nan();
            if !(near || both_gaps) {
                wrong.push(format!("{filter} of {input}, row {row}: {}, not {expected}", got[row]));
            }
        }
    }
    let some = wrong[..wrong.len().min(40)].join("\n");
    assert!(values >= 8000 && wrong.is_empty(), "{} of {values} wrong:\n{some}", wrong.len());
}

#[test]
fn spectra_and_statistics_say_what_was_worked_out_apart() {
    use amber_core::block::Statistics;
    use amber_core::spectrum::{Maker, Recipe, Window, peaks};
    use std::collections::HashMap;

    let (mut inputs, mut maker): (HashMap<&str, Vec<f64>>, _) = (HashMap::new(), Maker::default());
    let near = |what: &str, got: f64, expected: f64, relative: f64| {
        assert!((got - expected).abs() <= relative * expected.abs().max(1e-3), "{what}: {got}, not {expected}");
    };
    let rate = 50.0;
    for line in include_str!("references/spectra.tsv").lines() {
        let [what, of, cells] = line.split('\t').collect::<Vec<_>>()[..] else { panic!("{line}") };
        let numbers: Vec<f64> = cells.split(' ').filter_map(|cell| cell.parse().ok()).collect();
        match what {
            "input" => drop(inputs.insert(of, numbers)),
            "spectrum" => {
                let (name, length) = of.rsplit_once(' ').unwrap();
                let window = Window::ALL.into_iter().find(|window| window.name() == name).unwrap();
                let recipe = Recipe { window, length: length.parse().unwrap() };
                let spectrum = maker.spectrum(&inputs["x"], rate, recipe).unwrap();
                let pairs = cells.split(' ').filter_map(|cell| cell.split_once(':'));
                for (place, (bin, expected)) in pairs.enumerate() {
                    let amplitude = spectrum.amplitudes[bin.parse::<usize>().unwrap()];
                    // The first is a density.
                    let got = if place == 0 { amplitude * spectrum.to_density() } else { amplitude };
                    near(of, got, number(expected), 1e-9);
                }
                let peak = peaks::find(&spectrum).found[0];
                near(of, peak.hertz, numbers[0], 1e-6);
                near(of, peak.amplitude, numbers[1], 1e-6);
            }
            "follows" => {
                let follows = maker.follows(&inputs["x"], &inputs["y"], rate).unwrap();
                near(of, follows.seconds, numbers[0], 1e-6);
                near(of, follows.correlation, numbers[1], 1e-9);
            }
            _ => {
                let times: Vec<Stamp> = (0..inputs[of].len()).map(|i| Stamp::default().plus(i as f64 / rate)).collect();
                let told = Statistics::of(&times, &inputs[of]).unwrap();
                let all = [
                    told.mean,
                    told.median,
                    told.deviation,
                    told.rms,
                    told.min,
                    told.max,
                    told.peak_to_peak(),
                    told.slope,
                ];
                all.iter().zip(&numbers).for_each(|(got, expected)| near(of, *got, *expected, 1e-9));
            }
        }
    }
}
