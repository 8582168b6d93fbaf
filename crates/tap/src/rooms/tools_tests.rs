//! The scale's steps, zero, formulas, calibration, survey and doctor, driven by keys.

use super::tests::{START, app, feed, picture, press, replace, typed, watched};
use super::*;
use crate::session::*;
use amber_core::chain::Chain;
use amber_core::checkup::FaultKind;
use amber_core::part::Listed;
use amber_core::scale::{Curve, Offset, Sign, Step};
use amber_core::store::Limits;
use crossterm::event::KeyCode;
use jiff::tz::TimeZone;
use std::time::Duration;

const FLUME: &str = include_str!("../../assets/flume.bench.toml");

/// A board watched for so many seconds.
fn watch(app: &mut App, name: &str, seconds: u64) {
    let mut board = amber_boards::by_name(name, 5).unwrap();
    for step in 1..=seconds * 20 {
        let mut bytes = Vec::new();
        board.run(Duration::from_millis(step * 50), &mut bytes);
        let at = START.plus(step as f64 * 0.05);
        let chunk = amber_io::Chunk { at, bytes: bytes.into(), skipped: 0 };
        app.update(at, Message::Feed(0, Feed::Chunk(chunk)));
        app.before_frame(at);
    }
}

fn bare(bench: &str) -> App {
    let mut app = {
        let bench = Bench::parse(bench).unwrap();
        App::live(Chain::new(&bench, 0, Limits::default()), bench.shared, "out".into(), None, START)
    };
    app.session.zone = TimeZone::UTC;
    app.session.size = (160, 47);
    app
}

fn keys(app: &mut App, text: &str) {
    typed(app, text);
}

fn steps(app: &App) -> String {
    let steps = &app.session.channel().unwrap().settings().scale.steps;
    steps.iter().map(Listed::kind).collect::<Vec<_>>().join(" ")
}

fn notice(app: &App) -> String {
    app.session.notice.as_ref().map(|notice| notice.text.clone()).unwrap_or_default()
}

#[test]
fn steps_are_added_moved_passed_by_and_removed_and_all_of_it_undone_and_done_again() {
    let mut app = watched(3);
    let mut seen = vec![app.session.bench()];
    let mut note = |app: &App| seen.push(app.session.bench());
    keys(&mut app, "3");
    press(&mut app, KeyCode::Down);
    // Behind the converter: the second entry of the list is an offset.
    keys(&mut app, "a");
    assert!(picture(&mut app, 160, 47).contains("add step 2"));
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Enter);
    note(&app);
    assert_eq!(steps(&app), "converter offset offset gain");
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "40m");
    note(&app);
    keys(&mut app, ">");
    note(&app);
    keys(&mut app, "p");
    note(&app);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("3 offset") && text.contains("bypassed"), "{text}");
    keys(&mut app, "x");
    note(&app);
    assert_eq!(steps(&app), "converter offset gain");
    keys(&mut app, "2h");
    note(&app);
    keys(&mut app, "3F");
    replace(&mut app, "slope = (gauge_a - gauge_b) / 2");
    note(&app);
    assert_eq!(app.session.channel().unwrap().name(), "slope");
    keys(&mut app, "2<");
    note(&app);
    keys(&mut app, "3X");
    note(&app);
    assert!(app.session.chain().channels().iter().all(|channel| channel.name() != "slope"));
    press(&mut app, KeyCode::Tab);
    keys(&mut app, "ys");
    note(&app);
    // Back to the beginning, and forth again.
    let names = |bench: &Bench| bench.first().channel.iter().map(|c| c.name.clone()).collect::<Vec<_>>();
    for bench in seen.iter().rev().skip(1) {
        keys(&mut app, "u");
        assert_eq!(names(&app.session.bench()), names(bench), "{}", notice(&app));
        assert_eq!(&app.session.bench(), bench, "{}", notice(&app));
    }
    keys(&mut app, "u");
    assert!(notice(&app).contains("nothing to undo"));
    for bench in &seen[1..] {
        keys(&mut app, "U");
        assert_eq!(&app.session.bench(), bench, "{}", notice(&app));
    }
    keys(&mut app, "U");
    assert!(notice(&app).contains("nothing to redo"));
}

