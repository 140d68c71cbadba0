//! Values of the standards as they are typed: a setting keeps the sort of value that it has, and a text is
//! quoted where it must be.

use crate::doc::{Document, Family, Sort, scalars};
use crate::finding::Finding;

/// `value` as it is to stand in the file, `like` the raw value that stood there before.
pub fn typed(doc: &Document, value: &str, like: Option<&[u8]>) -> Result<Vec<u8>, Finding> {
    let family = doc.family();
    if family == Family::Xml {
        let text = match like {
            Some(raw) if scalars::is_quoted(raw) => scalars::quoted(family, value, raw[0]),
            _ => scalars::between_tags(value),
        };
        let utf8 = doc.is_utf8();
        return Ok(if utf8 { text } else { scalars::by_number(&text) });
    }
    let own_quotes = scalars::is_quoted(value.as_bytes());
    let given = if own_quotes || value.trim() != value { Sort::Text } else { scalars::sort(family, value) };
    let standing = like.map(|raw| match std::str::from_utf8(raw) {
        _ if scalars::is_quoted(raw) => Sort::Text,
        Ok(raw) => scalars::sort(family, raw),
        Err(_) => Sort::Text,
    });
    match standing {
        None | Some(Sort::Null) if given != Sort::Text => Ok(value.into()),
        None | Some(Sort::Null | Sort::Text) if own_quotes => Ok(value.into()),
        None | Some(Sort::Null | Sort::Text) => Ok(text(family, value, like)),
        // `yes` is true to some readers and a text to others: a file that says true goes on saying it.
        Some(Sort::Flag) if family == Family::Yaml && scalars::is_old_flag(value) && !like_old_flag(like) => {
            Err(Finding::edit_error(
                "sort",
                format!("this file says true and false, and {value} is a text to some readers"),
            )
            .help("write true or false"))
        }
        Some(standing) if standing == given || own_quotes => Ok(value.into()),
        Some(standing) => {
            let message = format!("{value:?} is not {}, as the value is now", standing.noun());
            Err(Finding::edit_error("sort", message)
                .help(format!("if it is to become a text, type its quotes, too: '\"{value}\"'")))
        }
    }
}

/// A text, quoted as the one that stood there was.
fn text(family: Family, value: &str, like: Option<&[u8]>) -> Vec<u8> {
    let quote = like.and_then(|raw| raw.first().copied()).filter(|byte| matches!(byte, b'"' | b'\''));
    match quote {
        None if family == Family::Yaml && scalars::is_plain(value) => value.into(),
        // What older readers take for a number stays one for them.
        None if family == Family::Yaml
            && scalars::is_like_number(value)
            && stands_like_number(like, value) =>
        {
            value.into()
        }
        quote => scalars::quoted(family, value, quote.unwrap_or(b'"')),
    }
}

fn like_old_flag(like: Option<&[u8]>) -> bool {
    like.and_then(|raw| std::str::from_utf8(raw).ok()).is_some_and(scalars::is_old_flag)
}

/// Whether what is there may be taken for a number or a time, and is written in the same way as `value`.
fn stands_like_number(like: Option<&[u8]>, value: &str) -> bool {
    let like = like.and_then(|raw| std::str::from_utf8(raw).ok()).unwrap_or_default();
    scalars::is_like_number(like) && shape(like) == shape(value)
}

/// A text with every run of digits as one.
fn shape(text: &str) -> String {
    let mut shape: String = text.chars().map(|c| if c.is_ascii_digit() { '0' } else { c }).collect();
    while shape.contains("00") {
        shape = shape.replace("00", "0");
    }
    shape
}
