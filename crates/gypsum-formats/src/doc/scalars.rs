//! Values of the standards: what sort a text is, what it means, and how a text is written so that it stays one.

use super::Family;
use std::borrow::Cow;

/// What sort of value a text is. A setting keeps the sort that it has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sort {
    /// A text, quoted or not.
    Text,
    /// A number.
    Number,
    /// True or false.
    Flag,
    /// No value.
    Null,
    /// A date, a time.
    Time,
    /// A list, a table.
    Other,
}

impl Sort {
    /// As a person calls it.
    pub fn noun(self) -> &'static str {
        match self {
            Self::Text => "a text",
            Self::Number => "a number",
            Self::Flag => "true or false",
            Self::Null => "no value",
            Self::Time => "a date or a time",
            Self::Other => "a list or a table",
        }
    }
}

/// The sort of a raw value; in YAML, text that is not quoted is a text where it is nothing else.
pub fn sort(family: Family, raw: &str) -> Sort {
    match family {
        Family::Json => match serde_json::from_str(raw) {
            Ok(serde_json::Value::Number(_)) => Sort::Number,
            Ok(serde_json::Value::Bool(_)) => Sort::Flag,
            Ok(serde_json::Value::Null) => Sort::Null,
            Ok(serde_json::Value::Array(_) | serde_json::Value::Object(_)) => Sort::Other,
            // With a comment in it a list is no JSON by the letter, and a list all the same.
            _ if raw.starts_with(['[', '{']) => Sort::Other,
            _ => Sort::Text,
        },
        // What is behind a mark of comments would be lost.
        Family::Toml if raw.contains(['#', '\n']) && !raw.starts_with(['[', '{']) => Sort::Text,
        Family::Toml => match toml::from_str::<toml::Table>(&format!("x = {raw}")) {
            Ok(table) => match table.get("x") {
                Some(toml::Value::String(_)) | None => Sort::Text,
                Some(toml::Value::Integer(_) | toml::Value::Float(_)) => Sort::Number,
                Some(toml::Value::Boolean(_)) => Sort::Flag,
                Some(toml::Value::Datetime(_)) => Sort::Time,
                Some(_) => Sort::Other,
            },
            Err(_) => Sort::Text,
        },
        Family::Yaml => plain_sort(raw),
        _ => Sort::Text,
    }
}

/// The core schema of YAML 1.2 (10.3.2), and the words that 1.1 took for true and false.
fn plain_sort(raw: &str) -> Sort {
    match raw {
        "" | "~" | "null" | "Null" | "NULL" => return Sort::Null,
        _ if raw.starts_with(['[', '{']) => return Sort::Other,
        _ => {}
    }
    let lower = raw.to_ascii_lowercase();
    if ["true", "false", "yes", "no", "on", "off"].contains(&lower.as_str()) {
        return Sort::Flag;
    }
    let digits = lower.trim_start_matches(['+', '-']);
    let number = digits.starts_with(|c: char| c.is_ascii_digit() || c == '.')
        && (digits.parse::<f64>().is_ok()
            || [".inf", ".nan"].contains(&digits)
            || digits.strip_prefix("0x").is_some_and(|hex| u64::from_str_radix(hex, 16).is_ok())
            || digits.strip_prefix("0o").is_some_and(|octal| u64::from_str_radix(octal, 8).is_ok()));
    if number { Sort::Number } else { Sort::Text }
}

/// Whether `raw` is a text between quotes.
pub fn is_quoted(raw: &[u8]) -> bool {
    matches!(raw, [first @ (b'"' | b'\''), .., last] if first == last)
}

/// What a raw value means.
pub fn meaning(family: Family, raw: &[u8]) -> Cow<'_, [u8]> {
    if family == Family::Xml {
        let inner = if is_quoted(raw) { &raw[1..raw.len() - 1] } else { raw };
        return xml_text(inner);
    }
    let Ok(text) = std::str::from_utf8(raw) else {
        return Cow::Borrowed(raw);
    };
    let text = match family {
        Family::Toml if text.starts_with(['"', '\'']) => {
            let table = toml::from_str::<toml::Table>(&format!("x = {text}")).ok();
            table.and_then(|table| table.get("x")?.as_str().map(str::to_owned))
        }
        Family::Yaml if is_quoted(raw) && raw[0] == b'\'' => Some(text[1..text.len() - 1].replace("''", "'")),
        Family::Json | Family::Yaml if is_quoted(raw) && raw[0] == b'"' => serde_json::from_str(text).ok(),
        _ => None,
    };
    text.map_or(Cow::Borrowed(raw), |text| Cow::Owned(text.into_bytes()))
}

