//! Figures as data: the same channels, limits and moments as on the screen.

use super::*;
use crate::app::App;
use amber_core::bench::Bench;
use amber_core::chain::Chain;
use amber_core::store::Limits;
use amber_io::take::Mark;
use amber_io::{Chunk, Feed, LinkState};

const START: Stamp = Stamp(1_780_000_000_000_000_000);

const BENCH: &str = r#"
name = "figure <1>"
[[channel]]
name = "a"
scale = { steps = [{ is = "gain", by = 0.5, unit = "mm" }] }
smooth = { filter = "mean", rows = 5 }
watch = { threshold = 60.0 }
[[channel]]
name = "b"
scale = { steps = [{ is = "gain", by = 2.0, unit = "mm" }] }
[[channel]]
name = "p"
scale = { unit = "kPa" }
"#;

fn app() -> App {
    let bench = Bench::parse(BENCH).unwrap();
    let chain = Chain::new(&bench, 0, Limits::default());
    let mut app = App::live(chain, bench.shared.clone(), PathBuf::from("."), None, START);
    app.session.zone = jiff::tz::TimeZone::UTC;
    let tell = |app: &mut App, at, feed| drop(app.update(at, crate::app::Message::Feed(0, feed)));
    tell(&mut app, START, Feed::State(LinkState::open_at(115_200)));
    for i in 0..1000u32 {
        let at = START.plus(f64::from(i) * 0.01);
        if i == 500 {
            // The board was away for two seconds' worth of rows.
            tell(&mut app, at, Feed::Opened { at, opening: amber_core::clock::Opening::Link, within: true });
        }
        if (500..700).contains(&i) {
            continue;
        }
        let line = format!("a={} b={} p={} gate={}\n", 100 + i % 50, 20 + i % 30, 500 + i % 7, u32::from(i >= 300));
        tell(&mut app, at, Feed::Chunk(Chunk { at, bytes: line.as_bytes().into(), skipped: 0 }));
    }
    app.session.marks.push(Mark {
        number: 1,
        at: START.plus(4.0),
        note: "in view \u{1b}[31m".into(),
        values: String::new(),
    });
    app.session.marks.push(Mark { number: 2, at: START.plus(-60.0), note: "long ago".into(), values: String::new() });
    app.before_frame(START.plus(10.0));
    app
}

#[test]
fn a_figure_has_the_lanes_of_the_screen() {
    let mut app = app();
    app.session.axis.span = 10.0;
    app.session.viewport = app.session.look();
    let figure = of(&app.session);
    assert_eq!(figure.title, "figure <1>");
    assert_eq!(figure.x, (-10.0, 0.0));
    assert_eq!(figure.lanes.iter().map(|lane| lane.label.as_str()).collect::<Vec<_>>(), ["mm", "kPa"]);
    let names = |lane: &Lane| lane.traces.iter().map(|t| format!("{} {}", t.letter, t.name)).collect::<Vec<_>>();
    assert_eq!(names(&figure.lanes[0]), ["A a", "B b"]);
    let threshold = &figure.lanes[0].thresholds[0];
    assert_eq!((threshold.value, threshold.hysteresis, threshold.ink), (60.0, 0.0, 0));
    assert!(threshold.label.contains("60"), "{threshold:?}");
    assert!(!figure.lanes[0].traces[0].pale.is_empty() && figure.lanes[0].traces[1].pale.is_empty());
    for lane in &figure.lanes {
        let (low, high) = lane.limits;
        let values = lane.traces.iter().flat_map(|trace| trace.runs.iter().flatten().map(|(_, value)| *value));
        assert!(values.into_iter().all(|value| (low..=high).contains(&value)), "{:?}", lane.limits);
    }
    assert_eq!(figure.marks.len(), 1, "a mark that is out of view is left out");
    assert_eq!(figure.marks[0].note, "in view ␛[31m");
    assert!((figure.marks[0].at + 6.0).abs() < 1e-9);
}

