//! The kinds of values, and what does not fit one.

use super::network::is_host;
use super::{Spelling, endpoint, network, pieces};
use crate::profile::Setting;
use crate::text::nearest;
use serde::Deserialize;

/// What kind of value a setting takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
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
    /// A number, with a fraction or without.
    Number,
    /// A number of hundredths, with or without a percent sign.
    Percent,
    /// A host and port, a port alone, or a Unix socket.
    Endpoint,
    /// An address of this host, or a name for one, or `*`.
    Address,
    /// A network in CIDR notation.
    Network,
    /// The name or address of a host.
    Host,
    /// A URL.
    Url,
    /// An account.
    User,
    /// A group of accounts.
    Group,
    /// Mode bits, in octal.
    Mode,
    /// A time zone by its name.
    Zone,
    /// The name of a unit of systemd.
    Unit,
    /// A regular expression.
    Pattern,
}

impl Kind {
    /// Whether values of this kind can be raised and lowered.
    pub fn is_quantity(self) -> bool {
        matches!(self, Self::Integer | Self::Size | Self::Duration | Self::Number | Self::Percent)
    }
}

/// Why a text is no value of the kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Misfit {
    /// What is wrong.
    pub message: String,
    /// What would be right.
    pub help: String,
}

/// What keeps `value` from being a value of `setting`, if anything does.
pub fn edit_error(setting: &Setting, spelling: &Spelling, value: &str) -> Option<Misfit> {
    let flags;
    let choices: &[String] = match setting.kind {
        Kind::Flag if setting.choices.is_empty() => {
            flags = spelling.flag_words();
            &flags
        }
        _ => &setting.choices,
    };
    // Daemons differ on the case of words like yes and no; a difference of case alone is theirs to judge.
    if choices.iter().any(|choice| choice.eq_ignore_ascii_case(value)) {
        return None;
    }
    // What is computed when the daemon reads it cannot be judged here.
    if value.contains(['$', '%', '{']) && !matches!(setting.kind, Kind::Percent | Kind::Pattern) {
        return None;
    }
    let fits = match setting.kind {
        Kind::Text | Kind::Unit => return None,
        Kind::Flag | Kind::Choice => return Some(no_choice(choices, value)),
        Kind::Path => value.starts_with('/') || setting.base.is_some(),
        // Ranges, lists, descriptors and families of addresses are forms that daemons have for themselves.
        Kind::Endpoint => endpoint(value).is_some() || value.contains(['@', '-', ',', '"', '\'']),
        Kind::Address | Kind::Host => {
            value.parse::<std::net::IpAddr>().is_ok()
                || value == "*"
                || is_host(value) && !is_bad_address(value)
        }
        Kind::Network => {
            let text = value.trim_start_matches('!');
            let table = text.starts_with('/') || text.contains(":/");
            network(text).is_some() || table || is_host(text) && !is_bad_address(text)
        }
        Kind::Pattern => is_balanced(value),
        Kind::Url => value.split_once("://").is_some_and(|(_, rest)| !rest.is_empty()),
        Kind::User | Kind::Group => !value.is_empty() && !value.contains([' ', '\t', ':', '"', '\'']),
        Kind::Zone => !value.is_empty() && !value.contains(' '),
        _ => spelling.number(setting, value).is_some(),
    };
    if !fits {
        let help = if choices.is_empty() {
            range(setting)
        } else {
            format!("{}, or {}", range(setting), choices.join(", "))
        };
        return Some(Misfit { message: format!("{value:?} is not {}", noun(setting.kind)), help });
    }
    let number = spelling.number(setting, value)?;
    // Bounds of times are in seconds.
    let one = if setting.kind == Kind::Duration { 1_000.0 } else { 1.0 };
    let low = setting.min.is_some_and(|min| number < min as f64 * one);
    let high = setting.max.is_some_and(|max| number > max as f64 * one);
    (low || high).then(|| Misfit {
        message: format!("{value} is too {}", if low { "low" } else { "high" }),
        help: range(setting),
    })
}

/// What keeps `value`, with all its words, from being a value of `setting`.
pub fn edit_error_of_any(setting: &Setting, spelling: &Spelling, value: &str) -> Option<Misfit> {
    pieces(setting, value).into_iter().find_map(|piece| edit_error(piece.what, spelling, &piece.text))
}

/// Whether every bracket of a regular expression is closed.
fn is_balanced(pattern: &str) -> bool {
    let (mut open, mut class, mut escaped) = (0_i32, false, false);
    for c in pattern.chars() {
        match c {
            _ if escaped => {
                escaped = false;
                continue;
            }
            '\\' => escaped = true,
            '[' if !class => class = true,
            ']' => class = false,
            '(' if !class => open += 1,
            ')' if !class => open -= 1,
            _ => {}
        }
        if open < 0 {
            return false;
        }
    }
    open == 0 && !class
}

/// What looks like an address and is none: `10.0.0.300`. Some daemons take the first parts of one for all of it.
fn is_bad_address(value: &str) -> bool {
    let digits = value.contains('.') && value.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.');
    digits && (value.split('.').count() > 4 || value.split('.').any(|part| part.parse::<u8>().is_err()))
}

fn no_choice(choices: &[String], value: &str) -> Misfit {
    let near = nearest(value, choices.iter().map(String::as_str));
    let known = choices.join(", ");
    let help = match near.first() {
        Some(near) => format!("did you mean {near}? Accepted: {known}"),
        None => format!("it takes: {known}"),
    };
    Misfit { message: format!("{value:?} is not accepted"), help }
}

/// What a kind is called.
pub fn noun(kind: Kind) -> &'static str {
    match kind {
        Kind::Integer => "a whole number",
        Kind::Size => "a size",
        Kind::Duration => "a time",
        Kind::Port => "a port",
        Kind::Path => "an absolute path",
        Kind::Number => "a number",
        Kind::Percent => "a percentage",
        Kind::Endpoint => "an address with a port, or a socket",
        Kind::Address => "an address",
        Kind::Network => "a network",
        Kind::Host => "the name of a host",
        Kind::Url => "a URL",
        Kind::User => "an account",
        Kind::Group => "a group",
        Kind::Mode => "a mode in octal",
        Kind::Zone => "a time zone",
        Kind::Unit => "a unit",
        Kind::Pattern => "a regular expression whose brackets are all closed",
        Kind::Text | Kind::Flag | Kind::Choice => "a value that it takes",
    }
}

/// What would fit, in words.
pub fn range(setting: &Setting) -> String {
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
        let cases: [(&Setting, &str, bool); 20] = [
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
            (&setting(Kind::Pattern, None, None), "^/quay([0-9]+)$", true),
            (&setting(Kind::Pattern, None, None), "^/quay([0-9+$", false),
        ];
        for (setting, value, fits) in cases {
            assert_eq!(
                edit_error(setting, &Spelling::default(), value).is_none(),
                fits,
                "{:?} {value}",
                setting.kind
            );
        }
    }
}
