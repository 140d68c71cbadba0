//! A condition that needs others.

use super::{RuleForm, Sides, say_of_conditions};
use crate::finding::Finding;
use crate::profile::Rule;
use serde::Deserialize;

/// Where the first holds, the others do, too; in the same block.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct Needs(Vec<String>);

impl RuleForm for Needs {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let Some((first, others)) = self.0.split_first() else { return };
        let fails = |one: &String| config_view.holds(one).is_none_or(|holds| !holds);
        if config_view.holds(first) == Some(true) && others.iter().any(fails) {
            findings.push(say_of_conditions(config_view, rule, &self.0));
        }
    }
}
