//! The panel of stage 1: how the wire is set, what comes over it, and when.

use super::super::{App, Source, name_of};
use super::{Field, FieldId, fact, setting, text};
use amber_core::clock::Time;
use amber_core::digits::{bytes, counted, duration, fixed, grouped};
use amber_io::LinkState;

impl App {
    pub(super) fn wire_fields(&self) -> Vec<Field> {
        let mut fields = match self.source() {
            Source::Live { link } => self.line_fields(link),
            Source::Take(take) => vec![fact("take", name_of(&take.folder))],
        };
        fields.push(setting(
            FieldId::Pace,
            "numbers change",
            format!("{} times a second", fixed(self.shared.screen.pace, 1)),
            "how often numbers and wire lines change; every row is kept",
        ));
        fields.push(fact("", ""));
        fields.extend(self.time_fields());
        fields.push(fact("", ""));
        fields.extend(self.byte_fields());
        fields
    }

    /// The serial line, or the text.
    fn line_fields(&self, link: &LinkState) -> Vec<Field> {
        let source = &self.chain().settings().wire;
        let mut fields = vec![setting(
            FieldId::Port,
            "port",
            source.port.clone(),
            "a device, a text file, - for standard input, or a simulated board",
        )];
        let tried = match link {
            LinkState::Open { tried, .. } | LinkState::Finding { tried, .. } => tried.as_slice(),
            _ => &[],
        };
        let is_text = matches!(link, LinkState::Ended | LinkState::Open { baud: None, .. });
        if !is_text {
            let baud = match (source.baud, self.baud()) {
                (Some(baud), _) => baud.to_string(),
                (None, Some(baud)) => format!("{baud}, found"),
                (None, None) => "found by listening".into(),
            };
            fields.extend([
                setting(FieldId::Baud, "baud", baud, "bits a second; empty: found by listening, B listens again"),
                setting(
                    FieldId::DataBits,
                    "data bits",
                    source.data_bits.to_string(),
                    "of a character, nearly always 8",
                ),
                setting(FieldId::Parity, "parity", source.parity.name(), "the parity bit, nearly always none"),
                setting(FieldId::StopBits, "stop bits", source.stop_bits.to_string(), "nearly always 1"),
                setting(
                    FieldId::ResetOnOpen,
                    "opening resets",
                    if source.reset { "yes" } else { "no" },
                    "whether the board starts anew when its port is opened; R resets it on purpose",
                ),
                setting(
                    FieldId::TakesBack,
                    "a lent port comes back",
                    if self.takes_back { "by itself" } else { "with L" },
                    "L lends the port, to program the board; by itself: when that program has closed it",
                ),
            ]);
        }
        if is_text && !source.is_input() {
            fields.extend(text(
                "",
                "rows have the times of the clock in the text or of a set rate; else 100 rows a second are assumed",
            ));
        }
        let state = match link {
            LinkState::Opening => "opening".to_owned(),
            LinkState::Finding { baud, .. } => format!("listening at {baud}"),
            LinkState::Open { .. } => "open".into(),
            LinkState::Waiting { .. } => "not open, tried again".into(),
            LinkState::Lent { in_use: true, .. } => "lent, in use".into(),
            LinkState::Lent { back: true, .. } => "lent, comes back by itself".into(),
            LinkState::Lent { .. } => "lent".into(),
            LinkState::Ended => "the text is at its end".into(),
        };
        fields.push(fact("link", state));
        for tried in tried {
            let heard = tried.heard;
            let numbers = format!("{} of {} lines", heard.numbers, heard.lines);
            fields.push(fact(&format!("  {}", tried.baud), format!("{:.0} % text, {numbers}", heard.text * 100.0)));
        }
        fields
    }

    /// Where rows get their time from, and how evenly they are spaced.
    fn time_fields(&self) -> Vec<Field> {
        let timer = self.chain().timer();
        let (name, found) = match timer.set() {
            Time::Auto => (timer.sentence(), true),
            set => (set.sentence(), false),
        };
        let mut fields = vec![setting(
            FieldId::TimeFrom,
            if found { "time, found" } else { "time" },
            name,
            "what gives a row its time; the history follows at once",
        )];
        match timer.set() {
            Time::Rate { hz } => {
                fields.push(setting(FieldId::TimeRate, "rows a second", hz.to_string(), "as the board's program says"));
            }
            Time::Board { tick, bits, .. } => {
                let bits = bits.map_or("found".to_owned(), |bits| bits.to_string());
                fields.extend([
                    setting(FieldId::TimeTick, "it counts in", tick.name(), "µs, ms or s"),
                    setting(FieldId::TimeBits, "and wraps at", format!("{bits} bits"), "empty: found by itself"),
                ]);
            }
            _ => {}
        }
        fields.push(fact("rows a second", fixed(self.shown.rate, 1)));
        if let Some(spacing) = self.chain().intervals().spacing() {
            let (low, high) = spacing.spread;
            fields.push(fact("interval, middle", duration(spacing.middle)));
            fields.push(fact("90 % of them", format!("{} to {}", duration(low), duration(high))));
            fields.push(fact("0 to twice that", bars(&spacing.histogram)));
            fields.push(fact("longest", duration(spacing.longest)));
            // A text does not arrive row by row.
            if !timer.is_text_time() {
                fields.push(fact("rows that come together", fixed(spacing.burst, 1)));
            }
        }
        if let Some(drift) = timer.drift() {
            let which = match drift.ppm.round() {
                0.0 => "",
                ppm if ppm > 0.0 => " slow",
                _ => " fast",
            };
            fields.push(fact("board's clock", format!("{:.0} ± {:.0} ppm{which}", drift.ppm.abs(), drift.error)));
        }
        if timer.resets() > 0 {
            fields.push(fact("board started over", counted(timer.resets(), "time")));
        }
        let verdict = self.chain().verdict();
        fields.extend(text("even enough for a spectrum?", &verdict.reason));
        fields
    }

    /// What became of every byte.
    fn byte_fields(&self) -> Vec<Field> {
        let counts = self.chain().counts();
        let mut fields = vec![fact("received", bytes(counts.bytes + counts.skipped + counts.unkept))];
        for (name, count) in [
            ("not taken in here", counts.skipped),
            ("heard while finding", counts.unkept),
            ("cut off at breaks", counts.cut_off),
            ("sent", counts.sent),
        ] {
            if count > 0 {
                fields.push(fact(name, bytes(count)));
            }
        }
        if counts.merged > 0 {
            fields.push(fact("link changes not shown", grouped(counts.merged)));
        }
        if let Some(share) = self.chain().unreadable() {
            fields.push(fact("not text", format!("{:.0} %", share * 100.0)));
        }
        fields
    }
}

/// Counts as a row of bars, a character each.
fn bars(counts: &[u32]) -> String {
    const BARS: [char; 9] = [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let most = f64::from(counts.iter().copied().max().unwrap_or(0).max(1));
    // A single interval among a thousand is still seen.
    let bar = |count: &u32| (f64::from(*count) / most * 8.0).ceil() as usize;
    counts.iter().map(|count| BARS[bar(count).min(8)]).collect()
}