#[test]
fn a_gap_is_a_gap_and_time_runs_on_in_every_run() {
    let mut app = app();
    app.session.axis.span = 10.0;
    app.session.viewport = app.session.look();
    let figure = of(&app.session);
    for trace in figure.lanes.iter().flat_map(|lane| &lane.traces) {
        assert_eq!(trace.runs.len(), 2, "{}: one run before the break, one after", trace.name);
        let (end, begin) = (trace.runs[0].last().unwrap().0, trace.runs[1][0].0);
        assert!((end + 5.0).abs() < 0.1 && (begin + 3.0).abs() < 0.1, "from {end} to {begin}");
        assert!(trace.runs.iter().all(|run| run.windows(2).all(|pair| pair[0].0 <= pair[1].0)));
    }
    let gate = &figure.logic[0];
    assert_eq!(gate.name, "gate");
    let levels: Vec<bool> = gate.levels.iter().map(|(_, _, high)| *high).collect();
    assert_eq!(levels, [false, true, true]);
    assert!((gate.levels[0].1 + 7.0).abs() < 0.1, "{:?}", gate.levels);
    assert!(gate.levels[2].0 - gate.levels[1].1 > 1.8, "nothing is claimed while the board was away");
}

#[test]
fn what_is_hidden_or_zoomed_away_is_not_drawn() {
    let mut app = app();
    let mut settings = app.session.chain().channels()[2].settings().clone();
    settings.hidden = true;
    app.session.chain_mut().set_channel(2, settings);
    app.session.axis.span = 2.0;
    app.session.viewport = app.session.look();
    let figure = of(&app.session);
    assert_eq!(figure.lanes.len(), 1);
    assert_eq!(figure.x, (-2.0, 0.0));
    assert!(figure.marks.is_empty());
    let times = figure.lanes[0].traces[0].runs.iter().flatten().map(|(t, _)| *t);
    assert!(times.into_iter().all(|t| (-2.01..=0.01).contains(&t)));
}

#[test]
fn spans_become_strokes_through_both_of_their_ends() {
    let spans = [Some((1.0, 3.0)), Some((2.0, 5.0)), None, Some((4.0, 4.0)), None, Some((1.0, 1.0)), Some((0.0, 2.0))];
    let runs = runs(&spans, |place| place as f64);
    assert_eq!(
        runs,
        [
            vec![(0.0, 1.0), (0.0, 3.0), (1.0, 2.0), (1.0, 5.0)],
            vec![(3.0, 4.0), (4.0, 4.0)],
            vec![(5.0, 1.0), (6.0, 0.0), (6.0, 2.0)],
        ]
    );
}

#[test]
fn files_get_the_next_free_number_and_the_format_of_their_name() {
    let dir = tempfile::tempdir().unwrap();
    let figure = of(&app().session);
    let names = |paths: Vec<PathBuf>| -> Vec<String> {
        paths.iter().map(|path| path.file_name().unwrap().to_string_lossy().into_owned()).collect()
    };
    let folder = dir.path().join("new");
    assert_eq!(names(write_both(&figure, &folder).unwrap()), ["figure-0001.svg", "figure-0001.pdf"]);
    std::fs::remove_file(folder.join("figure-0001.pdf")).unwrap();
    assert_eq!(names(write_both(&figure, &folder).unwrap()), ["figure-0002.svg", "figure-0002.pdf"]);
    write_as(&figure, &dir.path().join("x.PDF")).unwrap();
    assert!(std::fs::read(dir.path().join("x.PDF")).unwrap().starts_with(b"%PDF"));
    let said = write_as(&figure, &dir.path().join("x.png")).unwrap_err().to_string();
    assert!(said.contains("ends in .svg or .pdf"), "{said}");
    let said = format!("{:#}", write_both(&figure, Path::new("/proc/nowhere")).unwrap_err());
    assert!(said.contains("cannot create /proc/nowhere"), "{said}");
}

