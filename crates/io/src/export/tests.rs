use super::*;

fn head() -> ExportHead {
    let column =
        |name: &str, kind| ExportColumn { name: name.into(), unit: String::new(), kind, words: Words::default() };
    ExportHead {
        columns: vec![
            column("level, \"left\"", ExportKind::Number),
            column("pump on", ExportKind::Digital),
            column("state", ExportKind::Code),
        ],
        start: Stamp(1_700_000_000_000_000_000),
        has_wall: true,
    }
}

fn export(exporter: &mut dyn Exporter) {
    let times: Vec<Stamp> = (0..4).map(|i| head().start.plus(f64::from(i) * 0.25)).collect();
    let level = [1.5, f64::NAN, 0.1 + 0.2, 1e-7];
    let pump = [0.0, 1.0, 1.0, f64::NAN];
    let state = [3.0, 3.0, -2.0, -2.0];
    exporter.rows(&times[..3], &[&level[..3], &pump[..3], &state[..3]]).unwrap();
    exporter.rows(&times[3..], &[&level[3..], &pump[3..], &state[3..]]).unwrap();
    exporter.finish().unwrap();
}

#[test]
fn rows_come_out_as_csv_and_json_lines_with_their_gaps() {
    let mut out = Vec::new();
    export(&mut CsvTable::new(head(), &mut out).unwrap());
    let text = String::from_utf8(out).unwrap();
    assert!(text.starts_with("time_s,wall_clock,\"level, \"\"left\"\"\",pump on,state\r\n"), "{text}");
    assert!(
        text.contains("0.250000,2023-11-14T22:13:20.250000Z,,1,3\r\n0.500000,2023-11-14T22:13:20.500000Z,0.3,1,-2\r\n"),
        "{text}"
    );
    let mut out = Vec::new();
    export(&mut JsonLines::new(head(), &mut out));
    let rows: Vec<serde_json::Value> =
        String::from_utf8(out).unwrap().lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(
        (rows.len(), &rows[2]["level, \"left\""], &rows[1]["level, \"left\""]),
        (4, &0.3.into(), &serde_json::Value::Null)
    );
}

#[test]
fn a_dump_of_changes_reads_back_with_its_moments() {
    let mut out = Vec::new();
    export(&mut Vcd::new(head(), "Amber Tap", &mut out).unwrap());
    let mut parser = ::vcd::Parser::new(&out[..]);
    let header = parser.parse_header().unwrap();
    assert_eq!(header.timescale, Some((1, TimescaleUnit::US)));
    let pump = header.find_var(&["take", "pump_on"]).unwrap().code;
    let (mut at, mut changes) = (0, Vec::new());
    for command in parser.map(Result::unwrap) {
        match command {
            ::vcd::Command::Timestamp(time) => at = time,
            ::vcd::Command::ChangeScalar(id, value) if id == pump => changes.push((at, value.to_string())),
            _ => {}
        }
    }
    let told: Vec<(u64, &str)> = changes.iter().map(|(at, value)| (*at, value.as_str())).collect();
    assert_eq!((told, at), (vec![(0, "x"), (0, "0"), (250_000, "1"), (750_000, "x")], 750_000));
}

use ::vcd::TimescaleUnit;

#[test]
fn sound_of_two_channels_reads_back() {
    let bytes = wav(&[vec![1.0, -2.5, f64::NAN], vec![0.25, 4095.0, 7.0]], 99.98).unwrap();
    let mut reader = hound::WavReader::new(&bytes[..]).unwrap();
    assert_eq!((reader.spec().channels, reader.spec().sample_rate), (2, 100));
    let samples: Vec<f32> = reader.samples().map(Result::unwrap).collect();
    assert_eq!(samples, [1.0, 0.25, -2.5, 4095.0, 0.0, 7.0]);
    assert!(wav(&[], 100.0).is_err() && wav(&[vec![1.0]], 0.2).is_err());
}
