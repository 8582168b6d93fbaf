//! Inks: warm amber on near-black for all that is program, six other inks for the traces, and what stands for them on
//! terminals with fewer colours or none.

use ratatui::style::{Color, Modifier, Style};

/// What a piece of text or a line is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ink {
    /// Ordinary text.
    Text,
    /// Less important text.
    Dim,
    /// Rules, ticks, grids.
    Faint,
    /// What matters most.
    Bright,
    /// Something is wrong, or running; stands out without its colour too.
    Alert,
    /// The chosen one in a list.
    Chosen,
    /// Trace number so-and-so.
    Trace(usize),
    /// The same trace before smoothing.
    Pale(usize),
}

/// How many colours the terminal shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Depth {
    /// 24 bits.
    Full,
    /// The 256-colour table.
    Table,
    /// The sixteen.
    Sixteen,
    /// None: `NO_COLOR`, or a terminal that has none.
    None,
}

impl Depth {
    /// What the environment says: `NO_COLOR`, `COLORTERM`, `TERM`.
    pub(crate) fn from_environment(get: impl Fn(&str) -> Option<String>) -> Depth {
        let term = get("TERM").unwrap_or_default();
        if get("NO_COLOR").is_some_and(|value| !value.is_empty()) || term == "dumb" || term.starts_with("vt1") {
            Depth::None
        } else if get("COLORTERM").is_some_and(|value| value == "truecolor" || value == "24bit") {
            Depth::Full
        } else if term.contains("256color") {
            Depth::Table
        } else {
            Depth::Sixteen
        }
    }
}

type Rgb = (u8, u8, u8);

const GROUND: Rgb = (0x10, 0x0C, 0x08);
const PANEL: Rgb = (0x1B, 0x14, 0x0C);

/// Six inks that stay apart for colour-blind eyes and from the amber, after Okabe and Ito, "Color Universal Design"
/// (2008), lightened for a dark ground.
const TRACES: [(Rgb, Color); 6] = [
    ((0x5B, 0xBD, 0xF5), Color::LightBlue),
    ((0xF2, 0xF2, 0xEC), Color::White),
    ((0xE0, 0x86, 0xBB), Color::LightMagenta),
    ((0x2F, 0xC9, 0x9C), Color::LightGreen),
    ((0x8F, 0x8B, 0xFF), Color::Blue),
    ((0xF0, 0x5B, 0x4A), Color::LightRed),
];

/// The inks as a terminal shows them.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Theme {
    depth: Depth,
}

impl Theme {
    pub(crate) fn new(depth: Depth) -> Self {
        Theme { depth }
    }

    /// The ground of the whole screen.
    pub(crate) fn ground(self) -> Style {
        self.style(Ink::Text).bg(self.colour(GROUND, Color::Reset))
    }

    /// The ground of panels and overlays.
    pub(crate) fn panel(self) -> Style {
        self.style(Ink::Text).bg(self.colour(PANEL, Color::Reset))
    }

    /// The style of `ink`; leaves the ground as it is, but for [`Ink::Chosen`] and [`Ink::Alert`].
    pub(crate) fn style(self, ink: Ink) -> Style {
        let plain = Style::new();
        match ink {
            Ink::Text => plain.fg(self.colour((0xE6, 0xB0, 0x60), Color::Yellow)),
            Ink::Dim => self.weak(plain.fg(self.colour((0xA0, 0x7A, 0x42), Color::Yellow))),
            Ink::Faint => self.weak(plain.fg(self.colour((0x54, 0x41, 0x26), Color::DarkGray))),
            Ink::Bright => plain.fg(self.colour((0xFF, 0xDC, 0x9A), Color::LightYellow)).add_modifier(Modifier::BOLD),
            Ink::Alert if self.depth == Depth::None => plain.add_modifier(Modifier::REVERSED | Modifier::BOLD),
            Ink::Alert => plain
                .fg(self.colour(GROUND, Color::Black))
                .bg(self.colour((0xFF, 0xB0, 0x38), Color::LightYellow))
                .add_modifier(Modifier::BOLD),
            Ink::Chosen if self.depth == Depth::None => plain.add_modifier(Modifier::REVERSED),
            Ink::Chosen => plain
                .fg(self.colour((0xFF, 0xE4, 0xB0), Color::Black))
                .bg(self.colour((0x55, 0x38, 0x10), Color::Yellow)),
            Ink::Trace(number) => {
                let (rgb, named) = TRACES[number % TRACES.len()];
                plain.fg(self.colour(rgb, named))
            }
            Ink::Pale(number) => {
                let (rgb, named) = TRACES[number % TRACES.len()];
                self.weak(plain.fg(self.colour(mix(rgb, GROUND, 0.36), named)))
            }
        }
    }

