//! The conditions of the selected source, and what is done at their events.

use super::{ChannelId, LinkOrder, Request, Session, Source};
use amber_core::Stamp;
use amber_core::digits::{counted, duration, fixed};
use amber_core::part::Listed;
use amber_core::watch::condition::{Answer, Condition, Event, Send, fill};
use std::collections::HashMap;

/// So long the title flashes, in seconds.
const FLASH: f64 = 1.5;

/// A program that did not run for so long, in seconds, was stopped or suspended.
const STANDSTILL: f64 = 1.0;

/// What was answered, and may be.
#[derive(Debug, Default)]
pub(crate) struct Answers {
    /// Lines may be sent to boards.
    armed: bool,
    /// Lines that were sent.
    sent: u64,
    /// Those that were not, by the reason.
    unsent: HashMap<Unsent, u64>,
    /// Events that nobody could answer, since there were too many at once.
    pub(crate) missed: u64,
    /// When a condition's line was sent last, by its source, its name and the place of the answer.
    last: HashMap<(usize, String, usize), Stamp>,
    /// What flashes, and until when.
    flash: Option<(String, Stamp)>,
    /// When the program ran last.
    ran: Option<Stamp>,
}

/// Why a line was not sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
enum Unsent {
    Disarmed,
    Soon,
    Late,
    Faulty,
}

impl Unsent {
    const ALL: [Unsent; 4] = [Unsent::Disarmed, Unsent::Soon, Unsent::Late, Unsent::Faulty];

    fn name(self) -> &'static str {
        match self {
            Unsent::Disarmed => "not armed",
            Unsent::Soon => "too soon after the last one",
            Unsent::Late => "the row had waited too long",
            Unsent::Faulty => "a value was missing",
        }
    }
}

impl Answers {
    fn not_sent(&mut self, why: Unsent) {
        *self.unsent.entry(why).or_default() += 1;
    }
}

impl Session {
    /// The conditions of the selected source, as they are set.
    pub(crate) fn conditions(&self) -> &Vec<Condition> {
        &self.chain().settings().condition
    }

    /// The selected condition, if there is one.
    pub(crate) fn condition(&self) -> Option<&Condition> {
        self.conditions().get(self.selected_condition)
    }

    /// Takes conditions for the selected source; events are found anew.
    ///
    /// # Errors
    /// What is wrong with them; nothing is changed then.
    pub(crate) fn take_conditions(&mut self, mut conditions: Vec<Condition>) -> Result<(), String> {
        Condition::name_all(&mut conditions);
        if let Some(fault) = Condition::fault_of(&conditions) {
            return Err(fault);
        }
        if conditions != *self.conditions() {
            self.change_chain(|chain| chain.set_conditions(conditions));
        }
        let count = self.conditions().len();
        self.selected_condition = self.selected_condition.min(count.saturating_sub(1));
        Ok(())
    }

    /// Whether lines may be sent to boards at events.
    pub(crate) fn is_armed(&self) -> bool {
        self.answers.armed
    }

    /// Allows sending at events, or forbids it. What is true already is sent for at once, so that a control that is armed in
    /// the midst of things begins.
    pub(crate) fn toggle_armed(&mut self) -> Vec<Request> {
        if self.answers.armed {
            self.answers.armed = false;
            self.say("sending at events is off", false);
            return Vec::new();
        }
        if self.is_take() {
            self.say("a take has no board to send to: watch a port", true);
            return Vec::new();
        }
        let lines = self.chains().flat_map(|chain| &chain.settings().condition).filter(|own| own.sends()).count();
        if lines == 0 {
            self.say("no condition sends anything: give one an answer 'send' first", true);
            return Vec::new();
        }
        self.answers.armed = true;
        let mut requests = Vec::new();
        for place in 0..self.sources() {
            let chain = self.chain_at(place);
            let on = chain.events().iter().filter(|event| event.ended.is_none()).copied().collect::<Vec<Event>>();
            for event in on {
                let Some(condition) = self.condition_of(place, &event) else { continue };
                for (at, answer) in condition.answer.iter().enumerate() {
                    if let Answer::Send(send) = answer {
                        // It is true of the newest row, whenever it began.
                        let arrived = self.arrival(place, None).unwrap_or(event.at);
                        requests.extend(self.send(place, &condition.name, at, send, &event, arrived));
                    }
                }
            }
        }
        let sending = if lines == 1 { "1 condition sends".into() } else { format!("{lines} conditions send") };
        let now = if requests.is_empty() { String::new() } else { "; what is true now was sent for".into() };
        self.say(format!("armed: {sending} to the board at its events{now}"), false);
        requests
    }

