//! The same bytes through the buffer behind the screen and through the table of a take: the same rows, names and times,
//! whatever the shapes, however the bytes are cut, wherever the link breaks.

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::chain::Chain;
use amber_core::clock::Opening;
use amber_core::store::Limits;
use amber_io::take::{Decoder, Event};
use proptest::prelude::*;

const START: Stamp = Stamp(1_767_225_600_000_000_000);

/// Line `i` of a board: start-up text that looks like rows, rows of several shapes, damage.
fn line(kind: usize, i: usize) -> String {
    match kind {
        0 => format!("gauge={} bed={}\n", 1000 + i * 7 % 90, i * 3 % 11),
        1 => format!("{i},{},{}\n", i % 5, i % 3),
        2 => format!("load:0x3fff{i:04x},len:{}\n", 1344 + i),
        3 => format!("gauge={} bed=2 late{}=1\n", i % 9, i % 2),
        4 => format!("{{\"fw\":{i},\"on\":true}}\n"),
        5 => format!("t_us={} gauge={}\n", i * 10_000, i % 13),
        6 => "gauge=12 bed=\nboard restarts\n\u{7}\n".into(),
        _ => format!("{}\n", i % 2 * 640 + i % 4),
    }
}

/// What a row says: the time in microseconds and the value of each channel that says something.
type Told = (i64, Vec<(String, String)>);

fn of_table(text: &str) -> Vec<Told> {
    let mut table = csv::Reader::from_reader(text.as_bytes());
    let names: Vec<String> = table.headers().unwrap().iter().map(str::to_owned).collect();
    // Rows that are counted are a hundredth of a second apart within the program.
    let micros = if names[0] == "row" { 1e4 } else { 1e6 };
    let row = |record: csv::StringRecord| {
        let time = (record[0].parse::<f64>().unwrap() * micros).round() as i64;
        let cells = names.iter().zip(record.iter()).skip(2).filter(|(_, cell)| !cell.is_empty());
        (time, cells.map(|(name, cell)| (name.clone(), cell.to_owned())).collect())
    };
    table.records().map(|record| row(record.unwrap())).collect()
}

fn of_chain(chain: &Chain, origin: Stamp, columns: &[String]) -> Vec<Told> {
    let store = chain.store();
    let row = |row| {
        let time = (store.time(row).unwrap().0 - origin.0).div_euclid(1000);
        let cell = |(index, channel): (usize, &amber_core::chain::Channel)| {
            let value = store.raw(index, row).filter(|value| !value.is_nan())?;
            columns.iter().any(|name| name == channel.name()).then(|| (channel.name().to_owned(), value.to_string()))
        };
        (time, chain.channels().iter().enumerate().filter_map(cell).collect())
    };
    store.rows().map(row).collect()
}

/// What is watched for in all of them.
const CONDITIONS: &str = r#"
[[source]]
condition = [
    { name = "high", test = [{ kind = "above", of = "gauge", value = 6.0, hysteresis = 2.0 }] },
    { name = "held", hold = 0.025, pause = 0.2, test = [{ kind = "below", of = "bed + 1", value = 4.0 }] },
    { name = "quiet", test = [{ kind = "silent", seconds = 0.03 }] },
    { name = "late", join = "any", test = [{ kind = "when", condition = "quiet" }, { kind = "equal", of = "late1", code = "on" }] },
]
"#;

/// The events of a table, by their numbers: condition, time, begin, duration in microseconds.
type ToldEvent = (String, i64, i64, Option<i64>);

fn events_of_table(text: &str) -> Vec<ToldEvent> {
    // Rows of a text without a clock stand for a hundredth of a second each.
    let unit = if text.starts_with("number,condition,row,") { 1e4 } else { 1e6 };
    let micros = |cell: &str| (cell.parse::<f64>().unwrap() * unit).round() as i64;
    let mut rows: Vec<(u64, ToldEvent)> = csv::Reader::from_reader(text.as_bytes())
        .records()
        .map(|row| {
            let row = row.unwrap();
            let lasted = Some(&row[5]).filter(|cell| !cell.is_empty()).map(micros);
            (row[0].parse().unwrap(), (row[1].to_owned(), micros(&row[2]), micros(&row[4]), lasted))
        })
        .collect();
    rows.sort();
    rows.into_iter().map(|(_, event)| event).collect()
}

