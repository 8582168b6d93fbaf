//! The whole chain over made-up streams: every line is accounted for, whatever comes, however it is cut.

#[path = "parts/mod.rs"]
mod parts;

use amber_core::Stamp;
use amber_core::bench::{
    Bench, ChannelSettings, Kind, Parity, Screen, Shared, SourceSettings, Split, WireSettings, Words,
};
use amber_core::chain::Chain;
use amber_core::clock::{Tick, Time};
use amber_core::scale::{Scale, Step};
use amber_core::split::{Delimiter, MAX_LINE, Plain, Shape};
use amber_core::store::Limits;
use amber_core::talk::{BoardCommand, Ending};
use amber_core::watch::Watch;
use proptest::prelude::*;

/// Lines of one stream: rows, the board's words, damage of every kind.
fn line() -> impl Strategy<Value = Vec<u8>> {
    prop_oneof![
        12 => (0..4096i32, -500..500i32).prop_map(|(a, b)| format!("a={a} b={b}").into_bytes()),
        2 => Just(b"board says hello".to_vec()),
        1 => Just(b"a=12 b=".to_vec()),
        1 => Just(b"a=1 a=2".to_vec()),
        1 => Just(b"a=1 b=2 c=3".to_vec()),
        1 => Just(b"\x1b[2J\x07".to_vec()),
        1 => proptest::collection::vec(any::<u8>().prop_filter("no line ending", |b| !matches!(b, b'\n' | b'\r')), 1..60),
        1 => Just(vec![b'7'; MAX_LINE + 50]),
    ]
}

fn ending() -> impl Strategy<Value = &'static [u8]> {
    prop_oneof![Just(&b"\n"[..]), Just(&b"\r\n"[..]), Just(&b"\r"[..])]
}

/// Lines that the chain knows the outcome of.
fn settled(chain: &Chain) -> u64 {
    let counts = chain.counts();
    counts.rows + counts.messages + counts.half + counts.rejected()
}

fn pinned() -> Bench {
    Bench::of(SourceSettings { split: Split::Pinned(Shape::labelled(["a", "b"], true)), ..SourceSettings::default() })
}