#[test]
fn nudges_of_one_setting_are_one_change_and_the_wire_is_undone_too() {
    let mut app = watched(1);
    keys(&mut app, "3");
    for _ in 0..6 {
        press(&mut app, KeyCode::Down);
    }
    let before = app.session.bench();
    for _ in 0..9 {
        press(&mut app, KeyCode::Right);
    }
    let offset = |app: &App| app.session.channel().unwrap().settings().scale.steps[1].clone();
    assert_eq!(offset(&app), Offset { subtract: 0.585 }.into());
    keys(&mut app, "u");
    assert_eq!(app.session.bench(), before);
    keys(&mut app, "1");
    press(&mut app, KeyCode::Down);
    let effects = press(&mut app, KeyCode::Right);
    assert!(matches!(&effects[..], [Request::Open(0, source)] if source.baud == Some(230_400)), "{effects:?}");
    let effects = press(&mut app, KeyCode::Char('u'));
    assert!(matches!(&effects[..], [Request::Open(0, source)] if source.baud == Some(115_200)), "{effects:?}");
}

#[test]
fn zero_is_the_mean_of_a_level_and_refused_while_the_channel_moves() {
    let mut app = app();
    watch(&mut app, "flume", 5);
    keys(&mut app, "z");
    assert!(notice(&app).contains("zero taken: gauge_a (100.") && notice(&app).contains("mean of"), "{}", notice(&app));
    assert_eq!(steps(&app), "converter offset gain zero");
    let level = app.session.settled(app.session.own(1)).unwrap().clone();
    assert!(app.session.channel().unwrap().quantity_of(level.mean).abs() < 0.05);
    keys(&mut app, "3");
    let text = picture(&mut app, 160, 47);
    assert!(
        text.contains("zero at") && text.contains("2026-05-28 20:26:45"),
        "the zero is listed with its time: {text}"
    );
    keys(&mut app, "Z");
    let zeroed =
        app.session.chain().channels().iter().filter(|c| c.settings().scale.steps.iter().any(|s| s.kind() == "zero"));
    assert_eq!(zeroed.map(|c| c.name().to_owned()).collect::<Vec<_>>(), ["gauge_a", "gauge_b", "bed"]);
    assert!(notice(&app).contains("not settled: sump"), "{}", notice(&app));
    // Waves: no noisy sample is taken for zero.
    watch(&mut app, "flume", 20);
    let before = app.session.bench();
    keys(&mut app, "z");
    assert!(notice(&app).contains("not settled") && app.session.bench() == before, "{}", notice(&app));
}

#[test]
fn formulas_are_typed_refused_by_column_and_by_name_and_follow_the_scale() {
    let mut app = watched(4);
    let mut rejected = |text: &str| {
        app.bring(RoomId::Scale);
        keys(&mut app, "F");
        replace(&mut app, text);
        let Some(Overlay::Prompt(prompt)) = app.overlays.pop() else { panic!("{text} was taken") };
        prompt.wrong.unwrap()
    };
    assert!(rejected("slope").contains("NAME = FORMULA"));
    assert!(rejected("slope = gauge_a +").contains("column 18: the formula ends"));
    assert!(
        rejected("slope = gauge_a + gauge_c")
            .contains("column 19: there is no channel 'gauge_c'; there are t_us, gauge_a")
    );
    assert!(rejected("bed = gauge_a").contains("a channel bed already"));
    press(&mut app, KeyCode::Esc);
    keys(&mut app, "3F");
    replace(&mut app, "head = gauge_a - 100");
    keys(&mut app, "F");
    replace(&mut app, "twice = head * 2");
    let at = |app: &App, name: &str| app.session.chain().channels().iter().position(|c| c.name() == name).unwrap();
    let last = app.session.chain().store().rows().end - 1;
    let value = |app: &App, name: &str| app.session.chain().reading(at(app, name), last).unwrap().quantity;
    assert!((value(&app, "twice") - 2.0 * (value(&app, "gauge_a") - 100.0)).abs() < 1e-9);
    // The formula of the first would need itself.
    app.session.selected.channel = at(&app, "head");
    app.go_to_row(Stage::Scale, "formula");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "twice + 1");
    let Some(Overlay::Prompt(prompt)) = app.overlays.pop() else { panic!("a circle was taken") };
    let wrong = prompt.wrong.unwrap();
    assert!(wrong.contains("head needs twice, which needs head"), "{wrong}");
    // An edit of what it needs reaches it at once, for all the history.
    app.session.selected.channel = at(&app, "gauge_a");
    app.session.edit_channel(|channel| channel.scale.steps.push(Sign::default().into()));
    assert!(
        (value(&app, "twice") - 2.0 * (value(&app, "gauge_a") - 100.0)).abs() < 1e-9 && value(&app, "gauge_a") < 0.0
    );
    let old = app.session.chain().channels()[at(&app, "twice")].scaled().get(7).unwrap();
    assert!(old < -380.0, "{old}");
}

