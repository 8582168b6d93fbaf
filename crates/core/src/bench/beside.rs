//! Several sources in one bench: each is watched by settings of its own, with channels named `source.channel`.

use super::{Bench, Source, Split};
use crate::clock::Time;
use serde::{Deserialize, Serialize};

/// A source that is watched beside the first one.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Beside {
    /// Where its bytes come from.
    pub source: Source,
    /// How its lines are laid out.
    pub split: Split,
    /// Where its rows get their time from.
    pub time: Time,
}

/// A name for each source, all different: its own, else the last part of its port.
pub fn source_names<'a>(sources: impl IntoIterator<Item = &'a Source>) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for source in sources {
        let port = source.port.rsplit('/').find(|part| !part.is_empty()).unwrap_or("source");
        let name = if source.name.is_empty() { port } else { &source.name };
        let plain = |c: char| if c.is_alphanumeric() || matches!(c, '_' | '-') { c } else { '_' };
        let base: String = name.chars().map(plain).take(24).collect();
        let taken = |name: &str| names.iter().any(|other| other == name);
        let free = (2..).map(|n| format!("{base}-{n}")).find(|name| !taken(name));
        let name = if taken(&base) { free.unwrap_or_default() } else { base };
        names.push(name);
    }
    names
}

impl Bench {
    /// The settings for each source alone, the first source first; what is set for all is in each of them.
    pub fn parts(&self) -> Vec<Bench> {
        let others = self.beside.iter().map(|b| (b.source.clone(), b.split.clone(), b.time.clone()));
        let all = [(self.source.clone(), self.split.clone(), self.time.clone())].into_iter().chain(others);
        let all: Vec<_> = all.collect();
        let names = source_names(all.iter().map(|(source, ..)| source));
        let several = all.len() > 1;
        let part = |((source, split, time), name): ((Source, Split, Time), &String)| {
            let mut part = Bench { source, split, time, beside: Vec::new(), ..self.clone() };
            let prefix = format!("{name}.");
            if several {
                part.channel.retain_mut(|channel| match channel.name.strip_prefix(&prefix) {
                    Some(own) => {
                        channel.name = own.to_owned();
                        true
                    }
                    None => false,
                });
            }
            part
        };
        all.into_iter().zip(&names).map(part).collect()
    }

    /// The settings of several sources in one: the inverse of [`Bench::parts`]. What is set for all is taken from the
    /// first; with none, nothing is set.
    pub fn of_parts(parts: Vec<Bench>) -> Bench {
        let names = source_names(parts.iter().map(|part| &part.source));
        let several = parts.len() > 1;
        let mut parts = parts.into_iter().zip(names).map(|(mut part, name)| {
            for channel in part.channel.iter_mut().filter(|_| several) {
                channel.name = format!("{name}.{}", channel.name);
            }
            part
        });
        let mut bench = parts.next().unwrap_or_default();
        for part in parts {
            bench.beside.push(Beside { source: part.source, split: part.split, time: part.time });
            bench.channel.extend(part.channel);
        }
        bench
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bench::ChannelSettings;

    #[test]
    fn several_sources_are_taken_apart_and_put_together() {
        let text = "name = \"two\"\n[source]\nport = \"/dev/ttyUSB0\"\nname = \"left\"\n[[beside]]\n[beside.source]\n\
            port = \"/dev/ttyUSB1\"\nbaud = 9600\n[[channel]]\nname = \"left.gauge\"\n[[channel]]\nname = \"ttyUSB1.gauge\"\n\
            kind = \"analog\"\n";
        let bench = Bench::parse(text).unwrap();
        let parts = bench.parts();
        assert_eq!(parts[0].channel, [ChannelSettings::named("gauge")]);
        assert_eq!((parts[1].source.baud, parts[1].channel[0].name.as_str()), (Some(9600), "gauge"));
        assert!(parts.iter().all(|part| part.name == "two" && part.beside.is_empty()));
        assert_eq!(Bench::of_parts(parts), bench);
        let written = bench.write_into(text).unwrap();
        assert_eq!(Bench::parse(&written).unwrap(), bench, "{written}");
        let same = [Source::at("/dev/a/x"), Source::at("x"), Source::at("flume")];
        assert_eq!(source_names(&same), ["x", "x-2", "flume"]);
        let alone = Bench { channel: vec![ChannelSettings::named("a.b")], ..Bench::default() };
        assert_eq!(Bench::of_parts(alone.parts()), alone);
    }
}
