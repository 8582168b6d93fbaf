//! Reads a text from its standard input by ranked readings, and prints the table as JSON: to compare with other ways of reading.

use amber_grammar::{ChannelKind, Lines, find};
use serde_json::json;
use std::io::Read;

fn main() -> std::io::Result<()> {
    let mut bytes = Vec::new();
    std::io::stdin().read_to_end(&mut bytes)?;
    let text = Lines::of(&bytes);
    let found = find(&text);
    let kind = |kind| match kind {
        ChannelKind::Clock => "clock",
        ChannelKind::Analog => "analog",
        ChannelKind::Digital => "digital",
        ChannelKind::Code => "code",
    };
    let document = found.map_or_else(
        || json!({ "rows": [], "channels": [], "sure": null }),
        |found| {
            let table = found.table(&text, true);
            let channels: Vec<_> = table
                .channels
                .iter()
                .map(|channel| {
                    let words = if channel.words.is_empty() { json!(null) } else { json!(channel.words) };
                    json!({ "name": channel.name, "unit": channel.unit, "kind": kind(channel.kind), "words": words })
                })
                .collect();
            let sure = if found.doubts.is_empty() { "sure" } else { "unsure" };
            let spelled = format!("{:?} doubts {:?} margin {:?}", found.options, found.doubts, found.margin);
            json!({ "rows": table.rows, "channels": channels, "sure": sure, "shape": { "spelled": spelled } })
        },
    );
    println!("{document}");
    Ok(())
}
