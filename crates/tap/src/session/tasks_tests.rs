//! Long work as tasks: the screen as it was until they are done, and nothing lost meanwhile.

use super::*;
use crate::app::tests::{START, feed, picture, press, replace};
use crate::app::{App, Message};
use amber_core::chain::Chain;
use amber_io::Feed;
use amber_io::LinkState;
use amber_io::take::TakePlace;
use crossterm::event::KeyCode;
use jiff::tz::TimeZone;

fn lines(rows: std::ops::Range<u32>) -> String {
    rows.map(|i| format!("level={} gate={}\n", 2000 + i % 50, i / 64 % 2)).collect()
}

fn keys(app: &mut App, keys: &str) {
    keys.chars().for_each(|key| drop(press(app, KeyCode::Char(key))));
}

/// An app with a history that is too long to be made anew at once.
fn long() -> App {
    let chain = Chain::new(&Bench::default(), 0, amber_core::store::Limits::default());
    let mut app = App::live(chain, Bench::default().shared, PathBuf::from("out"), None, START);
    (app.session.zone, app.session.size) = (TimeZone::UTC, (160, 47));
    app.update(START, Message::Feed(0, Feed::State(LinkState::open_at(9600))));
    app.session.defer();
    for part in 0..40u32 {
        feed(&mut app, START.plus(f64::from(part)), lines(part * 1000..part * 1000 + 1000).as_bytes());
    }
    app.session.watched.at_mut(0).chain.finish();
    // What settling the first rows asked for.
    finish(&mut app);
    app
}

/// The tasks that make or read histories; looks at channels are others' business.
fn histories(app: &mut App) -> Vec<Task> {
    let tasks = app.session.take_tasks();
    tasks.into_iter().filter(|task| !matches!(task, Task::Check(_) | Task::Advise(_))).collect()
}

/// Does all tasks, and what they ask for.
fn finish(app: &mut App) {
    loop {
        let tasks = app.session.take_tasks();
        if tasks.is_empty() {
            return;
        }
        for done in tasks.into_iter().filter_map(Task::run) {
            app.update(app.session.now, Message::Done(done));
        }
    }
}

#[test]
fn an_edit_of_a_long_history_is_wished_at_once_and_seen_when_it_is_done() {
    let mut app = long();
    keys(&mut app, "4a");
    press(&mut app, KeyCode::Enter);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("1 mean"), "the panel shows what is wished\n{text}");
    assert!(app.session.channel().unwrap().smoothed().is_none(), "the chart shows what is there");
    let first = histories(&mut app);
    assert_eq!(first.len(), 1);
    // The newest wish counts; what is under way for an older one says nothing any more.
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Right);
    let newest = histories(&mut app);
    feed(&mut app, START.plus(50.0), lines(40_000..40_100).as_bytes());
    for task in first {
        assert!(task.run().is_none(), "it was cancelled");
    }
    app.session.now = app.session.now.plus(1.0);
    assert!(picture(&mut app, 160, 47).contains("recalculating"));
    for task in newest {
        let done = task.run().unwrap();
        app.update(app.session.now, Message::Done(done));
    }
    let channel = app.session.channel().unwrap();
    assert_eq!(channel.settings(), channel.wished());
    assert!(channel.smoothed().unwrap().get(40_099).is_some(), "rows that came meanwhile are there");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("◂ seconds ▸") && !text.contains("recalculating"), "{text}");
    // A fault leaves all as it is.
    press(&mut app, KeyCode::Left);
    app.session.take_tasks();
    app.update(app.session.now, Message::Done(Done::Faulted(TaskKind::Anew(0), "asked for".into())));
    assert!(app.session.notice.as_ref().unwrap().text.contains("the history is unchanged: asked for"));
    assert!(picture(&mut app, 160, 47).contains("◂ seconds ▸") && !app.session.chain().is_behind());
}

#[test]
fn a_line_is_looked_for_among_many_without_holding_up_the_screen() {
    let mut app = long();
    keys(&mut app, "vlf");
    replace(&mut app, "level=2007 gate=1");
    assert_eq!(app.rooms.lines.cursor(), None, "it is still looked for");
    finish(&mut app);
    let found = app.rooms.lines.cursor().unwrap();
    assert!(found > 39_000);
    keys(&mut app, "n");
    finish(&mut app);
    assert_ne!(app.rooms.lines.cursor().unwrap(), found);
}

