//! Whole chains: kinds, edits, breaks, shapes, references.

use super::*;
use crate::bench::Kind;
use crate::formula::Formula;
use crate::scale::Scale;
use crate::smooth::{Median, Price, Signal, Strength};
use crate::split::LineOutcome;
use crate::watch::Watch;

fn fed(rows: u32) -> Chain {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    chain.break_off();
    feed(&mut chain, 0..rows);
    chain
}

fn feed(chain: &mut Chain, rows: std::ops::Range<u32>) {
    for i in rows {
        let line = format!("t_us={} level={} gate={}\r\n", i * 10_000, 2000 + (i % 200), i / 50 % 2);
        chain.feed(Stamp::default().plus(f64::from(i) * 0.01), line.as_bytes());
    }
}

#[test]
fn kinds_are_told_from_what_comes() {
    let chain = fed(300);
    let kinds: Vec<_> = chain.channels().iter().map(|c| (c.name(), c.kind())).collect();
    assert_eq!(kinds, [("t_us", Kind::Clock), ("level", Kind::Analog), ("gate", Kind::Digital)]);
    assert_eq!(chain.counts().rows, 300);
    assert_eq!(chain.counts().rejected(), 0);
    // The gate is watched without being asked to.
    assert_eq!(chain.channels()[2].watcher().now().rises, 3);
    assert!((chain.rate().rate(chain.newest().unwrap()) - 100.0).abs() < 3.0);
}

#[test]
fn an_edit_makes_the_whole_history_anew_as_if_it_had_been_set_before() {
    let settings = ChannelSettings {
        scale: Scale::linear(12, 3.3, 0.1, 50.0, "mm"),
        smooth: vec![Median { window: Strength::Rows(9) }.into()],
        watch: Some(Watch { threshold: 80.0, hysteresis: 1.0, ..Watch::default() }),
        ..ChannelSettings::named("level")
    };
    let formula = |text: &str| Formula::new(text).ok();
    let speed = ChannelSettings {
        formula: formula("rate(smoothed(level)) + integral(gate) * raw(level)"),
        ..ChannelSettings::named("speed")
    };
    let late = ChannelSettings { formula: formula("speed / 2 - prev(level)"), ..ChannelSettings::named("late") };
    let mut edited = fed(2500);
    edited.add_computed(late.clone()).unwrap();
    edited.add_computed(speed.clone()).unwrap();
    feed(&mut edited, 2500..3000);
    edited.set_channel(1, settings.clone());
    feed(&mut edited, 3000..5000);
    let channel = vec![settings, late.clone(), speed.clone()];
    let mut before =
        Chain::new(&Bench::of(SourceSettings { channel, ..SourceSettings::default() }), 0, Limits::default());
    before.break_off();
    feed(&mut before, 0..5000);
    let at = |chain: &Chain, name: &str| chain.channels().iter().position(|c| c.name() == name).unwrap();
    for name in ["level", "late", "speed"] {
        for row in (2..5000).step_by(37) {
            let [a, b] = [&edited, &before].map(|chain| chain.reading(at(chain, name), row));
            assert_eq!(a, b, "{name} in row {row}");
        }
        let [a, b] = [&edited, &before].map(|chain| chain.channels()[at(chain, name)].levels().found().clone());
        assert_eq!(a, b, "levels of {name}");
    }
    let own = ChannelSettings { formula: formula("late + 1"), ..speed };
    assert_eq!(edited.circle_with(at(&edited, "speed"), &own).unwrap(), "late needs speed, which needs late");
    assert!(edited.add_computed(late).unwrap_err().contains("already"));
    let counted = edited.channels().len();
    edited.remove_computed(at(&edited, "speed"));
    assert_eq!(edited.channels().len(), counted - 1);
    assert!(edited.reading(at(&edited, "late"), 4000).unwrap().raw.is_nan(), "what it needs is gone");
    let (a, b) = (edited.channels()[1].watcher().now(), before.channels()[at(&before, "level")].watcher().now());
    assert_eq!(a, b);
    assert!(a.rises > 20);
    let reading = edited.reading(1, 100).unwrap();
    assert_eq!(reading.raw, 2100.0);
    assert!((reading.quantity - (2100.0 * 3.3 / 4096.0 - 0.1) * 50.0).abs() < 1e-9);
}

