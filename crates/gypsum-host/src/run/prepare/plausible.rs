//! What tells a commented-out setting from prose.

use gypsum_core::doc::Family;
use gypsum_core::profile::Profile;
use gypsum_core::value::{Kind, edit_error_of_any};

/// Whether a text that stands commented out, with a blank behind its mark, may be a value of a setting and
/// no prose.
pub(super) fn is_plausible(profile: &Profile, name: &str, value: &str) -> bool {
    match profile.setting(name) {
        Some((_, setting)) => {
            edit_error_of_any(setting, &profile.values, value).is_none() && setting.kind != Kind::Text
        }
        None if !profile.setting.is_empty() => false,
        // Nothing is known of the names; the marks that the format wants tell it from prose, or do not.
        None => match profile.files.format {
            Family::Braces | Family::Assignments | Family::Literals | Family::Json | Family::Toml => true,
            Family::Equals | Family::Sections | Family::Properties | Family::Yaml => !value.contains(' '),
            Family::Keyword | Family::Stanzas | Family::Tags => looks_like_a_value(value),
            _ => false,
        },
    }
}

/// One word that is a number, a switch or a path; prose goes on behind its first word.
fn looks_like_a_value(value: &str) -> bool {
    let switch = ["yes", "no", "on", "off", "true", "false"].contains(&value.to_lowercase().as_str());
    !value.contains(' ') && (switch || value.starts_with(|c: char| c.is_ascii_digit() || c == '/'))
}