/// `value` as a text between two `quote`s.
pub fn quoted(family: Family, value: &str, quote: u8) -> Vec<u8> {
    let between = |text: &str| [&[quote], text.as_bytes(), &[quote]].concat();
    match (family, quote) {
        (Family::Xml, _) => between(&quick_xml::escape::escape(value)),
        (Family::Yaml, b'\'') => between(&value.replace('\'', "''")),
        // What has no escapes takes what has none in it.
        (Family::Toml, b'\'') if !value.contains('\'') => between(value),
        _ => serde_json::to_vec(value).unwrap_or_default(),
    }
}

/// `value` as text between two tags.
pub fn between_tags(value: &str) -> Vec<u8> {
    quick_xml::escape::escape(value).into_owned().into_bytes()
}

/// Whether `value` may stand without quotes in YAML and is a text then, to readers of YAML 1.2 and of 1.1.
pub fn is_plain(value: &str) -> bool {
    let first = value.chars().next().unwrap_or(' ');
    let marked = "-?:,[]{}#&*!|>'\"%@`<= ".contains(first)
        && !(value.len() > 1 && "-?:".contains(first) && !value[1..].starts_with(' '));
    plain_sort(value) == Sort::Text
        && !marked
        && !is_like_number(value)
        && !["y", "n"].contains(&value.to_ascii_lowercase().as_str())
        && !value.contains(": ")
        && !value.contains(" #")
        && !value.ends_with([':', ' '])
        && !value.contains(['\t', '\n', '\u{85}', '\u{2028}', '\u{2029}', '\u{feff}'])
}

/// Whether a text is true or false to readers of YAML 1.1 alone.
pub fn is_old_flag(value: &str) -> bool {
    ["yes", "no", "on", "off", "y", "n"].contains(&value.to_ascii_lowercase().as_str())
}

/// Whether some reader may take a text for a number, a date or a time: `1_000`, `1:30`, `2026-11-24`, `0o17`.
/// Addresses and versions, with two dots and more, are none.
pub fn is_like_number(value: &str) -> bool {
    let dotted = value.matches('.').count() > 1 && value.chars().all(|c| c.is_ascii_digit() || c == '.');
    value.starts_with(|c: char| c.is_ascii_digit() || "+-.".contains(c))
        && value.chars().any(|c| c.is_ascii_digit())
        && value.chars().all(|c| c.is_ascii_hexdigit() || "_:.,+-xXoOtTzZ ".contains(c))
        && !dotted
        || [".inf", ".nan"].contains(&value.trim_start_matches(['+', '-']).to_ascii_lowercase().as_str())
}

/// What text and CDATA sections of XML mean; a file in another encoding than UTF-8 has one byte a character.
fn xml_text(raw: &[u8]) -> Cow<'_, [u8]> {
    let Ok(text) = std::str::from_utf8(raw) else {
        let text: String = raw.iter().map(|byte| char::from(*byte)).collect();
        return Cow::Owned(xml_text(text.as_bytes()).into_owned());
    };
    if !text.contains(['&', '<']) {
        return Cow::Borrowed(raw);
    }
    let mut out = String::new();
    let mut rest = text;
    loop {
        let (plain, section) = match rest.split_once("<![CDATA[") {
            Some((plain, section)) => (plain, Some(section)),
            None => (rest, None),
        };
        match quick_xml::escape::unescape(plain) {
            Ok(plain) => out.push_str(&plain),
            // An entity that the document declares stays as it is written.
            Err(_) => out.push_str(plain),
        }
        let Some(section) = section else {
            return Cow::Owned(out.into_bytes());
        };
        let (inside, behind) = section.split_once("]]>").unwrap_or((section, ""));
        out.push_str(inside);
        rest = behind;
    }
}

/// `text` with characters that are not ASCII written by number, as any encoding of XML takes them.
pub fn by_number(text: &[u8]) -> Vec<u8> {
    let Ok(text) = std::str::from_utf8(text) else {
        return text.to_vec();
    };
    let written = |c: char| if c.is_ascii() { c.to_string() } else { format!("&#{};", u32::from(c)) };
    text.chars().map(written).collect::<String>().into_bytes()
}
