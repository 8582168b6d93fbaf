//! Boards that are asked: a simulated meter, the rows of its answers, and that a take gives the same.

use amber_core::Stamp;
use amber_core::ask::Poller;
use amber_core::bench::{Bench, Split};
use amber_core::split::polled::Polled;
use amber_core::split::{LineOutcome, Rejection, Shape, Sink, Splitter};
use amber_io::take::Decoder;
use std::time::Duration;

#[derive(Default)]
struct Rows {
    rows: Vec<Vec<f64>>,
    rejected: Vec<Rejection>,
}

impl Sink for Rows {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        if let LineOutcome::Rejected(why) = outcome {
            self.rejected.push(why);
        }
    }
    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.rows.push(values.to_vec());
    }
}

fn polled() -> Polled {
    "every 0.5 timeout 0.2 | volts: MEAS:VOLT? | volts2,temperature: READ?".parse().unwrap()
}

/// Asks the meter for so many seconds; gives what it sent and heard.
fn talk(seconds: u64, mut each: impl FnMut(Stamp, &[u8], Option<&[u8]>)) -> (u64, u64, u64) {
    let mut board = amber_boards::by_name("meter", 1).unwrap();
    let mut poller = Poller::new(polled(), Stamp(0));
    for step in 1..=seconds * 100 {
        let (at, mut bytes) = (Stamp(step as i64 * 10_000_000), Vec::new());
        board.run(Duration::from_millis(step * 10), &mut bytes);
        poller.hear(at, &bytes);
        let question = poller.poll(at);
        board.hear(question.as_deref().unwrap_or_default(), &mut Vec::new());
        each(at, &bytes, question.as_deref());
    }
    poller.counts()
}

#[test]
fn a_round_of_answers_is_a_row_and_what_times_out_is_a_gap() {
    let mut splitter = Splitter::new(Some(Shape::Polled(polled())));
    let mut rows = Rows::default();
    let (asked, answered, late) = talk(60, |at, bytes, question| {
        splitter.feed(at, bytes, &mut rows);
        if let Some(question) = question {
            splitter.sent(at, question, &mut rows);
        }
    });
    assert!((220..=240).contains(&asked) && (8..=10).contains(&late) && answered + late + 1 >= asked);
    assert!((112..=120).contains(&rows.rows.len()), "{}", rows.rows.len());
    let gaps = rows.rows.iter().flatten().filter(|value| value.is_nan()).count();
    assert!((8..=20).contains(&gaps), "{gaps}");
    for row in &rows.rows {
        assert!(row[0].is_nan() || (0.7..2.6).contains(&row[0]), "{row:?}");
        assert!(row[2].is_nan() || (19.0..24.0).contains(&row[2]), "{row:?}");
    }
    assert_eq!(rows.rejected, vec![], "no answer was taken for another one");
}

#[test]
fn an_answer_that_comes_late_or_is_none_is_rejected() {
    let mut splitter = Splitter::new(Some(Shape::Polled(polled())));
    let mut rows = Rows::default();
    let at = |milliseconds: i64| Stamp(milliseconds * 1_000_000);
    for (asked, answer, text) in [(0, 100, "1.5 V"), (1000, 1300, "1.6"), (2000, 2100, "ERR -113"), (3000, 3100, "1,2")]
    {
        splitter.sent(at(asked), b"MEAS:VOLT?\n", &mut rows);
        splitter.feed(at(answer), format!("{text}\r\n").as_bytes(), &mut rows);
    }
    splitter.sent(at(4000), b"MEAS:VOLT?\n", &mut rows);
    assert_eq!(rows.rows.len(), 1, "{:?}", rows.rows);
    assert_eq!(rows.rejected, [Rejection::Late, Rejection::FieldCount, Rejection::FieldCount]);
}

#[test]
fn a_take_gives_the_same_rows_as_the_screen() {
    let mut bench = Bench::default();
    bench.sources[0].split = Split::Pinned(Shape::Polled(polled()));
    let mut chain = amber_core::chain::Chain::new(&bench, 0, amber_core::store::Limits::default());
    let mut decoder = Decoder::new(&bench, Stamp(0));
    talk(20, |at, bytes, question| {
        chain.feed(at, bytes);
        decoder.feed(at, bytes);
        if let Some(question) = question {
            chain.sent(at, question);
            decoder.sent(at, question);
        }
    });
    chain.finish();
    decoder.finish();
    let table = String::from_utf8(decoder.take_output()).unwrap();
    assert!(table.starts_with("time_s,wall_clock,volts,volts2,temperature\r\n"), "{table}");
    assert_eq!(table.lines().count() - 1, chain.counts().rows as usize);
    // Another reading of the same lines goes by the questions that stand among them.
    let rows = chain.counts().rows as usize;
    chain.set_split(Split::Pinned(Shape::Polled("| v: MEAS:VOLT?".parse().unwrap())));
    assert!((chain.counts().rows as usize).abs_diff(rows) <= 3, "{} of {rows}", chain.counts().rows as usize);
}
