//! The value of a setting in words.

use gypsum_core::text::one_line;

/// A value in one line; also of a setting that has none, or is not set.
pub fn value_text(value: Option<&String>) -> String {
    match value {
        Some(value) if value.is_empty() => "set, without a value".to_owned(),
        Some(value) => one_line(value),
        None => "not set".to_owned(),
    }
}
