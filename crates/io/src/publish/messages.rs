//! Rows of a take's table as messages: JSON objects (RFC 8259), under the names that the columns have.

use super::Message;
use amber_core::keep::Topics;
use std::sync::Arc;

/// Columns of the table that say when a row was measured, and of how many it is made.
const OF_ROW: [&str; 3] = ["time_s", "wall_clock", "rows"];

/// A column of values.
#[derive(Debug)]
struct Key {
    /// Its name, as a JSON text with a colon behind it.
    json: String,
    /// The topic of its own, where values have one each.
    topic: Arc<str>,
}

/// Turns the text of one table after another into messages. Rows are numbered through.
#[derive(Debug)]
pub(super) struct Messages {
    topics: Topics,
    /// What the topics of this source begin with.
    base: String,
    rows_topic: Arc<str>,
    /// The names of the first columns, as keys.
    clocks: Vec<String>,
    keys: Vec<Key>,
    row: u64,
    /// What of a line has come.
    rest: Vec<u8>,
}

impl Messages {
    /// For the source whose topics begin with `base`.
    pub(super) fn new(topics: Topics, base: &str) -> Messages {
        Messages {
            topics,
            base: base.into(),
            rows_topic: format!("{base}/rows").into(),
            clocks: Vec::new(),
            keys: Vec::new(),
            row: 0,
            rest: Vec::new(),
        }
    }

    /// Another table begins, with a header of its own.
    pub(super) fn begin(&mut self, topics: Topics) {
        self.topics = topics;
        self.clocks.clear();
        self.keys.clear();
        self.rest.clear();
    }

    /// Takes the next text of the table: a header, then rows. Names, words and numbers of a table are plain, so that commas
    /// part its cells and nothing else.
    pub(super) fn table(&mut self, text: &[u8], out: &mut Vec<Message>) {
        let mut rest = std::mem::take(&mut self.rest);
        rest.extend_from_slice(text);
        let mut from = 0;
        for end in memchr::memchr_iter(b'\n', &rest) {
            let line = rest[from..end].trim_ascii_end();
            from = end + 1;
            if self.clocks.is_empty() {
                self.header(&String::from_utf8_lossy(line));
            } else {
                self.row += 1;
                self.one_row(line, out);
            }
        }
        rest.drain(..from);
        self.rest = rest;
    }

    fn header(&mut self, line: &str) {
        let json = |name: &str| serde_json::Value::from(name).to_string() + ":";
        let mut topics: Vec<Arc<str>> = Vec::new();
        for name in line.split(',') {
            if self.keys.is_empty() && OF_ROW.contains(&name) {
                self.clocks.push(json(name));
                continue;
            }
            // Two names may differ in what a topic cannot hold.
            let own = |n: usize| -> Arc<str> {
                let more = if n > 1 { format!("_{n}") } else { String::new() };
                format!("{}{more}", self.value_topic(name)).into()
            };
            let topic = (1..).map(own).find(|topic| !topics.contains(topic)).unwrap_or_else(|| own(1));
            topics.push(Arc::clone(&topic));
            self.keys.push(Key { json: json(name), topic });
        }
    }

    /// The topic for the values of a channel.
    fn value_topic(&self, name: &str) -> String {
        format!("{}/values/{}", self.base, level(name))
    }

    fn one_row(&self, line: &[u8], out: &mut Vec<Message>) {
        let mut cells = line.split(|b| *b == b',');
        let mut begin = format!("{{\"row\":{}", self.row).into_bytes();
        for (name, cell) in self.clocks.iter().zip(&mut cells) {
            // The rows of a text that was not received have no time on the wall's clock.
            if !cell.is_empty() {
                begin.push(b',');
                begin.extend_from_slice(name.as_bytes());
                write_cell(cell, &mut begin);
            }
        }
        match self.topics {
            Topics::Rows => {
                for (key, cell) in self.keys.iter().zip(cells) {
                    begin.push(b',');
                    begin.extend_from_slice(key.json.as_bytes());
                    write_cell(cell, &mut begin);
                }
                begin.push(b'}');
                out.push(Message::new(Arc::clone(&self.rows_topic), begin));
            }
            Topics::Values => {
                // A gap says nothing of a channel.
                for (key, cell) in self.keys.iter().zip(cells).filter(|(_, cell)| !cell.is_empty()) {
                    let mut text = begin.clone();
                    text.extend_from_slice(b",\"value\":");
                    write_cell(cell, &mut text);
                    text.push(b'}');
                    out.push(Message::new(Arc::clone(&key.topic), text));
                }
            }
        }
    }

    /// The values of channels that came when the header was written: rows of `late.csv`, each a message of its own.
    pub(super) fn late(&mut self, text: &[u8], out: &mut Vec<Message>) {
        let mut reader = ::csv::ReaderBuilder::new().has_headers(false).from_reader(text);
        for row in reader.byte_records().flatten() {
            let cell = |at: usize| row.get(at).unwrap_or_default();
            self.row += 1;
            let name = String::from_utf8_lossy(cell(2));
            let mut text = format!("{{\"row\":{},\"time_s\":", self.row).into_bytes();
            write_cell(cell(0), &mut text);
            text.extend_from_slice(b",\"wall_clock\":");
            write_cell(cell(1), &mut text);
            text.push(b',');
            let (key, topic) = match self.topics {
                Topics::Rows => (serde_json::Value::from(&*name).to_string(), Arc::clone(&self.rows_topic)),
                Topics::Values => ("\"value\"".into(), self.value_topic(&name).into()),
            };
            text.extend_from_slice(key.as_bytes());
            text.push(b':');
            write_cell(cell(4), &mut text);
            text.push(b'}');
            out.push(Message::new(topic, text));
        }
    }
}

