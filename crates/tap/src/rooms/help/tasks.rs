//! How do I …? Tasks in the order of the work, each with the keys to press.

/// A task: what a person wants, and what to press.
pub(super) struct Task {
    pub(super) want: &'static str,
    pub(super) press: &'static str,
}

const fn task(want: &'static str, press: &'static str) -> Task {
    Task { want, press }
}

pub(super) const TASKS: &[Task] = &[
    task("find an action or a setting", "/ then type a word of it, such as baud, hysteresis or zero; Enter goes there"),
    task(
        "see what the board sends",
        "v l shows every line as text, x as bytes; 1 shows port, baud rate and spacing of rows",
    ),
    task("read lines that look garbled", "1 B detects the baud rate by listening; 1 then baud rate sets it"),
    task(
        "watch another board or file",
        "start the program with no arguments and choose from the list; or name two: amber-tap watch A B",
    ),
    task(
        "name a channel",
        "2, select the channel with ↓, Enter, type the name; ←→ change what it carries, # gives words to codes",
    ),
    task("see volts instead of counts", "3, a, choose converter; then set bits and reference with ↓ and Enter"),
    task(
        "see a quantity instead of volts",
        "3, a: offset, gain or sensitivity, one step after the other; each shows the value that leaves it",
    ),
    task(
        "make the present reading zero",
        "hold it still until = stands behind the name, then z; 3 Z does it for all channels",
    ),
    task(
        "calibrate",
        "3 c; apply a known value, hold still, Enter, type it; again for other values; a adds the curve to the scale",
    ),
    task("see how far a knob or lever goes", "3 r, turn it through its whole travel; Enter maps it to 0 to 100 %"),
    task("compute a channel from others", "3 F, type NAME = FORMULA; F1 lists the functions while you type"),
    task("find out why a reading looks wrong", "3 d: the check-up says what looks like a fault, and what to check"),
    task(
        "smooth a flickering reading",
        "4, A uses the advised filters, a adds one of your choice; the panel tells noise, delay and rise time",
    ),
    task("compare filters", "zoom to what matters, 4 T: candidates side by side; < > strength, Enter uses one"),
    task("put the filters into the board's program", "4 B shows the whole chain as code with its numbers; c copies it"),
    task("keep the last rows", "v b shows them with statistics; k snaps them, w writes CSV, c compares two blocks"),
    task("find a frequency", "v s: peaks with names, waterfall; b takes a block, c says how late another channel is"),
    task(
        "count pulses, watch a limit",
        "5, → sets a threshold at the present value; threshold and hysteresis below it",
    ),
    task("find a threshold that does not flicker", "5 A after both states were there; or 5 M in each: covered, open"),
    task("do something when a limit is crossed", "5 c a: a condition with its tests and answers; A arms sending"),
    task("lay events over one another", "v e lists them, with the channel around each; [ and ] step through them"),
    task("time an answer, a pulse or a period", "v i: from which edge, w to which channel; list and histogram"),
    task("see how well a target is kept", "v a: e the target, b its band, w what steers; overshoot, cycle, duty"),
    task("get a bell when a reading has settled", "5, bell: at each level"),
    task(
        "read a number from across the room",
        "n shows it as large as the screen; v d as a dial; Tab selects the next channel",
    ),
    task(
        "look closer, look back",
        "Space holds the picture; + and - zoom, ← and → pan, Home the oldest; End is live again",
    ),
    task("go to a time, a mark, an event or a gap", "g on the chart, then type to filter; [ and ] step through events"),
    task("measure a time, a slope or a height", "c: two cursors; ←→ move, o the other, p peak, e edge, ↑↓ values"),
    task("find the line that a point came from", "c on the held chart: strip and wire lines follow the cursor"),
    task("fix the y axis", "y: fit the data, full scale, or typed limits"),
    task("record ten minutes", "t starts a take, its time runs in the title; m sets a mark with a note; t ends it"),
    task("gather the rows of many benches", "6, publish to: mqtt://HOST/TOPIC; p publishes them at that broker"),
    task("record later, slower or in parts", "6: take starts, take ends, rows in takes, parts; the plan says the size"),
    task("keep what has just happened", "6, from before: the last minutes in memory become part of the take"),
    task("read ten places one after the other", "N at each place takes mean and spread; v o shows the table"),
    task("look at a take again", "amber-tap open take-0001; every stage works on it: try another filter in 4"),
    task("find, note, rename or delete a take", "v k lists those in the folder; Enter opens one, P plays it"),
    task("compare takes", "v k, a adds one, c lays it over what is watched; e aligns by start, mark, event or match"),
    task("hand in a report", "R on the chart, or 6 R: figure, statistics, settings, calibration, events, stations"),
    task("print the chart", "6 f writes what is in view as SVG and PDF"),
    task(
        "program the board meanwhile",
        "1 L lends the port; it is taken back automatically when the other program has closed it",
    ),
    task("send a command to the board", ": then type it; Ctrl-N keeps it under a name, Ctrl-E repeats it"),
    task("keep all settings for next time", "s saves them as a bench; start with amber-tap bench NAME"),
    task("undo a change of settings", "u, as often as needed; U redoes it"),
];