#[test]
fn a_break_costs_no_row_and_no_line_is_drawn_across_it() {
    let mut chain = fed(10);
    chain.feed(chain.newest().unwrap(), b"t_us=1 lev");
    chain.skip(500);
    chain.feed(chain.newest().unwrap(), b"el=7 gate=1\nt_us=5 level=8 gate=1\n");
    assert_eq!((chain.counts().rows, chain.counts().rejected(), chain.counts().half), (11, 0, 1));
    assert_eq!((chain.counts().skipped, chain.counts().cut_off), (500, 10));
    assert!(chain.store().broken_between(9, 10));
}

#[test]
fn a_converter_takes_its_reference_from_another_channel_in_the_same_row() {
    let text = "[[channel]]\nname = \"pressure\"\nscale = { steps = [{ is = \"converter\", bits = 10, reference = \"supply\" }] }\n\
        [[channel]]\nname = \"supply\"\nscale = { steps = [{ is = \"gain\", by = 0.001, unit = \"V\" }] }\n";
    let mut chain = Chain::new(&Bench::parse(text).unwrap(), 0, Limits::default());
    for i in 0..20 {
        chain.feed(Stamp(i * 1_000_000), format!("pressure={} supply={}\n", 512, 5000 - i).as_bytes());
    }
    let volts = |chain: &Chain, row: u64| chain.reading(0, row).unwrap().quantity;
    assert_eq!((volts(&chain, 0), volts(&chain, 10)), (2.5, 4.990 / 2.0));
    assert_eq!(chain.reading(0, 10).unwrap().reference, Some(4.990));
    // The supply was measured to be a little more: what is taken from it follows.
    let mut supply = chain.channels()[1].settings().clone();
    supply.scale.steps[0] = crate::scale::Gain { factor: 0.0011, unit: "V".into() }.into();
    chain.set_channel(1, supply);
    assert!((volts(&chain, 10) - 4.990 * 1.1 / 2.0).abs() < 1e-12);
    assert!((chain.channels()[0].scaled().get(10).unwrap() - 4.990 * 1.1 / 2.0).abs() < 1e-6);
    let itself = chain.channels()[0].settings().clone();
    let itself = ChannelSettings { name: "supply".into(), ..itself };
    assert_eq!(chain.circle_with(1, &itself).unwrap(), "supply needs itself");
}

#[test]
fn garbage_is_counted_and_told_as_a_wrong_baud() {
    let mut chain = fed(10);
    assert_eq!(chain.unreadable(), None);
    let garbage: Vec<u8> = (0..4000u32).map(|i| (i.wrapping_mul(2654435761) >> 13) as u8 | 0x80).collect();
    chain.feed(Stamp::default().plus(1.0), &garbage);
    assert!(chain.unreadable().is_some_and(|share| share > 0.9));
    assert_eq!(chain.counts().bytes - fed(10).counts().bytes, 4000);
}

#[test]
fn start_up_text_that_looks_like_rows_takes_its_channels_with_it() {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    for i in 0..10 {
        chain.feed(Stamp(i), format!("load:0x3fff00{i:02},len:{}\r\n", 1344 + i).as_bytes());
    }
    let names = |chain: &Chain| chain.channels().iter().map(|c| c.name().to_owned()).collect::<Vec<_>>();
    assert_eq!(names(&chain), ["load", "len"]);
    for i in 10..60 {
        let mode = ["still", "waves"][i as usize / 6 % 2];
        chain.feed(Stamp(i * 1_000_000), format!("level: {} mm, mode: {mode}\r\n", 100 + i % 7).as_bytes());
    }
    assert_eq!(names(&chain), ["level", "mode"]);
    assert_eq!((chain.counts().rows, chain.doubts()), (50, (Some(crate::split::Confidence::Sure), None)));
    let mode = &chain.channels()[1];
    assert_eq!(
        (mode.kind(), mode.word(1.0), mode.settings().words.spelled()),
        (Kind::Digital, Some("still"), "0 waves, 1 still".into())
    );
    assert!(chain.is_as_found(mode.settings()), "a bench need not save what the board says");
}