#[test]
fn levels_words_and_bare_numbers_stand_on_a_figure_of_the_paper_that_is_set() {
    let bench = Bench::parse(
        "[figure]\nsize = \"160x90 mm\"\ndark = true\ntitle = \"Tank\"\n[[channel]]\nname = \"level\"\nscale = { unit = \"mm\" }\n\
         [[channel]]\nname = \"state\"\nkind = \"code\"\nwords = { 0 = \"idle\", 1 = \"fill <\" }\n\
         [[channel]]\nname = \"ratio\"\nformula = \"level / 500\"\n[[channel]]\nname = \"count\"\n",
    )
    .unwrap();
    let chain = Chain::new(&bench, 0, Limits::default());
    let mut app = App::live(chain, bench.shared.clone(), PathBuf::from("."), None, START);
    for i in 0..1000u32 {
        let level = if i < 500 { 300 + i % 3 } else { 700 + i % 3 };
        let line = format!("level={level} state={} count={i}\n", i / 250 % 2);
        let at = START.plus(f64::from(i) * 0.01);
        let chunk = Chunk { at, bytes: line.as_bytes().into(), skipped: 0 };
        app.update(at, crate::app::Message::Feed(0, Feed::Chunk(chunk)));
    }
    app.session.axis.span = 10.0;
    app.before_frame(START.plus(10.0));
    let figure = app.figures().remove(0);
    assert_eq!((figure.title.as_str(), figure.paper.width, figure.paper.is_dark), ("Tank", 160.0, true));
    // Counts, what is computed without a unit, and millimetres do not share an axis.
    let labels: Vec<&str> = figure.lanes.iter().map(|lane| lane.label.as_str()).collect();
    assert_eq!(labels, ["mm", "no unit", ""], "{labels:?}");
    let levels: Vec<&str> = figure.lanes[0].levels.iter().map(|level| level.label.as_str()).collect();
    assert_eq!(levels, ["301 mm", "701 mm"], "{levels:?}");
    let words: Vec<&str> = figure.logic[0].words.iter().map(|(_, _, word)| word.as_str()).collect();
    assert_eq!(words, ["idle", "fill <", "idle", "fill <"]);
    let drawing = amber_plot::svg(&figure).unwrap();
    assert!(drawing.contains("301 mm") && drawing.contains("fill &lt;") && drawing.contains("width=\"160mm\""));
    // On the screen the same lanes.
    let lanes: Vec<(String, bool)> =
        app.session.lanes().analog.into_iter().map(|lane| (lane.unit, lane.is_bare)).collect();
    assert_eq!(lanes, [("mm".to_owned(), false), (String::new(), true), (String::new(), false)]);
}

#[test]
fn a_figure_names_takes_and_never_the_way_to_them() {
    let dir = tempfile::tempdir().unwrap();
    let place = amber_io::take::TakePlace::Next(dir.path().into());
    let bench = Bench::default();
    let mut writer = amber_io::take::Writer::create(&place, &bench, START, amber_io::take::Event::BEGIN).unwrap();
    for i in 0..50 {
        writer.chunk(START.plus(f64::from(i) * 0.1), format!("a={i} b=2\n").as_bytes()).unwrap();
    }
    let folder = writer.finish(START.plus(5.0)).unwrap().folder;
    let whole = amber_io::take::open(&folder).unwrap();
    let ticket = amber_core::work::Ticket::default();
    let reading = amber_io::take::save_reading(&whole, &whole.bench, &ticket).unwrap();
    for (path, named) in [(folder, "take-0001"), (reading, "take-0001, reading-02")] {
        let take = amber_io::take::open(&path).unwrap();
        let chain = crate::session::chain_of(&take, &take.bench, 0).unwrap();
        let mut app = App::take(chain, take.bench.shared.clone(), take, None);
        app.before_frame(app.session.now);
        assert_eq!(source_of(&app.session), named);
        let document = crate::report::draft(&app.session, app.report_figures()).finish();
        let (text, _) = crate::report::markdown::markdown(&document, "r");
        let parent = dir.path().display().to_string();
        let drawn = amber_plot::svg(&app.figures()[0]).unwrap();
        assert!(!text.contains(&parent) && !drawn.contains(&parent), "{text}");
    }
}