proptest! {
    #[test]
    fn every_line_becomes_exactly_one_thing(lines in proptest::collection::vec((line(), ending()), 1..60), cut in 1..400usize) {
        let stream: Vec<u8> = lines.iter().flat_map(|(line, end)| [&line[..], end].concat()).collect();
        let mut chain = Chain::new(&pinned(), 0, Limits::default());
        for (i, piece) in stream.chunks(cut).enumerate() {
            chain.feed(Stamp(i as i64), piece);
        }
        prop_assert_eq!(settled(&chain), lines.len() as u64);
        prop_assert_eq!(chain.counts().bytes, stream.len() as u64);
        prop_assert_eq!(chain.store().rows().end, chain.counts().rows);
        // The cut changes nothing but the stamps.
        let mut whole = Chain::new(&pinned(), 0, Limits::default());
        whole.feed(Stamp(0), &stream);
        let sums = |chain: &Chain| (settled(chain), chain.counts().rows, chain.counts().rejected(), chain.counts().messages);
        prop_assert_eq!(sums(&chain), sums(&whole));
        for row in chain.store().rows() {
            prop_assert_eq!(chain.store().raw(0, row).map(f64::to_bits), whole.store().raw(0, row).map(f64::to_bits));
        }
    }

    #[test]
    fn good_rows_come_through_unchanged_whatever_stands_between(values in proptest::collection::vec((0..65536u32, -1e6..1e6f64), 3..80), noise in proptest::collection::vec(line(), 80)) {
        let mut chain = Chain::new(&pinned(), 0, Limits::default());
        let mut expected = Vec::new();
        for ((a, b), noise) in values.iter().zip(&noise) {
            chain.feed(Stamp(0), format!("a={a} b={b:.4}\n").as_bytes());
            expected.push((f64::from(*a), format!("{b:.4}").parse::<f64>().unwrap()));
            let damage = [b"x ", &noise[..]].concat();
            if std::str::from_utf8(noise).is_err() {
                chain.feed(Stamp(0), &[&damage[..], b"\n"].concat());
            }
        }
        let rows: Vec<(f64, f64)> = chain.store().rows().map(|row| (chain.store().raw(0, row).unwrap(), chain.store().raw(1, row).unwrap())).collect();
        prop_assert_eq!(rows, expected);
    }

    #[test]
    fn breaks_and_skips_lose_at_most_the_lines_that_they_hit(breaks in proptest::collection::vec(1..200usize, 1..12)) {
        let stream: Vec<u8> = (0..200).flat_map(|i| format!("a={i} b={}\n", i * 2).into_bytes()).collect();
        let mut chain = Chain::new(&pinned(), 0, Limits::default());
        let mut rest = &stream[..];
        let mut hits = 0;
        for (i, length) in breaks.iter().enumerate() {
            let (head, tail) = rest.split_at((*length).min(rest.len()));
            chain.feed(Stamp(0), head);
            rest = tail;
            hits += 1;
            if i % 2 == 0 { chain.break_off() } else { chain.skip(0) }
        }
        chain.feed(Stamp(0), rest);
        prop_assert!(chain.counts().rows + hits >= 200, "{} rows after {hits} breaks", chain.counts().rows);
        prop_assert_eq!(chain.counts().rejected(), 0, "a break is no damage");
    }

    #[test]
    fn any_bytes_at_all_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..4000), cut in 1..300usize) {
        let mut chain = Chain::new(&Bench::default(), 0, Limits { seconds: 1.0, rows: 10 });
        chain.break_off();
        for piece in bytes.chunks(cut) {
            chain.feed(Stamp(0), piece);
        }
        prop_assert_eq!(chain.counts().bytes, bytes.len() as u64);
        prop_assert!(chain.channels().len() <= amber_core::split::MAX_FIELDS);
        prop_assert!(chain.tail().lines().all(|line| line.bytes.len() <= MAX_LINE));
    }

    #[test]
    fn each_bare_shape_is_found_and_read(
        delimiter in prop_oneof![Just(Delimiter::Comma), Just(Delimiter::Semicolon), Just(Delimiter::Tab), Just(Delimiter::Spaces)],
        fields in 1..9usize, rows in 3..20usize, padded: bool,
    ) {
        prop_assume!(fields > 1 || delimiter == Delimiter::Spaces);
        let between = match (delimiter, padded) {
            (Delimiter::Spaces, true) => "   ".to_owned(),
            (Delimiter::Tab, _) => "\t".to_owned(),
            (_, true) => format!(" {} ", delimiter.byte() as char),
            (_, false) => (delimiter.byte() as char).to_string(),
        };
        let row = |r: usize| (0..fields).map(|f| format!("{}.{}", r * 10 + f, f)).collect::<Vec<_>>().join(&between);
        let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
        (0..rows).for_each(|r| chain.feed(Stamp(r as i64), format!("{}\r\n", row(r)).as_bytes()));
        prop_assert_eq!(chain.shape(), Some(&Shape::Plain(Plain::new(delimiter, fields))));
        prop_assert_eq!(chain.counts().rows, rows as u64);
        let last = fields - 1;
        let expected: f64 = format!("{}.{last}", (rows - 1) * 10 + last).parse().unwrap();
        prop_assert_eq!(chain.store().raw(last, rows as u64 - 1), Some(expected));
    }
}

