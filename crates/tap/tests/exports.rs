//! What the commands write of takes and files: tables in all forms, figures, reports, comparisons, lists.

#![allow(missing_docs)]

use assert_cmd::Command;
use std::fs;
use std::path::Path;

fn amber_tap(folder: &Path, arguments: &[&str]) -> (i32, Vec<u8>, String) {
    let output = Command::cargo_bin("amber-tap").unwrap().current_dir(folder).args(arguments).output().unwrap();
    (output.status.code().unwrap_or(-1), output.stdout, String::from_utf8_lossy(&output.stderr).into_owned())
}

fn printed(folder: &Path, arguments: &[&str]) -> String {
    let (code, out, err) = amber_tap(folder, arguments);
    assert_eq!(code, 0, "{arguments:?}: {err}");
    String::from_utf8(out).unwrap()
}

/// Rows a hundred a second: a wave, a switch, a state.
fn text(shift: f64) -> String {
    let row = |i: u32| {
        let t = f64::from(i) * 0.01;
        let wave = 100.0 + 20.0 * (-((t - 4.0 - shift) / 1.5).powi(2)).exp() * (5.0 * (t - shift)).sin();
        format!("{},{wave:.3},{},{}\n", i * 10, i / 50 % 2, i / 200)
    };
    format!("t_ms,level,pump,state\n{}", (0..1000).map(row).collect::<String>())
}

#[test]
fn a_table_has_the_same_numbers_in_every_form() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("a.csv"), text(0.0)).unwrap();
    let csv =
        printed(dir.path(), &["table", "a.csv", "--channel", "level", "--channel", "pump", "--from", "1", "--to", "2"]);
    let rows: Vec<Vec<f64>> =
        csv.lines().skip(1).map(|line| line.split(',').map(|cell| cell.parse().unwrap()).collect()).collect();
    assert!(csv.starts_with("time_s,level,pump\r\n") && rows.len() == 101, "{csv}");
    // To the last digit what stands in the file.
    for (line, row) in text(0.0).lines().skip(101).zip(&rows) {
        assert_eq!(line.split(',').nth(1).unwrap().parse::<f64>().unwrap(), row[1]);
    }
    let json = printed(dir.path(), &["table", "a.csv", "--json", "--channel", "level", "--from", "1", "--to", "2"]);
    for (line, row) in json.lines().zip(&rows) {
        let line: serde_json::Value = serde_json::from_str(line).unwrap();
        assert_eq!((line["time_s"].as_f64(), line["level"].as_f64()), (Some(row[0]), Some(row[1])));
    }
    printed(dir.path(), &["table", "a.csv", "--channel", "level", "--out", "a.wav"]);
    let again = printed(dir.path(), &["stats", "a.wav", "--json"]);
    let own = printed(dir.path(), &["stats", "a.csv", "--channel", "level", "--json"]);
    let mean = |text: &str| serde_json::from_str::<serde_json::Value>(text).unwrap()["channels"][0]["mean"].as_f64();
    assert!((mean(&again).unwrap() - mean(&own).unwrap()).abs() < 1e-4, "{again} {own}");
    printed(dir.path(), &["table", "a.csv", "--out", "a.vcd"]);
    let dump = fs::read(dir.path().join("a.vcd")).unwrap();
    assert!(
        String::from_utf8_lossy(&dump).contains("$var wire 1 ! pump $end"),
        "{}",
        String::from_utf8_lossy(&dump[..400])
    );
    // Whoever has read enough of it ends it quietly.
    let program = env!("CARGO_BIN_EXE_amber-tap");
    let line = format!("'{program}' table a.csv | head -1; echo ${{PIPESTATUS[0]}}");
    let output = std::process::Command::new("bash").args(["-c", &line]).current_dir(dir.path()).output().unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stdout), "time_s,t_ms,level,pump,state\r\n0\n");
    assert!(output.stderr.is_empty(), "{}", String::from_utf8_lossy(&output.stderr));
    // What makes no sense says what to do.
    for (arguments, says) in [
        (&["table", "a.csv", "--out", "a.xyz"][..], "ends in .csv, .jsonl, .vcd, .wav or .parquet"),
        (&["table", "a.csv", "--from", "50"], "no rows in this stretch"),
        (&["table", "a.csv", "--channel", "x"], "there are t_ms, level, pump, state"),
        (&["table", "a.csv", "--json", "--out", "a.csv"], "ask for two forms"),
        (&["plot", "a.csv", "--size", "1x1 mm"], "type a size as"),
        (&["report", "nothing-there"], "nothing-there"),
    ] {
        let (code, _, err) = amber_tap(dir.path(), arguments);
        assert!(code != 0 && err.contains(says), "{arguments:?}: {err}");
    }
}