#[test]
fn a_take_is_shown_while_it_is_read_and_what_is_set_meanwhile_stays() {
    let dir = tempfile::tempdir().unwrap();
    let place = TakePlace::Exactly(dir.path().join("x"));
    let event = amber_io::take::Event::BEGIN;
    let mut writer = amber_io::take::Writer::create(&place, &Bench::default(), START, event).unwrap();
    for part in 0..100u32 {
        let text = lines(part * 1000..part * 1000 + 1000);
        writer.chunk(START.plus(f64::from(part) * 10.0), text.as_bytes()).unwrap();
    }
    writer.finish(START.plus(1000.0)).unwrap();
    let take = amber_io::take::open(&dir.path().join("x")).unwrap();
    let bench = take.bench.clone();
    let whole = chain_of(&take, &bench, 0).unwrap();
    let chain = Chain::new(&bench, 0, amber_core::store::Limits::NONE);
    let mut app = App::take(chain, bench.shared.clone(), take, None);
    (app.session.zone, app.session.size) = (TimeZone::UTC, (160, 47));
    app.session.defer();
    app.session.read_takes();
    let mut parts = 0;
    while let Some(task) = histories(&mut app).pop() {
        parts += 1;
        let done = task.run().unwrap();
        app.update(app.session.now, Message::Done(done));
        if parts == 1 {
            let text = picture(&mut app, 160, 47);
            assert!(
                text.contains("rows over") && app.session.chain().store().rows().end > 1000,
                "the first picture\n{text}"
            );
            assert!(app.session.axis.span > 900.0, "all of its time is in sight");
            keys(&mut app, "4a");
            press(&mut app, KeyCode::Enter);
        }
    }
    assert!(parts > 2, "{parts}");
    let (chain, smoothed) = (app.session.chain(), app.session.channel().unwrap().smoothed());
    assert_eq!(chain.store().rows(), whole.store().rows());
    assert_eq!(chain.channels()[0].levels().found(), whole.channels()[0].levels().found());
    assert!(smoothed.unwrap().get(99_999).is_some(), "what was set meanwhile holds for the whole");
    // What was done for an edit, before the take was read again for another one, stops nothing.
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Right);
    let done: Vec<Done> = app.session.take_tasks().into_iter().filter_map(Task::run).collect();
    assert_eq!(done.len(), 1);
    app.session.split_take(0, amber_core::bench::Split::Auto);
    done.into_iter().for_each(|done| drop(app.update(app.session.now, Message::Done(done))));
    assert!(app.session.watched.at(0).underway.as_ref().is_some_and(|underway| underway.reads), "it is still read");
    let wished = app.session.channel().unwrap().wished().smooth.clone();
    finish(&mut app);
    assert_eq!(app.session.channel().unwrap().settings().smooth, wished);
    assert!(
        app.session.channel().unwrap().smoothed().unwrap().get(99_999).is_some() && app.session.underway().is_none()
    );
    // The file is cut off while it is read again.
    std::fs::File::options().write(true).open(dir.path().join("x/wire.bin")).unwrap().set_len(1000).unwrap();
    keys(&mut app, "2o");
    app.session.split_take(0, amber_core::bench::Split::Auto);
    finish(&mut app);
    let said = &app.session.notice.as_ref().unwrap().text;
    assert!(said.contains("only the first 0 B of the take could be read: it became shorter"), "{said}");
}

/// A take of 100 000 rows, of which hardly anything is held in memory, looks as it does in memory, also after edits.
#[test]
fn what_has_no_room_in_memory_is_read_from_the_disk() {
    let dir = tempfile::tempdir().unwrap();
    let place = TakePlace::Exactly(dir.path().join("x"));
    let event = amber_io::take::Event::BEGIN;
    let bench = Bench::default();
    let mut writer = amber_io::take::Writer::create(&place, &bench, START, event).unwrap();
    writer.chunk(START, lines(0..100_000).as_bytes()).unwrap();
    writer.finish(START.plus(1000.0)).unwrap();
    let take = amber_io::take::open(&dir.path().join("x")).unwrap();
    let mut held = chain_of(&take, &bench, 0).unwrap();
    let (mut away, used) = super::loading::TakeLoader::new(&take, &bench, 0).holding(0).whole();
    assert!(used > 1_000_000 && away.size() * 3 < held.size(), "{used}: {} {}", away.size(), held.size());
    for _ in 0..2 {
        let spans = |chain: &Chain| {
            let series = chain.channels().iter().map(|channel| channel.output());
            let span = |rows: std::ops::Range<u64>| series.clone().map(move |one| one.min_max(rows.clone()));
            (0..300).flat_map(|i| span(i * 333..i * 333 + 1 + i * 7)).collect::<Vec<_>>()
        };
        assert_eq!(spans(&away), spans(&held));
        let rows = |chain: &Chain| (0..100_000).step_by(77).map(|row| chain.reading(0, row)).collect::<Vec<_>>();
        assert_eq!(format!("{:?}", rows(&away)), format!("{:?}", rows(&held)));
        for chain in [&mut held, &mut away] {
            let scale = amber_core::scale::Scale::linear(12, 3.3, 0.5, 100.0, "mm");
            chain
                .set_channel(0, amber_core::bench::ChannelSettings { scale, ..chain.channels()[0].settings().clone() });
        }
    }
}
