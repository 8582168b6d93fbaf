//! Publishing, as far as the screen knows of it.

use super::{Request, Session};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::digits::counted;
use amber_core::keep::Publish;
use amber_io::{BrokerState, PublishState};

/// Settings are published by when they have not changed for so many seconds.
const SETTLED: f64 = 1.0;

/// What is published, and how that stands.
#[derive(Debug, Default)]
pub(crate) struct Publishing {
    /// None while nothing is published.
    pub(crate) state: Option<PublishState>,
    /// The settings by which it is, as they were ordered.
    ordered: Option<(Publish, Vec<Bench>)>,
    /// The revision of the settings, and since when there is none newer, until that was looked at.
    seen: (u64, Option<Stamp>),
}

impl Session {
    /// Publishes rows from now on, or no more.
    pub(crate) fn toggle_publishing(&mut self) -> Vec<Request> {
        if self.is_take() {
            self.say("a take is not published: watch a port", true);
            return Vec::new();
        }
        if self.publishing.state.is_some() {
            return vec![Request::StopPublishing];
        }
        if self.shared().publish.to.is_none() {
            self.say("nothing is published yet: type an address at publish to", true);
            return Vec::new();
        }
        self.publishing.state = Some(PublishState::default());
        self.order_publishing()
    }

    fn order_publishing(&mut self) -> Vec<Request> {
        let order = (self.shared().publish.clone(), self.pinned_benches());
        self.publishing.ordered = Some(order.clone());
        let (plan, benches) = order;
        vec![Request::Publish { plan, benches }]
    }

    /// Time has passed: what is published follows settings that are not being changed any more.
    pub(super) fn follow_publishing(&mut self, now: Stamp) -> Vec<Request> {
        if self.publishing.state.is_none() {
            return Vec::new();
        }
        let revision = self.revision();
        if self.publishing.seen.0 != revision {
            self.publishing.seen = (revision, Some(now));
        }
        if self.publishing.seen.1.is_none_or(|since| now.seconds_since(since) < SETTLED) {
            return Vec::new();
        }
        self.publishing.seen.1 = None;
        let ordered = self.publishing.ordered.as_ref().and_then(|(plan, _)| plan.to.clone());
        if self.shared().publish.to != ordered {
            self.say("the address is another one now: publishing ends; 6 p starts it again", true);
            return vec![Request::StopPublishing];
        }
        let what = |plan: &Publish, benches: &[Bench]| {
            let of_source = |bench: &Bench| (bench.shared.keep.clone(), bench.sources.clone());
            (plan.clone(), benches.iter().map(of_source).collect::<Vec<_>>())
        };
        let now = what(&self.shared().publish, &self.pinned_benches());
        let is_same = self.publishing.ordered.as_ref().is_some_and(|(plan, benches)| what(plan, benches) == now);
        if is_same { Vec::new() } else { self.order_publishing() }
    }

    /// How publishing stands now. Gives whether that is news, beside numbers.
    pub(crate) fn hear_publisher(&mut self, state: PublishState) -> bool {
        let Some(before) = self.publishing.state.replace(state) else {
            // It was ended meanwhile.
            self.publishing.state = None;
            return false;
        };
        let Some(now) = &self.publishing.state else { return false };
        let Some((text, is_bad)) = news(&before, now) else { return false };
        self.say(text, is_bad);
        true
    }

    /// Publishing has ended, or could not begin.
    pub(crate) fn publishing_ended(&mut self, end: Result<PublishState, String>) {
        self.publishing = Publishing::default();
        match end {
            Ok(state) => self.say(format!("publishing ended: {}", published(&state)), state.lost + state.damaged > 0),
            Err(why) => self.say(format!("nothing is published: {why}"), true),
        }
    }
}

/// What of a state is to be told at once, and whether it is bad.
pub(crate) fn news(before: &PublishState, now: &PublishState) -> Option<(String, bool)> {
    if now.trouble != before.trouble
        && let Some(trouble) = &now.trouble
    {
        return Some((trouble.clone(), true));
    }
    if now.lost > 0 && before.lost == 0 {
        return Some((format!("{} lost: the spool is full", counted(now.lost, "message")), true));
    }
    if now.damaged > before.damaged {
        let count = counted(now.damaged - before.damaged, "message");
        return Some((format!("{count} in the spool damaged on the disk, and not sent"), true));
    }
    match (&before.broker, &now.broker) {
        (before, now) if before == now => None,
        (BrokerState::Waiting(_), BrokerState::Waiting(_)) | (_, BrokerState::Connecting) => None,
        (_, BrokerState::Waiting(why)) => Some((format!("the broker: {why}; messages wait until it is there"), true)),
        (_, BrokerState::Connected) if now.waiting > 0 => {
            Some((format!("connected to the broker: {} delivered first", waits(now.waiting, "is", "are")), false))
        }
        (_, BrokerState::Connected) => Some(("connected to the broker".into(), false)),
    }
}

fn waits(count: u64, one: &str, more: &str) -> String {
    format!("{} that waited {}", counted(count, "message"), if count == 1 { one } else { more })
}

/// What became of messages, in a few words.
pub(crate) fn published(state: &PublishState) -> String {
    let mut text = format!("{} delivered", counted(state.delivered, "message"));
    if state.waiting > 0 {
        text += &format!(", {} on the disk for the next time", state.waiting);
    }
    if state.rejected > 0 {
        text += &format!(", {} rejected", state.rejected);
    }
    if state.lost > 0 {
        text += &format!(", {} lost", state.lost);
    }
    if state.damaged > 0 {
        text += &format!(", {} damaged on the disk and not sent", state.damaged);
    }
    text
}