#[test]
fn the_depth_programme_calibrates_a_bare_gauge_by_its_levels() {
    let bench = FLUME.split("[[source.channel]]").next().unwrap();
    let mut app = bare(&format!("{bench}[[source.channel]]\nname = \"gauge_a\"\n"));
    watch(&mut app, "flume-depth", 59);
    keys(&mut app, "3c");
    let rows = app.rooms.calibrate.rows(&app.session);
    assert_eq!(rows.len(), 5, "{rows:#?}");
    assert!(picture(&mut app, 160, 47).contains("needs 2 points or more, 0 given"));
    // From the newest back to the oldest.
    for depth in ["200 mm", "150", "100", "50", "0"] {
        press(&mut app, KeyCode::Enter);
        replace(&mut app, depth);
        press(&mut app, KeyCode::Up);
    }
    // Another rule finds the levels anew; what was typed stays with its stretch.
    app.session.chain_mut().set_levels(amber_core::levels::LevelRule { seconds: 0.5, ..Default::default() });
    let typed: Vec<f64> = app.rooms.calibrate.rows(&app.session).iter().filter_map(|row| row.truth).collect();
    assert_eq!(typed, [0.0, 50.0, 100.0, 150.0, 200.0]);
    app.session.chain_mut().set_levels(amber_core::levels::LevelRule::default());
    keys(&mut app, "u");
    assert!(
        app.rooms.calibrate.rows(&app.session)[0].truth.is_none() && notice(&app).contains("true value of a level"),
        "{}",
        notice(&app)
    );
    keys(&mut app, "U");
    let fit = app.rooms.calibrate.fit(&app.session).unwrap();
    assert!(fit.percent < 0.2 && fit.warnings.is_empty(), "{fit:?}");
    let text = picture(&mut app, 160, 47);
    for part in
        ["calibrate A gauge_a", "◂ line ▸", "largest error", "% of full scale", "fit − true (residual)", "200 mm"]
    {
        assert!(text.contains(part), "{part}: {text}");
    }
    keys(&mut app, "a");
    assert!(notice(&app).contains("gauge_a is calibrated: gain 0.0805"), "{}", notice(&app));
    let truth = |raw: f64| (raw * 3.3 / 4096.0 - 0.5) * 100.0;
    let channel = app.session.channel().unwrap();
    for raw in [700.0, 1700.0, 3000.0] {
        assert!((channel.quantity_of(raw) - truth(raw)).abs() < 0.4, "{} {}", channel.quantity_of(raw), truth(raw));
    }
    // It is kept with date, points and residuals, and checks fresh levels.
    let saved = Bench::parse(&app.session.bench().new_file("x")).unwrap();
    let kept = saved.first().channel("gauge_a").unwrap().scale.calibration().unwrap().clone();
    assert_eq!(
        (kept.date.as_str(), kept.points.len(), kept.residuals.len(), kept.unit.as_str()),
        ("2026-05-28 20:27", 5, 5, "mm")
    );
    assert!(picture(&mut app, 160, 47).contains("as set now it reads right"));
    keys(&mut app, "C");
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "48.4");
    let text = picture(&mut app, 160, 47);
    assert!(
        text.contains("as set now it reads 0.8 % of full scale high") && text.contains("in the scale: line of 2026"),
        "{text}"
    );
    press(&mut app, KeyCode::Right);
    assert_eq!(app.rooms.calibrate.curve(), Curve::Square);
    // Back before the value that was typed, those that were forgotten, and the calibration.
    keys(&mut app, "uuu");
    assert_eq!(steps(&app), "");
}

