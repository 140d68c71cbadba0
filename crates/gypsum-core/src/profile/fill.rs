//! Filling the settings named in braces into a health check: `127.0.0.1:{Port}`.

use crate::probe::Check;

/// A name in braces that has neither a value nor a default.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MissingSetting(
    /// The name.
    pub String,
);

/// `check` with every `{NAME}` in its texts replaced by `value_of(NAME)`.
pub fn fill(check: &Check, value_of: &dyn Fn(&str) -> Option<String>) -> Result<Check, MissingSetting> {
    let mut filled = check.clone();
    for text in std::iter::once(&mut filled.name).chain(filled.probe.texts()) {
        *text = fill_text(text, value_of)?;
    }
    Ok(filled)
}

fn fill_text(text: &str, value_of: &dyn Fn(&str) -> Option<String>) -> Result<String, MissingSetting> {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        match after.split_once('}') {
            Some((name, after)) => {
                out.push_str(&value_of(name).ok_or_else(|| MissingSetting(name.into()))?);
                rest = after;
            }
            None => {
                out.push('{');
                rest = after;
            }
        }
    }
    out.push_str(rest);
    Ok(out)
}
