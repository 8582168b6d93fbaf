//! What lines of many kinds are read as: names, units and kinds of the channels, and the last whole row.

use amber_grammar::{ChannelKind, Lines, find};

/// A wave that is a little uneven: `i` counts lines, `place` columns.
fn wave(i: usize, place: usize) -> f64 {
    let phase = i as f64 / (7.0 + place as f64) + place as f64;
    100.0 * place as f64 + 512.0 + 300.0 * phase.sin() + ((i * 7919 + place * 104_729) % 13) as f64
}

/// `layout` so many times: `{0}` `{1}` … whole numbers, `{0.2}` one of two decimals, `{i}` the count, `{s}` a state.
fn written(layout: &str, times: usize) -> String {
    let mut text = String::new();
    for i in 0..times {
        let mut rest = layout;
        while let Some((front, more)) = rest.split_once('{') {
            let (field, behind) = more.split_once('}').unwrap_or((more, ""));
            text += front;
            text += &match field {
                "(" => "{".to_owned(),
                ")" => "}".to_owned(),
                "i" => i.to_string(),
                "s" => ["idle", "run", "fault"][(i / 5 + i / 17) % 3].to_owned(),
                _ => match field.split_once('.') {
                    Some((place, decimals)) => {
                        format!("{:.*}", decimals.parse().unwrap_or(1), wave(i, place.parse().unwrap_or(0)) / 10.0)
                    }
                    None => format!("{:.0}", wave(i, field.parse().unwrap_or(0))),
                },
            };
            rest = behind;
        }
        text += rest;
        text.push('\n');
    }
    text
}

/// The channels as `name [unit] kind`, and whether it is sure.
fn told(text: &str) -> (String, bool) {
    let text = Lines::of(text.as_bytes());
    let Some(found) = find(&text) else { return (String::new(), false) };
    let channel = |channel: &amber_grammar::Channel| {
        let unit = if channel.unit.is_empty() { String::new() } else { format!(" [{}]", channel.unit) };
        let kind = match channel.kind {
            ChannelKind::Clock => " clock",
            ChannelKind::Analog => "",
            ChannelKind::Digital => " digital",
            ChannelKind::Code => " code",
        };
        format!("{}{unit}{kind}", channel.name)
    };
    let table = found.table(&text, true);
    let channels: Vec<String> = table.channels.iter().map(channel).collect();
    (channels.join(", "), found.doubts.is_empty())
}

#[test]
fn names_and_units_stand_where_people_write_them() {
    for (layout, channels) in [
        ("gauge={0}, bed={1.2}", "gauge, bed"),
        ("{0} gauge, {1.1} bed", "gauge, bed"),
        ("t: {i} rpm:\t{0} rpm\tpot:\t{1}", "t clock, rpm [rpm], pot"),
        ("[{i}] SPEED (rpm) : {0} RPM (rpm) : {1} LOAD (%) : {2.1}", "field1, SPEED [rpm], RPM [rpm], LOAD [%]"),
        ("Val\t{0.2}  Limit\t{1}", "Val, Limit"),
        ("DOOR\t{0}, D2\t{1.1}", "DOOR, D2"),
        ("data: gauge:{0}", "gauge"),
        ("PM2.5: {0} ug/m3 PM10: {1} ug/m3", "PM2.5 [ug/m3], PM10 [ug/m3]"),
        ("gauge: about {0.1} mm. bed: about {1.1} mm.", "gauge [mm], bed [mm]"),
        ("I ({i}) app: Level -> {0}", "I, Level"),
        ("Sensor 0={0} C Sensor 1={1.1} C", "Sensor 0 [C], Sensor 1 [C]"),
        ("{(}\"pot 1\": {0}, \"dev\": \"node 3\", \"v\": \"{1.2} V\"{)}", "pot 1, v [V]"),
        ("3C:61:05:0A:F2:9B rssi {0} v1.2.3", "rssi"),
    ] {
        assert_eq!(told(&written(layout, 60)), (channels.to_owned(), true), "{layout}");
    }
}

