//! What is known of the terminal.

use rustix::termios::tcgetwinsize;
use std::io::IsTerminal;

/// Lines are at least and at most as wide as this.
const WIDTHS: std::ops::RangeInclusive<usize> = 40..=200;
/// The width where nothing says which it is.
const USUAL: usize = 80;

/// How many columns there are: those of the terminal on standard output, or on standard error; else `COLUMNS`, which a
/// person may export for a pipe; else 80.
pub fn width() -> usize {
    let asked = |size: rustix::termios::Winsize| usize::from(size.ws_col);
    let on_screen = tcgetwinsize(std::io::stdout()).or_else(|_| tcgetwinsize(std::io::stderr())).map(asked);
    let columns = on_screen.ok().filter(|columns| *columns > 0);
    let exported = || std::env::var("COLUMNS").ok().and_then(|text| text.trim().parse().ok());
    columns.or_else(exported).unwrap_or(USUAL).clamp(*WIDTHS.start(), *WIDTHS.end())
}

/// Whether standard output is a terminal of which the locale says that it shows ASCII alone.
pub fn is_ascii() -> bool {
    std::io::stdout().is_terminal() && !locale_is_utf8(|name| std::env::var(name).ok())
}

/// Whether the locale is of UTF-8, by the variables that decide about its characters, the first one that is set.
fn locale_is_utf8(variable: impl Fn(&str) -> Option<String>) -> bool {
    let set = ["LC_ALL", "LC_CTYPE", "LANG"].into_iter().filter_map(variable).find(|text| !text.is_empty());
    let name = set.unwrap_or_default().to_lowercase();
    name.contains("utf-8") || name.contains("utf8")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_variable_that_is_set_decides() {
        let cases: [(&[(&str, &str)], bool); 6] = [
            (&[], false),
            (&[("LANG", "C.UTF-8")], true),
            (&[("LANG", "de_DE.utf8")], true),
            (&[("LANG", "en_GB.UTF-8"), ("LC_ALL", "C")], false),
            (&[("LANG", "C"), ("LC_CTYPE", "C.UTF-8")], true),
            (&[("LANG", "en_GB.UTF-8"), ("LC_ALL", "")], true),
        ];
        for (set, wanted) in cases {
            let of = |name: &str| set.iter().find(|(n, _)| *n == name).map(|(_, text)| (*text).to_owned());
            assert_eq!(locale_is_utf8(of), wanted, "{set:?}");
        }
    }
}
