//! Smoothing, trial, listing, blocks and spectrum, driven by keys.

use super::tests::{START, app_of, feed, feed_more, picture, press, replace, typed, watched};
use super::*;
use crate::session::Request;
use amber_core::block::Length;
use amber_core::part::Listed;
use crossterm::event::KeyCode;
use proptest::prelude::*;

/// What is on the screen after a while.
fn seen(app: &mut App) -> String {
    app.session.refresh_soon();
    app.session.size = (160, 47);
    app.before_frame(app.session.now);
    picture(app, 160, 47)
}

fn filters(app: &App) -> Vec<String> {
    app.session.channel().unwrap().wished().smooth.iter().map(Listed::short).collect()
}

/// Chooses the entry of an open list that this text filters out.
fn choose(app: &mut App, text: &str) {
    typed(app, text);
    press(app, KeyCode::Enter);
}

#[test]
fn advice_is_told_with_its_price_used_by_a_key_and_undone() {
    let mut app = watched(30);
    typed(&mut app, "4");
    let text = seen(&mut app);
    for part in ["advice (A uses it)", "spike", "noise before", "LSB", "strongest wave", "rise time", "direction"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    let before = filters(&app);
    typed(&mut app, "A");
    let after = filters(&app);
    assert!(after != before && after[0].starts_with("spikes"), "{after:?}");
    typed(&mut app, "u");
    assert_eq!(filters(&app), before);
    // A filter that takes the wave says so.
    typed(&mut app, "a");
    choose(&mut app, "exponential");
    app.go_to_row(crate::session::Stage::Smooth, "time constant");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "400");
    let text = seen(&mut app);
    assert!(text.contains("these filters take"), "{text}");
}

