//! Health: what checks said, and what that means against the baseline.

use crate::probe::SOCKETS;
use serde::{Deserialize, Serialize};

/// What one health check said.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Outcome {
    /// The check, by its name.
    pub name: String,
    /// Whether it holds, or is not known to fail.
    #[serde(alias = "well")]
    pub healthy: bool,
    /// Whether nothing could be seen: this account may not ask, or the server shuts it out for a while.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_unknown: bool,
    /// What was seen, in a plain sentence.
    pub said: String,
    /// Whether it was left before an answer came, since something else was unhealthy.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_left: bool,
    /// How long it took until it held, or until it was given up, in milliseconds.
    pub ms: u64,
}

impl Outcome {
    /// Whether it is worth a line: that all sockets are there is only told to whoever asks how things are.
    pub fn is_news(&self) -> bool {
        !(self.healthy && self.name == SOCKETS)
    }
}

/// What the checks together mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Judgement {
    /// All of them hold.
    #[serde(alias = "well")]
    Healthy,
    /// What fails now failed before, too.
    AsBefore,
    /// All that could be looked at holds, and something could not be looked at (the service is
    /// stopped, or nothing shows that it took up its configuration).
    Unproven,
    /// Something fails now that held before.
    Worse,
}

/// Whether the `n`th of the checks of these names counts as having held in the `baseline`: by the one of its name, else
/// by the one in its place whose name is gone. One without a counterpart does.
pub fn held(baseline: &[Outcome], names: &[&str], n: usize) -> bool {
    let named = baseline.iter().find(|before| before.name == names[n]);
    let left = |before: &&Outcome| !names.contains(&before.name.as_str());
    named.or_else(|| baseline.get(n).filter(left)).is_none_or(|before| before.healthy)
}

/// Judges the checks `now` against those of the `baseline`.
pub fn judge(baseline: &[Outcome], now: &[Outcome]) -> Judgement {
    let names: Vec<&str> = now.iter().map(|outcome| outcome.name.as_str()).collect();
    let mut judgement = Judgement::Healthy;
    for (n, outcome) in now.iter().enumerate() {
        if !outcome.healthy && held(baseline, &names, n) {
            return Judgement::Worse;
        }
        if !outcome.healthy {
            judgement = Judgement::AsBefore;
        }
    }
    judgement
}

#[cfg(test)]
mod tests {
    use super::*;

    fn outcome(name: &str, healthy: bool) -> Outcome {
        Outcome { name: name.into(), healthy, said: String::new(), ms: 0, ..Outcome::default() }
    }

    #[test]
    fn judged_against_the_baseline() {
        type Side<'a> = &'a [(&'a str, bool)];
        let table: [(Side<'_>, Side<'_>, Judgement); 10] = [
            (&[("a", true), ("b", true)], &[("a", true), ("b", true)], Judgement::Healthy),
            (&[("a", true), ("b", true)], &[("a", true), ("b", false)], Judgement::Worse),
            (&[("a", true), ("b", false)], &[("a", true), ("b", false)], Judgement::AsBefore),
            (&[("a", true), ("b", false)], &[("a", true), ("b", true)], Judgement::Healthy),
            (&[("a", true), ("b", false)], &[("a", false), ("b", false)], Judgement::Worse),
            // What was not looked at before is to hold.
            (&[], &[("a", false)], Judgement::Worse),
            (&[("a", false)], &[("a", false), ("c", false)], Judgement::Worse),
            // By its name wherever it is; a port that moved, by its place.
            (&[("a", true), ("b", false)], &[("b", false), ("a", true)], Judgement::AsBefore),
            (&[("a", true), ("port 80", false)], &[("a", true), ("port 81", false)], Judgement::AsBefore),
            (&[("a", true), ("port 80", true)], &[("a", true), ("port 81", false)], Judgement::Worse),
        ];
        for (before, now, judgement) in table {
            let side = |side: Side<'_>| {
                side.iter().map(|(name, healthy)| outcome(name, *healthy)).collect::<Vec<_>>()
            };
            assert_eq!(judge(&side(before), &side(now)), judgement, "{before:?} {now:?}");
        }
    }
}
