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
        across: Across::Seconds,
    }
}

#[test]
fn columns_have_names_of_their_own_and_rows_are_counted_where_nothing_tells_their_time() {
    let column = |name: &str| ExportColumn {
        name: name.into(),
        unit: String::new(),
        kind: ExportKind::Number,
        words: Words::default(),
    };
    let of = |across: Across, names: [&str; 2]| {
        let head = ExportHead { columns: names.map(column).to_vec(), start: Stamp(0), has_wall: false, across };
        let (mut table, mut lines) = (Vec::new(), Vec::new());
        let times = [Stamp(0), Stamp(10_000_000), Stamp(30_000_000)];
        let rows = |to: &mut dyn Exporter| {
            to.rows(&times, &[&[1.0, 2.0, 3.0], &[4.0, 5.0, 6.0]]).unwrap();
            to.finish().unwrap();
        };
        rows(&mut CsvTable::new(head.clone(), &mut table).unwrap());
        rows(&mut JsonLines::new(head, &mut lines));
        (String::from_utf8(table).unwrap(), String::from_utf8(lines).unwrap())
    };
    let (table, lines) = of(Across::Rows(100.0), ["level", "row"]);
    assert_eq!(table, "row,level,row_2\r\n0,1,4\r\n1,2,5\r\n3,3,6\r\n");
    assert!(lines.starts_with("{\"row\":0,\"level\":1,\"row_2\":4}\n{\"row\":1,"), "{lines}");
    let (table, _) = of(Across::Seconds, ["time_s", "wall_clock"]);
    assert!(table.starts_with("time_s,time_s_2,wall_clock_2\r\n0.000000,"), "{table}");
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

/// Columns of random values, in batches of any size.
fn random_rows(seed: u32, rows: usize) -> (Vec<Stamp>, Vec<Vec<f64>>) {
    let mut state = seed;
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        state >> 8
    };
    let times = (0..rows).map(|row| head().start.plus(row as f64 * 0.001)).collect();
    let mut columns = vec![Vec::new(); 3];
    for _ in 0..rows {
        let gap = |value: f64, is_gap: bool| if is_gap { f64::NAN } else { value };
        columns[0].push(gap(f64::from(next()) / 977.0 - 5000.0, next() % 11 == 0));
        columns[1].push(gap(f64::from(next() % 2), next() % 17 == 0));
        columns[2].push(gap(f64::from(next() % 5) - 2.0, next() % 13 == 0));
    }
    (times, columns)
}

fn export_in(exporter: &mut dyn Exporter, times: &[Stamp], columns: &[Vec<f64>], batch: usize) {
    for from in (0..times.len()).step_by(batch) {
        let to = times.len().min(from + batch);
        let parts: Vec<&[f64]> = columns.iter().map(|column| &column[from..to]).collect();
        exporter.rows(&times[from..to], &parts).unwrap();
    }
    exporter.finish().unwrap();
}

#[test]
fn any_rows_read_back_the_same_from_every_form_however_they_are_batched() {
    for (seed, batch) in [(1, 1), (2, 7), (3, 500), (4, 4096)] {
        let (times, columns) = random_rows(seed, 500);
        let mut text = Vec::new();
        export_in(&mut CsvTable::new(head(), &mut text).unwrap(), &times, &columns, batch);
        let mut reader = ::csv::Reader::from_reader(&text[..]);
        let mut count = 0;
        for (row, record) in reader.records().map(Result::unwrap).enumerate() {
            for (column, values) in columns.iter().enumerate() {
                let cell = &record[column + 2];
                let same = if values[row].is_nan() {
                    cell.is_empty()
                } else {
                    (cell.parse::<f64>().unwrap() - values[row]).abs() <= 1e-11 * values[row].abs().max(1.0)
                };
                assert!(same, "{cell} for {}", values[row]);
            }
            count += 1;
        }
        assert_eq!(count, 500);
        let mut lines = Vec::new();
        export_in(&mut JsonLines::new(head(), &mut lines), &times, &columns, batch);
        for (row, line) in String::from_utf8(lines).unwrap().lines().enumerate() {
            let line: serde_json::Value = serde_json::from_str(line).unwrap();
            let state = line["state"].as_f64();
            assert_eq!(state, Some(columns[2][row]).filter(|value| !value.is_nan()), "{line}");
        }
        // A dump says what each said at every moment, from the changes alone.
        let mut dump = Vec::new();
        export_in(&mut Vcd::new(head(), "x", &mut dump).unwrap(), &times, &columns, batch);
        let mut parser = ::vcd::Parser::new(&dump[..]);
        let header = parser.parse_header().unwrap();
        let codes = ["pump_on", "state"].map(|name| header.find_var(&["take", name]).unwrap().code);
        let (mut at, mut seen) = (0u64, vec![(0u64, f64::NAN, f64::NAN)]);
        for command in parser.map(Result::unwrap) {
            let last = *seen.last().unwrap();
            let (_, mut pump, mut state) = last;
            match command {
                ::vcd::Command::Timestamp(time) => {
                    at = time;
                    continue;
                }
                ::vcd::Command::ChangeScalar(id, value) if id == codes[0] => {
                    pump = match value {
                        ::vcd::Value::V0 => 0.0,
                        ::vcd::Value::V1 => 1.0,
                        _ => f64::NAN,
                    };
                }
                ::vcd::Command::ChangeVector(id, bits) if id == codes[1] => {
                    let bits: Vec<::vcd::Value> = bits.iter().collect();
                    let code = bits.iter().fold(0u32, |code, bit| code << 1 | u32::from(*bit == ::vcd::Value::V1));
                    let is_known = bits.iter().all(|bit| matches!(bit, ::vcd::Value::V0 | ::vcd::Value::V1));
                    state = if is_known { f64::from(code.cast_signed()) } else { f64::NAN };
                }
                _ => continue,
            }
            if last.0 == at { *seen.last_mut().unwrap() = (at, pump, state) } else { seen.push((at, pump, state)) }
        }
        let same = |a: f64, b: f64| a == b || (a.is_nan() && b.is_nan());
        for (row, (own_pump, own_state)) in columns[1].iter().zip(&columns[2]).enumerate() {
            let micros = row as u64 * 1000;
            let (_, pump, state) = seen[seen.partition_point(|(at, ..)| *at <= micros) - 1];
            assert!(same(pump, *own_pump) && same(state, *own_state), "row {row}: {pump} {state}");
        }
    }
}

#[test]
fn sound_of_two_channels_reads_back() {
    let bytes = wav(&[vec![1.0, -2.5, f64::NAN], vec![0.25, 4095.0, 7.0]], 99.98).unwrap();
    let mut reader = hound::WavReader::new(&bytes[..]).unwrap();
    assert_eq!((reader.spec().channels, reader.spec().sample_rate), (2, 100));
    let samples: Vec<f32> = reader.samples().map(Result::unwrap).collect();
    assert_eq!(samples, [1.0, 0.25, -2.5, 4095.0, 0.0, 7.0]);
    assert!(wav(&[], 100.0).is_err() && wav(&[vec![1.0]], 0.2).is_err());
}
