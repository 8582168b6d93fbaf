//! Smoothing, blocks and spectra in the real program.

use crate::support::Terminal;
use std::fs;

#[test]
fn what_rows_amount_to_is_seen_snapped_kept_and_there_again() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["demo"], dir.path(), (160, 47));
    terminal.wait("● live");
    terminal.wait("gauge_a=");
    terminal.keys(&["Escape", "t"]);
    terminal.wait("● take-0001");
    // Enough rows for a spectrum and a level.
    terminal.keys(&["v", "s"]);
    terminal.wait("spectrum of A gauge_a");
    terminal.wait("waterfall: one line every");
    terminal.keys(&["w", "d"]);
    terminal.wait("flat top");
    terminal.wait("amplitude in dB");
    terminal.keys(&["Escape", "v", "b"]);
    terminal.wait("peak to peak");
    terminal.keys(&["l"]);
    terminal.wait("length of a block");
    terminal.keys(&["64 rows", "Enter"]);
    terminal.wait("the last rows: 64 rows");
    terminal.keys(&["k"]);
    terminal.wait("block 1: 64 rows, kept in the take too");
    terminal.keys(&["w"]);
    terminal.wait("table written: ./block-0001.csv");
    let written = fs::read_to_string(dir.path().join("block-0001.csv")).unwrap();
    assert_eq!((written.lines().count(), &written[..18]), (65, "index,time_s,inter"));
    terminal.keys(&["Escape", "4"]);
    terminal.wait("advice (A uses it)");
    terminal.keys(&["B"]);
    terminal.wait("the same as the chain");
    terminal.keys(&["Escape", "4", "T"]);
    terminal.wait("trial on A gauge_a");
    terminal.keys(&["Escape", "End", "t"]);
    terminal.wait("take-0001 ended");
    terminal.keys(&["q"]);
    terminal.wait_until("the question or the end", |screen| screen.contains("[ended with 0]") || screen.contains("q "));
    drop(terminal);
    let (blocks, told) = amber_io::take::read_blocks(&dir.path().join("take-0001"));
    assert_eq!((blocks.len(), blocks[0].times.len(), told.len()), (1, 64, 0), "{told:?}");

    // A recorded channel is smoothed both ways when that is wished, and its blocks are there again.
    let terminal = Terminal::start("", &["open", "take-0001"], dir.path(), (160, 47));
    terminal.wait("gauge_a");
    terminal.keys(&["v", "b", "Enter"]);
    terminal.wait("block 1");
    terminal.keys(&["Escape", "Escape", "/", "direction", "Enter"]);
    terminal.wait("forward");
    terminal.keys(&["Right"]);
    terminal.wait("none: forward and backward");
    terminal.keys(&["q"]);
}
