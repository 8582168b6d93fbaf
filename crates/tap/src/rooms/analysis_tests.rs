//! Smoothing, trial, listing, blocks and spectrum, driven by keys.

use super::tests::{feed_more, picture, press, replace, typed, watched};
use super::*;
use crate::session::Request;
use amber_core::block::Length;
use amber_core::part::Listed;
use crossterm::event::KeyCode;

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
    let figure = app.figure();
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
    // Half of the next one is still to come.
    typed(&mut app, "ggk");
    assert_eq!(app.session.blocks.named.len(), 1);
    assert!(seen(&mut app).contains("waiting for the last rows"));
    feed_more(&mut app, 20, 3);
    let second = app.session.blocks.named[1].clone();
    let count = second.times.len();
    // The clock of the board is not that of the host.
    assert!((249..=251).contains(&count) && second.seconds(0) < -1.2 && second.seconds(count - 1) > 1.2);
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
    let figure = app.figure();
    assert!(figure.title.contains("spectrum of gauge_a") && !figure.marks.is_empty());
    // Small, and without anything.
    for size in [(60, 16), (80, 24), (100, 30)] {
        picture(&mut app, size.0, size.1);
    }
    press(&mut app, KeyCode::Esc);
    assert_eq!(app.view, RoomId::Chart);
}