#[test]
fn candidates_are_tried_side_by_side_and_the_chosen_one_is_used() {
    let mut app = watched(30);
    typed(&mut app, "4T");
    let text = seen(&mut app);
    assert!(app.view == RoomId::Trial && app.side().is_none() && app.session.is_held());
    for part in ["trial on A gauge_a", " 1 ", "▸ 2 ", " 4 ", "times less", "late", "% of the wave left"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    typed(&mut app, "c");
    choose(&mut app, "median");
    typed(&mut app, ">");
    assert!(seen(&mut app).contains("2 median 7 rows"));
    let figure = app.figures().remove(0);
    assert!(figure.lanes.len() == 4 && figure.lanes.iter().all(|lane| !lane.traces[0].pale.is_empty()));
    typed(&mut app, "a");
    assert!(app.session.notice.as_ref().unwrap().text.contains("at most 4"));
    press(&mut app, KeyCode::Enter);
    assert_eq!((filters(&app), app.view), (vec!["median 7 rows".to_owned()], RoomId::Chart));
}

#[test]
fn the_listing_is_checked_against_the_chain_and_copied() {
    let mut app = watched(20);
    typed(&mut app, "4B");
    let text = seen(&mut app);
    for part in ["floating point", "the same as the chain", "scaled1 = raw * 0.0008", "state = value > "] {
        assert!(text.contains(part), "{part}: {text}");
    }
    typed(&mut app, "f");
    assert!(seen(&mut app).contains("median is not simple"), "whole numbers");
    typed(&mut app, "f");
    let requests = app.update(app.session.now, Message::Key(KeyCode::Char('c').into()));
    assert!(matches!(&requests[..], [Request::Copy(text)] if text.contains("value = ")), "{requests:?}");
    // Scrolled no farther than there are lines, and it is said how many are below.
    app.session.size = (80, 24);
    let small = |app: &mut App| {
        app.before_frame(app.session.now);
        picture(app, 80, 24)
    };
    assert!(small(&mut app).contains("below: PgDn"));
    (0..9000).for_each(|_| drop(press(&mut app, KeyCode::PageDown)));
    let text = small(&mut app);
    assert!(text.contains("state = value > ") && !text.contains("below: PgDn"), "{text}");
    press(&mut app, KeyCode::PageUp);
    assert!(small(&mut app).contains("below: PgDn"));
    // Another filter is another listing, with the parts that would do the same.
    let mut settings = app.session.channel().unwrap().wished().clone();
    settings.smooth = vec![amber_core::smooth::Butterworth { cutoff: 20.0, ..Default::default() }.into()];
    app.session.take_settings(settings).unwrap();
    let text = seen(&mut app);
    assert!(text.contains("µF") || text.contains("nF"), "{text}");
}

#[test]
fn blocks_are_snapped_by_key_and_edge_compared_named_and_written() {
    let mut app = watched(20);
    typed(&mut app, "vbl");
    choose(&mut app, "another");
    replace(&mut app, "0");
    assert!(!app.overlays.is_empty(), "a wrong length keeps the prompt");
    replace(&mut app, "2.5 s");
    assert_eq!(app.session.blocks.length, Length::Seconds(2.5));
    let text = seen(&mut app);
    for part in ["the last rows: 250 rows", "peak to peak", "effective bits", "histogram", "index", "interval"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    typed(&mut app, "k");
    assert_eq!(app.session.blocks.named[0].times.len(), 250);
    // It is what is shown and written from now on, though rows go on coming.
    feed_more(&mut app, 20, 1);
    assert!(seen(&mut app).contains("block 1: 250 rows"));
    // On a narrow screen a panel takes all of its place.
    typed(&mut app, "3d");
    for width in 60..140 {
        picture(&mut app, width, 24);
    }
    (0..2).for_each(|_| drop(press(&mut app, KeyCode::Esc)));
    let requests = app.update(app.session.now, Message::Key(KeyCode::Char('w').into()));
    let first = app.session.blocks.named[0].csv();
    assert!(matches!(&requests[..], [Request::WriteText { text, .. }] if *text == first));
    press(&mut app, KeyCode::Home);
    assert!(seen(&mut app).contains("the last rows: 250 rows"));
    // Half of the next one is still to come.
    typed(&mut app, "ggk");
    assert_eq!(app.session.blocks.named.len(), 1);
    assert!(seen(&mut app).contains("waiting for the last rows"));
    feed_more(&mut app, 21, 3);
    let second = app.session.blocks.named[1].clone();
    let count = second.times.len();
    // The clock of the board is not that of the host.
    assert!((249..=251).contains(&count) && second.seconds(0) < -1.2 && second.seconds(count - 1) > 1.2);
    // Two figures: the rows, raw pale behind smoothed, and how often each value comes.
    let figures = app.figures();
    assert_eq!(figures.len(), 2);
    assert!(figures[0].lanes.iter().any(|lane| lane.unit == "mm" && lane.traces.iter().any(|t| !t.pale.is_empty())));
    let counted = &figures[1].lanes[0].traces[0].runs[0];
    assert!(figures[1].title.contains("histogram") && figures[1].x.0 < figures[1].x.1, "{}", figures[1].title);
    assert!(counted.iter().all(|point| point.1 >= 0.0) && counted.len() > 40, "{counted:?}");
    // Channels without room are told, and the selected one has room.
    let text = seen(&mut app);
    assert!(text.contains(" more "), "{text}");
    press(&mut app, KeyCode::Enter);
    choose(&mut app, "block 2");
    typed(&mut app, "r");
    replace(&mut app, "waves");
    typed(&mut app, "c");
    choose(&mut app, "block 1");
    let text = seen(&mut app);
    assert!(text.contains("waves: 2") && text.contains("difference"), "{text}");
    let requests = app.update(app.session.now, Message::Key(KeyCode::Char('w').into()));
    assert!(matches!(&requests[..], [Request::WriteText { stem: "block", text, .. }] if text.lines().count() >= 250));
    // The next edge of the paddle.
    typed(&mut app, "gggl");
    choose(&mut app, "16 rows");
    while app.session.channel().unwrap().name() != "paddle" {
        press(&mut app, KeyCode::Tab);
    }
    typed(&mut app, "e");
    feed_more(&mut app, 23, 8);
    assert_eq!(app.session.blocks.named.len(), 3);
    typed(&mut app, "x");
    assert_eq!(app.session.blocks.named.len(), 2, "the shown one is deleted");
}

#[test]
fn the_spectrum_names_waves_compares_channels_and_falls() {
    let mut app = watched(30);
    typed(&mut app, "vs");
    let text = seen(&mut app);
    for part in ["spectrum of A gauge_a", "0.8", "fundamental", "would also appear", "waterfall", "by crossings"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    typed(&mut app, "c");
    choose(&mut app, "gauge_b");
    let text = seen(&mut app);
    assert!(text.contains("follows gauge_"), "{:?} {text}", app.rooms.spectrum);
    typed(&mut app, "dwl");
    choose(&mut app, "256");
    let text = seen(&mut app);
    assert!(text.contains("amplitude in dB") && text.contains("flat top") && text.contains("of 256 rows"), "{text}");
    // Of a block, too.
    typed(&mut app, "vbkvsb");
    choose(&mut app, "block 1");
    assert!(seen(&mut app).contains("spectrum of A gauge_a, block 1"));
    typed(&mut app, "b");
    choose(&mut app, "last rows");
    assert!(seen(&mut app).contains("gauge_a, the last rows"));
    typed(&mut app, "of");
    assert!(!seen(&mut app).contains("waterfall"));
    let figure = app.figures().remove(0);
    assert!(figure.title.contains("spectrum of gauge_a") && !figure.marks.is_empty());
    // Without room for the list beside the plot the peaks stand below it.
    for (width, height) in [(80, 24), (100, 30)] {
        let text = picture(&mut app, width, height);
        assert!(text.contains(" peaks") && text.contains("amplitude in"), "{width}x{height}: {text}");
    }
    picture(&mut app, 60, 16);
    press(&mut app, KeyCode::Esc);
    assert_eq!(app.view, RoomId::Chart);
}

#[test]
fn recorded_rows_are_smoothed_both_ways_where_that_is_chosen() {
    let dir = tempfile::tempdir().unwrap();
    let place = amber_io::take::TakePlace::Exactly(dir.path().join("x"));
    let start = super::tests::START;
    let bench = Bench::parse("[[channel]]\nname = \"a\"\nsmooth = { filter = \"exponential\", rows = 20 }\n").unwrap();
    let mut writer = amber_io::take::Writer::create(&place, &bench, start, amber_io::take::Event::BEGIN).unwrap();
    let value = |row: u32| if row < 300 { 100 } else { 900 };
    for row in 0..600u32 {
        writer.chunk(start.plus(f64::from(row) * 0.01), format!("a={} b={row}\n", value(row)).as_bytes()).unwrap();
    }
    writer.finish(start.plus(6.0)).unwrap();
    let take = amber_io::take::open(&dir.path().join("x")).unwrap();
    let chain = crate::session::chain_of(&take, &bench, 0).unwrap();
    let mut app = App::take(chain, bench.shared.clone(), take, None);
    // What is smoothed in the row of the step: at its beginning forward, in its middle both ways.
    let at_step = |app: &App| app.session.chain().reading(0, 299).unwrap().smoothed;
    assert!(at_step(&app) == 100.0 && app.session.chain().is_recorded());
    typed(&mut app, "4");
    app.go_to_row(crate::session::Stage::Smooth, "direction");
    let forward = seen(&mut app);
    assert!(forward.contains("200 ms") && !forward.contains("once recorded"), "{forward}");
    press(&mut app, KeyCode::Right);
    assert!((at_step(&app) - 500.0).abs() < 30.0, "{}", at_step(&app));
    let text = seen(&mut app);
    assert!(text.contains("none: forward and backward") && text.contains("both ways"), "{text}");
    assert!(!text.contains("ms late") && text.contains("none: there is no noise in view"), "{text}");
    // The bench keeps it, and undoing takes it back.
    assert!(app.session.bench().new_file("x").contains("zero_phase = true"));
    typed(&mut app, "u");
    assert!(at_step(&app) == 100.0);
    // A live source says that it waits.
    let mut app = watched(5);
    typed(&mut app, "4");
    app.go_to_row(crate::session::Stage::Smooth, "direction");
    press(&mut app, KeyCode::Right);
    assert!(seen(&mut app).contains("once recorded"));
}

#[test]
fn analysis_says_what_is_missing_where_there_is_too_little() {
    for (text, says) in [
        ("", ["no channel yet", "no rows yet", "no channel yet", "no channel yet"]),
        (
            "a=1 b=0\n",
            [
                "only 1 row: 16 are needed",
                "the last rows: 1 row",
                "only 1 row: 16 are needed",
                "pace of the rows is not known",
            ],
        ),
        (
            "a=nan b=0\n",
            ["there is no value", "the last rows: 1 row", "there is no value", "pace of the rows is not known"],
        ),
    ] {
        let bench = "[split]\nshape = \"labelled\"\nlabels = [\"a\", \"b\"]\n";
        for (keys, says) in ["vs", "vb", "4T", "4B"].into_iter().zip(says) {
            let mut app = super::tests::app();
            if !text.is_empty() {
                let bench = Bench::parse(bench).unwrap();
                let chain = amber_core::chain::Chain::new(&bench, 0, amber_core::store::Limits::default());
                app = App::live(chain, bench.shared.clone(), "out".into(), None, super::tests::START);
                super::tests::feed(&mut app, super::tests::START.plus(1.0), text.as_bytes());
            }
            seen(&mut app);
            typed(&mut app, keys);
            let shown = seen(&mut app);
            let notice = app.session.notice.as_ref().map_or(String::new(), |notice| notice.text.clone());
            assert!(shown.contains(says) || notice.contains(says), "{keys} with {text:?}: {says}: {notice}\n{shown}");
        }
    }
}

/// What is done to blocks, in any order.
#[derive(Clone, Debug)]
enum Doing {
    Rows(u32),
    Snap,
    Length(usize),
    Seconds(f64),
    Share(f64),
    Arm,
    Unplugged,
}

fn doing() -> impl Strategy<Value = Doing> {
    prop_oneof![
        4 => (1..120u32).prop_map(Doing::Rows),
        3 => Just(Doing::Snap),
        1 => (1..90usize).prop_map(Doing::Length),
        1 => (0.02..1.2f64).prop_map(Doing::Seconds),
        1 => proptest::sample::select(&crate::session::SHARES[..]).prop_map(Doing::Share),
        1 => Just(Doing::Arm),
        1 => Just(Doing::Unplugged),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Row i says i, and goes high for 10 of every 50; whatever is done, a block holds the rows around its moment.
    #[test]
    fn blocks_hold_the_rows_around_their_moment_in_any_order_of_doings(
        doings in proptest::collection::vec(doing(), 1..25), kept in 60..400u64,
    ) {
        let text = "[split]\nshape = \"labelled\"\nlabels = [\"high\", \"i\"]\n[[channel]]\nname = \"high\"\nkind = \"digital\"\n";
        let bench = Bench::parse(text).unwrap();
        let limits = amber_core::store::Limits { rows: kept, ..amber_core::store::Limits::NONE };
        let chain = amber_core::chain::Chain::new(&bench, 0, limits);
        let start = super::tests::START;
        let mut app = App::live(chain, bench.shared.clone(), "out".into(), None, start);
        app.update(start, Message::Feed(0, Feed::State(amber_io::LinkState::open_at(9600))));
        let (mut sent, mut share, mut wanted) = (0u32, 1.0, Length::Rows(1024));
        // The first line behind an opening may be half of one, and is not read.
        let mut lost = 0.0;
        // What the next block is to be: its share, its length and its first row behind the moment.
        let mut next: Option<(f64, Length, Option<u32>)> = None;
        let mut seen = 0;
        for doing in doings {
            match doing {
                Doing::Rows(count) => for _ in 0..count {
                    let at = start.plus(f64::from(sent + 1) * 0.01);
                    super::tests::feed(&mut app, at, format!("high={} i={sent}\n", u32::from(sent % 50 >= 40)).as_bytes());
                    app.before_frame(at);
                    sent += 1;
                },
                Doing::Snap => {
                    if app.session.blocks.waits().is_none() {
                        next = Some((share, wanted, Some(sent)));
                    }
                    app.session.snap();
                }
                Doing::Length(rows) => { wanted = Length::Rows(rows); app.session.blocks.length = wanted; }
                Doing::Seconds(seconds) => { wanted = Length::Seconds(seconds); app.session.blocks.length = wanted; }
                Doing::Share(now) => { share = now; app.session.blocks.share = now; }
                Doing::Arm => { app.session.arm_block(); next = None; }
                Doing::Unplugged => {
                    lost += 1.0;
                    let at = start.plus(f64::from(sent) * 0.01 + 0.005);
                    app.update(at, Message::Feed(0, Feed::Opened { at, opening: amber_core::clock::Opening::Link, within: true }));
                }
            }
            for block in app.session.blocks.named.iter().skip(seen) {
                let rows: Vec<f64> = block.columns.iter().find(|column| column.name == "i").unwrap().quantity.clone();
                prop_assert!(!rows.is_empty() && rows.windows(2).all(|pair| pair[1] > pair[0]), "{rows:?}");
                prop_assert!(rows.len() <= kept as usize + 1200 && *rows.last().unwrap() < f64::from(sent));
                let missing = rows[rows.len() - 1] - rows[0] + 1.0 - rows.len() as f64;
                prop_assert!(missing <= lost, "{rows:?}");
                if let Some((share, Length::Rows(length), Some(behind))) = next {
                    let before = (length as f64 * share).round();
                    prop_assert!(rows.len() <= length && rows[0] >= f64::from(behind) - before - lost, "{rows:?}");
                }
                if let Some((share, Length::Seconds(seconds), _)) = next {
                    let (first, last) = (block.seconds(0), block.seconds(rows.len() - 1));
                    prop_assert!(first >= -seconds * share - 0.011 && last <= seconds * (1.0 - share) + 0.011, "{first} {last}");
                }
            }
            seen = app.session.blocks.named.len();
        }
        picture(&mut app, 160, 47);
    }
}

#[test]
fn the_timing_of_a_digital_channel_and_of_a_threshold_is_told() {
    let mut app = watched(40);
    typed(&mut app, "5");
    let text = seen(&mut app);
    for part in ["now", "rising edges", "since", "above for", "period", "duty", "known to", "10 ms, one row"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    while app.session.channel().unwrap().name() != "paddle" {
        press(&mut app, KeyCode::Tab);
    }
    let text = seen(&mut app);
    assert!(text.contains("high for") && text.contains("low for") && text.contains("frequency"), "{text}");
    // Held, it is that of the moment at the right edge.
    let line = |text: &str| text.lines().find(|line| line.contains("since")).map(str::to_owned);
    typed(&mut app, " ");
    let held = line(&seen(&mut app));
    feed_more(&mut app, 40, 2);
    assert_eq!(line(&seen(&mut app)), held);
    // A channel that never moves has none.
    let mut app = watched(3);
    while app.session.channel().unwrap().name() != "pump" {
        press(&mut app, KeyCode::Tab);
    }
    typed(&mut app, "5");
    assert!(!seen(&mut app).contains("duty"));
}

#[test]
fn cursors_measure_between_two_instants_and_lead_back_to_the_line_of_a_row() {
    let mut app = app_of("");
    // A triangle of 2 s between 100 and 200, and a switch that closes at 1.5 s; several lines arrive at once.
    let text = |row: u32| {
        let up = (row % 200).min(200 - row % 200);
        format!("t={} level={} gate={}\n", row * 10, 100 + up, u8::from(row % 300 >= 150))
    };
    for chunk in 0..100u32 {
        let lines: String = (chunk * 10..chunk * 10 + 10).map(text).collect();
        feed(&mut app, START.plus(1.0 + f64::from(chunk) * 0.1), lines.as_bytes());
    }
    let show = |app: &mut App| {
        app.session.refresh_soon();
        app.before_frame(app.session.now);
        picture(app, 160, 47)
    };
    show(&mut app);
    app.session.selected.channel = 1;
    typed(&mut app, "c");
    assert!(app.session.is_held() && show(&mut app).contains("cursors"));
    // From peak to peak, which lie half a period apart.
    let place = |app: &App| {
        let cursors = app.session.cursors.unwrap();
        let row = app.session.cursor_row(cursors.at[cursors.active]).unwrap();
        (row, app.session.channel_at(app.session.own(1)).output().get(row).unwrap())
    };
    typed(&mut app, "Po");
    press(&mut app, KeyCode::Home);
    typed(&mut app, "p");
    let first = place(&app);
    typed(&mut app, "p");
    let second = place(&app);
    assert!(first.1.max(second.1) == 200.0 && first.1.min(second.1) == 100.0, "{first:?} {second:?}");
    assert_eq!(second.0 - first.0, 100);
    typed(&mut app, "P");
    assert_eq!(place(&app), first);
    // Numbers, strip and lines belong to the row of the active cursor, also among lines that came with it.
    for _ in 0..3 {
        typed(&mut app, ".");
        let (row, value) = place(&app);
        let text = show(&mut app);
        let line = format!("t={} level={value}", row * 10);
        assert!(app.session.snapshot.ends_at_cursor, "{text}");
        let last = app.session.snapshot.lines.last().unwrap();
        assert!(String::from_utf8_lossy(&last.bytes).starts_with(&line), "{line}: {last:?}");
        assert_eq!(app.session.reading(app.session.selected).unwrap().smoothed, value);
    }
    // An edge of the switch, and what is copied.
    app.session.selected.channel = 2;
    typed(&mut app, "e");
    let edge = place(&app).0;
    assert!(edge % 150 == 0, "{edge}");
    app.session.selected.channel = 1;
    press(&mut app, KeyCode::Up);
    press(&mut app, KeyCode::Up);
    let text = show(&mut app);
    for part in ["1 / time", "values", "difference", "level between", "peak to peak", "slope", "up to the line"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    let figure = app.figures().remove(0);
    assert!(figure.cursors.len() == 2 && figure.notes.iter().any(|note| note.contains("level ")), "{:?}", figure.notes);
    let copied = press(&mut app, KeyCode::Char('c'));
    assert!(matches!(&copied[..], [Request::Copy(text)] if text.contains("difference\ntime\t")), "{copied:?}");
    for size in [(80, 24), (60, 18)] {
        picture(&mut app, size.0, size.1);
    }
    // Where the chart goes on, so do numbers and lines.
    press(&mut app, KeyCode::End);
    feed(&mut app, START.plus(12.0), b"t=10000 level=123 gate=1\nhello there\n");
    app.session.now = START.plus(12.0);
    let text = show(&mut app);
    assert!(text.contains("hello there") && !text.contains("line of the cursor"), "{text}");
    // Another panel ends them, and so does Esc.
    typed(&mut app, "5");
    show(&mut app);
    assert!(app.session.cursors.is_none());
    press(&mut app, KeyCode::Esc);
    typed(&mut app, "c");
    press(&mut app, KeyCode::Esc);
    assert!(app.session.cursors.is_none() && app.side().is_none());
}

#[test]
fn the_chart_goes_to_a_time_a_mark_an_event_or_a_gap() {
    let bench =
        "[[source]]\n[[source.condition]]\nname = \"high\"\ntest = [{ kind = \"above\", of = \"x\", value = 90.0 }]\n";
    let mut app = app_of(bench);
    for row in 0..3000u32 {
        if row == 1500 {
            let at = START.plus(30.0);
            let opened = Feed::Opened { at, opening: amber_core::clock::Opening::Link, within: false };
            app.update(at, Message::Feed(0, opened));
        }
        let at = START.plus(f64::from(row) * 0.01 + if row < 1500 { 0.0 } else { 20.0 });
        feed(&mut app, at, format!("x={} y=1\n", row % 100).as_bytes());
    }
    app.session.marks = vec![app.session.mark_at(START.plus(5.0), "weight\u{1b}[31m".into())];
    let middle = |app: &App| app.session.end().plus(-app.session.axis.span / 2.0).seconds_since(START);
    app.session.axis.span = 2.0;
    for (text, at) in [("weight", 5.0), ("event 2:", 1.91), ("gap 1", 35.0)] {
        typed(&mut app, "g");
        typed(&mut app, text);
        let shown = picture(&mut app, 160, 47);
        assert!(!shown.contains('\u{1b}') && shown.contains("go to"), "{shown}");
        press(&mut app, KeyCode::Enter);
        assert!((middle(&app) - at).abs() < 0.02, "{text}: {}", middle(&app));
    }
    let present = app.session.present();
    let clock = app.session.wall(START.plus(12.0), "%H:%M:%S%.1f");
    for (text, at) in [("10", present.seconds_since(START) - 10.0), (clock.as_str(), 12.0)] {
        typed(&mut app, "g");
        press(&mut app, KeyCode::Enter);
        replace(&mut app, text);
        assert!((middle(&app) - at).abs() < 0.02, "{text}: {}", middle(&app));
    }
    typed(&mut app, "g");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "90000");
    assert!(picture(&mut app, 160, 47).contains("that is not in what is kept"));
}
