//! Signs for terminals whose font has few: the console of the Linux kernel, whose own font is code page 437.

/// Which signs the terminal's font has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Font {
    /// All that the program draws.
    Full,
    /// Those of code page 437: no braille, few dashes and shares of blocks.
    Console,
}

/// What stands for signs that the console's font lacks; all of one column.
const STAND_INS: [(&str, &str); 20] = [
    ("━╌┈╾╼", "─"),
    ("┃┊", "│"),
    ("┏", "┌"),
    ("┓", "┐"),
    ("┗", "└"),
    ("┛", "┘"),
    ("▸▶", "►"),
    ("◂", "◄"),
    ("●", "•"),
    ("◌", "o"),
    ("×╳", "x"),
    ("…", "~"),
    ("−–—", "-"),
    ("▁", "_"),
    ("▂▃", "▄"),
    ("▅▆▇", "█"),
    ("▔", "▀"),
    ("✓", "√"),
    ("▤", "≡"),
    ("↗", "↑"),
];

impl Font {
    /// What the environment says: `TERM`.
    pub(crate) fn from_environment(get: impl Fn(&str) -> Option<String>) -> Font {
        if get("TERM").is_some_and(|term| term == "linux") { Font::Console } else { Font::Full }
    }

    /// What is sent for `symbol`.
    pub(super) fn of(self, symbol: &str) -> &str {
        let Some(sign) = symbol.chars().next().filter(|sign| self == Font::Console && !sign.is_ascii()) else {
            return symbol;
        };
        match sign {
            // The upper two rows of dots, and the lower two.
            '\u{2800}'..='\u{28FF}' => {
                let dots = sign as u32 - 0x2800;
                match (dots & 0x1B != 0, dots & 0xE4 != 0) {
                    (true, true) => "█",
                    (true, false) => "▀",
                    (false, true) => "▄",
                    (false, false) => " ",
                }
            }
            // Pictures of control characters.
            '\u{2400}'..='\u{243F}' => ".",
            '‖' => "║",
            'μ' => "µ",
            '▯' => "_",
            _ => STAND_INS.iter().find(|(signs, _)| signs.contains(sign)).map_or(symbol, |(_, stand_in)| stand_in),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_console_gets_blocks_for_braille_and_every_sign_of_the_program_in_one_column() {
        let font = |term: &str| Font::from_environment(|_| Some(term.to_owned()));
        assert_eq!([font("linux"), font("xterm-256color")], [Font::Console, Font::Full]);
        assert_eq!(["⠁", "⢠", "⢸", "⠀", "⠂", "⠄"].map(|dots| Font::Console.of(dots)), ["▀", "▄", "█", " ", "▀", "▄"]);
        assert_eq!(["a", "…", "▸", "é", "漢"].map(|sign| Font::Console.of(sign)), ["a", "~", "►", "é", "漢"]);
        assert_eq!(Font::Full.of("⢸"), "⢸");
        for (signs, stand_in) in STAND_INS {
            assert!(signs.chars().all(|sign| Font::Console.of(&sign.to_string()) == stand_in));
            assert_eq!(unicode_width::UnicodeWidthStr::width(stand_in), 1);
        }
    }
}
