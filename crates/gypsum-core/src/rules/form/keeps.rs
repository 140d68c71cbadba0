//! Names that are to stay.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::names_of;
use crate::text::nearest;
use serde::Deserialize;
use std::collections::BTreeSet;

/// What was there by these names stays there; a change that drops one by the way is told.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct Keeps(Vec<String>);

impl RuleForm for Keeps {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let (before, after) = (&sides.before, &sides.after);
        for keep in &self.0 {
            let (was, is) = (names_of(before, keep), names_of(after, keep));
            let new: BTreeSet<&str> =
                is.iter().filter(|name| !was.contains(*name)).map(String::as_str).collect();
            for gone in was.iter().filter(|name| !is.contains(*name)) {
                let near = nearest(gone, new.iter().copied());
                let help = match (near.first(), &rule.help) {
                    (Some(near), _) => format!("the new name is {near}: was that meant?"),
                    (None, Some(help)) => help.clone(),
                    (None, None) => "if it is meant to go, go on".to_owned(),
                };
                let message = format!("{keep} {gone}: {}", rule.says);
                findings.push(Finding::new(&rule.name, rule.severity, message).help(help));
            }
        }
    }
}
