//! The real program in a real terminal: tmux, driven by keys and read back as text.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

pub(crate) const PROGRAM: &str = env!("CARGO_BIN_EXE_amber-tap");

/// How long a screen may take to come; generous, for slow machines. Nothing is timed by it.
const PATIENCE: Duration = Duration::from_secs(60);

static SERVERS: AtomicU32 = AtomicU32::new(0);

/// A tmux server of its own, ended when dropped.
pub(crate) struct Terminal {
    socket: PathBuf,
    _folder: tempfile::TempDir,
}

impl Terminal {
    /// Runs `amber-tap` with these arguments in `folder` on a screen of this size; `prefix` is shell text before it.
    pub(crate) fn start(prefix: &str, arguments: &[&str], folder: &Path, size: (u16, u16)) -> Terminal {
        let own = tempfile::tempdir().unwrap();
        let number = SERVERS.fetch_add(1, Ordering::Relaxed);
        let words = arguments.iter().map(|word| format!(" '{word}'")).collect::<String>();
        // Nothing is left behind in the state of whoever runs the tests.
        let state = own.path().join("state").display().to_string();
        let command = format!(
            "cd '{}' && export XDG_STATE_HOME='{state}'; {prefix} '{PROGRAM}'{words}; echo \"[ended with $?]\"; sleep 600",
            folder.display()
        );
        let terminal = Terminal { socket: own.path().join(format!("tmux-{number}")), _folder: own };
        let (width, height) = (size.0.to_string(), size.1.to_string());
        let started = terminal.tmux(&["-f", "/dev/null", "new-session", "-d", "-x", &width, "-y", &height, &command]);
        assert!(started.status.success(), "tmux: {}", String::from_utf8_lossy(&started.stderr));
        terminal.tmux(&["set", "-g", "escape-time", "0"]);
        terminal.tmux(&["set", "-g", "status", "off"]);
        terminal
    }

    fn tmux(&self, arguments: &[&str]) -> Output {
        Command::new("tmux").arg("-S").arg(&self.socket).args(arguments).output().expect("tmux is not installed")
    }

    pub(crate) fn keys(&self, keys: &[&str]) {
        for key in keys {
            self.tmux(&["send-keys", key]);
        }
    }

    /// Pastes text as a terminal does.
    pub(crate) fn paste(&self, text: &str) {
        self.tmux(&["set-buffer", text]);
        self.tmux(&["paste-buffer", "-p"]);
    }

    pub(crate) fn resize(&self, width: u16, height: u16) {
        self.tmux(&["resize-window", "-x", &width.to_string(), "-y", &height.to_string()]);
    }

    pub(crate) fn text(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-p"]).stdout).into_owned()
    }

    /// The screen with its escape sequences for colours and weights.
    pub(crate) fn styled(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-e", "-p"]).stdout).into_owned()
    }

    /// Waits until the screen holds `text`; gives the screen.
    pub(crate) fn wait(&self, text: &str) -> String {
        self.wait_until(text, |screen| screen.contains(text))
    }

    pub(crate) fn wait_until(&self, what: &str, test: impl Fn(&str) -> bool) -> String {
        let begun = Instant::now();
        loop {
            let screen = self.text();
            if test(&screen) {
                return screen;
            }
            assert!(begun.elapsed() < PATIENCE, "no '{what}' on the screen:\n{screen}");
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// In the calibration of the depth programme: waits for the levels of its first three depths, and types these.
    pub(crate) fn type_three_depths(&self) {
        let is_third =
            |line: &str| line.split('┃').nth(1).is_some_and(|cells| cells.split_whitespace().next() == Some("3"));
        self.wait_until("level 3", |screen| screen.lines().any(is_third));
        self.keys(&[
            "Enter", "C-u", "100 mm", "Enter", "Up", "Enter", "C-u", "50", "Enter", "Up", "Enter", "C-u", "0", "Enter",
        ]);
    }

    /// The process id of the program.
    pub(crate) fn pid(&self) -> i32 {
        let pane = String::from_utf8_lossy(&self.tmux(&["list-panes", "-F", "#{pane_pid}"]).stdout).trim().to_owned();
        let children = std::fs::read_to_string(format!("/proc/{pane}/task/{pane}/children")).unwrap();
        children.split_whitespace().next().expect("the program runs").parse().unwrap()
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
    }
}
