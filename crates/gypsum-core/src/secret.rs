//! Secrets: values that are never shown, by what the profile marks and by common names.

use crate::profile::Profile;
use aho_corasick::AhoCorasick;
use std::sync::LazyLock;

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
    sounds_secret(name)
}

/// Whether a text holds a word that would make a name a secret's, in any spelling; nearly none does.
pub fn mentions_secret(text: &[u8]) -> bool {
    static SEARCH: LazyLock<Option<AhoCorasick>> =
        LazyLock::new(|| AhoCorasick::builder().ascii_case_insensitive(true).build(WORDS).ok());
    SEARCH.as_ref().is_none_or(|search| search.is_match(text))
}

/// Whether a value can be one: what only switches something is known to everybody.
pub fn can_be_secret(value: &str) -> bool {
    let switches = ["", "yes", "no", "on", "off", "true", "false", "none", "null", "0", "1"];
    !switches.contains(&value.trim().trim_matches(['"', '\'']).to_lowercase().as_str())
}

fn sounds_secret(name: &str) -> bool {
    let holds = |word: &str| {
        name.as_bytes().windows(word.len()).any(|part| part.eq_ignore_ascii_case(word.as_bytes()))
    };
    WORDS.iter().any(|word| holds(word)) && !OPEN.iter().any(|word| holds(word))
}

/// `line` of a configuration file with its value hidden, where its first word names a secret. A mark
/// before the word, of a comment or of a difference, does not matter.
pub fn hide_value(profile: Option<&Profile>, line: &str) -> String {
    let start = line.find(|c: char| c.is_ascii_alphanumeric()).unwrap_or(line.len());
    let (lead, rest) = line.split_at(start);
    let length = rest.find(|c: char| c.is_whitespace() || c == '=').unwrap_or(rest.len());
    let (name, value) = rest.split_at(length);
    let secret = match profile {
        Some(profile) => is_secret(profile, name),
        None => sounds_secret(name),
    };
    let value = value.trim_start_matches([' ', '\t', '=', ':']);
    if secret && can_be_secret(value) { format!("{lead}{name} {HIDDEN}") } else { line.to_owned() }
}

/// `line` with every one of `values` hidden.
pub fn hide(line: &str, values: &[String]) -> String {
    let hidden = |line: String, value: &String| line.replace(value.as_str(), HIDDEN);
    values.iter().filter(|value| value.len() > 2).fold(line.to_owned(), hidden)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn secrets_are_hidden_and_switches_are_not() {
        let shown = |line| hide_value(None, line);
        assert_eq!(shown("-requirepass hunter2"), "-requirepass (hidden)");
        assert_eq!(shown("#bind_password = \"x y\""), "#bind_password (hidden)");
        assert_eq!(shown("KerberosGetAFSToken no"), "KerberosGetAFSToken no");
        assert_eq!(shown(" PasswordAuthentication no"), " PasswordAuthentication no");
        assert_eq!(hide("user ida, hunter2", &["hunter2".into(), "a".into()]), "user ida, (hidden)");
    }
}