#[test]
fn another_shape_splits_the_history_again() {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    chain.set_split(Split::Pinned("plain spaces 1".parse().unwrap()));
    for i in 0..40 {
        chain.feed(Stamp(i * 10), format!("{}\n{}\n", i % 2, 640 + i).as_bytes());
    }
    chain.sent(Stamp(400), b"go");
    chain.feed(Stamp(500), b"valve ok\n");
    assert_eq!(chain.counts().rows, 80);
    // All lines together tell by themselves that two are a row.
    chain.set_split(Split::Auto);
    let counts = chain.counts();
    assert_eq!((counts.rows, counts.lines, counts.messages, counts.rejected()), (40, 80, 1, 0));
    assert_eq!((counts.bytes, counts.sent), (40 * 6 + 9, 2));
    assert_eq!((chain.store().raw(0, 7), chain.store().raw(1, 7)), (Some(1.0), Some(647.0)));
    assert_eq!(chain.store().arrival(7), Some(Stamp(70)));
    assert_eq!(chain.tail().lines().filter(|line| line.outcome == LineOutcome::Sent).count(), 1);
    // And it goes on from there.
    chain.feed(Stamp(600), b"0\n700\n");
    assert_eq!(chain.counts().rows, 41);
}

#[test]
fn levels_that_are_found_at_the_end_are_those_that_are_found_on_the_way() {
    let text = |rows: std::ops::Range<u32>| -> String {
        // Rests of ten seconds on three steps, with a flicker.
        rows.map(|i| format!("a={} b={}\n", 100 + i / 1000 % 3 * 40 + i * 7 % 3, i % 2)).collect()
    };
    let fresh = || Chain::new(&Bench::default(), 0, Limits::NONE);
    let (mut at_once, mut later) = (fresh(), fresh().without_levels());
    for part in 0..60u32 {
        for chain in [&mut at_once, &mut later] {
            chain.feed(Stamp(i64::from(part) * 1_000_000_000), text(part * 100..part * 100 + 100).as_bytes());
            if part == 33 {
                chain.break_off();
            }
        }
    }
    let levels = |chain: &Chain| chain.channels()[0].levels().found().clone();
    assert!(levels(&at_once).len() >= 4, "{:?}", levels(&at_once));
    assert!(levels(&later).is_empty() && later.channels()[0].noise(u64::MAX).is_none());
    later.find_levels();
    assert_eq!(levels(&later), levels(&at_once));
    assert_eq!(later.channels()[0].noise(u64::MAX), at_once.channels()[0].noise(u64::MAX));
    // And they go on as one.
    for chain in [&mut at_once, &mut later] {
        chain.feed(Stamp(60_000_000_000), text(6000..6100).as_bytes());
    }
    assert_eq!(levels(&later), levels(&at_once));
}

#[test]
fn rows_of_a_text_that_was_there_at_once_have_their_interval_and_their_noise_after_a_filter() {
    let time = crate::clock::Time::Board { channel: "t".into(), tick: crate::clock::Tick::Ms, bits: None };
    let smooth = vec![Median { window: Strength::Rows(9) }.into()];
    let channel = vec![ChannelSettings { smooth, ..ChannelSettings::named("x") }];
    let source = SourceSettings { channel, time, ..SourceSettings::default() };
    let mut chain = Chain::new(&Bench::of(source), 0, Limits::NONE);
    chain.open(crate::clock::Opening::Text { at: Stamp(0), arrives: false }, None);
    let mut chance = crate::chance::Chance(3);
    let text: String = (0..2000).map(|i| format!("t={} x={:.0}\n", i * 20, 900.0 + 5.0 * chance.gauss())).collect();
    chain.feed(Stamp(0), text.as_bytes());
    assert_eq!(chain.rate().interval().filter(|interval| *interval > 0.0), None, "all arrived at once");
    assert!((chain.interval().unwrap() - 0.02).abs() < 1e-9);
    let channel = chain.channels().iter().find(|channel| channel.name() == "x").unwrap();
    let price = Price::of(&channel.settings().smooth, Signal { interval: 0.02, noise: 5.0, step: 0.0 });
    let after = channel.noise_after(2000, &price).unwrap().deviation;
    assert!((1.5..2.6).contains(&after), "a median of nine leaves a good third: {after}");
}
