//! The commands without a screen: what they write, what they say, how they end.

#![allow(missing_docs)]

#[path = "../../core/src/chance.rs"]
mod chance;

use assert_cmd::Command;
use chance::Chance;
use std::fs;
use std::path::Path;
use std::time::{Duration, Instant};

fn amber_tap(folder: &Path, arguments: &[&str]) -> (i32, String, String) {
    let mut command = Command::cargo_bin("amber-tap").unwrap();
    let output = command.current_dir(folder).args(arguments).timeout(Duration::from_secs(60)).output().unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

#[test]
fn a_take_is_logged_and_drawn() {
    let dir = tempfile::tempdir().unwrap();
    let bench = r#"
keep = { raw = true }
[[channel]]
name = "gauge_a"
[channel.scale]
steps = [{ is = "converter", bits = 12, reference = 3.3 }, { is = "offset", by = 0.5 }, { is = "gain", by = 100, unit = "mm" }]
[[channel]]
name = "filling"
formula = "rate(sump) + gauge_a * 0"
"#;
    fs::write(dir.path().join("my.bench.toml"), bench).unwrap();
    let (code, out, err) =
        amber_tap(dir.path(), &["log", "flume", "--rows", "150", "--bench", "my.bench.toml", "--out", "runs/one"]);
    assert_eq!((code, err.as_str()), (0, ""), "{out}");
    assert!(
        out.contains("take      runs/one")
            && out.contains("rows      150 over 1.49 s, 100.0 a second")
            && out.contains("rejected  0"),
        "{out}"
    );
    let table = fs::read_to_string(dir.path().join("runs/one/readings.csv")).unwrap();
    let rows: Vec<&str> = table.lines().collect();
    assert_eq!(rows[0], "time_s,wall_clock,t_us,gauge_a,gauge_a_raw,gauge_b,bed,paddle,pump,sump,filling");
    assert_eq!(rows.len(), 151);
    let last: Vec<f64> = rows[150].split(',').map(|cell| cell.parse().unwrap_or(f64::NAN)).collect();
    assert!((90.0..200.0).contains(&last[3]), "still water of 100 mm: {}", last[3]);
    assert!((last[3] - (last[4] * 3.3 / 4096.0 - 0.5) * 100.0).abs() < 0.01, "both columns: {} {}", last[3], last[4]);
    assert!(last[10].is_finite());
    // From the very first row on, ten milliseconds apart, although the first rows arrive together.
    let times: Vec<f64> = rows[1..].iter().map(|row| row.split(',').next().unwrap().parse().unwrap()).collect();
    assert!(times[0] >= 0.0 && times[0] < 0.2, "{}", times[0]);
    assert!(times.windows(2).all(|pair| (pair[1] - pair[0] - 0.01).abs() < 0.001), "{times:?}");
    let (code, out, _) = amber_tap(dir.path(), &["plot", "runs/one", "--out", "one.pdf"]);
    assert_eq!((code, out.trim()), (0, "one.pdf"));
    assert!(fs::read(dir.path().join("one.pdf")).unwrap().starts_with(b"%PDF"));
    let (code, _, _) = amber_tap(dir.path(), &["plot", "runs/one", "--out", "one.svg", "--bench", "my.bench.toml"]);
    assert_eq!(code, 0);
    assert!(fs::read_to_string(dir.path().join("one.svg")).unwrap().contains("gauge_a in mm"));
    // The same folder is not written again.
    let (code, _, err) = amber_tap(dir.path(), &["log", "flume", "--for", "1s", "--out", "runs/one"]);
    assert!(code == 1 && err.contains("never overwrites"), "{code} {err}");
}

#[test]
fn an_open_ended_take_is_ended_properly_by_ctrl_c() {
    let dir = tempfile::tempdir().unwrap();
    for (arguments, expected) in [(&["log", "flume"][..], 0), (&["log", "flume", "--for", "1h"], 130)] {
        let program = env!("CARGO_BIN_EXE_amber-tap");
        let mut child = std::process::Command::new(program)
            .args(arguments)
            .current_dir(dir.path())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let take = dir.path().join(if expected == 0 { "take-0001" } else { "take-0002" });
        let begun = Instant::now();
        while fs::metadata(take.join("readings.csv")).map_or(0, |meta| meta.len()) < 4000 {
            assert!(begun.elapsed() < Duration::from_secs(30));
            std::thread::sleep(Duration::from_millis(50));
        }
        let pid = rustix::process::Pid::from_child(&child);
        rustix::process::kill_process(pid, rustix::process::Signal::INT).unwrap();
        assert_eq!(child.wait().unwrap().code(), Some(expected));
        let opened = amber_io::take::open(&take).unwrap();
        assert!(opened.told.is_empty());
        assert_eq!(opened.decode().unwrap(), fs::read(take.join("readings.csv")).unwrap());
    }
}

#[test]
fn what_makes_no_sense_is_told_with_what_to_do_next() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("bad.toml"), "[source]\nbaud = \"fast\"\n").unwrap();
    fs::create_dir(dir.path().join("empty")).unwrap();
    for (arguments, code, text) in [
        (&["log", "/dev/no-such-port", "--for", "1s"][..], 1, "plug the board in"),
        (&["log", "flume", "--for", "ten"], 2, "is not a unit of time"),
        (&["log", "flume", "--rows", "3", "--bench", "none.toml"], 1, "none.toml is not there"),
        (&["log", "flume", "--rows", "3", "--bench", "empty"], 1, "that is a folder, give a file"),
        (&["log", "flume", "--rows", "3", "--bench", "/dev/zero"], 1, "it is not a regular file"),
        (&["plot", "empty", "--out", "/proc/x.svg"], 1, "is not a take"),
        (&["mend", "empty"], 1, "is not a take"),
        (&["log", "flume", "--rows", "3", "--bench", "bad.toml"], 0, "bad.toml: line 2, column 8: "),
        (&["bench", "nothing"], 1, "the screen needs a terminal"),
        (&["watch", "flume"], 1, "the screen needs a terminal"),
        (&["open", "empty"], 1, "the screen needs a terminal"),
        (
            &["plot", "empty", "--out", "x.svg"],
            1,
            "is not a take: wire.bin is not there, and readings.csv is not there",
        ),
        (&["plot", "empty", "--out", "x.svg", "--bench", "none.toml"], 1, "none.toml is not there"),
        (&["board", "catamaran"], 1, "there is no board and no take 'catamaran'"),
        (&["board", "empty"], 1, "is not a take"),
        (&["board", "flume", "--repeat"], 1, "--speed and --repeat are for takes"),
        (&["board", "empty", "--speed", "0"], 1, "--speed is 0.001 to 1000"),
    ] {
        let (found, _, err) = amber_tap(dir.path(), arguments);
        assert!(found == code && err.contains(text), "{arguments:?}: {found}\n{err}");
    }
    // The wrong baud gives bytes, but not one row; they are kept all the same.
    let (code, out, err) =
        amber_tap(dir.path(), &["log", "flume", "--baud", "9600", "--for", "1s", "--out", "garbage"]);
    assert!(code == 3 && err.contains("no row was received"), "{code} {out} {err}");
    assert!(fs::metadata(dir.path().join("garbage/wire.bin")).unwrap().len() > 100);
    let (code, _, err) = amber_tap(dir.path(), &["plot", "garbage", "--out", "x.svg"]);
    assert!(code == 1 && err.contains("holds no rows to draw"), "{err}");
}

