//! How things look: by weight, underlines and reversal first, so that they can be told apart without colours, and on
//! light and dark terminals.

use anstyle::{AnsiColor, Color as AnsiColour, Style as AnsiStyle};
use ratatui::style::{Color, Modifier, Style};

pub(super) const PLAIN: Style = Style::new();
pub(super) const BOLD: Style = Style::new().add_modifier(Modifier::BOLD);
pub(super) const QUIET: Style = Style::new().add_modifier(Modifier::DIM);
pub(super) const REVERSED: Style = Style::new().add_modifier(Modifier::REVERSED);
pub(super) const UNDERLINED: Style = Style::new().add_modifier(Modifier::UNDERLINED);
/// A word that was searched for.
pub(super) const FOUND: Style =
    Style::new().add_modifier(Modifier::UNDERLINED.union(Modifier::BOLD));

/// Whether colours are wanted.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Look {
    pub(crate) colours: bool,
}

impl Look {
    /// What went wrong.
    pub(super) fn problem(self) -> Style {
        self.coloured(BOLD, Color::Red)
    }

    /// The colour that the printed outputs have for what happened to a row. Not in bold, which many terminals show in a
    /// brighter colour that cannot be read on a light ground.
    pub(super) fn told(self, style: AnsiStyle) -> Style {
        match style.get_fg_color() {
            Some(AnsiColour::Ansi(colour)) => self.coloured(PLAIN, of_terminal(colour)),
            _ => PLAIN,
        }
    }

    fn coloured(self, style: Style, colour: Color) -> Style {
        match self.colours {
            true => style.fg(colour),
            false => style,
        }
    }
}

fn of_terminal(colour: AnsiColor) -> Color {
    match colour {
        AnsiColor::Black => Color::Black,
        AnsiColor::Red => Color::Red,
        AnsiColor::Green => Color::Green,
        AnsiColor::Yellow => Color::Yellow,
        AnsiColor::Blue => Color::Blue,
        AnsiColor::Magenta => Color::Magenta,
        AnsiColor::Cyan => Color::Cyan,
        AnsiColor::White => Color::Gray,
        AnsiColor::BrightBlack => Color::DarkGray,
        AnsiColor::BrightRed => Color::LightRed,
        AnsiColor::BrightGreen => Color::LightGreen,
        AnsiColor::BrightYellow => Color::LightYellow,
        AnsiColor::BrightBlue => Color::LightBlue,
        AnsiColor::BrightMagenta => Color::LightMagenta,
        AnsiColor::BrightCyan => Color::LightCyan,
        AnsiColor::BrightWhite => Color::White,
    }
}