#[test]
fn figures_and_reports_are_written_in_the_form_that_the_name_says() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("a.csv"), text(0.0)).unwrap();
    let drawn =
        printed(dir.path(), &["plot", "a.csv", "--channel", "level", "--size", "800x500 px", "--title", "Waves"]);
    assert!(drawn.contains("<svg width=\"211.67mm\"") || drawn.contains("<svg width=\"211.66"), "{}", &drawn[..120]);
    assert!(drawn.contains(">Waves<") || drawn.contains("Waves\n"), "the title stands on it");
    assert!(!drawn.contains(&dir.path().display().to_string()) && !drawn.contains("1970"), "no path and no false date");
    printed(dir.path(), &["plot", "a.csv", "--dark", "--out", "a.pdf"]);
    printed(dir.path(), &["report", "a.csv", "--out", "r.pdf"]);
    for name in ["a.pdf", "r.pdf"] {
        let page = fs::read(dir.path().join(name)).unwrap();
        assert!(page.starts_with(b"%PDF") && !String::from_utf8_lossy(&page).contains("/Subtype /Image"), "{name}");
    }
    printed(dir.path(), &["report", "a.csv", "--out", "r.md"]);
    let report = fs::read_to_string(dir.path().join("r.md")).unwrap();
    assert!(report.contains("](r-1.svg)") && dir.path().join("r-1.svg").is_file(), "{report}");
    let (code, out, err) = amber_tap(dir.path(), &["report", "a.csv"]);
    assert!(code == 0 && err.contains("figure is left out") && String::from_utf8_lossy(&out).contains("## Statistics"));
    let json: serde_json::Value = serde_json::from_str(&printed(dir.path(), &["report", "a.csv", "--json"])).unwrap();
    assert!(json["blocks"].as_array().unwrap().len() > 4);
}

#[test]
fn takes_are_listed_planned_and_compared_without_a_screen() {
    let dir = tempfile::tempdir().unwrap();
    for (name, shift) in [("a.csv", 0.0), ("b.csv", 1.5)] {
        fs::write(dir.path().join(name), text(shift)).unwrap();
    }
    let compared =
        printed(dir.path(), &["compare", "a.csv", "b.csv", "--channel", "level", "--align", "match", "--json"]);
    let compared: serde_json::Value = serde_json::from_str(&compared).unwrap();
    let second = &compared["runs"][1];
    assert!(second["note"].as_str().unwrap().contains("matches at 1.5 s"), "{compared}");
    assert!(second["difference"]["largest"].as_f64().unwrap() < 0.6, "{compared}");
    printed(dir.path(), &["compare", "a.csv", "b.csv", "--channel", "level", "--out", "c.svg"]);
    assert!(fs::read_to_string(dir.path().join("c.svg")).unwrap().contains("comparison of level"));
    let (code, _, err) = amber_tap(dir.path(), &["compare", "a.csv", "b.csv", "--channel", "x"]);
    assert!(code == 1 && err.contains("there is no channel 'x' in a.csv"), "{err}");
    // A take by a plan, its parts joined by whoever reads it.
    let log = ["log", "flume", "--for", "3s", "--pace", "1 s mean", "--parts", "1 s", "--channel", "gauge_a"];
    printed(dir.path(), &[&log[..], &["--start", "in 0.2 s"]].concat());
    let table = fs::read_to_string(dir.path().join("take-0001/readings.csv")).unwrap();
    assert!(table.starts_with("time_s,wall_clock,rows,gauge_a_mean\r\n"), "{table}");
    assert!(dir.path().join("take-0001/wire-0002.bin").is_file());
    let listed = printed(dir.path(), &["takes", "--json"]);
    let take: serde_json::Value = serde_json::from_str(listed.trim()).unwrap();
    assert_eq!((take["name"].as_str(), take["channels"][0].as_str()), (Some("take-0001"), Some("gauge_a_mean")));
    assert_eq!(printed(dir.path(), &["takes", "--search", "nothing like it"]).lines().count(), 1);
    // Names of others never reach a terminal as what it would obey.
    let evil = dir.path().join("take-\u{1b}[2J\u{7}");
    fs::create_dir(&evil).unwrap();
    for entry in fs::read_dir(dir.path().join("take-0001")).unwrap().flatten() {
        fs::copy(entry.path(), evil.join(entry.file_name())).unwrap();
    }
    fs::write(evil.join("note.txt"), "red \u{1b}[31m").unwrap();
    let listed = printed(dir.path(), &["takes"]);
    let compared = printed(dir.path(), &["compare", "take-0001", evil.to_str().unwrap(), "--channel", "gauge_a"]);
    assert!(!(listed + &compared).contains(['\u{1b}', '\u{7}']));
    fs::remove_dir_all(evil).unwrap();
    // Every row of it is there, whatever its own table keeps.
    let rows = printed(dir.path(), &["table", "take-0001", "--channel", "gauge_a"]).lines().count();
    assert!((280..=320).contains(&rows), "{rows}");
    // The man page and what completes commands know of all of it.
    let page = printed(dir.path(), &["man"]);
    let completions = printed(dir.path(), &["completions", "bash"]);
    for word in ["takes", "table", "report", "compare"] {
        assert!(page.contains(word) && completions.contains(word), "{word}");
    }
}
