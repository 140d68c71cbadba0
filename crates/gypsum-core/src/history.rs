//! The history of a setting: who gave it which value when, and what was changed by nobody that is known.

use crate::change::Verdict;
use serde::Serialize;
use std::collections::BTreeMap;

/// The change that made a version of a file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Made {
    /// Its number.
    pub change: u32,
    /// The login of the person.
    pub by: String,
    /// Why, in the person's words.
    pub why: Option<String>,
    /// How it ended; `None` where that is not recorded.
    pub verdict: Option<Verdict>,
}

/// The values that a setting had in one version of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Version {
    /// The file.
    pub file: String,
    /// When it was so, in milliseconds since 1970.
    pub at_ms: i64,
    /// The values, in the order of the file; none where it was not set.
    pub values: Vec<String>,
    /// The change that made it; `None` of a version that was found.
    pub made: Option<Made>,
}

/// One step of the history.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Step {
    /// The file.
    pub file: String,
    /// The values before.
    pub from: Vec<String>,
    /// The values after.
    pub to: Vec<String>,
    /// The change that did it; `None` if it was done without Gypsum.
    pub made: Option<Made>,
    /// Of what was done without Gypsum: it was not so yet then, in milliseconds since 1970.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub not_before_ms: Option<i64>,
    /// When it was done, or first seen.
    pub at_ms: i64,
}

/// The steps that lead from one version to the next, in order. A change that was not kept is a step that leads nowhere:
/// the version before it stays.
pub fn steps(versions: Vec<Version>) -> Vec<Step> {
    let mut last: BTreeMap<String, (Vec<String>, i64)> = BTreeMap::new();
    let mut steps = Vec::new();
    for Version { file, at_ms, values, made } in versions {
        let before = last.get(&file).cloned();
        let is_kept = made.as_ref().is_none_or(|made| made.verdict == Some(Verdict::Kept));
        if let Some((from, seen_ms)) = before.clone().filter(|(from, _)| *from != values) {
            let not_before_ms = made.is_none().then_some(seen_ms);
            steps.push(Step { file: file.clone(), from, to: values.clone(), made, not_before_ms, at_ms });
        }
        let now = match (is_kept, before) {
            (false, Some((from, _))) => from,
            _ => values,
        };
        last.insert(file, (now, at_ms));
    }
    steps
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn version(at_ms: i64, value: &str, verdict: Option<Verdict>) -> Version {
        let made =
            verdict.map(|verdict| Made { change: 1, by: "ada".into(), why: None, verdict: Some(verdict) });
        let values = value.split_whitespace().map(str::to_owned).collect();
        Version { file: "/etc/boards".into(), at_ms, values, made }
    }

    fn told(versions: Vec<Version>) -> Vec<(String, String, bool, Option<i64>)> {
        let text = |values: &[String]| values.join(" ");
        let one = |step: Step| (text(&step.from), text(&step.to), step.made.is_some(), step.not_before_ms);
        steps(versions).into_iter().map(one).collect()
    }

    #[test]
    fn what_nobody_is_known_for_is_between_two_moments() {
        let all = told(vec![
            version(1, "8", None),
            version(2, "9", Some(Verdict::Kept)),
            // By hand.
            version(5, "7", None),
            // Tried, and taken back.
            version(6, "12", Some(Verdict::Restored)),
            version(8, "7", None),
            version(9, "", Some(Verdict::Kept)),
        ]);
        let wanted = [
            ("8", "9", true, None),
            ("9", "7", false, Some(2)),
            ("7", "12", true, None),
            ("7", "", true, None),
        ];
        let wanted = wanted.map(|(from, to, made, since)| (from.to_owned(), to.to_owned(), made, since));
        assert_eq!(all, wanted);
    }

    proptest! {
        /// The steps that were kept or found lead from the first version to the last.
        #[test]
        fn no_step_is_missing(values in prop::collection::vec(("[a-c]", 0usize..3), 1..12)) {
            let versions: Vec<Version> = values.iter().enumerate().map(|(n, (value, how))| {
                version(n as i64, value, [None, Some(Verdict::Kept), Some(Verdict::Restored)][if n == 0 { 0 } else { *how }])
            }).collect();
            let mut now = versions[0].values.clone();
            for step in steps(versions.clone()) {
                prop_assert_eq!(&step.from, &now);
                if step.made.is_none_or(|made| made.verdict == Some(Verdict::Kept)) {
                    now = step.to;
                }
            }
            let last = versions.iter().rev().find(|one| one.made.as_ref().is_none_or(|made| made.verdict == Some(Verdict::Kept)));
            prop_assert_eq!(Some(&now), last.map(|one| &one.values));
        }
    }
}
