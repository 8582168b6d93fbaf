//! Messages of a broker as a source: each is a line.

use super::{Said, Wish, client_id};
use crate::link::device::Device;
use crate::link::wake::Wake;
use crate::network::PATIENCE;
use crate::serial::Problem;
use amber_core::keep::BrokerAddress;
use crossbeam_channel::{Receiver, bounded};
use rumqttc::v5::Client;
use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::mqttbytes::v5::{Filter, RetainForwardRule};
use serde::de::IgnoredAny;
use std::io::{self, ErrorKind, Read, Write};
use std::os::fd::AsFd;
use std::os::unix::net::UnixStream;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

/// The longest that connecting and subscribing may take.
const OPENING: Duration = Duration::from_secs(8);

/// What matches an address, as it comes.
pub(crate) struct MessageStream {
    /// Lines; the connection's thread has the other end, and closes it when the connection breaks.
    lines: UnixStream,
    client: Client,
    /// Where lines to the board go.
    send: Option<String>,
}

impl MessageStream {
    /// Subscribes to what `address` names. Messages that the broker kept from before are not asked for: they are not what is
    /// measured now.
    ///
    /// # Errors
    /// When the broker is not reached, or does not let this user in.
    pub(crate) fn open(address: &BrokerAddress) -> Result<MessageStream, Problem> {
        static COUNT: AtomicU32 = AtomicU32::new(0);
        let refused = |reason: String| Problem::Broker { broker: address.broker(), reason };
        let purpose = format!("{} {}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
        let wish = Wish::new(address, client_id(&purpose), 0).map_err(refused)?;
        let system = |error: io::Error| refused(error.to_string());
        let (lines, mut to_lines) = UnixStream::pair().map_err(system)?;
        lines.set_read_timeout(Some(PATIENCE)).map_err(system)?;
        let (tell, told) = bounded(16);
        let names = Names::of(address);
        let client = wish
            .begin(move |said| match said {
                // Whoever reads the lines waits for them; when they are read no more, this ends.
                Said::Message { topic, payload } => to_lines.write_all(&names.line(&topic, &payload)).is_ok(),
                // Nobody listens any more once it is open.
                other => {
                    let is_over = matches!(other, Said::Broken(_));
                    let _ = tell.try_send(other);
                    !is_over
                }
            })
            .map_err(system)?;
        let stream = MessageStream { lines, client, send: address.send.clone() };
        stream.subscribe(address, &told).map_err(refused)?;
        Ok(stream)
    }

    fn subscribe(&self, address: &BrokerAddress, told: &Receiver<Said>) -> Result<(), String> {
        let deadline = Instant::now() + OPENING;
        while let Ok(said) = told.recv_deadline(deadline) {
            match said {
                Said::Open { .. } => {
                    let filter = Filter {
                        retain_forward_rule: RetainForwardRule::Never,
                        ..Filter::new(address.topic.clone(), QoS::AtLeastOnce)
                    };
                    self.client.try_subscribe_many([filter]).map_err(|error| error.to_string())?;
                }
                Said::Subscribed(outcome) => return outcome,
                Said::Broken(why) => return Err(why),
                _ => {}
            }
        }
        Err("no answer in time".into())
    }
}

impl Drop for MessageStream {
    fn drop(&mut self) {
        // Where it is broken already, there is nothing to end.
        let _ = self.client.try_disconnect();
    }
}

impl Read for MessageStream {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.lines.read(buffer).map_err(crate::network::timed_out)
    }
}

