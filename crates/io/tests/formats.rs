//! What earlier versions wrote stays readable, and what is written now says how it was written.

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_io::take::{DECODER, Event, TakePlace, Writer, open};
use regex::Regex;
use std::fs;
use std::path::{Path, PathBuf};

/// A copy of this take.
fn kept(name: &str, dir: &Path) -> PathBuf {
    let from = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/formats").join(name);
    let to = dir.join(name);
    fs::create_dir(&to).unwrap();
    for entry in fs::read_dir(from).unwrap().flatten() {
        fs::copy(entry.path(), to.join(entry.file_name())).unwrap();
    }
    to
}

#[test]
fn takes_of_every_format_open_with_all_their_rows() {
    let dir = tempfile::tempdir().unwrap();
    for (name, format, decoder) in [
        ("take-0", 0, 0),
        ("take-1", 1, 1),
        ("take-2", 2, 1),
        ("take-2-decoder-2", 2, 2),
        ("take-2-decoder-3", 2, 3),
        ("take-2-decoder-4", 2, 4),
        ("take-2-decoder-5", 2, 5),
        ("take-2-decoder-6", 2, 6),
        ("take-3", 3, DECODER),
    ] {
        let folder = kept(name, dir.path());
        let table = fs::read(folder.join("readings.csv")).unwrap();
        let take = open(&folder).unwrap();
        assert_eq!((take.about.format, take.about.decoder), (format, decoder));
        assert_eq!(take.told, Vec::<String>::new(), "{name}");
        assert_eq!(fs::read(folder.join("readings.csv")).unwrap(), table, "another decoder's table is left alone");
        let scale = &take.bench.first().channel("gauge_a").unwrap().scale;
        assert_eq!((scale.steps.len(), scale.unit()), (2, "mm"));
        let again = String::from_utf8(take.decode().unwrap()).unwrap();
        assert_eq!(again.lines().count(), 31, "{name}");
        if take.about.decoder == DECODER {
            assert_eq!(again.as_bytes(), table, "decoding again gives the same table, byte for byte");
        }
    }
    let old = open(&dir.path().join("take-0")).unwrap();
    assert_eq!(old.marks[0].note, "half full, \"still\"");
}

#[test]
fn what_is_not_understood_of_a_take_is_told_and_the_rest_opens() {
    let dir = tempfile::tempdir().unwrap();
    let folder = kept("take-2", dir.path());
    let edit = |name: &str, edit: &dyn Fn(String) -> String| {
        let path = folder.join(name);
        fs::write(&path, edit(fs::read_to_string(&path).unwrap())).unwrap();
    };
    edit("take.toml", &|text| text.replace("format = 2", "format = 7\ncolour = \"green\""));
    edit("bench.toml", &|text| text + "\n[weather]\nwind = 3\n");
    edit("wire.csv", &|text| text.replacen(",\r\n", ",sneeze\r\n", 1));
    let take = open(&folder).unwrap();
    let told = take.told.join("\n");
    for what in ["format 7", "weather", "'sneeze' is not known"] {
        assert!(told.contains(what), "{what}: {told}");
    }
    assert_eq!(String::from_utf8(take.decode().unwrap()).unwrap().lines().count(), 31);
}

/// The W3C's "Metadata Vocabulary for Tabular Data" (2015), section 5.6, and RFC 6570, section 2.3, read on their own.
#[test]
fn names_of_columns_are_legal_whatever_channels_are_called() {
    let dir = tempfile::tempdir().unwrap();
    let called = ["water level", "a<b", "x & y", "Ö", "_hidden", "p.2", "é%", "time_s"];
    let mut bench = String::from("[split]\nshape = \"plain\"\ndelimiter = \"comma\"\nfields = 8\n[keep]\nraw = true\n");
    for (i, name) in called.iter().enumerate().filter(|(_, name)| **name != "time_s") {
        bench += &format!("[[channel]]\nname = \"field{}\"\ncalled = \"{name}\"\n", i + 1);
        bench += "scale = { steps = [{ is = \"gain\", by = 2.0, unit = \"m/s²\" }] }\n";
    }
    let bench = Bench::parse(&bench).unwrap();
    let place = TakePlace::Exactly(dir.path().join("x"));
    let mut writer = Writer::create(&place, &bench, Stamp(0), Event::BEGIN).unwrap();
    (0..400).for_each(|i| writer.chunk(Stamp(i * 20_000_000), b"1,2,3,4,5,6,7,8\n").unwrap());
    writer.finish(Stamp(9_000_000_000)).unwrap();
    let read = |name: &str| fs::read_to_string(dir.path().join("x").join(name)).unwrap();
    let document: serde_json::Value = serde_json::from_str(&read("readings.csv-metadata.json")).unwrap();
    assert_eq!(document["@context"], "http://www.w3.org/ns/csvw");
    let legal = Regex::new(r"^([A-Za-z0-9]|%[0-9A-F]{2})(\.?([A-Za-z0-9_]|%[0-9A-F]{2}))*$").unwrap();
    let table = read(document["url"].as_str().unwrap());
    let header: Vec<&str> = table.lines().next().unwrap().split(',').collect();
    let columns = document["tableSchema"]["columns"].as_array().unwrap();
    assert_eq!(columns.len(), header.len());
    let mut names = Vec::new();
    for (column, cell) in columns.iter().zip(&header) {
        let name = column["name"].as_str().unwrap();
        assert!(legal.is_match(name), "{name}");
        assert!(!names.contains(&name), "{name} appears twice");
        names.push(name);
        assert_eq!(column["titles"].as_str().unwrap(), *cell, "the title is what the header says");
    }
    assert!(header.contains(&"water level_raw") && names.contains(&"water%20level"), "{header:?} {names:?}");
}

#[test]
fn no_two_columns_have_one_name() {
    let dir = tempfile::tempdir().unwrap();
    // A board's own labels can be anything.
    let bench = Bench::parse(
        "[keep]\nraw = true\n[split]\nshape = \"labelled\"\nlabels = [\"time_s\", \"bed\", \"bed_raw\"]\ncomplete = true\n\
         [[channel]]\nname = \"bed\"\nscale = { steps = [{ is = \"gain\", by = 2.0 }] }\n\
         [[channel]]\nname = \"extra\"\nformula = \"bed * 2\"\n",
    )
    .unwrap();
    let place = TakePlace::Exactly(dir.path().join("x"));
    let mut writer = Writer::create(&place, &bench, Stamp(0), Event::BEGIN).unwrap();
    (0..9).for_each(|i| writer.chunk(Stamp(i * 1_000_000), b"time_s=1 bed=2 bed_raw=3\n").unwrap());
    let summary = writer.finish(Stamp(9_000_000)).unwrap();
    let table = fs::read_to_string(dir.path().join("x/readings.csv")).unwrap();
    assert_eq!(table.lines().next(), Some("time_s,wall_clock,time_s_2,bed,bed_raw,bed_raw_2,extra"));
    assert!(table.lines().nth(1).unwrap().ends_with(",1,4,2,3,8"), "{table}");
    assert!(summary.troubles.iter().any(|told| told.contains("bed_raw_2")), "{:?}", summary.troubles);
}