#[test]
fn the_desk_is_surveyed_examined_and_its_thermistor_advised() {
    let mut app = bare(
        "[[channel]]\nname = \"knob\"\nscale = { steps = [{ is = \"converter\", bits = 12, reference = 3.3 }] }\n[[channel]]\nname = \"load\"\n\
         scale = { steps = [{ is = \"converter\", bits = 12, reference = 3.3 }] }\n[[channel]]\nname = \"probe\"\n\
         scale = { steps = [{ is = \"converter\", bits = 12, reference = 3.3 }] }\n[[channel]]\nname = \"water\"\n\
         scale = { steps = [{ is = \"converter\", bits = 12, reference = 3.3 }, { is = \"divider\", fixed = 4700 }] }\n",
    );
    watch(&mut app, "desk", 1);
    keys(&mut app, "3r");
    assert!(picture(&mut app, 160, 47).contains("turn the knob or lever slowly"));
    watch(&mut app, "desk", 36);
    let text = picture(&mut app, 160, 47);
    for part in ["survey of A knob", "jumps from 4", "a dead spot", "a dead end: at the high end", "what lies above"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    press(&mut app, KeyCode::Enter);
    assert!(replace(&mut app, "-135 135 °").is_empty());
    let ends = app.session.channel().unwrap().settings().scale.full_scale().unwrap();
    assert!((ends.1 - 135.0).abs() < 1.0 && ends.0 < -130.0, "{ends:?}");
    // The checkup: each finding with its evidence, told once.
    keys(&mut app, "3d");
    let found: Vec<(String, FaultKind)> = app
        .rooms
        .checkup
        .findings
        .iter()
        .map(|(id, finding)| (app.session.title(*id), finding.kind_of_fault))
        .collect();
    let has = |name: &str, kind_of_fault| found.contains(&(name.to_owned(), kind_of_fault));
    assert!(has("spare", FaultKind::Together) && has("load", FaultKind::Unpowered), "{found:?}");
    assert!(has("probe", FaultKind::Floating) && has("knob", FaultKind::Clipped), "{found:?}");
    assert_eq!(found.len(), 4, "and nothing else: {found:?}");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("4 findings (3 d)") && text.contains("from a sensor without"), "{text}");
    press(&mut app, KeyCode::Esc);
    app.session.notice = None;
    let later = app.session.now.plus(60.0);
    app.before_frame(later);
    assert!(app.session.notice.is_none(), "told once: {}", notice(&app));
    // Which resistor suits the thermistor that was seen from 7.6 to 13.6 kilohms?
    app.session.selected.channel =
        app.session.chain().channels().iter().position(|channel| channel.name() == "water").unwrap();
    app.go_to_row(Stage::Scale, "2 divider");
    keys(&mut app, "A");
    let Some(Overlay::List(pick)) = app.overlays.last() else { panic!("{}", notice(&app)) };
    assert!(pick.title.contains("as seen with 4.7 kΩ fitted") && pick.items[1].name.contains("kΩ E12"), "{pick:?}");
    // It was seen through the very resistor that suits it best; the next one is considered, and then fitted.
    assert_eq!(pick.items[0].name, "4.7 kΩ fitted");
    let fixed = |app: &App| match &app.session.channel().unwrap().settings().scale.steps[1] {
        Step::Divider(divider) => divider.fixed,
        step => panic!("{step:?}"),
    };
    for (answer, expected) in [(KeyCode::Enter, [4700.0; 2]), (KeyCode::Down, [3900.0, 5600.0])] {
        press(&mut app, KeyCode::Down);
        press(&mut app, KeyCode::Enter);
        let Some(Overlay::List(ask)) = app.overlays.last() else { panic!("{}", notice(&app)) };
        assert!(ask.title.contains("fitted on the board in place of 4.7 kΩ?"), "{ask:?}");
        press(&mut app, answer);
        if answer == KeyCode::Down {
            press(&mut app, KeyCode::Enter);
        }
        assert!(expected.contains(&fixed(&app)), "{}", fixed(&app));
        keys(&mut app, "A");
    }
}

