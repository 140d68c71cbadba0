//! Styles, and texts of others: what a file, a checker or another account says is shown, and never obeyed.
//!
//! A style is put between marks that hold a number chosen at random when the program starts. Only what is between two
//! marks reaches the terminal as a control sequence; any other control character is written out.

use anstyle::Style;
use std::hash::{BuildHasher, Hasher, RandomState};
use std::sync::LazyLock;

static MARK: LazyLock<String> =
    LazyLock::new(|| format!("\u{1}{:016x}\u{1}", RandomState::new().build_hasher().finish()));

/// `text` in `style`.
pub fn styled(style: Style, text: &str) -> String {
    let mark = MARK.as_str();
    format!("{mark}{style}{mark}{text}{mark}{style:#}{mark}")
}

/// `text` as a terminal may have it: with the styles of [`styled`], and no other control sequence. In `ascii`, other
/// characters are written out, too.
pub fn for_terminal(text: &str, ascii: bool) -> String {
    let mut out = String::with_capacity(text.len());
    // Text, style, text, style, text …: a mark is on either side of each style.
    for (n, piece) in text.split(MARK.as_str()).enumerate() {
        if n % 2 == 0 { visible(piece, ascii, &mut out) } else { out.push_str(piece) }
    }
    out
}

/// The text without styles, as far as widths go.
pub fn width(text: &str) -> usize {
    text.split(MARK.as_str()).step_by(2).map(|piece| piece.chars().count()).sum()
}

fn visible(text: &str, ascii: bool, out: &mut String) {
    for one in text.chars() {
        match one {
            '\n' | '\t' => out.push(one),
            _ if one.is_control() && one.is_ascii() => out.push_str(&format!("\\x{:02x}", u32::from(one))),
            _ if is_unseen(one) => out.push_str(&format!("\\u{{{:x}}}", u32::from(one))),
            _ if ascii && !one.is_ascii() => out.push_str(&format!("\\u{{{:x}}}", u32::from(one))),
            _ => out.push(one),
        }
    }
}

/// Whether a character is a command to a terminal, or is not seen.
pub fn is_unseen(one: char) -> bool {
    one.is_control() || turns(one)
}

/// The same as JSON escapes it.
pub fn visible_json(one: char) -> String {
    format!("\\u{:04x}", u32::from(one))
}

/// Whether a character changes the order in which others are shown (Unicode Standard Annex 9), or cannot be seen.
fn turns(one: char) -> bool {
    matches!(one, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_our_own_styles_reach_the_terminal() {
        let bold = Style::new().bold();
        let text = styled(bold, "\u{1b}[8mgone\u{1b}[0m");
        assert_eq!(for_terminal(&text, false), "\u{1b}[1m\\x1b[8mgone\\x1b[0m\u{1b}[0m");
        assert_eq!(width(&styled(bold, "four")), 4);
        let cases = [
            ("a\u{7}b\rc\u{7f}", "a\\x07b\\x0dc\\x7f"),
            ("title \u{1b}]0;x\u{7}", "title \\x1b]0;x\\x07"),
            ("\u{9b}31m", "\\u{9b}31m"),
            ("ferry\u{202e}yrref", "ferry\\u{202e}yrref"),
            ("one\n\ttwo", "one\n\ttwo"),
        ];
        for (text, shown) in cases {
            assert_eq!(for_terminal(text, false), shown);
        }
        assert_eq!(for_terminal("östlich “x”", false), "östlich “x”");
        assert_eq!(for_terminal("östlich", true), "\\u{f6}stlich");
    }
}