#[test]
fn a_take_is_served_as_a_board_and_gives_the_same_take_again() {
    use std::io::{BufRead, BufReader};
    let dir = tempfile::tempdir().unwrap();
    assert_eq!(amber_tap(dir.path(), &["log", "flume", "--rows", "300", "--out", "first"]).0, 0);
    let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_amber-tap"))
        .args(["board", "first", "--speed", "10"])
        .current_dir(dir.path())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut path = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut path).unwrap();
    let (code, _, err) =
        amber_tap(dir.path(), &["log", path.trim(), "--baud", "115200", "--rows", "250", "--out", "second"]);
    assert_eq!(code, 0, "{err}");
    child.kill().unwrap();
    child.wait().unwrap();
    let wire = |name: &str| fs::read(dir.path().join(name).join("wire.bin")).unwrap();
    let (first, second) = (wire("first"), wire("second"));
    let seen = second.len().min(first.len());
    assert!(seen > 10_000 && first[..seen] == second[..seen], "{} {}", first.len(), second.len());
}

#[test]
fn a_board_is_served_alone_for_any_program_to_open() {
    use std::io::{BufRead, BufReader, Write};
    let program = env!("CARGO_BIN_EXE_amber-tap");
    let mut child = std::process::Command::new(program)
        .args(["board", "flume"])
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut path = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut path).unwrap();
    let device = fs::OpenOptions::new().read(true).write(true).open(path.trim()).unwrap();
    (&device).write_all(b"rate 50\n").unwrap();
    let lines = BufReader::new(&device).lines().map(Result::unwrap).filter(|line| !line.is_empty());
    let seen: Vec<String> = lines.take(200).collect();
    assert!(seen.iter().any(|line| line.starts_with("wave flume board")), "{:?}", &seen[..5]);
    assert!(seen.iter().any(|line| line == "ok rate 50"));
    assert!(seen.iter().filter(|line| line.starts_with("t_us=")).count() > 150);
    child.kill().unwrap();
    child.wait().unwrap();
}

#[test]
fn split_prints_rows_as_csv_or_one_json_document_and_says_the_shape() {
    let text =
        "flume ready\r\n{\"bed\":{\"p\":498},\"on\":true}\r\n{\"bed\":{\"p\":null},\"on\":false}\r\n{\"bed\":{\"p\":4";
    let split = |arguments: &[&str]| {
        let mut command = Command::cargo_bin("amber-tap").unwrap();
        let done = command.arg("split").args(arguments).write_stdin(text).output().unwrap();
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
        (done.status.code(), text(done.stdout), text(done.stderr))
    };
    let (code, rows, sentence) = split(&["-"]);
    assert_eq!((code, rows.as_str()), (Some(0), "bed.p,on\r\n498,1\r\n,0\r\n"));
    assert_eq!(sentence, "JSON a line, 2 values (unsure): 2 rows, 1 message, 1 line rejected\n");
    let (_, document, _) = split(&["-", "--json"]);
    let document: serde_json::Value = serde_json::from_str(&document).unwrap();
    assert_eq!(document["shape"]["spelled"], "json bed.p on");
    assert_eq!(
        document["channels"][1],
        serde_json::json!({"name": "on", "kind": "digital", "unit": "", "words": ["false", "true"], "states": null})
    );
    assert_eq!(document["rows"], serde_json::json!([[498, 1], [null, 0]]));
    assert_eq!(document["rejected"][0]["reason"], "broken JSON");
    assert_eq!(document["messages"]["examples"][0], "flume ready");
    let (code, rows, _) = split(&["-", "--shape", "json on ..."]);
    assert_eq!((code, rows.lines().count()), (Some(3), 1), "a pinned shape is not left by itself");
    assert_eq!(split(&["-", "--shape", "json"]).0, Some(2));
    assert_eq!(split(&["/no/such/file"]).0, Some(1));
}