/// Settings of every kind, as a person might leave them.
fn benches() -> impl Strategy<Value = Bench> {
    let scale = (proptest::collection::vec(parts::any_step(), 0..5), parts::unit()).prop_map(|(mut steps, unit)| {
        let mut converters = 0;
        steps.retain(|step| {
            converters += usize::from(matches!(step, Step::Converter(_)));
            !matches!(step, Step::Converter(_)) || converters == 1
        });
        Scale { unit, steps }
    });
    let smooth = parts::filters();
    let watch = proptest::option::of((-1e3..1e3f64, 0.0..10.0f64).prop_map(|(threshold, hysteresis)| Watch {
        threshold,
        hysteresis,
        ..Watch::default()
    }));
    let kind = proptest::sample::select(&Kind::ALL[..]);
    let words = proptest::collection::vec((-9..99i64, "[a-z]{1,6}( [a-z]{1,4})?"), 0..3);
    let words = words.prop_map(|pairs| {
        let pairs: Vec<String> = pairs.iter().map(|(code, word)| format!("{code} {word}")).collect();
        Words::parse(&pairs.join(",")).unwrap()
    });
    let channel = (kind, any::<bool>(), "[A-Za-z ]{0,9}", words, scale, smooth, watch).prop_map(
        |(kind, hidden, title, words, scale, smooth, watch)| ChannelSettings {
            kind,
            hidden,
            title,
            words,
            scale,
            smooth,
            watch,
            ..ChannelSettings::default()
        },
    );
    let channels = proptest::collection::vec(channel, 0..5);
    let sources = proptest::collection::vec((sources(), splits(), times()), 1..4);
    ("[ -~]{0,12}", sources, 0.2..60.0f64, channels, proptest::collection::vec(sayings(), 0..3)).prop_map(
        |(name, mut sources, pace, mut channel, say)| {
            channel.iter_mut().zip(0..).for_each(|(channel, i)| channel.name = format!("c{i}"));
            let source =
                |(wire, split, time)| SourceSettings { wire, split, time, channel: Vec::new(), condition: Vec::new() };
            let mut sources: Vec<SourceSettings> = sources.drain(..).map(source).collect();
            // No two channels of a source are called alike.
            channel.iter_mut().zip(0..).for_each(|(channel, i)| {
                if !channel.title.is_empty() {
                    channel.title = format!("{} {i}", channel.title.trim());
                }
            });
            sources[0].channel = channel;
            let screen = Screen { refresh_rate: pace, ..Screen::default() };
            Bench { shared: Shared { name, screen, command: say, ..Shared::default() }, sources }
        },
    )
}

fn sources() -> impl Strategy<Value = WireSettings> {
    let parity = proptest::sample::select(&Parity::ALL[..]);
    let line = (5..=8u8, parity, 1..=2u8, any::<bool>());
    ("[a-z]{0,5}", "/dev/[a-zA-Z0-9]{1,8}", proptest::option::of(50..3_000_000u32), line, "[A-F0-9]{0,8}").prop_map(
        |(name, port, baud, (data_bits, parity, stop_bits, reset), usb)| WireSettings {
            name,
            port,
            baud,
            data_bits,
            parity,
            stop_bits,
            reset_on_open: reset,
            usb,
        },
    )
}

fn splits() -> impl Strategy<Value = Split> {
    let shape = prop_oneof![
        Just("plain comma 3"),
        Just("plain spaces 1 lines 2"),
        Just("plain semicolon 2 decimal-comma brackets indexed named a,b"),
        Just("labelled a b ..."),
        Just("worded gauge bed"),
        Just("per-line x y z"),
        Just("json bed.p on"),
    ];
    proptest::option::of(shape)
        .prop_map(|shape| shape.map_or(Split::Auto, |shape| Split::Pinned(shape.parse().unwrap())))
}

fn times() -> impl Strategy<Value = Time> {
    prop_oneof![
        Just(Time::Auto),
        Just(Time::Arrival),
        Just(Time::Even),
        (0.001..1e6f64).prop_map(|hz| Time::Rate { hz }),
        ("[a-z_]{1,8}", proptest::sample::select(&Tick::ALL[..]), proptest::option::of(8..=52u8))
            .prop_map(|(channel, tick, bits)| Time::Board { channel, tick, bits }),
    ]
}

fn sayings() -> impl Strategy<Value = BoardCommand> {
    ("[a-z ]{1,9}", "[ -~]{0,20}", proptest::sample::select(&Ending::ALL[..]))
        .prop_map(|(name, text, ending)| BoardCommand { name, text, ending })
}

