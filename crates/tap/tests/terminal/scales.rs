//! From counts to quantities in the real program: the depth programme calibrated by its levels, with one hand.

use crate::support::Terminal;
use amber_core::bench::Bench;
use std::fs;

#[test]
fn the_depth_programme_is_calibrated_by_walking_back_over_its_levels() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["watch", "flume-depth"], dir.path(), (160, 47));
    terminal.wait("● live");
    terminal.keys(&["3", "c"]);
    terminal.wait("calibrate A gauge_a");
    // Nobody presses a key while three depths are applied: 0, 50 and 100 mm.
    terminal.type_three_depths();
    let screen = terminal.wait("fit − true (residual)");
    assert!(
        screen.contains("largest error") && screen.contains("% of full scale") && screen.contains("gain 0.08"),
        "{screen}"
    );
    terminal.keys(&["a"]);
    terminal.wait("gauge_a is calibrated: gain 0.08");
    terminal.wait("→ 1"); // the cell of stage 3: counts to about a hundred
    terminal.wait("as set now it reads ");
    terminal.keys(&["u"]);
    terminal.wait("undone: scale of gauge_a");
    terminal.keys(&["U"]);
    terminal.wait("redone: scale of gauge_a");
    terminal.keys(&["s"]);
    terminal.wait("bench file");
    terminal.keys(&["Enter"]);
    terminal.wait("bench saved to flume-depth.bench.toml");
    let text = fs::read_to_string(dir.path().join("flume-depth.bench.toml")).unwrap();
    let bench = Bench::parse(&text).unwrap();
    let scale = &bench.first().channel("gauge_a").unwrap().scale;
    let kept = scale.calibration().expect("kept in the bench");
    assert_eq!((kept.points.len(), kept.residuals.len(), kept.unit.as_str()), (3, 3, "mm"));
    for depth in [0.0, 200.0] {
        let raw = (0.5 + depth / 100.0) / 3.3 * 4096.0;
        let read = *scale.walk(raw, f64::NAN).last().unwrap();
        assert!((read - depth).abs() < 1.0, "{read} for {depth}, by points up to 100 mm only");
    }
    terminal.keys(&["q"]);
    terminal.wait("[ended with 0]");
}

#[test]
fn a_formula_is_typed_wrong_and_right_and_an_unsettled_zero_is_refused() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["demo"], dir.path(), (160, 47));
    terminal.wait("● live");
    terminal.keys(&["3", "F", "slope = gauge_a -", "Enter"]);
    terminal.wait("column 18: the formula ends where a value is expected");
    terminal.keys(&[" gauge_b", "Enter"]);
    terminal.wait("= gauge_a - gauge_b");
    terminal.keys(&["X"]);
    terminal.wait("slope is deleted; u undoes it");
    terminal.keys(&["Tab", "d"]);
    terminal.wait("check-up of the channels");
    terminal.keys(&["Escape", "r"]);
    terminal.wait("survey of");
    terminal.keys(&["Escape", "a"]);
    terminal.wait("add step");
    terminal.keys(&["Escape", "?"]);
    terminal.wait("how do I");
    // All was undone or deleted: nothing would be lost.
    terminal.keys(&["Escape", "q"]);
    terminal.wait("[ended with 0]");
}