#[test]
fn a_text_is_logged_with_the_times_of_its_clock_and_a_board_at_the_speed_that_is_found() {
    let dir = tempfile::tempdir().unwrap();
    let text =
        (0..200).fold("t_ms,depth (mm)\n".to_owned(), |text, i| text + &format!("{},{}.5\n", i * 20, 100 + i % 7));
    fs::write(dir.path().join("tank.csv"), text).unwrap();
    let (code, out, err) = amber_tap(dir.path(), &["log", "tank.csv", "--rows", "150", "--out", "tank"]);
    assert_eq!((code, err.as_str()), (0, ""), "{out}");
    let table = fs::read_to_string(dir.path().join("tank/readings.csv")).unwrap();
    let rows: Vec<Vec<&str>> = table.lines().map(|row| row.split(',').collect()).collect();
    assert_eq!(rows[0], ["time_s", "wall_clock", "t_ms", "depth"]);
    let time = |row: usize| rows[row][0].parse::<f64>().unwrap();
    assert_eq!((time(1), time(40), time(140)), (0.0, 0.78, 2.78));
    assert!(rows[1..].iter().all(|row| row[1].is_empty()), "when the text was written is not known");
    assert_eq!(rows[100][3], format!("{}.5", 100 + 99 % 7));
    let metadata = fs::read_to_string(dir.path().join("tank/readings.csv-metadata.json")).unwrap();
    assert!(metadata.contains("\"mm\""), "{metadata}");
    let (code, out, _) = amber_tap(dir.path(), &["log", "twin", "--rows", "20", "--out", "twin"]);
    assert_eq!(code, 0, "{out}");
    assert!(fs::read_to_string(dir.path().join("twin/readings.csv")).unwrap().lines().count() == 21);
}

#[test]
fn start_up_messages_leave_no_header_and_split_and_log_tell_the_same_rows() {
    let dir = tempfile::tempdir().unwrap();
    let boot = "load:0x3fff0030,len:1344\nload:0x40078000,len:13964\nload:0x40080400,len:3600\n";
    let lines = |row: &dyn Fn(u32) -> String| (0..40).map(row).collect::<String>();
    for (name, text, header) in [
        ("boot", boot.to_owned() + &lines(&|i| format!("{i},{},{}\n", i * 3 % 7, i % 5)), "field1,field2,field3"),
        ("table", "1 2 3 4\n".repeat(6) + &lines(&|i| format!("n={i} a={}\n", i % 5)), "n,a"),
        (
            "named",
            "serial,cal,vref\n7,8,9\n7,8,9\n7,8,9\n".to_owned() + &lines(&|i| format!("n={i} a=2 b=3\n")),
            "n,a,b",
        ),
    ] {
        fs::write(dir.path().join(name), text).unwrap();
        let (code, split, _) = amber_tap(dir.path(), &["split", name]);
        assert_eq!(code, 0);
        let (code, out, err) = amber_tap(dir.path(), &["log", name, "--out", &format!("take-{name}")]);
        assert_eq!((code, err.as_str()), (0, ""), "{out}");
        let kept = fs::read_to_string(dir.path().join(format!("take-{name}/readings.csv"))).unwrap();
        let values = |row: &str| row.splitn(3, ',').nth(2).unwrap().to_owned();
        assert_eq!(kept.lines().map(values).collect::<Vec<_>>(), split.lines().collect::<Vec<_>>(), "{name}");
        assert_eq!((split.lines().next(), split.lines().count()), (Some(header), 41), "{name}");
    }
}

#[test]
fn split_prints_numbers_as_they_came_where_they_are_the_shortest_and_else_shorter() {
    let dir = tempfile::tempdir().unwrap();
    let (mut text, mut wanted) = (String::new(), String::new());
    for i in 0..5000 {
        // Zeros that say nothing, a sign, a gap, blanks: what is printed is the same as ever.
        let (line, row) = match i % 50 {
            7 => (format!("{i},1.50,-3"), format!("{i},1.5,-3")),
            11 => (format!("{i},+2,007"), format!("{i},2,7")),
            13 => (format!("{i},nan,5"), format!("{i},,5")),
            17 => (format!("{i}, 4 ,6"), format!("{i},4,6")),
            _ => (format!("{i},{},{}.25", i * 37 % 4096, i % 9), format!("{i},{},{}.25", i * 37 % 4096, i % 9)),
        };
        text += &format!("{line}\n");
        wanted += &format!("{row}\r\n");
    }
    std::fs::write(dir.path().join("commas.txt"), text).unwrap();
    let (code, out, err) = amber_tap(dir.path(), &["split", "commas.txt"]);
    assert_eq!(code, 0, "{err}");
    let (_, rows) = out.split_once("\r\n").unwrap();
    assert!(rows == wanted, "{:?}", rows.lines().zip(wanted.lines()).find(|(a, b)| a != b));
}

