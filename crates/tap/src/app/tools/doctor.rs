//! The doctor's look: findings of all channels, told once, listed as long as they hold.

use super::super::{App, ChannelId, Tool};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::doctor::{Complaint, Finding, Patient, examine};
use std::collections::{HashMap, HashSet};

/// Seconds between two looks.
const PAUSE: f64 = 4.0;

/// Seconds for which a finding stays listed that was not confirmed by the last look.
const STAYS: f64 = 20.0;

/// Seconds that are looked at, and the rows that this is at least and at most.
const SECONDS: f64 = 20.5;
const ROWS: (u64, u64) = (2048, 20_000);

/// What was found.
#[derive(Debug, Default)]
pub(crate) struct Doctor {
    /// The channel, and what was found.
    pub(crate) findings: Vec<(ChannelId, Finding)>,
    /// When each of them was last confirmed.
    seen: HashMap<(ChannelId, Complaint), Stamp>,
    /// What was told already.
    told: HashSet<(String, Complaint)>,
    looked: Option<Stamp>,
    /// Lines by which the list is moved up.
    pub(crate) scroll: u16,
    /// Every channel that was looked at.
    pub(crate) looked_at: usize,
}

impl App {
    /// Looks at all channels when the time has come.
    pub(crate) fn follow_doctor(&mut self, now: Stamp) {
        let due = self.doctor.looked.is_none_or(|at| now.seconds_since(at) >= PAUSE);
        if due {
            self.doctor.looked = Some(now);
            self.look_at_all();
            self.tell_news();
        }
    }

    /// Looks at all channels of all sources.
    pub(crate) fn look_at_all(&mut self) {
        let mut findings = Vec::new();
        let mut looked_at = 0;
        for place in 0..self.sources() {
            let chain = self.chain_at(place);
            let rows =
                chain.store().between(chain.store().time(chain.store().rows().start).unwrap_or_default(), self.end());
            let since = chain.store().first_at(self.end().plus(-SECONDS));
            let earliest = since.min(rows.end.saturating_sub(ROWS.0)).max(rows.end.saturating_sub(ROWS.1));
            let recent = rows.start.max(earliest)..rows.end;
            // Over the whole stretch, as exactly as its times say.
            let times = |row: u64| chain.store().time(row);
            let ends = times(recent.start).zip(recent.end.checked_sub(1).and_then(times));
            let Some((first_at, last_at)) = ends.filter(|_| recent.end - recent.start > 1) else { continue };
            let interval = last_at.seconds_since(first_at) / (recent.end - recent.start - 1) as f64;
            let mut ids = Vec::new();
            let mut patients = Vec::new();
            for (index, channel) in chain.channels().iter().enumerate() {
                if channel.kind() != Kind::Analog || channel.settings().formula.is_some() {
                    continue;
                }
                let raw = recent.clone().filter_map(|row| chain.store().raw(index, row)).filter(|raw| !raw.is_nan());
                let Some(ever) = channel.ends() else { continue };
                patients.push(Patient {
                    name: channel.title(),
                    scale: &channel.settings().scale,
                    raw: raw.collect(),
                    ever,
                    step: channel.raw_step(),
                    interval,
                });
                ids.push(ChannelId { source: place, channel: index });
            }
            looked_at += patients.len();
            findings.extend(examine(&patients).into_iter().map(|finding| (ids[finding.channel], finding)));
        }
        self.doctor.looked_at = looked_at;
        // What comes and goes at the edge of being worth a word stays for a while.
        let now = self.now;
        for (id, finding) in &findings {
            self.doctor.seen.insert((*id, finding.complaint), now);
        }
        self.doctor.seen.retain(|_, at| now.seconds_since(*at) < STAYS);
        for (id, old) in std::mem::take(&mut self.doctor.findings) {
            let known = |(other, finding): &(ChannelId, Finding)| (*other, finding.complaint) == (id, old.complaint);
            if self.doctor.seen.contains_key(&(id, old.complaint)) && !findings.iter().any(known) {
                findings.push((id, old));
            }
        }
        findings.sort_by_key(|(id, finding)| (*id, finding.complaint));
        // What is grave explains the rest, whichever look found it.
        let grave: Vec<ChannelId> =
            findings.iter().filter(|(_, f)| f.complaint.is_grave()).map(|(id, _)| *id).collect();
        let own = |complaint: Complaint| complaint.is_grave() || complaint == Complaint::Converter;
        findings.retain(|(id, finding)| own(finding.complaint) || !grave.contains(id));
        self.doctor.findings = findings;
    }

    /// Tells what was never told before: once, in the footer.
    fn tell_news(&mut self) {
        let mut news = Vec::new();
        for (id, finding) in &self.doctor.findings {
            let key = (self.title(*id), finding.complaint);
            if !self.doctor.told.contains(&key) {
                news.push((key, format!("{}: {}", self.title(*id), finding.evidence)));
            }
        }
        // A message that stands is not covered.
        if news.is_empty() || (self.notice.is_some() && self.tool != Some(Tool::Doctor)) {
            return;
        }
        let more = if news.len() > 1 { format!(" (and {} more)", news.len() - 1) } else { String::new() };
        let first = news[0].1.clone();
        self.doctor.told.extend(news.into_iter().map(|(key, _)| key));
        if self.tool != Some(Tool::Doctor) {
            self.say(format!("{first}{more}; d says what to check"), false);
        }
    }
}
