//! Recorded rows smoothed forward and backward.

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings};
use amber_core::chain::Chain;
use amber_core::clock::Opening;
use amber_core::formula::Formula;
use amber_core::smooth::{Butterworth, DeadBand, Filter, Mean, Smoother, Strength};
use amber_core::store::Limits;

fn at(row: usize) -> Stamp {
    Stamp::default().plus(row as f64 * 0.01)
}

fn chain(smooth: Vec<Filter>) -> Chain {
    let x = ChannelSettings { smooth, zero_phase: true, ..ChannelSettings::named("x") };
    let formula = Some(Formula::new("smoothed(x) * 2").unwrap());
    let twice = ChannelSettings { formula, ..ChannelSettings::named("twice") };
    let source = SourceSettings { channel: vec![x, twice], ..SourceSettings::default() };
    Chain::new(&Bench::of(source), 0, Limits::NONE)
}

fn fed(chain: &mut Chain) {
    for row in 0..6000 {
        if row == 2500 {
            chain.break_off();
        }
        let value = if row % 100 == 33 { "nan".into() } else { format!("{:.3}", value(row)) };
        chain.feed(at(row), format!("x={value} y=1\n").as_bytes());
    }
}

fn value(row: usize) -> f64 {
    100.0 + 20.0 * (row as f64 * 0.05).sin() + if row >= 4000 { 30.0 } else { 0.0 }
}

/// By definition, over a stretch: forward, then backward over what came out.
fn plain(filter: &Filter, rows: &[(Stamp, f64)]) -> Vec<f64> {
    let mut once = Smoother::new(std::slice::from_ref(filter));
    let forward: Vec<f64> = rows.iter().map(|(at, value)| once.push(*at, *value)).collect();
    let mut again = Smoother::new(std::slice::from_ref(filter));
    let mut back: Vec<f64> =
        rows.iter().zip(&forward).rev().map(|((at, _), value)| again.push(Stamp(-at.0), *value)).collect();
    back.reverse();
    back
}

#[test]
fn recorded_rows_are_not_late_and_formulas_see_them_so() {
    for filter in [Filter::from(Butterworth::default()), Mean { window: Strength::Rows(15) }.into()] {
        let mut chain = chain(vec![filter.clone()]);
        fed(&mut chain);
        let index = |chain: &Chain, name: &str| chain.channels().iter().position(|c| c.name() == name).unwrap();
        let (x, twice) = (index(&chain, "x"), index(&chain, "twice"));
        let smoothed = |chain: &Chain, row: u64| chain.channels()[x].smoothed().unwrap().get(row).unwrap();
        let late = smoothed(&chain, 1000);
        chain.is_whole();
        assert!(chain.is_recorded() && smoothed(&chain, 1000) != late);
        let store = chain.store();
        let mut rows: Vec<(u64, Stamp, f64)> = Vec::new();
        let mut stretches = vec![Vec::new()];
        for row in store.rows() {
            if store.breaks_before(row) && row > 0 {
                stretches.push(std::mem::take(&mut rows));
            }
            let raw = store.raw(x, row).unwrap();
            if !raw.is_nan() {
                rows.push((row, store.time(row).unwrap(), raw));
            }
        }
        stretches.push(rows);
        assert_eq!(stretches.iter().filter(|stretch| !stretch.is_empty()).count(), 2);
        for stretch in stretches {
            let wanted = plain(&filter, &stretch.iter().map(|(_, at, raw)| (*at, *raw)).collect::<Vec<_>>());
            for ((row, ..), wanted) in stretch.iter().zip(wanted) {
                let got = smoothed(&chain, *row);
                assert!((got - wanted).abs() < 1e-5 * wanted.abs(), "{filter:?} row {row}: {got}, not {wanted}");
                let doubled = chain.reading(twice, *row).unwrap().quantity;
                assert!((doubled - 2.0 * got).abs() < 1e-4, "row {row}: {doubled} of {got}");
            }
        }
        // More rows come after all: forward again, as if it had never been otherwise.
        chain.begin();
        assert_eq!(smoothed(&chain, 1000), late);
    }
}

#[test]
fn what_depends_on_what_was_given_goes_forward_only_and_texts_are_recorded_by_themselves() {
    let mut band = chain(vec![DeadBand { band: 5.0 }.into()]);
    fed(&mut band);
    let series = |chain: &Chain| -> Vec<f64> {
        chain.store().rows().map(|row| chain.channels()[0].smoothed().unwrap().get(row).unwrap()).collect()
    };
    let before = series(&band);
    band.is_whole();
    let after = series(&band);
    assert!(before.iter().zip(&after).all(|(a, b)| a == b || (a.is_nan() && b.is_nan())));
    let mut text = chain(vec![Mean { window: Strength::Rows(5) }.into()]);
    text.open(Opening::Text { at: Stamp(0), arrives: false }, None);
    (0..50).for_each(|row| text.feed(Stamp(0), format!("x={row} y=1\n").as_bytes()));
    text.end();
    let mean = text.channels()[0].smoothed().unwrap().get(25).unwrap();
    assert!((mean - 25.0).abs() < 1e-6, "a ramp is not late: {mean}");
}
