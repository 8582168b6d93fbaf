use super::*;
use proptest::prelude::*;

#[test]
fn every_setting_comes_back_from_its_text() {
    let both = |text: &str| text.parse::<Pace>().map(|pace| pace.to_string());
    assert_eq!(both("every row"), Ok("every row".into()));
    assert_eq!(both(""), Ok("every row".into()));
    assert_eq!(both("every 10"), Ok("every 10".into()));
    assert_eq!(both("1 s"), Ok("1 s".into()));
    assert_eq!(both("500ms last, mean"), Ok("0.5 s last mean".into()));
    assert_eq!(both("2 min max max"), Ok("120 s max".into()));
    for wrong in ["every", "every 0", "every x", "0 s", "-1 s", "1 s median", "mean", "1 furlong"] {
        assert!(both(wrong).is_err() || wrong == "every", "{wrong}");
    }
    for text in ["by key", "in 10 s", "at 14:30", "at 06:05:04", "on high water"] {
        assert_eq!(text.parse::<Start>().unwrap().to_string(), text);
    }
    for wrong in ["in", "at 24:00", "at 1", "on", "on a,b", "now", "at 1:2:3:4"] {
        assert!(wrong.parse::<Start>().is_err(), "{wrong}");
    }
    for text in ["by key", "600 s", "1000 rows", "10 MB", "on dry", "1 rows, 0.5 s, 1500 B"] {
        assert_eq!(text.parse::<Limits>().unwrap().to_string(), text);
    }
    for wrong in ["0 rows", "x rows", "10", ",", "10 min,", "on"] {
        assert!(wrong.parse::<Limits>().is_err() || wrong == "10", "{wrong}");
    }
    for text in ["297x210 mm", "160x100 mm", "317.5x211.67 mm"] {
        assert_eq!(text.parse::<PaperSize>().unwrap().to_string(), text);
    }
    assert_eq!("1200 × 800 px".parse::<PaperSize>().unwrap().to_string(), "317.5x211.67 mm");
    for wrong in ["10x10 mm", "160", "x", "1e9x100 mm", "NaNx100"] {
        assert!(wrong.parse::<PaperSize>().is_err(), "{wrong}");
    }
    for text in ["one", "28800 s", "10 MB"] {
        assert_eq!(text.parse::<Parts>().unwrap().to_string(), text);
    }
    for wrong in ["0.5 s", "1 kB", "two", "8 h 10 MB"] {
        assert!(wrong.parse::<Parts>().is_err(), "{wrong}");
    }
}

#[test]
fn the_plan_is_a_sentence() {
    let plan = Keep {
        pace: "1 s mean".parse().unwrap(),
        stop: "10 min".parse().unwrap(),
        parts: "8 h".parse().unwrap(),
        ..Keep::default()
    };
    let told = "one row each 1 s: mean of 100 rows; for 10 min; a new file each 8 h (3 files a day)";
    assert_eq!(plan.sentence(Some(100.0)), told);
    assert_eq!(Keep::default().sentence(None), "every row; until it is ended");
    assert_eq!((plan.table_rate(100.0), plan.table_rate(0.2)), (1.0, 0.2));
}

#[test]
fn a_stretch_comes_to_what_its_rows_do_and_to_a_gap_without_any() {
    let mut gathered = Gatherer::default();
    assert!(Statistic::ALL.iter().all(|statistic| gathered.gives(*statistic).is_nan()));
    for value in [1e16, 3.0, f64::NAN, -1e16, 5.0, f64::NAN] {
        gathered.take(value);
    }
    assert_eq!(Statistic::ALL.map(|statistic| gathered.gives(statistic)), [5.0, 2.0, -1e16, 1e16]);
}

fn length() -> impl Strategy<Value = f64> {
    (1..4_000_000u32).prop_map(|millis| f64::from(millis) * 0.25)
}

fn name() -> impl Strategy<Value = String> {
    "[a-zé][a-z0-9 ._-]{0,12}[a-z0-9]"
}

