//! The styles of what is shown. A label has a background of its own, and text keeps the terminal's color, so that both can be
//! read on dark and on light terminals; nothing is said by a color alone.

use anstyle::{AnsiColor, Color, Style};

use impostazione_core::finding::Severity;

/// A title, a heading of a table, or what is to be found first.
pub(crate) const STRONG: Style = Style::new().bold();
/// What is an error, or goes.
pub(super) const BAD: Style = label(AnsiColor::BrightWhite, AnsiColor::Red);
/// What is a warning.
pub(super) const DOUBTFUL: Style = label(AnsiColor::Black, AnsiColor::BrightYellow);
/// What is a note.
pub(super) const INFORMED: Style = label(AnsiColor::Black, AnsiColor::BrightCyan);
/// What is right, or comes.
pub(super) const GOOD: Style = label(AnsiColor::Black, AnsiColor::BrightGreen);
/// What belongs to others.
pub(super) const FOREIGN: Style = label(AnsiColor::Black, AnsiColor::BrightMagenta);
/// What is set apart.
pub(super) const APART: Style = label(AnsiColor::Black, AnsiColor::White);

const fn label(text: AnsiColor, ground: AnsiColor) -> Style {
    Style::new().fg_color(Some(Color::Ansi(text))).bg_color(Some(Color::Ansi(ground)))
}

/// The label of a finding.
pub(super) fn of_severity(severity: Severity) -> Style {
    match severity {
        Severity::Error => BAD,
        Severity::Warning => DOUBTFUL,
        Severity::Note => INFORMED,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The colors of xterm and of the Linux console: black, red, white, and the bright ones that labels use.
    const PALETTES: [[(AnsiColor, [u8; 3]); 8]; 2] = [
        [
            (AnsiColor::Black, [0, 0, 0]),
            (AnsiColor::Red, [205, 0, 0]),
            (AnsiColor::White, [229, 229, 229]),
            (AnsiColor::BrightWhite, [255, 255, 255]),
            (AnsiColor::BrightYellow, [255, 255, 0]),
            (AnsiColor::BrightCyan, [0, 255, 255]),
            (AnsiColor::BrightGreen, [0, 255, 0]),
            (AnsiColor::BrightMagenta, [255, 0, 255]),
        ],
        [
            (AnsiColor::Black, [0, 0, 0]),
            (AnsiColor::Red, [170, 0, 0]),
            (AnsiColor::White, [170, 170, 170]),
            (AnsiColor::BrightWhite, [255, 255, 255]),
            (AnsiColor::BrightYellow, [255, 255, 85]),
            (AnsiColor::BrightCyan, [85, 255, 255]),
            (AnsiColor::BrightGreen, [85, 255, 85]),
            (AnsiColor::BrightMagenta, [255, 85, 255]),
        ],
    ];

    /// Relative luminance (WCAG 2.2).
    fn luminance(color: [u8; 3]) -> f64 {
        let linear = |part: u8| {
            let part = f64::from(part) / 255.0;
            if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
        };
        0.2126 * linear(color[0]) + 0.7152 * linear(color[1]) + 0.0722 * linear(color[2])
    }

    #[test]
    fn labels_have_a_contrast_of_four_and_a_half_whatever_the_terminal_s_ground() {
        for palette in PALETTES {
            let of = |color: Option<Color>| {
                let found = palette.iter().find(|(known, _)| color == Some(Color::Ansi(*known)));
                luminance(found.unwrap().1)
            };
            for style in [BAD, DOUBTFUL, INFORMED, GOOD, FOREIGN, APART] {
                let (text, ground) = (of(style.get_fg_color()), of(style.get_bg_color()));
                let contrast = (text.max(ground) + 0.05) / (text.min(ground) + 0.05);
                assert!(contrast >= 4.5, "{style:?}: {contrast:.1}");
            }
        }
    }
}
