//! Settings that have the same value.

use super::{RuleForm, Sides, say_of_conditions};
use crate::finding::Finding;
use crate::profile::Rule;
use serde::Deserialize;

/// These have the same value.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct Same(Vec<String>);

impl RuleForm for Same {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let value = |name: &String| config_view.layers.value(config_view.files, config_view.profile, name);
        let values: Vec<String> = self.0.iter().filter_map(value).collect();
        if values.windows(2).any(|pair| !pair[0].eq_ignore_ascii_case(&pair[1])) {
            findings.push(say_of_conditions(config_view, rule, &self.0));
        }
    }
}