#[test]
fn split_streams_what_it_reads_and_ends_quietly_when_nobody_reads_on() {
    let dir = tempfile::tempdir().unwrap();
    let text = (0..50_000).fold(String::new(), |text, i| text + &format!("gauge={i} bed={}\n", i % 900));
    fs::write(dir.path().join("long.txt"), text).unwrap();
    let (code, out, err) = amber_tap(dir.path(), &["split", "long.txt"]);
    assert_eq!((code, out.lines().count()), (0, 50_001));
    assert!(out.ends_with("49999,499\r\n") && err.contains("(sure): 50 000 rows"), "{err}");
    let program = env!("CARGO_BIN_EXE_amber-tap");
    let command = format!("'{program}' split long.txt | head -2; echo ${{PIPESTATUS[0]}}");
    let done = std::process::Command::new("bash").args(["-c", &command]).current_dir(dir.path()).output().unwrap();
    assert_eq!(String::from_utf8_lossy(&done.stdout), "gauge,bed\r\n0,0\r\n0\n");
    // A label among the first lines has its column from the beginning; one that comes late has none, and is counted.
    let first = "a=1\na=2\na=3\na=4 b=1\na=5 b=2\na=6 b=3\na=7 b=4\n";
    fs::write(dir.path().join("late.txt"), first.to_owned() + &"a=8 b=5\n".repeat(130) + &"a=9 b=6 c=7\n".repeat(4))
        .unwrap();
    let (code, out, err) = amber_tap(dir.path(), &["split", "late.txt"]);
    assert_eq!((code, &out[..24]), (0, "a,b\r\n1,\r\n2,\r\n3,\r\n4,1\r\n5,"));
    assert_eq!(out.lines().count(), 142);
    assert!(err.contains("rows, 4 late fields left out"), "{err}");
}

/// What is made of the code of row so-and-so.
type Change<'a> = &'a mut dyn FnMut(usize, f64) -> f64;