proptest! {
    #[test]
    fn a_bench_comes_back_from_its_file_and_from_another_ones(bench in benches(), other in benches()) {
        let text = bench.new_file("mine");
        prop_assert_eq!(&Bench::parse(&text).unwrap(), &bench, "{}", text);
        // Saving over an older file leaves nothing of the old settings.
        let text = bench.write_into(&other.new_file("theirs, with a comment")).unwrap();
        prop_assert_eq!(&Bench::parse(&text).unwrap(), &bench, "{}", text);
        prop_assert_eq!(bench.write_into(&text).unwrap(), text, "saving twice changes nothing");
    }

    #[test]
    fn a_damaged_bench_file_is_refused_with_a_place_in_it_or_still_makes_sense(bench in benches(), at in 0.0..1.0f64, byte in b' '..=b'~') {
        let mut text = bench.new_file("damaged").into_bytes();
        let index = (at * (text.len() - 1) as f64) as usize;
        text[index] = byte;
        let Ok(text) = String::from_utf8(text) else { return Ok(()) };
        if let Err(error) = Bench::parse(&text) {
            prop_assert!(error.line >= 1 && error.line <= text.lines().count().max(1) + 1 && !error.message.is_empty(), "{}", error);
        }
    }
}

proptest! {
    #[test]
    fn a_shape_set_later_reads_the_history_as_if_it_had_been_set_before(
        lines in proptest::collection::vec((line(), ending()), 4..60),
        breaks in proptest::collection::vec(any::<prop::sample::Index>(), 0..3),
        unfinished in "[a-z0-9= ]{0,8}",
    ) {
        let breaks: Vec<usize> = breaks.iter().map(|at| at.index(lines.len())).collect();
        let fed = |bench: Bench| {
            let mut chain = Chain::new(&bench, 0, Limits::default());
            for (i, (line, end)) in lines.iter().enumerate() {
                if breaks.contains(&i) {
                    chain.begin();
                }
                chain.feed(Stamp(i as i64 * 1000), &[&line[..], end].concat());
            }
            chain.feed(Stamp(1_000_000), unfinished.as_bytes());
            chain
        };
        let mut later = fed(Bench::default());
        later.set_split(pinned().sources.remove(0).split);
        let before = fed(pinned());
        let sums = |chain: &Chain| (chain.counts().rows, chain.counts().messages, chain.counts().rejected(), chain.counts().bytes);
        prop_assert_eq!(sums(&later), sums(&before));
        // The line that is under way goes on in the new shape.
        let ended = |mut chain: Chain| {
            chain.feed(Stamp(2_000_000), b"\na=7 b=8\n");
            chain
        };
        let (later, before) = (ended(later), ended(before));
        prop_assert_eq!(later.store().rows(), before.store().rows());
        for row in before.store().rows() {
            prop_assert_eq!(later.store().time(row), before.store().time(row));
            prop_assert_eq!(later.store().raw(0, row).map(f64::to_bits), before.store().raw(0, row).map(f64::to_bits));
            prop_assert_eq!(row > 0 && later.store().broken_between(row - 1, row), row > 0 && before.store().broken_between(row - 1, row));
        }
    }
}

#[test]
fn memory_stays_within_the_limits_however_long_it_runs() {
    let mut chain = Chain::new(&pinned(), 0, Limits { seconds: 5.0, rows: 1_000_000 });
    let mut most = 0;
    for i in 0..200_000i64 {
        chain.feed(Stamp(i * 1_000_000), format!("a={} b=1\n", i % 4000).as_bytes());
        let rows = chain.store().rows();
        most = most.max(rows.end - rows.start);
    }
    // Five seconds at 1000 rows a second, and at most a block more.
    assert!((5000..=5000 + 2 * amber_core::store::BLOCK as u64).contains(&most), "{most}");
    assert_eq!(chain.counts().rows, 200_000);
    assert!(chain.channels()[0].scaled().get(199_999).is_some() && chain.channels()[0].scaled().get(100_000).is_none());
}