/// A name as one level of a topic: without what topics are parted and matched by (MQTT 5, 4.7).
pub(super) fn level(name: &str) -> String {
    let plain = |c: char| if matches!(c, '/' | '+' | '#') || c.is_control() { '_' } else { c };
    let level: String = name.trim().chars().map(plain).collect();
    let level = if level.starts_with('$') { format!("_{level}") } else { level };
    if level.is_empty() { "_".into() } else { level }
}

/// A cell as a JSON value: a number, a text, or null for a gap.
fn write_cell(cell: &[u8], out: &mut Vec<u8>) {
    match () {
        () if cell.is_empty() => out.extend_from_slice(b"null"),
        () if is_number(cell) => out.extend_from_slice(cell),
        () => out.extend(serde_json::Value::from(String::from_utf8_lossy(cell)).to_string().into_bytes()),
    }
}

/// Whether a text is a number as JSON writes it (RFC 8259, 6).
fn is_number(text: &[u8]) -> bool {
    let digits = |text: &[u8]| text.iter().take_while(|b| b.is_ascii_digit()).count();
    let rest = text.strip_prefix(b"-").unwrap_or(text);
    let whole = digits(rest);
    if whole == 0 || (whole > 1 && rest[0] == b'0') {
        return false;
    }
    let mut rest = &rest[whole..];
    if let Some(fraction) = rest.strip_prefix(b".") {
        let count = digits(fraction);
        if count == 0 {
            return false;
        }
        rest = &fraction[count..];
    }
    if let Some(exponent) = rest.strip_prefix(b"e").or_else(|| rest.strip_prefix(b"E")) {
        let exponent = exponent.strip_prefix(b"-").or_else(|| exponent.strip_prefix(b"+")).unwrap_or(exponent);
        let count = digits(exponent);
        return count > 0 && count == exponent.len();
    }
    rest.is_empty()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn all(messages: &[Message]) -> Vec<String> {
        messages.iter().map(|own| format!("{} {}", own.topic, String::from_utf8_lossy(&own.text))).collect()
    }

    #[test]
    fn a_table_becomes_messages_however_its_text_is_cut() {
        let table = "time_s,wall_clock,gauge a,pump,a/b,a#b\r\n0.000000,2026-11-27T08:00:00.000000Z,103.90,on,,-1e5\r\n\
                     0.010000,,0,say \"x\",7,+1\r\n";
        let expected = [
            "f/rows {\"row\":1,\"time_s\":0.000000,\"wall_clock\":\"2026-11-27T08:00:00.000000Z\",\"gauge a\":103.90,\
             \"pump\":\"on\",\"a/b\":null,\"a#b\":-1e5}",
            "f/rows {\"row\":2,\"time_s\":0.010000,\"gauge a\":0,\"pump\":\"say \\\"x\\\"\",\"a/b\":7,\"a#b\":\"+1\"}",
        ];
        for cut in [1, 7, 1000] {
            let (mut messages, mut out) = (Messages::new(Topics::Rows, "f"), Vec::new());
            table.as_bytes().chunks(cut).for_each(|piece| messages.table(piece, &mut out));
            assert_eq!(all(&out), expected);
            out.iter().for_each(|own| drop(serde_json::from_slice::<serde_json::Value>(&own.text).unwrap()));
        }
        let (mut messages, mut out) = (Messages::new(Topics::Values, "f"), Vec::new());
        messages.table(table.as_bytes(), &mut out);
        let topics: Vec<&str> = out.iter().map(|own| &*own.topic).collect();
        assert_eq!(
            topics,
            ["gauge a", "pump", "a_b_2", "gauge a", "pump", "a_b", "a_b_2"].map(|name| format!("f/values/{name}"))
        );
        assert!(all(&out)[3].ends_with("{\"row\":2,\"time_s\":0.010000,\"value\":0}"), "{}", all(&out)[3]);
        // Another table goes on with the numbers; what came late has a message for each value.
        out.clear();
        messages.begin(Topics::Values);
        messages.table(b"time_s,rows,about\r\n1,4,2\r\n", &mut out);
        messages.late(b"2.000000,2026-11-27T08:00:02.000000Z,\"sump\",mm,9.5\r\n", &mut out);
        assert_eq!(
            all(&out),
            [
                "f/values/about {\"row\":3,\"time_s\":1,\"rows\":4,\"value\":2}",
                "f/values/sump {\"row\":4,\"time_s\":2.000000,\"wall_clock\":\"2026-11-27T08:00:02.000000Z\",\"value\":9.5}"
            ]
        );
    }

    #[test]
    fn numbers_are_those_of_json() {
        for text in ["0", "-0.5", "12", "1e5", "1.25E-3", "-7"] {
            assert!(is_number(text.as_bytes()), "{text}");
        }
        for text in ["", "-", "+1", "01", ".5", "5.", "1e", "1e+", "nan", "1 ", "0x1", "1e5x", "--1"] {
            assert!(!is_number(text.as_bytes()), "{text}");
        }
    }
}