/// The depth programme's text, with what `change` makes of the codes of gauge_a.
fn depth_programme(mut change: impl FnMut(usize, f64) -> f64) -> String {
    let mut text = Vec::new();
    let mut board = amber_boards::Flume::new(amber_boards::Programme::Depth, 5);
    amber_boards::Board::run(&mut board, Duration::from_secs(60), &mut text);
    let mut rows = 0;
    let line = |line: &str| {
        let Some((before, rest)) = line.split_once("gauge_a=") else { return line.to_owned() };
        let (code, behind) = rest.split_once(' ').unwrap();
        rows += 1;
        format!("{before}gauge_a={} {behind}", change(rows, code.parse().unwrap()))
    };
    String::from_utf8(text).unwrap().split('\n').map(line).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_depth_programme_calibrates_within_two_thousandths_whatever_the_noise_is_like() {
    let dir = tempfile::tempdir().unwrap();
    let (mut one, mut other) = (Chance(3), Chance(4));
    let hum = |row: usize, code: f64| code + 25.0 * (std::f64::consts::TAU * 49.7 * row as f64 * 0.01).sin();
    let mut last = std::collections::VecDeque::new();
    let mut averaging = move |code: f64| {
        last.push_back(code + 8.0 * one.gauss());
        if last.len() > 8 {
            last.pop_front();
        }
        last.iter().sum::<f64>() / last.len() as f64
    };
    let spiky = |row: usize, code: f64| if row.is_multiple_of(37) { code + 900.0 } else { code };
    let kinds: [(&str, Change<'_>); 5] = [
        ("as it is", &mut |_, code| code),
        ("noisy", &mut |_, code| code + 8.0 * other.gauss()),
        ("averaged over 8 rows", &mut |_, code| averaging(code)),
        ("hum", &mut |row, code| hum(row, code)),
        ("spikes", &mut |row, code| spiky(row, code)),
    ];
    for (kind, change) in kinds {
        fs::write(
            dir.path().join("depth.txt"),
            depth_programme(|row, code| change(row, code).round().clamp(0.0, 4095.0)),
        )
        .unwrap();
        let (code, out, err) = amber_tap(dir.path(), &["levels", "depth.txt", "--channel", "gauge_a"]);
        assert_eq!(code, 0, "{kind}: {err}");
        let row = |line: &str| line.split(',').map(|cell| cell.parse().unwrap_or(f64::NAN)).collect::<Vec<f64>>();
        let levels: Vec<Vec<f64>> = out.lines().skip(1).map(row).collect();
        assert!((5..=6).contains(&levels.len()), "{kind}: {out}");
        // The straight line through the longest level of each depth, against that by which the board makes its codes: 0 and
        // 200 mm at the ends.
        let read = |level: &Vec<f64>| (((level[4] * 3.3 / 4096.0 - 0.5) * 2.0).round() * 50.0, level[4], level[3]);
        let mut points: Vec<(f64, f64)> = Vec::new();
        for depth in [0.0, 50.0, 100.0, 150.0, 200.0] {
            let own = levels.iter().map(read).filter(|level| level.0 == depth).max_by(|a, b| a.2.total_cmp(&b.2));
            points.extend(own.map(|level| (level.1, depth)));
        }
        assert_eq!(points.len(), 5, "{kind}: {out}");
        let count = points.len() as f64;
        let (x, y) = points.iter().fold((0.0, 0.0), |(x, y), point| (x + point.0 / count, y + point.1 / count));
        let (xy, xx) =
            points.iter().fold((0.0, 0.0), |(xy, xx), p| (xy + (p.0 - x) * (p.1 - y), xx + (p.0 - x).powi(2)));
        let at = |volts: f64| y + xy / xx * (volts * 4096.0 / 3.3 - x);
        let off = [at(0.5), at(2.5) - 200.0];
        println!("{kind}: off by {:.3} mm at 0, {:.3} mm at 200 mm", off[0], off[1]);
        assert!(off.iter().all(|off| off.abs() < 0.4), "{kind}: {off:?}");
    }
}

#[test]
fn the_levels_of_the_depth_programme_are_listed_and_calibrate_the_gauge_without_a_key() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("depth.txt"), depth_programme(|_, code| code)).unwrap();
    fs::write(dir.path().join("flume.bench.toml"), include_str!("../assets/flume.bench.toml")).unwrap();
    let table = |more: &[&str]| {
        let (code, out, err) =
            amber_tap(dir.path(), &[&["levels", "depth.txt", "--channel", "gauge_a"], more].concat());
        assert_eq!(code, 0, "{err}");
        let row = |line: &str| line.split(',').map(|cell| cell.parse().unwrap_or(f64::NAN)).collect::<Vec<f64>>();
        assert!(out.starts_with("number,from_s,to_s,rows,mean,spread,unit,raw_mean\n"), "{out}");
        out.lines().skip(1).map(row).collect::<Vec<_>>()
    };
    let depths = [0.0, 50.0, 100.0, 150.0, 200.0];
    let scaled = table(&["--bench", "flume.bench.toml"]);
    assert_eq!(scaled.len(), 5, "{scaled:?}");
    assert!(scaled.iter().zip(depths).all(|(row, depth)| (row[4] - depth).abs() < 0.4), "{scaled:?}");
    // From counts alone: gain and offset within 0.2 % of the full scale of 200 mm.
    let raw = table(&[]);
    let compared: Vec<_> = raw
        .iter()
        .zip(depths)
        .map(|(row, really)| amber_core::calibrate::Compared { came: row[4], error: row[5] / row[3].sqrt(), really })
        .collect();
    let found = amber_core::calibrate::fit(&compared, amber_core::scale::Curve::Line).unwrap();
    let volt = 4096.0 / 3.3;
    let off = |volts: f64| found.calibration.true_value(volts * volt) - (volts - 0.5) * 100.0;
    println!("off by {:.3} mm at 0, {:.3} mm at 200 mm, {:?}", off(0.5), off(2.5), found.warnings);
    assert!(off(0.5).abs() < 0.4 && off(2.5).abs() < 0.4 && found.percent < 0.2, "{} {}", off(0.5), off(2.5));
    let (code, _, err) = amber_tap(dir.path(), &["levels", "depth.txt", "--channel", "depth"]);
    assert!(code == 1 && err.contains("no channel 'depth'") && err.contains("gauge_b, bed"), "{err}");
}

#[test]
fn a_formula_is_worked_out_or_its_mistake_is_pointed_at() {
    let dir = tempfile::tempdir().unwrap();
    let calc = |arguments: &[&str]| amber_tap(dir.path(), &[&["calc"], arguments].concat());
    assert_eq!(calc(&["-x^2 + y", "x=3", "y=1/4"]), (0, "-8.75\n".into(), String::new()));
    assert_eq!(calc(&["1 / x", "x=0"]).1, "gap\n");
    let (code, _, err) = calc(&["2 * speed(3)"]);
    assert!(code == 1 && err.contains("column 5: there is no function speed") && err.contains("\n      ^"), "{err}");
    assert!(calc(&["x + yy", "x=1"]).2.contains("column 5: no value for yy"));
    assert!(calc(&["x", "x=1", "z=2"]).2.contains("z is not in"));
    let (code, out, err) = calc(&["x", "x=1", "x=2"]);
    assert!(code == 1 && out.is_empty() && err.contains("x has two values: give it once"), "{err}");
    assert_eq!(calc(&["ifgap(1 / y, 5)", "y=0"]).1, "5\n");
    assert_eq!([calc(&["0.1 + 0.2"]).1, calc(&["x * 1", "x=1732012345678"]).1], ["0.3\n", "1732012345678\n"]);
}

