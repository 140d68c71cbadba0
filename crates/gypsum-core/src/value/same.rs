//! Whether two texts are the same value to a daemon.

use super::{Kind, Spelling};
use crate::profile::Setting;
use crate::text::one_line;

/// Whether `asked`, as it is in the file, and `told`, as the daemon prints it, mean the same. None where that
/// cannot be told.
pub fn same_value(
    setting: Option<&Setting>,
    spelling: &Spelling,
    synonyms: &[Vec<String>],
    asked: &str,
    told: &str,
) -> Option<bool> {
    let plain = |text: &str| {
        let text = text.trim().trim_end_matches(['/', ';']).trim();
        let inner = text.strip_prefix(['"', '\'']).and_then(|inner| inner.strip_suffix(['"', '\'']));
        one_line(inner.unwrap_or(text))
    };
    let (asked, told) = (plain(asked), plain(told));
    if asked.eq_ignore_ascii_case(&told) {
        return Some(true);
    }
    // Some print whole numbers with zeros behind the point.
    if let (Ok(asked), Ok(told)) = (asked.parse::<f64>(), told.parse::<f64>())
        && asked == told
    {
        return Some(true);
    }
    let one_of = |group: &&Vec<String>| {
        let has = |text: &str| group.iter().any(|word| word.eq_ignore_ascii_case(text));
        has(&asked) && has(&told)
    };
    if synonyms.iter().any(|group| one_of(&group)) {
        return Some(true);
    }
    let setting = setting?;
    let numbers = spelling.number(setting, &asked).zip(spelling.number(setting, &told));
    match setting.kind {
        Kind::Flag => Some(spelling.switch(&asked)? == spelling.switch(&told)?),
        Kind::Choice => Some(false),
        Kind::Integer | Kind::Number | Kind::Port | Kind::Mode => Some(numbers.is_some_and(|(a, b)| a == b)),
        // How a daemon prints these is its own affair: a bare number may be in units of its own.
        Kind::Size | Kind::Duration | Kind::Percent => {
            let (a, b) = numbers?;
            let unit =
                told.contains(|c: char| c.is_alphabetic()) == asked.contains(|c: char| c.is_alphabetic());
            if a == b {
                Some(true)
            } else {
                (unit || a.max(b) < 4_096_000_000.0 && setting.bare.is_none()).then_some(false)
            }
        }
        _ if setting.list.is_some() => {
            let words = |text: &str| {
                let mut words: Vec<String> =
                    text.split([',', ' ']).filter(|word| !word.is_empty()).map(str::to_lowercase).collect();
                words.sort_unstable();
                words
            };
            Some(words(&asked) == words(&told))
        }
        _ => Some(false),
    }
}
