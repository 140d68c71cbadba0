//! Secrets: values that are never shown, by what the profile marks, by common names, and by what they look like.

mod names;
mod redactor;

pub use names::{can_be_secret, is_secret, mentions_secret};
pub use redactor::Redactor;

use crate::edit::File;
use crate::profile::Profile;

/// What is shown instead.
pub const HIDDEN: &str = "(hidden)";

/// `value` of the setting called `name` as it is shown.
pub fn shown_value(profile: &Profile, name: &str, value: String) -> String {
    if is_secret(profile, name) && can_be_secret(&value) {
        return HIDDEN.to_owned();
    }
    Redactor::default().text(&value)
}

/// The secrets in a file: the values of the settings whose names tell that they are.
pub fn secrets_in<'a>(profile: &'a Profile, file: &'a File) -> impl Iterator<Item = String> + 'a {
    let doc = &file.doc;
    doc.statements()
        .filter(|(.., parts)| is_secret(profile, &doc.text(parts.name)))
        .map(|(.., parts)| doc.value(&parts))
        .filter(|value| can_be_secret(value))
}
