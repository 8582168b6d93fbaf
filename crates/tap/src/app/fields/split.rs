//! The panel of stage 2: the shape and how sure it is, each field of the last row, what was refused and why.

use super::super::App;
use super::{Field, FieldId, fact, setting, text};
use amber_core::bench::Kind;
use amber_core::digits::{fixed, grouped};
use amber_core::split::{Fate, Shape};
use amber_core::tail::visible;

/// Refused lines that are shown.
const EXAMPLES: usize = 4;

/// Lines among which they are looked for.
const RECENT: usize = 5000;

impl App {
    pub(super) fn split_fields(&self) -> Vec<Field> {
        let mut fields = self.shape_fields();
        fields.push(fact("", ""));
        fields.extend(self.column_fields());
        fields.push(fact("", ""));
        fields.extend(self.fate_fields());
        fields
    }

    fn shape_fields(&self) -> Vec<Field> {
        let Some(shape) = self.chain().shape() else {
            return vec![
                fact("shape", "looking at the first lines"),
                setting(FieldId::Shape, "pin", "type it", "as in: bare comma 3, labelled a b, stacked x y, json a.b"),
            ];
        };
        let pinned = self.chain().settings().split.shape().is_some();
        let (sure, offer) = self.chain().doubts();
        let mut fields = text("", &shape.sentence());
        let sure = match (pinned, sure) {
            (true, _) => "pinned".to_owned(),
            (false, Some(sure)) => format!("found, {}", sure.name()),
            (false, None) => "found".to_owned(),
        };
        let fit = self.chain().fit().map_or(String::new(), |fit| format!(", {:.1} % fit", fit * 100.0));
        fields.push(fact("", format!("{sure}{fit}")));
        if let Some(offer) = offer {
            fields.extend(text("", &format!("▲ {}: {}", offer.why, offer.shape.sentence())));
            fields.push(setting(
                FieldId::TakeOffer,
                "take that shape",
                "press Enter",
                "read the stream that way, with all lines that are still kept",
            ));
        }
        fields.push(setting(
            FieldId::Shape,
            "pinned",
            if pinned { shape.to_string() } else { "no".into() },
            "Enter pins the shape found, or one that you type: bare comma 3, bare spaces 1 lines 2, labelled a b",
        ));
        if let Shape::Bare(bare) = shape {
            fields.push(setting(
                FieldId::LinesARow,
                "lines a row",
                bare.lines.to_string(),
                "numbers told apart by their order only: so many lines make a row",
            ));
        }
        fields.push(setting(
            FieldId::FindShape,
            "find again",
            "press Enter",
            "forget the shape and find it anew from the lines that are kept",
        ));
        fields
    }

    /// A line for each channel, with what the last row had for it.
    fn column_fields(&self) -> Vec<Field> {
        let channels = self.chain().channels();
        let line = |(index, channel): (usize, &amber_core::chain::Channel)| {
            let kind = match channel.settings().kind {
                Kind::Auto => format!("{}?", channel.kind().name()),
                kind => kind.name().to_owned(),
            };
            let raw = self.shown.of(self.own(index)).reading.map(|reading| reading.raw);
            let raw = raw.map_or("–".into(), |raw| fixed(raw, channel.raw_decimals()));
            let hidden = if channel.settings().hidden { " hidden" } else { "" };
            let from = if channel.settings().called.is_empty() { "" } else { channel.name() };
            let name = format!("{} {}", self.letter_or_blank(self.own(index)), channel.title());
            let value = format!("{from} {raw}  {kind}{hidden}");
            setting(
                FieldId::Column(index as u8),
                &name,
                value.trim_start().to_owned(),
                "Enter: name   ←→ kind   < > move   v hide   # words for its codes",
            )
        };
        channels.iter().enumerate().map(line).collect()
    }

    fn fate_fields(&self) -> Vec<Field> {
        let counts = self.chain().counts();
        let mut fields = vec![
            fact("rows", grouped(self.shown.rows)),
            fact("messages", grouped(counts.messages)),
            fact("half lines", grouped(counts.half)),
            fact("refused", grouped(counts.refused())),
        ];
        fields.extend(counts.reasons().map(|(why, count)| fact(&format!("  {}", why.text()), grouped(count))));
        if counts.refused() > 0 {
            fields.push(fact("last refused", ""));
        }
        let recent = self.chain().tail().lines().rev().take(RECENT);
        for line in recent.filter(|line| matches!(line.fate, Fate::Refused(_))).take(EXAMPLES) {
            let head: String = visible(line.bytes).chars().take(60).collect();
            fields.push(fact("", format!("▲ {head}")));
        }
        fields
    }
}
