//! Names whose values are secrets: common usage, not any one daemon's.

use crate::profile::Profile;
use aho_corasick::AhoCorasick;
use std::sync::LazyLock;

/// Words in a name that make its value a secret, wherever they are in it.
const WORDS: [&str; 8] =
    ["password", "passwd", "passphrase", "secret", "token", "requirepass", "credential", "apikey"];
/// Words that do so as a part of their own: `SMTP_PASS`, `dbPwd`.
const PARTS: [&str; 4] = ["pass", "pwd", "psk", "passcode"];
/// Words before `key` that make it one that nobody may see.
const KEYS: [&str; 9] =
    ["api", "private", "secret", "access", "encryption", "signing", "auth", "shared", "account"];
/// Words in names which hold one of those and say nothing secret: they switch a way of logging in, or pass
/// something on.
const OPEN: [&str; 9] =
    ["authentication", "permit", "expire", "proxy", "fastcgi", "uwsgi", "scgi", "grpc", "memcached"];
/// Parts of a name that say how long, how many or how old: of a secret, and not what it is. `PASS_MAX_DAYS`, `token_ttl`.
const MEASURES: [&str; 20] = [
    "age", "attempts", "cost", "count", "days", "history", "len", "length", "lifetime", "max", "maximum",
    "min", "minimum", "policy", "retries", "rounds", "timeout", "tries", "ttl", "warn",
];

/// Whether the value of the setting called `name` must never be shown.
pub fn is_secret(profile: &Profile, name: &str) -> bool {
    match profile.setting(name) {
        Some((_, setting)) => setting.secret,
        None => sounds_secret(name),
    }
}

/// Whether a name holds a word that makes its value a secret.
pub fn sounds_secret(name: &str) -> bool {
    // Nearly none does, and large files have millions of names.
    if !mentions_secret(name.as_bytes()) {
        return false;
    }
    let lower = name.to_ascii_lowercase();
    let parts = parts_of(name);
    let has_key = parts.windows(2).any(|two| two[1] == "key" && KEYS.contains(&two[0].as_str()));
    let sounds = has_key
        || WORDS.iter().any(|word| lower.contains(word))
        || parts.iter().any(|part| PARTS.contains(&part.as_str()));
    let is_open = OPEN.iter().any(|word| lower.contains(word))
        || parts.iter().any(|part| MEASURES.contains(&part.as_str()));
    sounds && !is_open
}

/// Whether a text holds a word that may make a name a secret's, in any spelling; nearly none does.
pub fn mentions_secret(text: &[u8]) -> bool {
    static SEARCH: LazyLock<Option<AhoCorasick>> = LazyLock::new(|| {
        let words = WORDS.iter().chain(&PARTS).chain(&["key"]);
        AhoCorasick::builder().ascii_case_insensitive(true).build(words).ok()
    });
    SEARCH.as_ref().is_none_or(|search| search.is_match(text))
}

/// Whether a value can be one: what only switches something, and the path of a file, are known to everybody.
pub fn can_be_secret(value: &str) -> bool {
    let switches = [
        "", "yes", "no", "on", "off", "true", "false", "none", "null", "0", "1", "enabled", "disabled",
        "required", "optional",
    ];
    let bare = value.trim().trim_matches(['"', '\'']);
    !switches.contains(&bare.to_lowercase().as_str()) && !is_path(bare)
}

fn is_path(value: &str) -> bool {
    let plain = |c: char| c.is_ascii_alphanumeric() || "/._-@%{}".contains(c);
    value.starts_with('/') && value[1..].contains('/') && value.chars().all(plain)
}

/// The words of a name: parted by marks, and where a capital follows a small letter.
fn parts_of(name: &str) -> Vec<String> {
    let mut parts = vec![String::new()];
    let mut was_small = false;
    for c in name.chars() {
        if !c.is_ascii_alphanumeric() || (c.is_ascii_uppercase() && was_small) {
            parts.push(String::new());
        }
        if let (true, Some(last)) = (c.is_ascii_alphanumeric(), parts.last_mut()) {
            last.push(c.to_ascii_lowercase());
        }
        was_small = c.is_ascii_lowercase();
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    /// G12: names of common usage are secrets, and those that only sound like it are none.
    #[test]
    fn names_are_told_apart() {
        for name in [
            "password",
            "API_KEY",
            "SMTP_PASS",
            "DB_PWD",
            "PRIVATE_KEY",
            "CREDENTIALS",
            "dbPwd",
            "apiKey",
            "client-secret",
            "requirepass",
            "auth_token",
            "wpa_psk",
            "bind.password",
            "x-api-key",
        ] {
            assert!(sounds_secret(name), "{name}");
        }
        for name in [
            "PasswordAuthentication",
            "PermitEmptyPasswords",
            "proxy_pass",
            "compass",
            "bypass",
            "keyboard",
            "HostKey",
            "ssl_certificate_key",
            "passenger_root",
            "PASS_MAX_DAYS",
            "passwordMinLength",
            "token_ttl",
            "authorized_keys",
            "monkey",
            "key",
        ] {
            assert!(!sounds_secret(name), "{name}");
        }
        assert!(
            !can_be_secret("/etc/ssl/private/quay.key") && can_be_secret("/x") && can_be_secret("hunter2")
        );
    }
}
