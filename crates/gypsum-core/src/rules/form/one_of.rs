//! At least one of some conditions holds.

use super::{RuleForm, Sides, say_of_conditions};
use crate::finding::Finding;
use crate::profile::Rule;
use serde::Deserialize;

/// At least one of these conditions holds.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct OneOf(Vec<String>);

impl RuleForm for OneOf {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        if self.0.iter().all(|one| config_view.holds(one) == Some(false)) {
            findings.push(say_of_conditions(config_view, rule, &self.0));
        }
    }
}