#[test]
fn a_header_names_the_columns_and_a_greeting_does_not() {
    for (head, layout, channels) in [
        ("gauge,bed,mode", "{0},{1.1},{s}", "gauge, bed, mode code"),
        ("gauge (mm)\tbed (mm)", "[INFO] app: {0}\t{1.1}", "gauge [mm], bed [mm]"),
        ("t_ms;BTN_A", "{i};{0}", "t_ms [ms] clock, BTN_A [A]"),
        ("Zeit;Druck\n[s];[bar]", "{i};{0}", "Zeit [s] clock, Druck [bar]"),
        ("Hello, world", "{0},{1}", "field1, field2"),
        ("ready", "{0}", "field1"),
        ("nan,inf", "{0},{1}", "field1, field2"),
    ] {
        assert_eq!(told(&format!("{head}\n{}", written(layout, 40))).0, channels, "{head}");
    }
}

#[test]
fn what_comes_now_and_then_is_a_column_of_its_own() {
    let lines: String = (0..80)
        .map(|i| {
            let rare = if i % 3 == 1 { format!(";V1:{}", (wave(i, 3) * 7.0) as i64) } else { String::new() };
            format!("{}.{} s;V0:{:.0}{rare};V2:{:.0}\n", i / 2, i % 2 * 5, wave(i, 0), wave(i, 1))
        })
        .collect();
    let (channels, is_sure) = told(&lines);
    assert_eq!((channels.as_str(), is_sure), ("field1 [s] clock, V0, V1, V2", true));
    // A text behind a value that is not always there makes no other kind of line.
    let lines: String = (0..60)
        .map(|i| format!("temp {:.0}{}\n", wave(i, 0), if wave(i, 0) > 700.0 { " !!! HOT" } else { "" }))
        .collect();
    assert_eq!(told(&lines).0, "temp");
}

#[test]
fn commas_and_leading_zeros_are_told_by_all_lines() {
    let padded: String = (0..60).map(|i| format!("{:04.0},{:04.0}\n", wave(i, 0), wave(i, 5))).collect();
    assert_eq!(told(&padded).0, "field1, field2");
    let both: String =
        (0..60).map(|i| format!("#A,{:.0},{:.0}\n#B,{:.1}\n", wave(i, 0), wave(i, 1), wave(i, 2) / 10.0)).collect();
    assert_eq!(told(&both).0.split(", ").count(), 3);
}

#[test]
fn pairs_of_names_and_states_are_no_sentence() {
    let lines: String = (0..60)
        .map(|i| format!("pump: {}, lid: {}\n", ["off", "on"][i / 4 % 2], ["closed", "open"][i / 7 % 2]))
        .collect();
    assert_eq!(told(&lines).0, "pump digital, lid digital");
    let lines: String = (0..60).map(|i| ["No motion\n", "Motion detected!\n"][i / 5 % 2]).collect();
    assert_eq!(told(&lines).0, "motion digital");
}

#[test]
fn what_may_be_read_in_two_ways_is_doubted() {
    let of = |line: &dyn Fn(usize) -> String| -> String { (0..60).map(line).collect() };
    // Decimal commas, or thousands.
    assert!(!told(&of(&|i| format!("a={:.0}&b=92,{}\n", wave(i, 0), 100 + i * 37 % 800))).1);
    // Bits of a port, or a number.
    assert!(!told(&of(&|i| format!("port=1{:07b} level={:.0}\n", i * 29 % 128, wave(i, 0)))).1);
    // A state in front of a value, or names of several.
    assert!(!told(&of(&|i| format!("{}: {:.0}\n", ["up", "left", "far"][i * i % 3], wave(i, 0)))).1);
    // Nothing changes but the time.
    assert!(!told(&of(&|i| format!("{:.1}: Obstacle ahead!\n", i as f64 * 0.5))).1);
}