#[test]
fn levels_are_listed_of_takes_and_what_is_no_take_is_told() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(
        dir.path().join("b.bench.toml"),
        "[levels]\nseconds = 0.3\n[[channel]]\nname = \"half\"\nformula = \"gauge_a / 2\"\n",
    )
    .unwrap();
    let (code, ..) =
        amber_tap(dir.path(), &["log", "flume", "--rows", "200", "--out", "one", "--bench", "b.bench.toml"]);
    assert_eq!(code, 0);
    let levels = |more: &[&str]| amber_tap(dir.path(), &[&["levels"], more].concat());
    let mean = |out: &str| out.lines().nth(1).unwrap().split(',').nth(4).unwrap().parse::<f64>().unwrap();
    let (code, out, err) = levels(&["one", "--channel", "gauge_a"]);
    assert_eq!((code, out.lines().count()), (0, 2), "{out}{err}");
    assert!(err.contains("gauge_a: 1 level, noise"), "{err}");
    let (_, half, _) = levels(&["one", "--channel", "half"]);
    assert!((mean(&half) * 2.0 - mean(&out)).abs() < 1.0, "the take's own formula: {half}");
    let (_, none, _) = levels(&["one", "--channel", "gauge_a", "--shortest", "9s"]);
    assert_eq!(none.lines().count(), 1, "nothing rested so long: {none}");
    let (_, sharp, _) = levels(&["one", "--channel", "gauge_a", "--bench", "b.bench.toml"]);
    assert_eq!(sharp, out);
    for (arguments, told) in [
        (["missing", "--channel", "x"], "cannot read missing"),
        (["b.bench.toml", "--channel", "x"], "holds no rows"),
        (["one", "--channel", "gauge"], "no channel 'gauge' in one; there are t_us, gauge_a"),
    ] {
        let (code, _, err) = levels(&arguments);
        assert!(code == 1 && err.contains(told), "{arguments:?}: {err}");
    }
    let (code, _, err) = levels(&["one", "--channel", "gauge_a", "--bench", "nothing.toml"]);
    assert!(code == 1 && err.contains("nothing.toml is not there"), "{err}");
}

/// Standard output that is full, and that nobody reads.
#[test]
fn what_cannot_be_printed_is_said_or_ends_quietly() {
    let dir = tempfile::tempdir().unwrap();
    let rows: String = (0..5000).map(|i| format!("a={} b={i}\n", i / 900 * 50)).collect();
    fs::write(dir.path().join("rows.txt"), rows).unwrap();
    assert_eq!(amber_tap(dir.path(), &["log", "rows.txt", "--out", "take"]).0, 0);
    let commands: [&[&str]; 10] = [
        &["calc", "1+1"],
        &["split", "rows.txt"],
        &["split", "rows.txt", "--json"],
        &["levels", "rows.txt", "--channel", "a"],
        &["plot", "take", "--out", "x.svg"],
        &["mend", "take"],
        &["log", "rows.txt"],
        &["board", "flume"],
        &["completions", "bash"],
        &["man"],
    ];
    for arguments in commands {
        let run = |stdout: std::process::Stdio| {
            let program = env!("CARGO_BIN_EXE_amber-tap");
            let mut command = std::process::Command::new(program);
            command.args(arguments).current_dir(dir.path()).stdout(stdout).stderr(std::process::Stdio::piped());
            let output = command.spawn().unwrap().wait_with_output().unwrap();
            (output.status.code(), String::from_utf8_lossy(&output.stderr).into_owned())
        };
        let full = fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
        let (code, said) = run(full.into());
        assert!(code == Some(1) && said.contains("No space left"), "{arguments:?}: {code:?} {said}");
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let (code, said) = run(writer.into());
        assert!(code == Some(0) && !said.contains("amber-tap:"), "{arguments:?}: {code:?} {said}");
    }
}

#[test]
fn a_port_on_which_nothing_comes_is_not_listened_to_for_ever() {
    let dir = tempfile::tempdir().unwrap();
    let board = amber_boards::Pty::open(9600).unwrap();
    let path = board.path().display().to_string();
    let (code, out, err) = amber_tap(dir.path(), &["log", &path, "--for", "1s"]);
    assert!(code == 3 && err.contains("no data arrived"), "{code} {out} {err}");
    assert_eq!(fs::read_dir(dir.path()).unwrap().count(), 0, "nothing is left behind");
    let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_amber-tap"))
        .args(["log", &path, "--for", "1h"])
        .current_dir(dir.path())
        .spawn()
        .unwrap();
    std::thread::sleep(Duration::from_millis(500));
    rustix::process::kill_process(rustix::process::Pid::from_child(&child), rustix::process::Signal::INT).unwrap();
    assert_eq!(child.wait().unwrap().code(), Some(130));
}

