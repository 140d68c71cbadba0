//! What a text that was seen must be, judged in a plain sentence.

use serde::{Deserialize, Serialize};

/// What was seen is not what is expected, in words.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct Mismatch(pub String);

/// What is expected of a text.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(default, rename_all = "kebab-case")]
pub struct Expect {
    /// It is this, as a text or as a number.
    pub is: Option<String>,
    /// This is in it.
    pub contains: Option<String>,
    /// This is not in it.
    pub lacks: Option<String>,
    /// It is a number not below this.
    pub at_least: Option<String>,
    /// It is a number not above this.
    pub at_most: Option<String>,
}

impl Expect {
    /// Whether nothing is expected.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// The texts in it.
    pub(super) fn texts(&mut self) -> impl Iterator<Item = &mut String> {
        let Self { is, contains, lacks, at_least, at_most } = self;
        [is, contains, lacks, at_least, at_most].into_iter().flatten()
    }

    /// What is to be said of `seen`; `what` is its name in the sentence.
    pub fn judge(&self, what: &str, seen: &str) -> Result<String, Mismatch> {
        let seen = seen.trim();
        let shown = shortened(seen);
        if let Some(wanted) = self.is.as_deref().filter(|wanted| !same_value(seen, wanted)) {
            return Err(Mismatch(format!("{what} is {shown}, expected {wanted}")));
        }
        if let Some(text) = self.contains.as_deref().filter(|text| !seen.contains(text)) {
            return Err(Mismatch(format!("{what} does not contain {text:?}")));
        }
        if let Some(text) = self.lacks.as_deref().filter(|text| seen.contains(text)) {
            let line = seen.lines().find(|line| line.contains(text)).unwrap_or_default();
            return Err(Mismatch(format!("{what} contains {text:?}: {}", shortened(line.trim()))));
        }
        let bounds = [(&self.at_least, "least", true), (&self.at_most, "most", false)];
        for (bound, word, least) in bounds {
            let Some(bound) = bound else { continue };
            let (Some(number), Some(limit)) = (number(seen), number(bound)) else {
                return Err(Mismatch(format!("{what} is {shown}, and cannot be compared with {bound}")));
            };
            if (least && number < limit) || (!least && number > limit) {
                return Err(Mismatch(format!("{what} is {shown}, expected at {word} {bound}")));
            }
        }
        Ok(match (&self.contains, &self.lacks) {
            (Some(text), _) => format!("{what} contains {text:?}"),
            (None, Some(text)) => format!("{what} does not contain {text:?}"),
            (None, None) => format!("{what} is {shown}"),
        })
    }
}

/// As much of a text as fits into a sentence.
fn shortened(text: &str) -> String {
    let line = text.lines().next().unwrap_or_default();
    let short: String = line.chars().take(60).collect();
    if short.len() < text.len() { format!("{short} ...") } else { short }
}

/// Whether two values are the same: as numbers with their units, else as texts whatever their case.
pub fn same_value(a: &str, b: &str) -> bool {
    match (number(a), number(b)) {
        (Some(a), Some(b)) => a == b,
        _ => a.trim().eq_ignore_ascii_case(b.trim()),
    }
}

/// A number with the unit that the trade writes behind it: `512k`, `4M`, `1GiB`; powers of 1024.
fn number(text: &str) -> Option<f64> {
    let text = text.trim();
    if matches!(text.to_ascii_lowercase().as_str(), "unlimited" | "infinity") {
        return Some(f64::INFINITY);
    }
    let end = text.find(|c: char| !c.is_ascii_digit() && !matches!(c, '.' | '-' | '+')).unwrap_or(text.len());
    let (digits, unit) = text.split_at(end);
    let value: f64 = digits.parse().ok()?;
    let unit = unit.trim().to_ascii_lowercase();
    let power = match unit.trim_end_matches('b').trim_end_matches('i') {
        "" => 0,
        "k" => 1,
        "m" => 2,
        "g" => 3,
        "t" => 4,
        _ => return None,
    };
    Some(value * 1024f64.powi(power))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_and_texts_are_judged() {
        let expect = |is: &str| Expect { is: Some(is.into()), ..Expect::default() };
        assert!(expect("4096").judge("limit", "4k").is_ok());
        assert!(expect("ON").judge("switch", "on\n").is_ok());
        assert!(expect("5").judge("niceness", "0").is_err_and(|why| why.0 == "niceness is 0, expected 5"));
        let bounded = Expect { at_least: Some("1M".into()), at_most: Some("2M".into()), ..Expect::default() };
        for (seen, healthy) in [
            ("1048576", true),
            ("2MiB", true),
            ("3M", false),
            ("12", false),
            ("unlimited", false),
            ("x", false),
        ] {
            assert_eq!(bounded.judge("memory", seen).is_ok(), healthy, "{seen}");
        }
        let lacks = Expect { lacks: Some("[emerg]".into()), ..Expect::default() };
        let why = lacks.judge("its log", "one\n2026 [emerg] bind() failed\n").unwrap_err();
        assert!(why.0.contains("bind() failed"), "{why}");
    }
}