#[test]
fn the_check_up_says_what_it_cannot_judge_and_finds_a_sensor_that_lost_its_power() {
    let mut app = bare("");
    watch(&mut app, "desk", 24);
    keys(&mut app, "3d");
    let text = picture(&mut app, 160, 47);
    // The load cell has no power, which is plain even so.
    for part in [
        "D load",
        "no signal",
        "flickers from",
        "not judged in 5 channels",
        "add a",
        "A knob, B gate, C spare, E probe",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
    let mut app =
        bare("[[channel]]\nname = \"x\"\nscale = { steps = [{ is = \"converter\", bits = 12, reference = 3.3 }] }\n");
    for i in 0..9000u32 {
        let t = f64::from(i) * 0.01;
        let x = if t < 30.0 { 1800.0 + 700.0 * t.sin() } else { f64::from(i * 7 % 11) };
        feed(&mut app, START.plus(t), format!("x={x:.0} y={}\n", 2000 + i % 9).as_bytes());
        if i % 400 == 0 {
            app.before_frame(START.plus(t));
        }
    }
    app.before_frame(START.plus(90.0));
    keys(&mut app, "3d");
    let text = picture(&mut app, 160, 47);
    for part in [
        "▲ no signal",
        "fell to 10 of 4095 codes or less 59.",
        "never was before: as when power is lost",
        "not judged in 1 channel",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
}

#[test]
fn computed_channels_show_the_decimals_of_what_they_are_computed_of() {
    let mut app = bare(
        "[[channel]]\nname = \"volts\"\nformula = \"x / 1000\"\n[[channel]]\nname = \"none\"\nformula = \"1 / (x - x)\"\n\
         [[channel]]\nname = \"safe\"\nformula = \"ifgap(1 / (x - x), lat)\"\n",
    );
    for i in 0..300u32 {
        let (lat, ms) = (52.123_456_7 + f64::from(i) * 1e-7, 1_732_012_345_678u64 + u64::from(i) * 10);
        let line = format!("x={} lat={lat:.7} serial={ms}\n", 340 + i % 3);
        feed(&mut app, START.plus(f64::from(i) * 0.01), line.as_bytes());
    }
    app.before_frame(START.plus(3.0));
    let text = picture(&mut app, 160, 47);
    // (The digits of the first channel are large.)
    for part in ["0.340 … 0.342", "52.1234567 … 52.1234866", "1732012345678 … 17320123", "1732012348668"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    keys(&mut app, "vt");
    let text = picture(&mut app, 160, 47);
    let last = text.lines().find(|line| line.contains("1732012348668") && !line.contains("serial")).unwrap();
    for part in [" 342 ", " 52.1234866 ", " 1732012348668 ", " 0.342 ", " – "] {
        assert!(last.contains(part), "{part}: {last}");
    }
}

#[test]
fn a_threshold_stays_at_its_place_of_the_signal_when_the_scale_is_edited() {
    let mut app = bare("[[channel]]\nname = \"x\"\nwatch = { threshold = 2000.0, hysteresis = 40.0 }\n");
    for i in 0..900u32 {
        let x = 2000.0 + 500.0 * (f64::from(i) * 0.05).sin();
        feed(&mut app, START.plus(f64::from(i) * 0.01), format!("x={x:.0}\n").as_bytes());
    }
    app.before_frame(START.plus(9.0));
    let edges = |app: &App| app.session.channel().unwrap().watcher().now();
    let watch = |app: &App| app.session.channel().unwrap().settings().watch.unwrap();
    let before = edges(&app);
    assert!(before.rises > 5, "{before:?}");
    // A converter comes in front: from counts to volts.
    app.go_to_row(Stage::Scale, "+ add a step");
    press(&mut app, KeyCode::Enter);
    typed(&mut app, "converter");
    press(&mut app, KeyCode::Enter);
    let volts = watch(&app);
    assert!((volts.threshold - 2000.0 * 3.3 / 4096.0).abs() < 1e-6 && (volts.hysteresis - 0.03222).abs() < 1e-4);
    assert_eq!(notice(&app), "the threshold of 2000 is 1.61133 V now");
    assert_eq!(edges(&app), before, "it is crossed as before");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("1.6113 V, band 32.2 mV") && text.contains("A 1.6113 V"), "{text}");
    // Its reference is typed, which leaves the place where it is; what cannot be followed is told; all of it is undone.
    app.go_to_row(Stage::Scale, "reference");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "5");
    assert!((watch(&app).threshold - 2000.0 * 5.0 / 4096.0).abs() < 1e-6 && edges(&app) == before);
    keys(&mut app, "a");
    typed(&mut app, "clamp");
    press(&mut app, KeyCode::Enter);
    app.go_to_row(Stage::Scale, "max");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "1");
    assert!(notice(&app).contains("may mean something else now: set it again (5)"), "{}", notice(&app));
    keys(&mut app, "uuuu");
    assert_eq!((watch(&app).threshold, edges(&app)), (2000.0, before));
    // A zero that is taken leaves the number, and says so.
    for i in 900..1300u32 {
        feed(&mut app, START.plus(f64::from(i) * 0.01), format!("x={}\n", 1500 + i % 2).as_bytes());
    }
    app.before_frame(START.plus(13.0));
    keys(&mut app, "z");
    assert!(notice(&app).contains("its threshold stays 2000"), "{}", notice(&app));
    assert_eq!(watch(&app).threshold, 2000.0);
}