fn events_of_chain(chain: &Chain, origin: Stamp) -> Vec<ToldEvent> {
    let micros = |nanoseconds: i64| nanoseconds.div_euclid(1000);
    let told = |event: &amber_core::watch::condition::Event| {
        let name = chain.conditions().settings()[event.condition].name.clone();
        let lasted = event.ended.map(|ended| micros(ended.0 - event.began.0));
        (name, micros(event.at.0 - origin.0), micros(event.began.0 - origin.0), lasted)
    };
    chain.events().iter().map(told).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(100))]

    #[test]
    fn the_screen_and_a_take_tell_the_same_rows(
        parts in proptest::collection::vec((0..8usize, prop_oneof![3 => 1..12usize, 1 => 60..400usize]), 1..6),
        burst in prop_oneof![Just(1usize), Just(5), Just(48)],
        breaks in proptest::collection::vec((any::<prop::sample::Index>(), any::<bool>()), 0..4),
        text: bool, cut in 1..90usize, seed in 0..500usize,
        time in prop_oneof![4 => Just(""), 1 => Just("[time]\nfrom = \"rate\"\nhz = 100.0\n"), 1 => Just("[time]\nfrom = \"even\"\n")],
    ) {
        let lines: Vec<String> =
            parts.iter().flat_map(|(kind, count)| (0..*count).map(|i| line(*kind, i + seed))).collect();
        let breaks: Vec<(usize, bool)> = breaks.iter().map(|(at, within)| (at.index(lines.len()), *within)).collect();
        let mut bench = Bench::parse(time).unwrap();
        bench.sources[0].condition = Bench::parse(CONDITIONS).unwrap().sources.remove(0).condition;
        let mut chain = Chain::new(&bench.clone(), 0, Limits::NONE);
        let mut decoder = Decoder::new(&bench, START);
        let open = |chain: &mut Chain, decoder: &mut Decoder, at: Stamp, within: bool| {
            let opening = if text { Opening::Text { at, arrives: false } } else { Opening::Link };
            chain.open(opening, (within && !text).then_some(at));
            decoder.apply(at, Event::Opened { opening, within: within && !text });
        };
        open(&mut chain, &mut decoder, START, true);
        let mut waiting = Vec::new();
        for (i, line) in lines.iter().enumerate() {
            let at = START.plus(i as f64 * 0.01);
            if let Some((_, within)) = breaks.iter().find(|(at, _)| *at == i) {
                waiting.clear();
                open(&mut chain, &mut decoder, at, *within);
            }
            waiting.extend_from_slice(line.as_bytes());
            if i % burst == burst - 1 || i + 1 == lines.len() {
                for piece in waiting.chunks(cut) {
                    chain.feed(at, piece);
                    decoder.feed(at, piece);
                }
                waiting.clear();
            }
        }
        chain.finish();
        decoder.finish();
        let table = String::from_utf8(decoder.take_output()).unwrap();
        prop_assert_eq!(decoder.tally().rows, chain.counts().rows);
        prop_assert_eq!(decoder.tally().rejected, chain.counts().rejected());
        if !table.is_empty() {
            let columns: Vec<String> = table.lines().next().unwrap().split(',').map(str::to_owned).collect();
            let (kept, mut shown) = (of_table(&table), of_chain(&chain, decoder.origin(), &columns));
            // The screen has the channels in the order of the table.
            shown.iter_mut().for_each(|(_, cells)| cells.sort_by_key(|(name, _)| columns.iter().position(|c| c == name)));
            prop_assert_eq!(kept, shown);
            if !chain.timer().is_text_time() {
                chain.tick(START.plus((lines.len() - 1) as f64 * 0.01));
            }
            let events = decoder.take_events();
            let told = events_of_table(std::str::from_utf8(&events).unwrap());
            prop_assert_eq!(told.len() as u64, decoder.tally().events);
            prop_assert_eq!(told, events_of_chain(&chain, decoder.origin()));
        }
    }
}