#[test]
fn a_line_between_that_never_changes_is_a_reading_where_it_has_a_name_and_a_number() {
    let lines: String = (0..80)
        .map(|i| {
            let rare = if i % 11 == 3 { "Battery: 3.00V\n" } else { "" };
            format!("{{{:.0}, {:+.1}}}\n{rare}", wave(i, 0), wave(i, 1) / 10.0)
        })
        .collect();
    assert_eq!(told(&lines), ("field1, field2, Battery [V]".to_owned(), true));
    // A value in brackets is no subscript, and words that came twice behind a name of words are no messages.
    let lines: String = (0..60)
        .map(|i| format!("A0[3835], Limit[{}]\nmode: {}\n", i / 9 % 2, if i < 2 { "red" } else { "blue" }))
        .collect();
    assert_eq!(told(&lines).0, "A0, Limit digital, mode digital");
}

#[test]
fn a_wave_of_bare_numbers_is_no_row_of_several_lines() {
    let period: String =
        (0..150).map(|i: i32| format!("{:.3}\n", (f64::from(i % 25) * std::f64::consts::TAU * 0.04).sin())).collect();
    assert_eq!(told(&period).0, "field1");
    let two: String =
        (0..150).map(|i| format!("{:.0}\n", if i % 2 == 0 { wave(i, 0) } else { 40.0 + (i % 7) as f64 })).collect();
    assert_eq!(told(&two), ("field1, field2".to_owned(), true));
}

#[test]
fn numbers_in_front_tell_lines_apart_whatever_units_and_words_stand_behind() {
    let lines: String = (0..160)
        .map(|i| match i % 8 {
            place @ (0 | 4) => format!("{place}) {:.0}\n", wave(i, place)),
            place @ (1 | 5) => format!("{place}) {:.2} uF\n", wave(i, place) / 10.0),
            place @ (2 | 3) => format!("{place}) {:.1}dps\n", wave(i, place) / 10.0),
            6 => format!("6) {:.0}°\n", wave(i, 6)),
            _ => format!("7) {}\n", ["N", "SE", "W"][i / 24 % 3]),
        })
        .collect();
    let (channels, is_sure) = told(&lines);
    assert_eq!((channels.as_str(), is_sure), ("0, 1 [uF], 2 [dps], 3 [dps], 4, 5 [uF], 6 [°], 7 code", true));
}

#[test]
fn names_behind_values_stay_where_one_of_them_is_missing() {
    let lines: String = (0..60)
        .map(|i| {
            let ay = if i % 6 == 2 { String::new() } else { format!("{:.2} ay\t", wave(i, 2) / 100.0) };
            format!("Readings: {:.2} ax\t{ay}{:.0} az\n", wave(i, 1) / 100.0, wave(i, 4))
        })
        .collect();
    let text = Lines::of(lines.as_bytes());
    let table = find(&text).unwrap().table(&text, true);
    let names: Vec<&str> = table.channels.iter().map(|channel| channel.name.as_str()).collect();
    assert_eq!(names, ["ax", "ay", "az"]);
    assert!(table.rows.iter().all(|row| row[2].is_some_and(|az| az.fract() == 0.0)));
}

#[test]
fn a_damaged_line_speaks_for_no_other_reading() {
    let lines: String = (0..40)
        .map(|i| {
            let damage = if i == 20 { "q" } else { "" };
            format!("Count: {damage}{}'{:03} of many\n", 5 + i / 8, (i * 83 + i * i) % 1000)
        })
        .collect();
    assert_eq!(told(&lines).0, "Count");
    // Lines of several forms that come in turn do so once: a decimal comma is no second column.
    let lines: String = (0..60)
        .map(|i| {
            format!(
                "fsr:\t{:.0}\nlat:\t34,{}\nlon:\t-72,{}\nrelay:\t{}\n",
                wave(i, 0),
                7040 + i % 9,
                8410 - i % 7,
                ["on", "off"][i / 9 % 2]
            )
        })
        .collect();
    assert_eq!(told(&lines).0, "fsr, lat, lon, relay digital");
}
