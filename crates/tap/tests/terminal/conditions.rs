//! Conditions, events and answers in the real program, on a board that is switched by the host.

use crate::support::Terminal;
use std::fs;

#[test]
fn the_pump_is_switched_by_the_host_and_the_take_holds_the_same_events_when_decoded_again() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["demo", "flume-pump"], dir.path(), (160, 47));
    terminal.wait("● live");
    terminal.wait("gauge_a=");
    terminal.keys(&["Escape", "t"]);
    terminal.wait("● take-0001");
    terminal.keys(&["5", "c"]);
    terminal.wait("sump above 14 cm");
    // Nothing is sent before it is allowed.
    terminal.wait("true, 1 event");
    assert!(!terminal.text().contains("ARMED"));
    terminal.keys(&["A"]);
    terminal.wait("ARMED");
    terminal.keys(&["E"]);
    let screen = terminal.wait_until("four events", |screen| {
        screen.lines().filter(|line| line.contains(" full ") && line.contains("rests")).count() >= 2
            && screen.lines().filter(|line| line.contains(" empty ") && line.contains("pumps")).count() >= 2
    });
    assert!(screen.contains("sump around events: the last"), "{screen}");
    for gone in ["5 conditions", "5 watch ━", "around events"] {
        terminal.keys(&["Escape"]);
        terminal.wait_until(gone, |screen| !screen.contains(gone));
    }
    terminal.wait("◆");
    terminal.keys(&["t"]);
    terminal.wait("take-0001 ended");
    terminal.keys(&["q"]);
    terminal.wait_until("the question or the end", |screen| screen.contains("[ended with 0]") || screen.contains("q "));
    drop(terminal);

    let folder = dir.path().join("take-0001");
    let table = fs::read_to_string(folder.join("events.csv")).unwrap();
    assert!(table.starts_with("number,condition,time_s,wall_clock,began_s,duration_s,"), "{table}");
    assert!(table.lines().count() >= 5, "{table}");
    let take = amber_io::take::open(&folder).unwrap();
    let mut decoder = amber_io::take::Decoder::new(&take.bench, take.start);
    take.decode_by(&mut decoder).unwrap();
    assert_eq!(String::from_utf8(decoder.take_events()).unwrap(), table, "byte for byte");
    let described = fs::read_to_string(folder.join("events.csv-metadata.json")).unwrap();
    assert!(described.contains("duration_s") && described.contains("\"url\": \"events.csv\""));
    let sent = fs::read_to_string(folder.join("sent.csv")).unwrap();
    assert!(sent.contains("pump on") && sent.contains("pump off"), "{sent}");
    assert!(take.marks.iter().any(|mark| mark.note.starts_with("pump off at 8.")), "{:?}", take.marks);

    // The take shows the same events, and sends nothing.
    let terminal = Terminal::start("", &["open", "take-0001"], dir.path(), (160, 47));
    terminal.wait("▤ take");
    terminal.keys(&["v", "e"]);
    terminal.wait(" full ");
    terminal.keys(&["Escape", "5", "c"]);
    terminal.wait("5 conditions");
    terminal.keys(&["A"]);
    terminal.wait("a take has no board to send to");
    terminal.keys(&["q"]);
}
