//! What tells a commented-out setting from prose.

use gypsum_core::profile::Profile;
use gypsum_core::value::{Kind, edit_error_of_any};

/// Whether a text that is commented out, with a blank behind its mark, may be a value of a setting and
/// no prose.
pub(super) fn is_plausible(profile: &Profile, name: &str, value: &str) -> bool {
    match profile.setting(name) {
        Some((_, setting)) => {
            edit_error_of_any(setting, &profile.values, value).is_none() && setting.kind != Kind::Text
        }
        None if !profile.setting.is_empty() => false,
        // Nothing is known of the names; the marks that the format wants tell it from prose, or do not.
        None => profile.files.format.may_be_value(value),
    }
}