proptest! {
    /// Whatever is set comes back from its text, and any text is read or told why not.
    #[test]
    fn any_plan_comes_back_from_its_text(
        every in 1..1000u64, seconds in length(), some in proptest::sample::subsequence(Statistic::ALL.to_vec(), 1..=4),
        time in (0..24u8, 0..60u8, 0..60u8), condition in name(), rows in 1..1_000_000u64, bytes in 10_000..u64::from(u32::MAX),
        typed in "\\PC{0,20}",
    ) {
        for pace in [Pace::Every(every), Pace::Each { seconds, values: some }] {
            prop_assert_eq!(pace.to_string().parse::<Pace>(), Ok(pace));
        }
        for start in [Start::In(seconds), Start::At(time.0, time.1, time.2), Start::On(condition.clone()), Start::Key] {
            prop_assert_eq!(start.to_string().parse::<Start>(), Ok(start));
        }
        let limits = [Limit::Rows(rows), Limit::Seconds(seconds), Limit::Bytes(bytes), Limit::On(condition)];
        for count in 0..=4 {
            let limits = Limits(limits[..count].to_vec());
            prop_assert_eq!(limits.to_string().parse::<Limits>(), Ok(limits.clone()));
            prop_assert_eq!((limits.rows(), limits.is_empty()), ((count > 0).then_some(rows), count == 0));
        }
        for part in [Part::Seconds(seconds.max(1.0)), Part::Bytes(bytes)] {
            prop_assert_eq!(Parts(Some(part)).to_string().parse::<Parts>(), Ok(Parts(Some(part))));
        }
        let told = [
            typed.parse::<Pace>().err(), typed.parse::<Start>().err(), typed.parse::<Limits>().err(),
            typed.parse::<Parts>().err(), typed.parse::<StationRule>().err(), typed.parse::<PaperSize>().err(),
            typed.parse::<Clocks>().err(),
        ];
        prop_assert!(told.iter().flatten().all(|why| why.len() > 10));
    }

    /// Gathered values against a plain loop, with gaps and of any size.
    #[test]
    fn what_is_gathered_is_what_a_plain_loop_says(values in proptest::collection::vec(proptest::option::of(-1e9..1e9f64), 0..200)) {
        let mut gathered = Gatherer::default();
        values.iter().for_each(|value| gathered.take(value.unwrap_or(f64::NAN)));
        let sound: Vec<f64> = values.iter().flatten().copied().collect();
        let same = |a: f64, b: f64| (a.is_nan() && b.is_nan()) || (a - b).abs() <= 1e-9 * b.abs().max(1.0);
        let fold = |by: fn(f64, f64) -> f64| sound.iter().copied().reduce(by).unwrap_or(f64::NAN);
        prop_assert!(same(gathered.gives(Statistic::Mean), sound.iter().sum::<f64>() / sound.len() as f64));
        prop_assert!(same(gathered.gives(Statistic::Min), fold(f64::min)));
        prop_assert!(same(gathered.gives(Statistic::Max), fold(f64::max)));
        prop_assert!(same(gathered.gives(Statistic::Last), sound.last().copied().unwrap_or(f64::NAN)));
    }
}

#[test]
fn settings_out_of_their_range_are_told_with_their_key() {
    for (keep, key) in [
        (Keep { decimals: Some(13), ..Keep::default() }, "decimals"),
        (Keep { before: -1.0, ..Keep::default() }, "before"),
        (Keep { before: f64::NAN, ..Keep::default() }, "before"),
        (Keep { before: 1e9, ..Keep::default() }, "before"),
    ] {
        assert_eq!(keep.fault().map(|(key, _)| key), Some(key));
    }
    let keep = Keep { channels: vec!["level".into()], ..Keep::default() };
    assert!(keep.has("level", "x") && keep.has("a", "level") && !keep.has("a", "b"));
    assert!(Keep::default().has("a", "b") && keep.sentence(None).contains("of level"));
    let parse = |text: &str| crate::bench::Bench::parse(text);
    let bench =
        parse("[keep]\npace = \"1 s max\"\nstop = \"10 min, on dry\"\nclocks = \"wall\"\nstation = \"next level\"\n")
            .unwrap();
    let again = parse(&bench.new_file("x")).unwrap();
    assert_eq!(again, bench);
    assert!(bench.shared.keep.stop.ends_on("dry") && !bench.shared.keep.clocks.board());
    let wrong = parse("[keep]\npace = \"often\"\n").unwrap_err();
    assert_eq!((wrong.line, wrong.message.contains("type every row")), (2, true), "{wrong}");
}