    /// The program runs at `now`, before anything is taken in that came meanwhile. Where it stood still, as when it was
    /// stopped or the machine was suspended, sending is off: nobody saw what happened at the board.
    pub(crate) fn note_running(&mut self, now: Stamp) {
        if !self.is_take() {
            self.now = self.now.max(now);
        }
        let still = self.answers.ran.replace(now).map_or(0.0, |before| now.seconds_since(before));
        if still >= STANDSTILL {
            self.disarm(&format!("stood still for {}", duration((still * 10.0).round() / 10.0)));
        }
    }

    /// The program goes on after it was stopped, however shortly.
    pub(crate) fn goes_on(&mut self) {
        self.disarm("was stopped");
    }

    fn disarm(&mut self, why: &str) {
        if std::mem::take(&mut self.answers.armed) {
            self.say(format!("sending is off: the program {why}; arm it again (5 c A)"), true);
        }
    }

    /// When row `row` of a source arrived, the newest where there is none.
    fn arrival(&self, place: usize, row: Option<u64>) -> Option<Stamp> {
        let store = self.chain_at(place).store();
        store.arrival(row.or_else(|| store.rows().end.checked_sub(1))?)
    }

    /// What flashes now, if anything.
    pub(crate) fn flash(&self) -> Option<&str> {
        self.answers.flash.as_ref().filter(|(_, until)| self.now < *until).map(|(text, _)| text.as_str())
    }

    /// Time has passed until `now`, and all that had come by then was taken in: silence may have come about.
    pub(crate) fn pass_time(&mut self, now: Stamp) -> Vec<Request> {
        let mut requests = Vec::new();
        for place in 0..self.sources() {
            let is_live = matches!(self.watched.at(place).source, Source::Live { .. });
            if is_live && !self.chain_at(place).timer().is_text_time() && !self.chain_at(place).conditions().is_empty()
            {
                self.watched.at_mut(place).chain.tick(now);
                requests.extend(self.answer(place));
            }
        }
        if self.answers.flash.as_ref().is_some_and(|(_, until)| now >= *until) {
            self.answers.flash = None;
        }
        requests
    }

    /// Gives the answers to the events that came from the source at `place` since the last call.
    pub(crate) fn answer(&mut self, place: usize) -> Vec<Request> {
        let (events, missed) = self.watched.at_mut(place).chain.take_fired();
        self.answers.missed += missed;
        let mut requests = Vec::new();
        for event in &events {
            let Some(condition) = self.condition_of(place, event) else { continue };
            requests.extend(self.plan_event(&condition.name));
            for (at, answer) in condition.answer.iter().enumerate() {
                requests.extend(self.give(place, &condition, at, answer, event));
            }
        }
        // Many events at once ring once.
        let mut rings = false;
        requests.retain(|request| *request != Request::Bell || !std::mem::replace(&mut rings, true));
        requests
    }

    /// The condition of an event as it is set now, where it is still watched for: what was changed meanwhile counts at once,
    /// though its history is still being recalculated.
    fn condition_of(&self, place: usize, event: &Event) -> Option<Condition> {
        let chain = self.chain_at(place);
        let name = &chain.conditions().settings().get(event.condition)?.name;
        chain.settings().condition.iter().find(|own| own.name == *name && !own.bypassed).cloned()
    }

