//! A quantity that is not above another one.

use super::{RuleForm, Sides, at_last_of};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::broken;
use serde::Deserialize;

/// The first of these two quantities is not above the second.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct NotAbove([String; 2]);

impl RuleForm for NotAbove {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let number = |name: &String| {
            let bare = name.rsplit_once("..").map_or(name.as_str(), |(_, bare)| bare);
            let (_, setting) =
                config_view.profile.setting(name).or_else(|| config_view.profile.setting(bare))?;
            let value = config_view.layers.value(config_view.files, config_view.profile, name)?;
            Some((config_view.profile.values.number(setting, &value)?, value))
        };
        let Some(((low, a), (high, b))) = number(&self.0[0]).zip(number(&self.0[1])) else { return };
        if low <= high {
            return;
        }
        let message = format!("{}: {} is {a}, and {} is {b}", rule.says, self.0[0], self.0[1]);
        findings.push(at_last_of(config_view, broken(rule, message), &self.0));
    }
}
