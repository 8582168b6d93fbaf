//! What a board hears, as lines.

/// The longest line that a board listens to, in bytes; what is longer is not understood.
const LONGEST: usize = 60;

/// Puts lines together.
#[derive(Debug, Default)]
pub(crate) struct Ear(Vec<u8>);

impl Ear {
    /// The lines that `bytes` complete, without control characters and blanks around; empty ones are left out.
    pub(crate) fn hear(&mut self, bytes: &[u8]) -> Vec<String> {
        let mut lines = Vec::new();
        for byte in bytes {
            if !matches!(byte, b'\r' | b'\n') {
                if self.0.len() <= LONGEST {
                    self.0.push(*byte);
                }
                continue;
            }
            let line = std::mem::take(&mut self.0);
            let text: String = String::from_utf8_lossy(&line).chars().filter(|c| !c.is_control()).collect();
            if !text.trim().is_empty() {
                lines.push(text.trim().to_owned());
            }
        }
        lines
    }
}

/// What a board answers to a line that makes no sense to it.
pub(crate) fn not_understood(line: &str) -> String {
    format!("not understood: {line}\r\n")
}
