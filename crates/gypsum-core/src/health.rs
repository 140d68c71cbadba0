//! Health: what checks said, and what that means against the baseline.

use serde::{Deserialize, Serialize};

/// What one health check said.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Outcome {
    /// The check, by its name.
    pub name: String,
    /// Whether it holds.
    pub well: bool,
    /// What was seen, in a plain sentence.
    pub said: String,
    /// How long it took until it held, or until it was given up, in milliseconds.
    pub ms: u64,
}

/// What the checks together mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Judgement {
    /// All of them hold.
    Well,
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
    named.or_else(|| baseline.get(n).filter(left)).is_none_or(|before| before.well)
}

/// Judges the checks `now` against those of the `baseline`.
pub fn judge(baseline: &[Outcome], now: &[Outcome]) -> Judgement {
    let names: Vec<&str> = now.iter().map(|outcome| outcome.name.as_str()).collect();
    let mut judgement = Judgement::Well;
    for (n, outcome) in now.iter().enumerate() {
        if !outcome.well && held(baseline, &names, n) {
            return Judgement::Worse;
        }
        if !outcome.well {
            judgement = Judgement::AsBefore;
        }
    }
    judgement
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn judged_against_the_baseline() {
        let checks = |well: &[bool]| -> Vec<Outcome> {
            let outcome = |(n, well): (usize, &bool)| Outcome {
                name: n.to_string(),
                well: *well,
                said: String::new(),
                ms: 0,
            };
            well.iter().enumerate().map(outcome).collect()
        };
        let table: [(&[bool], &[bool], Judgement); 6] = [
            (&[true, true], &[true, true], Judgement::Well),
            (&[true, true], &[true, false], Judgement::Worse),
            (&[true, false], &[true, false], Judgement::AsBefore),
            (&[true, false], &[true, true], Judgement::Well),
            (&[true, false], &[false, false], Judgement::Worse),
            (&[], &[false], Judgement::Worse),
        ];
        for (before, now, judgement) in table {
            assert_eq!(judge(&checks(before), &checks(now)), judgement, "{before:?} {now:?}");
        }
    }
}
