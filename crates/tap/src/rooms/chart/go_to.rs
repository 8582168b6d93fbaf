//! Where the chart can go to at once: a time, a mark, an event, a gap.

use super::super::list::{Item, List};
use super::super::prompt::Prompt;
use super::super::{Effect, RoomId};
use crate::app::App;
use crate::session::{Session, Source};
use amber_core::Stamp;
use amber_core::clock::Across;
use amber_core::digits::typed;
use amber_core::tail::visible;
use jiff::civil::Time;
use jiff::{Timestamp, tz::TimeZone};

/// Events and gaps that are listed, the newest.
const LISTED: usize = 200;

fn item(name: String, about: String, at: Stamp) -> Item {
    Item::new(name, about, move |app: &mut App| {
        app.bring(RoomId::Chart);
        app.session.show_moment(at);
        Vec::new()
    })
}

/// The list to choose from, each kind with the newest first.
pub(super) fn list(session: &Session) -> List {
    let told = match (session.across(), session.is_take()) {
        (Across::Rows(_), _) => "the number of a row",
        (_, true) => "seconds from its start, or a wall clock",
        (_, false) => "seconds ago, or a wall clock",
    };
    let mut items = vec![Item::new("a time …", told, |app: &mut App| vec![Effect::Ask(ask(&app.session))])];
    let wall = |at: Stamp| session.when(at, "%H:%M:%S%.3f");
    items.extend(marks(session));
    let chain = session.chain();
    let present = session.present();
    let events = chain.events().iter().rev().filter(|event| event.at <= present);
    for event in events.take(LISTED) {
        let name = chain.conditions().settings().get(event.condition).map_or("", |own| own.name.as_str());
        let lasted =
            event.seconds().map_or("true now".into(), |seconds| format!("lasted {}", session.across().length(seconds)));
        let about = format!("{}, {lasted}", wall(event.at));
        items.push(item(format!("event {}: {}", event.number, visible(name.as_bytes())), about, event.at));
    }
    let store = chain.store();
    let mut gaps = Vec::new();
    let mut row = store.rows().start;
    while let Some(next) = store.break_after(row).filter(|next| store.rows().contains(next)) {
        gaps.extend(store.time(next - 1).zip(store.time(next)));
        row = next;
    }
    let count = gaps.len();
    for (number, (from, to)) in gaps.into_iter().enumerate().rev().take(LISTED) {
        let about = format!("{}, nothing for {}", wall(from), session.across().length(to.seconds_since(from)));
        items.push(item(format!("gap {} of {count}", number + 1), about, to));
    }
    List::new("go to", items, 0)
}

/// The marks, the newest first.
pub(crate) fn marks(session: &Session) -> impl Iterator<Item = Item> + use<'_> {
    session.marks.iter().rev().map(|mark| {
        let name = format!("mark {}: {}", mark.number, visible(mark.note.as_bytes()));
        let values = visible(mark.values.as_bytes());
        item(name, format!("{}  {values}", session.when(mark.at, "%H:%M:%S%.3f")), mark.at)
    })
}

fn ask(session: &Session) -> Prompt {
    let hint = if session.across() != Across::Seconds {
        "the number of a row, the first being 0: the text has no clock"
    } else if session.is_take() {
        "seconds from the start of the take, such as 12.5; or a wall clock such as 14:05:30"
    } else {
        "so many seconds ago, such as 90; or a wall clock such as 14:05:30"
    };
    Prompt::new("go to", hint, "", |app, text| {
        let at = typed_moment(&app.session, text.trim())?;
        app.bring(RoomId::Chart);
        app.session.show_moment(at);
        Ok(Vec::new())
    })
}

/// The instant that a person typed.
///
/// # Errors
/// What is wrong with it, or where the history ends.
fn typed_moment(session: &Session, text: &str) -> Result<Stamp, String> {
    let (first, last) = (session.oldest(), session.present());
    let at = if text.contains(':') {
        clock(text, last, &session.zone)
            .ok_or_else(|| format!("'{text}' is no time of a day: type 14:05 or 14:05:30.5"))?
    } else {
        let seconds = typed(text)?;
        match session.source() {
            Source::Take(take) => take.start.plus(seconds / session.across().of(1.0)),
            Source::Live { .. } => last.plus(-seconds.abs()),
        }
    };
    if at < first || at > last {
        let wall = |at| session.when(at, "%H:%M:%S");
        return Err(format!("that is not in what is kept: {} to {}", wall(first), wall(last)));
    }
    Ok(at)
}

/// The last instant, not after `last`, at which a wall clock showed this.
fn clock(text: &str, last: Stamp, zone: &TimeZone) -> Option<Stamp> {
    let time = ["%H:%M:%S%.f", "%H:%M:%S", "%H:%M"].iter().find_map(|form| Time::strptime(form, text).ok())?;
    let day = Timestamp::from_nanosecond(last.0.into()).ok()?.to_zoned(zone.clone()).date();
    let at = |day: jiff::civil::Date| {
        let zoned = day.to_datetime(time).to_zoned(zone.clone()).ok()?;
        i64::try_from(zoned.timestamp().as_nanosecond()).ok().map(Stamp)
    };
    at(day).filter(|at| *at <= last).or_else(|| at(day.yesterday().ok()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wall_clock_is_the_last_instant_that_showed_it() {
        let zone = TimeZone::get("Europe/Oslo").unwrap_or(TimeZone::UTC);
        let last = Stamp(1_780_000_000_000_000_000);
        let wall = |at: Stamp| {
            let zoned = Timestamp::from_nanosecond(at.0.into()).unwrap().to_zoned(zone.clone());
            zoned.strftime("%H:%M:%S%.3f").to_string()
        };
        for text in ["00:00:00.000", "23:59:59.500", "12:34:56.250"] {
            let at = clock(text, last, &zone).unwrap();
            assert_eq!(wall(at), text);
            assert!(at <= last && last.seconds_since(at) < 86_400.0, "{text}");
        }
        assert_eq!(clock("7:05", last, &zone).map(wall).as_deref(), Some("07:05:00.000"));
        for wrong in ["25:00", "1:2:3:4", ":", "noon:ish"] {
            assert_eq!(clock(wrong, last, &zone), None, "{wrong}");
        }
    }
}
