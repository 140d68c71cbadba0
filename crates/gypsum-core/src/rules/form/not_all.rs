//! Some conditions do not hold all at once.

use super::{RuleForm, Sides, say_of_conditions};
use crate::finding::Finding;
use crate::profile::Rule;
use serde::Deserialize;

/// Not all of these hold at once.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct NotAll(Vec<String>);

impl RuleForm for NotAll {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        if self.0.iter().all(|one| config_view.holds(one) == Some(true)) {
            findings.push(say_of_conditions(config_view, rule, &self.0));
        }
    }
}