#[test]
fn rows_stand_in_a_table_raw_beside_scaled_and_small_volts_get_their_prefix() {
    let mut app = bare(
        "[[channel]]\nname = \"shunt\"\nscale = { steps = [{ is = \"converter\", bits = 16, reference = 0.256 }] }\n",
    );
    for i in 0..100 {
        let at = START.plus(f64::from(i) * 0.02);
        let line = format!("shunt={} gate={}\n", 3000 + i % 7, i / 50);
        let chunk = amber_io::Chunk { at, bytes: line.as_bytes().into(), skipped: 0 };
        app.update(at, Message::Feed(0, Feed::Chunk(chunk)));
        app.before_frame(at);
    }
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("─ mV ─ A shunt") && !text.contains("0.0117 V"), "{text}");
    keys(&mut app, "vt");
    app.go_to_row(Stage::Scale, "raw values on screen");
    press(&mut app, KeyCode::Right);
    press(&mut app, KeyCode::Esc);
    let text = picture(&mut app, 160, 47);
    // The last row: code 3001, 3001 x 256 mV / 65536.
    let row = text.lines().find(|line| line.contains("20:26:41.980")).unwrap_or_else(|| panic!("{text}"));
    let cells: Vec<&str> = row.split_whitespace().take(4).collect();
    assert_eq!(cells, ["20:26:41.980", "3001", "0.01172", "1"], "{text}");
    keys(&mut app, "u");
    let text = picture(&mut app, 160, 47);
    assert!(!text.lines().any(|line| line.contains(" raw ")), "{text}");
    keys(&mut app, "vc");
    assert!(picture(&mut app, 80, 24).contains("mV"));
}

#[test]
fn a_bell_rings_when_the_chosen_channel_settles_and_only_when_wanted() {
    for wanted in [false, true] {
        let mut app = app();
        app.session.edit_shared(|shared| shared.levels.bell = wanted);
        let mut rung = 0;
        for step in 0..300 {
            let at = START.plus(f64::from(step) * 0.01);
            let line = format!("gauge_a={} gauge_b=7\n", 2000 + step % 3);
            let chunk = amber_io::Chunk { at, bytes: line.as_bytes().into(), skipped: 0 };
            rung +=
                app.update(at, Message::Feed(0, Feed::Chunk(chunk))).iter().filter(|e| **e == Request::Bell).count();
        }
        assert_eq!(rung, usize::from(wanted));
    }
    let mut app = app();
    feed(&mut app, START, b"gauge_a=1\n");
}

/// What a hand at the keyboard may do to settings, by keys alone.
fn random_keys(seed: u64, count: usize) -> Vec<Vec<KeyCode>> {
    let mut state = seed;
    let mut pick = |most: usize| {
        state = state.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        (state >> 33) as usize % most
    };
    let text = |text: &str| text.chars().map(KeyCode::Char).collect::<Vec<_>>();
    let type_in = |what: &str| {
        [vec![KeyCode::Enter], vec![KeyCode::Backspace; 30], text(what), vec![KeyCode::Enter, KeyCode::Esc]].concat()
    };
    let open = |stage: char| vec![KeyCode::Esc, KeyCode::Esc, KeyCode::Char(stage)];
    (0..count)
        .map(|_| match pick(16) {
            0 => open(['1', '2', '3', '4', '5', '6'][pick(6)]),
            1 => open('3'),
            2 | 3 => vec![KeyCode::Down; pick(6) + 1],
            4 => vec![KeyCode::Up; pick(3) + 1],
            5 => vec![KeyCode::Right],
            6 => vec![KeyCode::Left],
            7 => [vec![KeyCode::Char('a')], vec![KeyCode::Down; pick(14)], vec![KeyCode::Enter, KeyCode::Esc]].concat(),
            8 => text(["x", "p", "<", ">"][pick(4)]),
            9 => type_in(["7", "0.5", "10k", "mm", "0 0, 1 5, 2 7", "1 2"][pick(6)]),
            10 => vec![KeyCode::Tab],
            11 => [open('2'), text(["h", "ys", "yf", "z", "3Z"][pick(5)])].concat(),
            12 => {
                let formula = ["m1 = gauge_a + 1", "m2 = rate(bed)", "m3 = smoothed(sump) * 2"][pick(3)];
                [open('3'), text("F"), text(formula), vec![KeyCode::Enter, KeyCode::Esc, KeyCode::Esc]].concat()
            }
            13 => [open('3'), text("X")].concat(),
            14 => {
                [vec![KeyCode::Esc, KeyCode::Esc], text("3c"), vec![KeyCode::Up; pick(3)], type_in("50 mm"), text("a")]
                    .concat()
            }
            _ => vec![KeyCode::Esc],
        })
        .collect()
}

