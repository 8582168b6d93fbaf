//! A whole working day in one walk: choose, scale, calibrate, smooth, threshold, take, look back, compare, report.

use crate::support::Terminal;
use std::fs;

#[test]
fn a_working_day_from_the_list_of_sources_to_the_report() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &[], dir.path(), (160, 47));
    // Choose.
    terminal.wait("simulated boards");
    terminal.keys(&["p"]);
    terminal.keys(&["flume-depth", "Enter"]);
    terminal.wait("● live");
    terminal.keys(&["Escape"]);
    // Scale and calibrate: three depths have been applied while nobody looked.
    terminal.keys(&["3", "c"]);
    terminal.wait("calibrate A gauge_a");
    terminal.type_three_depths();
    terminal.wait("largest error");
    terminal.keys(&["a"]);
    terminal.wait("gauge_a is calibrated: gain 0.08");
    terminal.keys(&["f"]);
    terminal.wait("figure written: ./figure-0001.svg");
    let drawn = fs::read_to_string(dir.path().join("figure-0001.svg")).unwrap();
    assert!(drawn.contains("calibration of gauge_a") && drawn.contains("true value in mm"), "the calibration is drawn");
    terminal.keys(&["Escape"]);
    terminal.wait_until("the scale's panel alone", |screen| !screen.contains("calibrate A gauge_a"));
    terminal.keys(&["Escape"]);
    terminal.wait_until("no panel", |screen| !screen.contains("┏"));
    // Smooth, and set a threshold.
    terminal.keys(&["4", "a"]);
    terminal.wait("add filter");
    terminal.keys(&["mean", "Enter"]);
    terminal.wait("1 mean");
    terminal.keys(&["4"]);
    terminal.wait_until("no panel", |screen| !screen.contains("┏"));
    terminal.keys(&["5", "Right"]);
    terminal.wait("crossings");
    terminal.keys(&["5"]);
    terminal.wait_until("no panel", |screen| !screen.contains("┏"));
    // Two takes of so many rows, with what is in memory in the second, and a station in each.
    terminal.keys(&["6"]);
    terminal.wait("every row; until it is ended");
    terminal.keys(&["/", "keep: take ends", "Enter", "Enter", "C-u", "400 rows", "Enter"]);
    terminal.wait("for 400 rows");
    terminal.keys(&["6"]);
    terminal.wait_until("no panel", |screen| !screen.contains("┏"));
    terminal.keys(&["t"]);
    terminal.wait("● take-0001");
    terminal.keys(&["N"]);
    terminal.wait("station 1: gauge_a");
    terminal.wait("take-0001 ended: 400 rows");
    terminal.keys(&["/", "keep: from before", "Enter", "Enter", "C-u", "2 s", "Enter"]);
    terminal.wait("with 2 s from before");
    terminal.keys(&["6"]);
    terminal.keys(&["t"]);
    terminal.wait("take-0002 ended: 400 rows");
    for name in ["take-0001", "take-0002"] {
        let take = amber_io::take::open(&dir.path().join(name)).unwrap();
        assert_eq!(take.told, Vec::<String>::new());
        assert_eq!(take.decode().unwrap(), fs::read(dir.path().join(name).join("readings.csv")).unwrap());
        assert!(take.bench.first().channel("gauge_a").unwrap().scale.calibration().is_some());
    }
    let stations = fs::read_to_string(dir.path().join("take-0001/stations.csv")).unwrap();
    assert!(stations.contains("1,,") && stations.contains(",gauge_a,mm,100,"), "{stations}");
    // Look back: the list of takes, a note, the older one opened.
    terminal.keys(&["v", "k"]);
    terminal.wait("2 takes in this folder");
    terminal.keys(&["e", "with the paddle out", "Enter"]);
    terminal.wait("with the paddle out");
    terminal.keys(&["a", "Down", "Enter"]);
    terminal.wait("open it without saving");
    terminal.keys(&["o"]);
    terminal.wait("▤ take");
    terminal.wait("400 rows over");
    terminal.keys(&["c"]);
    terminal.wait("cursors");
    terminal.keys(&["Escape", "P"]);
    terminal.wait_until("its end", |screen| screen.contains("playing at") || screen.contains("played to the end"));
    terminal.keys(&["P"]);
    // Compare: what was added is a matter of the session before, so it is added again.
    terminal.keys(&["v", "k"]);
    terminal.wait("2 takes in");
    terminal.keys(&["Home", "a", "c"]);
    terminal.wait("comparison of gauge_a");
    terminal.wait("difference from run 1");
    terminal.keys(&["w"]);
    terminal.wait("comparison-0001.csv");
    // Report.
    terminal.keys(&["6", "R"]);
    terminal.wait("report written: ");
    let report = fs::read_to_string(dir.path().join("report-0001.md")).unwrap();
    for part in ["## Calibration", "smoothed by mean", "## Stations", "comparison of gauge\\_a", "take-0001"] {
        assert!(report.contains(part), "no {part} in {report}");
    }
    assert!(fs::read(dir.path().join("report-0001.pdf")).unwrap().starts_with(b"%PDF"));
    assert!(!report.contains(&dir.path().display().to_string()), "no path");
    terminal.keys(&["Escape", "Escape", "q"]);
    terminal.wait("[ended with 0]");
}
