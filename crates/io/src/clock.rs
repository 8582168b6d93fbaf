//! The host's clocks: where stamps come from, and what is noted of them.

use amber_core::Stamp;
use amber_core::digits::duration;
use jiff::tz::TimeZone;
use rustix::time::{ClockId, clock_gettime};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// The clock that goes on while the host is suspended.
#[cfg(target_os = "linux")]
const RUNNING: ClockId = ClockId::Boottime;
#[cfg(not(target_os = "linux"))]
const RUNNING: ClockId = ClockId::Monotonic;

fn nanoseconds(clock: ClockId) -> i64 {
    let now = clock_gettime(clock);
    now.tv_sec.saturating_mul(1_000_000_000).saturating_add(now.tv_nsec)
}

/// Makes stamps: the wall clock as it was at the start, moved on by a clock that never goes back and that counts the time
/// in which the host is suspended. So elapsed times are right whatever becomes of the wall clock.
#[derive(Clone, Copy, Debug)]
pub struct HostClock {
    wall: i64,
    begun: i64,
}

impl HostClock {
    /// A clock that starts now.
    pub fn start() -> Self {
        HostClock { wall: nanoseconds(ClockId::Realtime), begun: nanoseconds(RUNNING) }
    }

    /// The present.
    pub fn now(&self) -> Stamp {
        Stamp(self.wall + nanoseconds(RUNNING) - self.begun)
    }
}

/// The zone of local time, as the system or `TZ` says it; UTC where `TZ` names something that is no file, such as a device that
/// would be read for ever.
pub fn local_zone() -> TimeZone {
    let named = std::env::var_os("TZ").unwrap_or_default();
    let name = named.as_bytes().strip_prefix(b":").unwrap_or(named.as_bytes());
    let name = Path::new(OsStr::from_bytes(name));
    let is_device = |path: PathBuf| std::fs::metadata(path).is_ok_and(|meta| !meta.is_file() && !meta.is_dir());
    // An absolute name takes the place of the folder.
    if is_device(Path::new("/usr/share/zoneinfo").join(name)) { TimeZone::UTC } else { TimeZone::system() }
}

/// What the host's clocks say at one moment.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct ClockReading {
    /// Nanoseconds of the clock that goes on while the host is suspended.
    running: i64,
    /// Nanoseconds of the one that does not.
    awake: i64,
    /// Nanoseconds since the Unix epoch by the wall clock.
    wall: i64,
    /// Seconds by which local time is ahead of UTC.
    offset: i32,
}

impl ClockReading {
    pub(crate) fn now() -> ClockReading {
        let wall = nanoseconds(ClockId::Realtime);
        let at = jiff::Timestamp::from_nanosecond(i128::from(wall)).unwrap_or(jiff::Timestamp::UNIX_EPOCH);
        let offset = local_zone().to_offset(at).seconds();
        ClockReading { running: nanoseconds(RUNNING), awake: nanoseconds(ClockId::Monotonic), wall, offset }
    }
}

/// Something that happened to the host's clocks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum ClockNote {
    /// The host was suspended for so many nanoseconds.
    Suspended(i64),
    /// The wall clock was set forward by so many nanoseconds, or back.
    Set(i64),
    /// Local time changed its distance from UTC, from and to seconds: daylight saving began or ended.
    Offset(i32, i32),
}

impl ClockNote {
    /// What it means, in words.
    pub(crate) fn words(&self) -> String {
        let long = |nanoseconds: i64| duration((nanoseconds.abs() as f64 * 1e-9).round());
        let hours = |seconds: i32| {
            format!("{}{}:{:02}", if seconds < 0 { '-' } else { '+' }, seconds.abs() / 3600, seconds.abs() / 60 % 60)
        };
        match self {
            ClockNote::Suspended(by) => format!("the host was suspended for {}", long(*by)),
            ClockNote::Set(by) => {
                let way = if *by < 0 { "back" } else { "forward" };
                format!("the host's clock was set {way} by {}; times of this take go on as before", long(*by))
            }
            ClockNote::Offset(from, to) => {
                format!(
                    "local time changed from UTC{} to UTC{}; times of this take are in UTC",
                    hours(*from),
                    hours(*to)
                )
            }
        }
    }
}

/// Deviations below this are those of clocks that are steered, or of a busy host, in nanoseconds.
const NOTED: i64 = 1_000_000_000;

/// Watches the host's clocks.
#[derive(Debug, Default)]
pub(crate) struct ClockWatch {
    last: Option<ClockReading>,
}

impl ClockWatch {
    /// What happened since the last call.
    pub(crate) fn look(&mut self, now: ClockReading) -> Vec<ClockNote> {
        let Some(last) = self.last.replace(now) else { return Vec::new() };
        let passed = now.running - last.running;
        let asleep = passed - (now.awake - last.awake);
        let set = now.wall - last.wall - passed;
        let mut notes = Vec::new();
        notes.extend((asleep >= NOTED).then_some(ClockNote::Suspended(asleep)));
        notes.extend((set.abs() >= NOTED).then_some(ClockNote::Set(set)));
        notes.extend((last.offset != now.offset).then_some(ClockNote::Offset(last.offset, now.offset)));
        notes
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_day_with_a_suspend_a_clock_that_is_set_and_the_end_of_daylight_saving() {
        const SECOND: i64 = 1_000_000_000;
        let mut now = ClockReading { running: 7, awake: 3, wall: 1_793_000_000 * SECOND, offset: 7200 };
        let mut watch = ClockWatch::default();
        let mut noted = Vec::new();
        // A look every 100 ms, with a wall clock that is steered by 50 parts in a million.
        for step in 0..864_000_i64 {
            let (asleep, set) =
                (if step == 100_000 { 7200 * SECOND } else { 0 }, if step == 200_000 { -90 * SECOND } else { 0 });
            now.running += SECOND / 10 + asleep;
            now.awake += SECOND / 10;
            now.wall += SECOND / 10 + 5000 + asleep + set;
            now.offset = if step < 300_000 { 7200 } else { 3600 };
            noted.extend(watch.look(now).into_iter().map(|note| (step, note.words())));
        }
        let told = [
            (100_000, "the host was suspended for 2 h"),
            (200_000, "the host's clock was set back by 90 s; times of this take go on as before"),
            (300_000, "local time changed from UTC+2:00 to UTC+1:00; times of this take are in UTC"),
        ];
        assert_eq!(noted, told.map(|(step, text)| (step, text.to_owned())));
    }
}
