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

/// Judges the checks `now` against those of the `baseline`: each against the one of its name, else against the one in
/// its place whose name is gone. A check without a counterpart counts as having held.
pub fn judge(baseline: &[Outcome], now: &[Outcome]) -> Judgement {
    let named = |name: &str| baseline.iter().find(|before| before.name == name);
    let left = |before: &&Outcome| !now.iter().any(|one| one.name == before.name);
    let held = |n: usize| {
        let before = named(&now[n].name).or_else(|| baseline.get(n).filter(left));
        before.is_none_or(|before| before.well)
    };
    let mut judgement = Judgement::Well;
    for (n, outcome) in now.iter().enumerate() {
        if !outcome.well && held(n) {
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