#[test]
fn whatever_was_done_is_undone_to_the_beginning_and_done_again_to_the_end() {
    for seed in 1..=25 {
        let mut app = watched(4);
        let start = app.session.bench();
        for key in random_keys(seed, 60).concat() {
            press(&mut app, key);
        }
        app.overlays.clear();
        let end = app.session.bench();
        let undone = |app: &App| notice(app).contains("nothing to undo") || notice(app).contains("nothing to redo");
        let mut back = 0;
        let mut step = |app: &mut App, key: char| {
            app.session.notice = None;
            // Panels and tools have keys of their own: undo stands behind none of them.
            press(app, KeyCode::Char(key));
            back += 1;
            assert!(back < 500, "seed {seed}");
            undone(app)
        };
        while !step(&mut app, 'u') {}
        assert_eq!(app.session.bench(), start, "seed {seed}");
        while !step(&mut app, 'U') {}
        assert_eq!(app.session.bench(), end, "seed {seed}");
        // The history is what those settings make of it.
        let Some(last) = app.session.chain().store().rows().end.checked_sub(1) else { continue };
        let fresh = {
            let mut fresh = Chain::new(&end.clone(), 0, Limits::default());
            let mut board = amber_boards::by_name("flume", 1).unwrap();
            for step in 1..=400u64 {
                let mut bytes = Vec::new();
                board.run(Duration::from_millis(step * 10), &mut bytes);
                fresh.feed(START.plus(step as f64 * 0.01), &bytes);
            }
            fresh
        };
        for channel in app.session.chain().channels() {
            let index = |chain: &Chain| chain.channels().iter().position(|c| c.name() == channel.name());
            let (Some(own), Some(theirs)) = (index(app.session.chain()), index(&fresh)) else { continue };
            let [a, b] = [app.session.chain().reading(own, last - 9), fresh.reading(theirs, last - 9)]
                .map(|r| r.map(|r| r.raw.to_bits()));
            assert_eq!(a, b, "seed {seed}, {}", channel.name());
        }
    }
}

#[test]
fn the_tools_at_a_common_and_at_a_small_size() {
    let mut app = app();
    watch(&mut app, "flume-depth", 40);
    keys(&mut app, "3c");
    for depth in ["100 mm", "50", "0"] {
        press(&mut app, KeyCode::Enter);
        replace(&mut app, depth);
        press(&mut app, KeyCode::Up);
    }
    app.session.notice = None;
    let mut shots = picture(&mut app, 120, 40) + &picture(&mut app, 80, 24);
    for key in ["d", "r"] {
        press(&mut app, KeyCode::Esc);
        keys(&mut app, key);
        app.session.notice = None;
        shots += &picture(&mut app, 120, 40);
    }
    watch(&mut app, "flume-depth", 3);
    shots += &picture(&mut app, 80, 24);
    insta::assert_snapshot!(shots);
    // At no size does a tool elsewhere over or fail.
    for (width, height) in [(60, 16), (80, 17), (109, 24), (110, 30), (139, 33), (220, 60)] {
        for key in ["3c", "3r", "3d", "vt"] {
            keys(&mut app, key);
            let text = picture(&mut app, width, height);
            assert_eq!(text.lines().count(), usize::from(height));
            assert!(text.lines().all(|line| line.chars().count() <= usize::from(width)));
            press(&mut app, KeyCode::Esc);
            press(&mut app, KeyCode::Esc);
            app.view = RoomId::Chart;
        }
    }
}
