//! Secrets: values that are never shown, by what the profile marks, by common names, and by what they look like.

mod names;
mod redactor;

pub use names::{can_be_secret, is_secret, mentions_secret};
pub use redactor::Redactor;

use crate::doc::Document;
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

/// The secrets in the bytes of a file of this profile; none if they cannot be read, as then no line of it is edited.
pub fn secrets_in_bytes(profile: &Profile, bytes: Vec<u8>) -> Vec<String> {
    match Document::read(bytes, profile.files.format, profile.dialect.clone()) {
        Ok(doc) => secrets_in(profile, &File { path: String::new(), doc }).collect(),
        Err(_) => Vec::new(),
    }
}

/// The secrets in a file: the values of the settings whose names tell that they are.
pub fn secrets_in<'a>(profile: &'a Profile, file: &'a File) -> impl Iterator<Item = String> + 'a {
    let doc = &file.doc;
    doc.statements()
        .filter(|(.., parts)| is_secret(profile, &doc.text(parts.name)))
        .map(|(.., parts)| doc.value(&parts))
        .filter(|value| can_be_secret(value))
}
