use super::*;

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