    /// Where a weaker shade cannot be shown, the terminal's own dim is.
    fn weak(self, style: Style) -> Style {
        match self.depth {
            Depth::Full | Depth::Table => style,
            Depth::Sixteen | Depth::None => style.add_modifier(Modifier::DIM),
        }
    }

    fn colour(self, rgb: Rgb, named: Color) -> Color {
        match self.depth {
            Depth::Full => Color::Rgb(rgb.0, rgb.1, rgb.2),
            Depth::Table => Color::Indexed(nearest(rgb)),
            Depth::Sixteen => named,
            Depth::None => Color::Reset,
        }
    }
}

fn mix(a: Rgb, b: Rgb, share: f32) -> Rgb {
    let blend = |a: u8, b: u8| (f32::from(a) * share + f32::from(b) * (1.0 - share)).round() as u8;
    (blend(a.0, b.0), blend(a.1, b.1), blend(a.2, b.2))
}

/// The nearest colour of the 6x6x6 cube and the 24 greys in the 256-colour table.
fn nearest((r, g, b): Rgb) -> u8 {
    const LEVELS: [u8; 6] = [0, 95, 135, 175, 215, 255];
    let level = |v: u8| (0..6).min_by_key(|i| LEVELS[*i].abs_diff(v)).unwrap_or(0);
    let distance = |x: Rgb| {
        let part = |a: u8, b: u8| i32::from(a.abs_diff(b)).pow(2);
        part(r, x.0) + part(g, x.1) + part(b, x.2)
    };
    let cube = (level(r), level(g), level(b));
    let grey = ((u16::from(r) + u16::from(g) + u16::from(b)) / 3).saturating_sub(3) / 10;
    let grey = grey.min(23) as u8;
    let shade = 8 + grey * 10;
    if distance((shade, shade, shade)) < distance((LEVELS[cube.0], LEVELS[cube.1], LEVELS[cube.2])) {
        232 + grey
    } else {
        (16 + 36 * cube.0 + 6 * cube.1 + cube.2) as u8
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_environment_decides_how_many_colours() {
        let depth = |pairs: &[(&str, &str)]| {
            Depth::from_environment(|name| pairs.iter().find(|(n, _)| *n == name).map(|(_, v)| (*v).to_owned()))
        };
        assert_eq!(depth(&[("TERM", "xterm-256color"), ("COLORTERM", "truecolor")]), Depth::Full);
        assert_eq!(depth(&[("TERM", "xterm-256color")]), Depth::Table);
        assert_eq!(depth(&[("TERM", "linux")]), Depth::Sixteen);
        assert_eq!(depth(&[("TERM", "xterm"), ("COLORTERM", "truecolor"), ("NO_COLOR", "1")]), Depth::None);
    }

    #[test]
    fn without_colour_nothing_is_told_by_it() {
        let theme = Theme::new(Depth::None);
        for ink in [Ink::Text, Ink::Alert, Ink::Chosen, Ink::Trace(3)] {
            let style = theme.style(ink);
            assert!(style.bg.is_none() && style.fg.is_none_or(|fg| fg == Color::Reset), "{ink:?}");
        }
        assert!(theme.style(Ink::Alert).add_modifier.contains(Modifier::REVERSED));
        assert_eq!([nearest((0, 0, 0)), nearest((255, 255, 255)), nearest((8, 8, 8))], [16, 231, 232]);
    }
}
