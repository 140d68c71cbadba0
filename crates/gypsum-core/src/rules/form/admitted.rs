//! A quantity that another daemon has to keep up with.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::broken;
use serde::Deserialize;

/// A quantity is not above one of another daemon of this host: what the front server admits, the application admits.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Admitted {
    /// The setting.
    of: String,
    /// The other daemon.
    by: String,
    /// Its setting.
    theirs: String,
    /// A condition under which the two have to do with each other.
    when: String,
}

impl RuleForm for Admitted {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        if config_view.holds(&self.when) != Some(true) {
            return;
        }
        let bare = self.of.rsplit_once("..").map_or(self.of.as_str(), |(_, bare)| bare);
        let Some((_, setting)) = config_view.profile.setting(bare) else { return };
        let Some((theirs, most)) = config_view.survey.elsewhere(&self.by, &self.theirs) else { return };
        for turn in config_view.layers.called(config_view.files, config_view.profile, &self.of) {
            let value = config_view.value(turn);
            // 0 is any amount, on either side.
            let above = config_view
                .profile
                .values
                .number(setting, &value)
                .is_some_and(|ours| ours > most && most > 0.0);
            if above {
                let message = format!("{}: {} of {} is {theirs}", rule.says, self.theirs, self.by);
                let finding = broken(rule, message);
                findings.push(config_view.at_value(finding, turn, 0));
            }
        }
    }
}