    fn give(&mut self, place: usize, condition: &Condition, at: usize, answer: &Answer, event: &Event) -> Vec<Request> {
        let name = &condition.name;
        match answer {
            Answer::Bell(_) => return vec![Request::Bell],
            Answer::Flash(_) => self.answers.flash = Some((name.clone(), self.now.plus(FLASH))),
            Answer::Hold(_) => {
                if !self.is_held() {
                    self.axis.held = Some(self.present());
                    self.say(format!("held at {name}; Space goes on"), false);
                }
            }
            Answer::Mark(mark) if self.taking.runs() => {
                let note =
                    if mark.note.is_empty() { Ok(name.clone()) } else { self.filled(place, name, &mark.note, event) };
                match note {
                    Ok(note) => return vec![Request::Mark(self.mark_at(event.at, note))],
                    Err(wrong) => self.say(format!("{name}: no mark, {wrong}"), true),
                }
            }
            Answer::Snap(snap) => {
                let row = event.row.unwrap_or(self.chain_at(place).store().rows().end);
                let why = format!(" at {name}");
                self.snap_at(place, event.at, row, why, (snap.length(), snap.before / 100.0));
            }
            Answer::StartTake(_) if !self.taking.runs() && !self.is_take() => return self.toggle_take(),
            Answer::StopTake(_) if self.taking.runs() => return vec![Request::StopTake],
            Answer::Send(send) => {
                let arrived = event.row.and_then(|row| self.arrival(place, Some(row))).unwrap_or(event.at);
                return self.send(place, name, at, send, event, arrived);
            }
            Answer::Mark(_) | Answer::StartTake(_) | Answer::StopTake(_) | Answer::Bypassed { .. } => {}
        }
        Vec::new()
    }

    /// The line that an event sends, where that is allowed, not too soon, and not of a row that `arrived` too long ago.
    fn send(
        &mut self,
        place: usize,
        name: &str,
        at: usize,
        send: &Send,
        event: &Event,
        arrived: Stamp,
    ) -> Vec<Request> {
        let key = (place, name.to_owned(), at);
        let last = self.answers.last.get(&key);
        let why_not = if !self.answers.armed {
            Some(Unsent::Disarmed)
        } else if self.now.seconds_since(arrived) > send.max_age {
            Some(Unsent::Late)
        } else {
            last.filter(|last| event.at.seconds_since(**last) < send.every).map(|_| Unsent::Soon)
        };
        if let Some(why) = why_not {
            self.answers.not_sent(why);
            return Vec::new();
        }
        let bytes = self.filled(place, name, &send.line, event).and_then(|line| self.encode(place, &line, send.ending));
        match bytes {
            Ok(bytes) if bytes.is_empty() => Vec::new(),
            Ok(bytes) => {
                self.answers.sent += 1;
                self.answers.last.insert(key, event.at);
                vec![Request::Tell(place, LinkOrder::Send(bytes))]
            }
            Err(wrong) => {
                self.answers.not_sent(Unsent::Faulty);
                self.say(format!("{name}: nothing sent, {wrong}"), true);
                Vec::new()
            }
        }
    }

    /// A text with the values of an event filled in.
    fn filled(&self, place: usize, name: &str, text: &str, event: &Event) -> Result<String, String> {
        let chain = self.chain_at(place);
        let value = |wanted: &str| {
            let known = chain.channels().iter().find(|own| own.name() == wanted || own.title() == wanted);
            match known {
                Some(own) => {
                    let row = event.row.or_else(|| chain.store().rows().end.checked_sub(1))?;
                    let value = own.output().get(row).filter(|value| !value.is_nan())?;
                    Some(own.word(value).map_or_else(|| fixed(value, own.decimals()), str::to_owned))
                }
                None => match wanted {
                    "condition" => Some(name.to_owned()),
                    "number" => Some(event.number.to_string()),
                    "time" => Some(self.when(event.at, "%H:%M:%S")),
                    _ => None,
                },
            }
        };
        fill(text, value)
    }

    /// What was sent and not sent at events, and why not, in a sentence; nothing before the first.
    pub(crate) fn sendings(&self) -> Option<String> {
        let Answers { sent, unsent, .. } = &self.answers;
        let reasons = Unsent::ALL.iter().filter_map(|why| Some((why, unsent.get(why)?)));
        let reasons: Vec<String> = reasons.map(|(why, count)| format!("{count} not sent: {}", why.name())).collect();
        if *sent == 0 && reasons.is_empty() {
            return None;
        }
        let all: Vec<String> = std::iter::once(format!("{} sent", counted(*sent, "line"))).chain(reasons).collect();
        Some(all.join("; "))
    }

    /// The channel that a test of the selected source looks at, where it looks at one alone.
    pub(crate) fn channel_of(&self, of: &str) -> Option<ChannelId> {
        let channels = self.chain().channels();
        let known = channels.iter().position(|own| own.name() == of);
        let known = known.or_else(|| channels.iter().position(|own| own.title() == of));
        known.map(|channel| self.own(channel))
    }
}