#[test]
fn what_rows_amount_to_is_told_drawn_and_refused_in_plain_words() {
    let dir = tempfile::tempdir().unwrap();
    let wave = |row: u32| (f64::from(row) * std::f64::consts::TAU * 0.04).sin();
    let rows = |of: &dyn Fn(u32) -> f64| -> String {
        (0..2000)
            .map(|row| format!("t_ms={} x={:.3} y={:.3}\n", row * 10, of(row), of(row.saturating_sub(10))))
            .collect()
    };
    fs::write(dir.path().join("wave.txt"), rows(&|row| 100.0 + 5.0 * wave(row))).unwrap();
    let run = |arguments: &str| amber_tap(dir.path(), &arguments.split(' ').collect::<Vec<_>>());
    let (code, out, _) = run("stats wave.txt --channel x");
    assert!(code == 0 && out.starts_with("channel,unit,count") && out.contains("x,,2000,0,100,"), "{out}");
    let (code, out, err) = run("spectrum wave.txt --channel x --peaks --follows y --out s.svg");
    let peak: Vec<f64> = out.lines().nth(1).unwrap().split(',').filter_map(|field| field.parse().ok()).collect();
    assert!(code == 0 && (peak[0] - 4.0).abs() < 1e-3 && (peak[1] - 5.0).abs() < 0.01, "{out}");
    assert!(err.contains("y follows x by 100 ms") && err.contains("would also appear"), "{err}");
    assert!(fs::read_to_string(dir.path().join("s.svg")).unwrap().contains("frequency in Hz"));
    let (code, out, _) = run("spectrum wave.txt --channel x --json --peaks --window flat-top");
    let document: serde_json::Value = serde_json::from_str(&out).unwrap();
    assert!(code == 0 && document["window"] == "flat top" && document["rows_per_s"] == 100.0, "{out}");
    let (code, out, _) = run("block wave.txt --seconds 0.05 --at 10 --out b.pdf");
    assert!(code == 0 && out.lines().count() == 6 && out.lines().last().unwrap().starts_with("4,0,0.01,"), "{out}");
    let (code, out, _) = run("stats wave.txt --json --from 5 --to 6 --out h.pdf");
    let document: serde_json::Value = serde_json::from_str(&out).unwrap();
    assert!(code == 0 && document["channels"][0]["count"] == 101, "{out}");
    for (wrong, told) in [
        ("spectrum wave.txt --channel z", "there are"),
        ("spectrum wave.txt", "name a channel"),
        ("spectrum nowhere.txt --channel x", "cannot read nowhere.txt"),
        ("stats wave.txt --from 900", "no rows in this stretch"),
        ("block wave.txt --rows 0", "--rows must be"),
        ("stats wave.txt --out h.png", ".svg or .pdf"),
        ("block wave.txt --named x", "there is no block"),
    ] {
        let (code, _, err) = run(wrong);
        assert!(code != 0 && err.contains(told), "{wrong}: {err}");
    }
    // A text without a time has no spectrum until somebody says its rate.
    fs::write(dir.path().join("bare.txt"), (0..200).map(|row| format!("{:.3}\n", wave(row))).collect::<String>())
        .unwrap();
    let (code, _, err) = run("spectrum bare.txt --peaks");
    assert!(code != 0 && err.contains("--rate"), "{err}");
    let (code, out, _) = run("spectrum bare.txt --peaks --rate 100 --length 200");
    assert!(code == 0 && out.lines().nth(1).unwrap().starts_with("4,1.000"), "{out}");
    let (_, out, err) = run("stats bare.txt");
    assert!(
        err.contains("the text has no clock") && out.starts_with("channel,") && out.contains("slope_per_row"),
        "{out}{err}"
    );
}

/// Texts as they should not be, and what the commands say of them: never a number that is not in them, never nothing.
#[test]
fn what_odd_rows_amount_to_is_not_made_up() {
    let dir = tempfile::tempdir().unwrap();
    let write = |name: &str, value: &dyn Fn(usize) -> String| {
        let rows: String = (0..1000).map(|row| format!("{:.2},{}\n", row as f64 * 0.01, value(row))).collect();
        fs::write(dir.path().join(name), format!("time_s,a\n{rows}")).unwrap();
    };
    let turns = |row: usize, hertz: f64| (std::f64::consts::TAU * hertz * row as f64 * 0.01).sin();
    write("still.csv", &|_| "512".into());
    write("gaps.csv", &|_| "nan".into());
    write("huge.csv", &|row| format!("{}e300", row % 7));
    write("up_and_down.csv", &|row| (1023 * (row % 2)).to_string());
    write("pulses.csv", &|row| if row % 100 == 50 { "1023".into() } else { (500 + row % 2).to_string() });
    write("square.csv", &|row| if row / 25 % 2 == 1 { "900".into() } else { "100".into() });
    write("folded.csv", &|row| format!("{:.0}", 512.0 + 100.0 * turns(row, 60.0)));
    write("infinite.csv", &|row| if row % 50 == 7 { "inf".into() } else { row.to_string() });
    let text: String = (0..500).map(|row| format!("{:.2},{row}\n", 5.0 - f64::from(row) * 0.01)).collect();
    fs::write(dir.path().join("backward.csv"), format!("time_s,a\n{text}")).unwrap();
    let noise: Vec<u8> = (0..20_000u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 13) as u8).collect();
    fs::write(dir.path().join("no_text.bin"), noise).unwrap();
    fs::write(dir.path().join("empty.txt"), "").unwrap();
    for (arguments, code, in_out, in_err) in [
        ("stats still.csv", 0, "a,,1000,0,512,512,0,512,512,512,0,0,1,", ""),
        ("spectrum still.csv --peaks", 0, "hertz,amplitude", "nothing stands out"),
        ("stats gaps.csv", 0, "a,,0,1000,,,", ""),
        ("spectrum gaps.csv --channel a", 1, "", "there is no value in this stretch"),
        ("stats huge.csv", 0, "e300,", ""),
        ("spectrum up_and_down.csv --channel a --peaks", 0, "\n50,511.5,1,50 Hz mains\n", "largest at 50 Hz"),
        ("spectrum pulses.csv --channel a --peaks", 0, ",1,", "largest at"),
        ("spectrum square.csv --channel a --peaks", 0, ",3,\n", "harmonic distortion 43 %"),
        ("spectrum folded.csv --peaks", 0, "40", "60 Hz mains, folded at 100 rows/s"),
        ("stats infinite.csv", 0, "a,,980,20,", ""),
        ("stats backward.csv", 0, "a,,500,0,249.5", "the text has no clock"),
        ("spectrum backward.csv --channel a", 1, "", "give its rows a second with --rate"),
        ("block still.csv --rows 5000", 0, "index,time_s,interval_s,time_s raw,a\r\n0,", "only 1 000 rows are there"),
        ("block still.csv --seconds 60", 0, "999,", "shorter than 60 s"),
        ("block still.csv --seconds 1 --at 1", 0, "99,0,0.01,1,512", ""),
        ("stats no_text.bin", 1, "", "holds no rows"),
        ("block empty.txt", 1, "", "holds no rows"),
        ("stats missing.csv", 1, "", "it is not there"),
    ] {
        let (got, out, err) = amber_tap(dir.path(), &arguments.split(' ').collect::<Vec<_>>());
        assert_eq!(got, code, "{arguments}: {err}");
        assert!(out.contains(in_out) && err.contains(in_err), "{arguments}: {out}\n{err}");
        assert!(out.lines().all(|line| line.len() < 200), "{arguments}");
    }
}

