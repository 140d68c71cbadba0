//! The kinds of values, and what does not fit one.

use super::quantity::{duration, size};
use crate::profile::Setting;
use crate::text::nearest;
use serde::Deserialize;

/// What kind of value a setting takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Anything.
    #[default]
    Text,
    /// One of the setting's `choices`; `yes` or `no` where it lists none.
    Flag,
    /// One of the setting's `choices`.
    Choice,
    /// A whole number.
    Integer,
    /// A number of bytes, with or without K, M, G, T.
    Size,
    /// A number of seconds, or of other units as in `1h30m`.
    Duration,
    /// A TCP or UDP port.
    Port,
    /// An absolute path.
    Path,
}

impl Kind {
    /// Whether values of this kind can be raised and lowered.
    pub fn is_quantity(self) -> bool {
        matches!(self, Self::Integer | Self::Size | Self::Duration)
    }
}

/// Why a text is no value of the kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Misfit {
    /// What is wrong.
    pub message: String,
    /// What would be right.
    pub mend: String,
}

/// What keeps `value` from being a value of `setting`, if anything does.
pub fn misfit(setting: &Setting, value: &str) -> Option<Misfit> {
    let flag = ["yes".to_owned(), "no".to_owned()];
    let choices: &[String] = match setting.kind {
        Kind::Flag if setting.choices.is_empty() => &flag,
        _ => &setting.choices,
    };
    // Daemons differ on the case of words like yes and no; a difference of case alone is theirs to judge.
    if choices.iter().any(|choice| choice.eq_ignore_ascii_case(value)) {
        return None;
    }
    let number = match setting.kind {
        Kind::Text => return None,
        Kind::Flag | Kind::Choice => return Some(no_choice(choices, value)),
        Kind::Path if value.starts_with('/') => return None,
        Kind::Path => None,
        Kind::Integer => value.parse().ok(),
        Kind::Size => size(value),
        Kind::Duration => duration(value),
        Kind::Port => value.parse().ok().filter(|port| (0..=65_535).contains(port)),
    };
    let Some(number) = number else {
        let mend = if choices.is_empty() {
            range(setting)
        } else {
            format!("{}, or {}", range(setting), choices.join(", "))
        };
        return Some(Misfit { message: format!("{value:?} is not {}", noun(setting.kind)), mend });
    };
    let low = setting.min.is_some_and(|min| number < min);
    let high = setting.max.is_some_and(|max| number > max);
    (low || high).then(|| Misfit {
        message: format!("{value} is too {}", if low { "low" } else { "high" }),
        mend: range(setting),
    })
}

fn no_choice(choices: &[String], value: &str) -> Misfit {
    let near = nearest(value, choices.iter().map(String::as_str));
    let known = choices.join(", ");
    let mend = match near.first() {
        Some(near) => format!("did you mean {near}? It takes: {known}"),
        None => format!("it takes: {known}"),
    };
    Misfit { message: format!("{value:?} is not a value that it takes"), mend }
}

fn noun(kind: Kind) -> &'static str {
    match kind {
        Kind::Integer => "a whole number",
        Kind::Size => "a size",
        Kind::Duration => "a time",
        Kind::Port => "a port",
        Kind::Path => "an absolute path",
        Kind::Text | Kind::Flag | Kind::Choice => "a value that it takes",
    }
}

/// What would fit, in words.
fn range(setting: &Setting) -> String {
    let noun = match setting.kind {
        Kind::Size => "a number of bytes, or one with K, M, G (64M)",
        Kind::Duration => "a number of seconds, or one with s, m, h, d, w (1h30m)",
        Kind::Port => "a port, 1 to 65535",
        kind => noun(kind),
    };
    match (setting.min, setting.max) {
        (Some(min), Some(max)) => format!("{noun} from {min} to {max}"),
        (Some(min), None) => format!("{noun}, at least {min}"),
        (None, Some(max)) => format!("{noun}, at most {max}"),
        (None, None) => noun.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_tell_values_from_slips() {
        let setting = |kind, min, max| Setting { kind, min, max, ..Setting::default() };
        let tries = setting(Kind::Integer, Some(1), Some(20));
        let cases: [(&Setting, &str, bool); 18] = [
            (&tries, "4", true),
            (&tries, "0", false),
            (&tries, "40", false),
            (&tries, "four", false),
            (&setting(Kind::Flag, None, None), "YES", true),
            (&setting(Kind::Flag, None, None), "yess", false),
            (&setting(Kind::Size, Some(1024), None), "64M", true),
            (&setting(Kind::Size, Some(1024), None), "64", false),
            (&setting(Kind::Size, None, None), "64X", false),
            (&setting(Kind::Size, None, None), "99999999999T", false),
            (&setting(Kind::Duration, None, None), "1h30m", true),
            (&setting(Kind::Duration, None, None), "90", true),
            (&setting(Kind::Duration, None, None), "1h30x", false),
            (&setting(Kind::Duration, None, None), "h", false),
            (&setting(Kind::Port, None, None), "22", true),
            (&setting(Kind::Port, None, None), "70000", false),
            (&setting(Kind::Path, None, None), "/etc/x", true),
            (&setting(Kind::Path, None, None), "etc/x", false),
        ];
        for (setting, value, fits) in cases {
            assert_eq!(misfit(setting, value).is_none(), fits, "{:?} {value}", setting.kind);
        }
    }
}
