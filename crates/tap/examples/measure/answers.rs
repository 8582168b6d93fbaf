//! How long an answer takes: from the row that fires to the bytes that leave the port.

use super::{Outcome, Program};
use amber_boards::Pty;
use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::sync::mpsc;
use std::time::{Duration, Instant};

/// Every tenth row of a board that sends 100 a second fires, and is answered with its number.
pub(super) fn answers(folder: &Path) -> Outcome {
    let mut pty = Pty::open(115_200)?;
    let bench = folder.join("answers.bench.toml");
    let text = format!(
        "[[source]]\n[source.wire]\nport = \"{}\"\nbaud = 115200\n[[source.condition]]\nname = \"high\"\n\
         test = [{{ kind = \"above\", of = \"level\", value = 500.0 }}]\n\
         answer = [{{ kind = \"send\", line = \"row {{n}}\", every = 0.0 }}]\n",
        pty.path().display()
    );
    std::fs::write(&bench, text)?;
    let [bench, into] = [&bench, folder].map(|path| path.to_string_lossy().into_owned());
    let mut program = Program::start(&["bench", &bench, "--into", &into], false)?;
    program.wait_for("open, silent")?;
    let (tell, told) = mpsc::channel::<(u64, Instant)>();
    let host = BufReader::new(pty.board.try_clone()?);
    std::thread::spawn(move || {
        for line in host.lines().map_while(Result::ok) {
            let number = line.trim().strip_prefix("row ").and_then(|number| number.parse().ok());
            if number.is_some_and(|number| tell.send((number, Instant::now())).is_err()) {
                return;
            }
        }
    });
    let mut sent: Vec<Instant> = Vec::new();
    let begun = Instant::now();
    let mut armed = false;
    while begun.elapsed() < Duration::from_secs(30) {
        if !armed && begun.elapsed() > Duration::from_secs(3) {
            program.keys.write_all(b"5c")?;
            std::thread::sleep(Duration::from_millis(300));
            program.keys.write_all(b"A")?;
            armed = true;
        }
        let due = begun + Duration::from_secs_f64(sent.len() as f64 / 100.0);
        std::thread::sleep(due.saturating_duration_since(Instant::now()));
        let level = if sent.len() % 10 == 9 { 900 } else { 100 };
        let row = format!("n={} level={level}\r\n", sent.len());
        sent.push(Instant::now());
        pty.board.write_all(row.as_bytes())?;
    }
    std::thread::sleep(Duration::from_millis(300));
    let mut late: Vec<f64> = told
        .try_iter()
        .filter_map(|(number, at)| Some(at.duration_since(*sent.get(number as usize)?).as_secs_f64() * 1e3))
        .collect();
    late.sort_by(f64::total_cmp);
    if late.len() < 50 {
        return Err(format!("only {} answers came", late.len()).into());
    }
    let at = |share: f64| late[((late.len() - 1) as f64 * share) as usize];
    println!(
        "answers   from a row that fires, written by the board, to the line that it gets, {} of them:",
        late.len()
    );
    println!("          median {:.2} ms, 90 % {:.2} ms, 99 % {:.2} ms", at(0.5), at(0.9), at(0.99));
    program.quit()
}