#[test]
fn events_are_listed_of_takes_and_texts_and_a_log_answers_them() {
    let dir = tempfile::tempdir().unwrap();
    let bench = "[[source]]\n[source.wire]\nport = \"bath\"\n[[source.condition]]\nname = \"cool\"\n\
                 test = [{ kind = \"below\", of = \"bath\", value = 29.5, hysteresis = 0.1 }]\n\
                 answer = [{ kind = \"send\", line = \"heater on\" }, { kind = \"mark\", note = \"{bath} degrees\" }]\n\
                 [[source.condition]]\nname = \"heats\"\nhold = 0.3\n\
                 test = [{ kind = \"equal\", of = \"heater\", code = \"1\" }]\nanswer = [{ kind = \"stop-take\" }]\n";
    fs::write(dir.path().join("bath.toml"), bench).unwrap();
    // Nothing is sent unless that is allowed.
    let log = ["log", "bath", "--bench", "bath.toml", "--for", "8s", "--out", "quiet"];
    let (code, out, err) = amber_tap(dir.path(), &log);
    assert!(code == 0 && out.contains("1 not sent") && out.contains("events    1"), "{out}{err}");
    assert!(!dir.path().join("quiet/sent.csv").exists());
    let log = ["log", "bath", "--bench", "bath.toml", "--for", "60s", "--out", "armed", "--arm"];
    let (code, out, err) = amber_tap(dir.path(), &log);
    assert!(code == 0 && out.contains("1 line sent") && out.contains("events    2"), "{out}{err}");
    assert!(fs::read_to_string(dir.path().join("armed/sent.csv")).unwrap().contains("heater on"));
    assert!(fs::read_to_string(dir.path().join("armed/marks.csv")).unwrap().contains("degrees"));
    let table = fs::read_to_string(dir.path().join("armed/events.csv")).unwrap();
    let (code, out, err) = amber_tap(dir.path(), &["events", "armed"]);
    assert_eq!((code, &out), (0, &table), "{err}");
    assert!(err.contains("2 events in"), "{err}");
    // Another bench, over a text, and what cannot be done.
    let rows: String = (0..200).map(|i| format!("level={}\n", i % 50)).collect();
    fs::write(dir.path().join("rows.txt"), rows).unwrap();
    let other = "[[source]]\n[source.time]\nfrom = \"rate\"\nhz = 10.0\n[[source.condition]]\nname = \"high\"\n\
                 test = [{ kind = \"above\", of = \"level * 2\", value = 90.0 }]\n";
    fs::write(dir.path().join("other.toml"), other).unwrap();
    let (code, out, err) = amber_tap(dir.path(), &["events", "rows.txt", "--bench", "other.toml"]);
    assert_eq!((code, out.lines().count()), (0, 5), "{out}{err}");
    assert_eq!(out.lines().nth(1), Some("1,high,4.600000,,4.600000,0.400000,46"));
    // Without a clock its events are told in rows; a channel named like a column of theirs stands apart.
    let counted = other.replace("[source.time]\nfrom = \"rate\"\nhz = 10.0\n", "").replace("level", "number");
    fs::write(dir.path().join("counted.toml"), counted).unwrap();
    let rows = fs::read_to_string(dir.path().join("rows.txt")).unwrap().replace("level", "number");
    fs::write(dir.path().join("numbers.txt"), rows).unwrap();
    let (_, out, err) = amber_tap(dir.path(), &["events", "numbers.txt", "--bench", "counted.toml"]);
    let lines: Vec<&str> = out.lines().take(2).collect();
    let header = "number,condition,row,wall_clock,began_row,rows,number_2";
    assert_eq!(lines, [header, "1,high,46,,46,4,46"], "{err}");
    let wrong = other.replace("level * 2", "pressure");
    fs::write(dir.path().join("wrong.toml"), wrong).unwrap();
    let (code, _, err) = amber_tap(dir.path(), &["events", "rows.txt", "--bench", "wrong.toml"]);
    assert!(code == 0 && err.contains("condition high: there is no channel 'pressure'"), "{err}");
    let (code, _, err) = amber_tap(dir.path(), &["events", "rows.txt"]);
    assert!(code == 1 && err.contains("no condition is set"), "{err}");
    let (code, _, err) = amber_tap(dir.path(), &["log", "bath", "--rows", "2", "--bench", "other.toml", "--arm"]);
    assert!(code == 1 && err.contains("--arm"), "{err}");
}
