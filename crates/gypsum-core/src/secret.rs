//! Secrets: values that are never shown, by what the profile marks and by common names.

use crate::profile::Profile;

/// What is shown instead.
pub const HIDDEN: &str = "(hidden)";

/// Words in the name of a setting that make its value a secret: common usage, not any one daemon's.
const WORDS: [&str; 6] = ["password", "passwd", "passphrase", "secret", "token", "requirepass"];
/// Names which hold such a word and say nothing secret: they switch a way of logging in.
const OPEN: [&str; 3] = ["authentication", "permit", "expire"];

/// Whether the value of the setting called `name` must never be shown.
pub fn is_secret(profile: &Profile, name: &str) -> bool {
    if let Some((_, setting)) = profile.setting(name) {
        return setting.secret;
    }
    let name = name.to_lowercase();
    WORDS.iter().any(|word| name.contains(word)) && !OPEN.iter().any(|word| name.contains(word))
}

/// `line` with every one of `values` hidden.
pub fn hide(line: &str, values: &[String]) -> String {
    let hidden = |line: String, value: &String| line.replace(value.as_str(), HIDDEN);
    values.iter().filter(|value| value.len() > 2).fold(line.to_owned(), hidden)
}