impl Write for MessageStream {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let topic = self.send.as_ref().ok_or_else(|| {
            io::Error::new(ErrorKind::Unsupported, "the address names no topic for it: add ?send=TOPIC to it")
        })?;
        self.client.try_publish(topic.clone(), QoS::AtLeastOnce, false, bytes.to_vec()).map_err(io::Error::other)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Device for MessageStream {
    fn wait(&mut self, wake: &Wake) -> bool {
        wake.wait(self.lines.as_fd(), PATIENCE)
    }
}

/// Which topics match, for naming what comes under each.
struct Names {
    /// The levels of the filter; none where only one topic matches.
    filter: Vec<String>,
}

impl Names {
    fn of(address: &BrokerAddress) -> Names {
        if !address.has_wildcard() {
            return Names { filter: Vec::new() };
        }
        let mut levels: Vec<String> = address.topic.split('/').map(str::to_owned).collect();
        if levels[0] == "$share" {
            // `$share/NAME/` stands in front of the filter (MQTT 5, 4.8.2).
            levels.drain(..levels.len().min(2));
        }
        Names { filter: levels }
    }

    /// The levels of `topic` at which others match too.
    fn name(&self, topic: &str) -> String {
        let levels: Vec<&str> = topic.split('/').collect();
        let mut own: Vec<&str> = Vec::new();
        for (place, level) in self.filter.iter().enumerate() {
            match level.as_str() {
                "#" => own.extend(levels.get(place..).unwrap_or_default()),
                "+" => own.extend(levels.get(place)),
                _ => {}
            }
        }
        own.join("/")
    }

    /// A message as lines. Where several topics match, what tells them apart stands in front of it: a JSON value (RFC 8259)
    /// becomes the value of an object's key, another line gets a label. JSON that goes over several lines becomes one.
    fn line(&self, topic: &[u8], payload: &[u8]) -> Vec<u8> {
        let is_json = serde_json::from_slice::<IgnoredAny>(payload).is_ok();
        // Within a JSON text, line breaks stand between values alone.
        let one_line = |out: &mut Vec<u8>| {
            let text = payload.trim_ascii();
            out.extend(text.iter().map(|b| if is_json && matches!(b, b'\n' | b'\r') { b' ' } else { *b }));
        };
        let mut out = Vec::with_capacity(payload.len() + 32);
        if self.filter.is_empty() {
            one_line(&mut out);
        } else {
            let name = self.name(&String::from_utf8_lossy(topic));
            if is_json {
                out.push(b'{');
                out.extend(serde_json::Value::from(name).to_string().into_bytes());
                out.push(b':');
                one_line(&mut out);
                out.push(b'}');
            } else {
                for (place, line) in payload.trim_ascii().split(|b| *b == b'\n').enumerate() {
                    if place > 0 {
                        out.push(b'\n');
                    }
                    // A label holds no line breaks and no colon of its own.
                    out.extend(name.bytes().map(|b| if b.is_ascii_control() || b == b':' { b'_' } else { b }));
                    out.extend_from_slice(b": ");
                    out.extend_from_slice(line.trim_ascii_end());
                }
            }
        }
        out.push(b'\n');
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_message_is_a_line_and_topics_stay_apart() {
        let line = |address: &str, topic: &str, payload: &str| {
            let names = Names::of(&BrokerAddress::parse(&format!("mqtt://lab/{address}")).unwrap());
            String::from_utf8(names.line(topic.as_bytes(), payload.as_bytes())).unwrap()
        };
        assert_eq!(line("a/b", "a/b", "3.5"), "3.5\n");
        assert_eq!(line("a/b", "a/b", "x: 3\r\n"), "x: 3\n");
        assert_eq!(line("a/b", "a/b", "{\n  \"x\": 1\n}"), "{   \"x\": 1 }\n");
        assert_eq!(line("a/+/c", "a/gauge/c", "3.5"), "{\"gauge\":3.5}\n");
        assert_eq!(line("a/#", "a/flume/bed", "{\"value\": 2}"), "{\"flume/bed\":{\"value\": 2}}\n");
        assert_eq!(line("a/+", "a/ga:u\nge", "3,5\n4,5"), "ga_u_ge: 3,5\nga_u_ge: 4,5\n");
        assert_eq!(line("$share/lab/a/+", "a/bed", "7"), "{\"bed\":7}\n");
        assert_eq!(line("#", "a/\"b", "[1]"), "{\"a/\\\"b\":[1]}\n");
        assert_eq!(line("a/b/#", "a/b", ""), ": \n");
    }
}
