//! Names that a health check asks for.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::probe::Check;
use crate::profile::Rule;
use crate::rules::statements::names_of;
use serde::Deserialize;

/// A new name among these is one that a health check asks for.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct Asked(Vec<String>);

impl RuleForm for Asked {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let (before, after) = (&sides.before, &sides.after);
        let mentions =
            |check: &Check, name: &str| check.probe.clone().texts().iter().any(|text| text.contains(name));
        for setting in &self.0 {
            let was = names_of(before, setting);
            for name in names_of(after, setting).into_iter().filter(|name| !was.contains(name)) {
                // Patterns, and the name that stands for all others.
                let plain = name.len() > 1 && !name.contains(['*', '~', '$']);
                if plain && !after.profile.health.iter().any(|check| mentions(check, &name)) {
                    let finding = Finding::new(&rule.name, rule.severity, format!("{name}: {}", rule.says));
                    findings.push(
                        finding.help(format!(
                            "--health http://{name}/ asks for it, once the name is known here"
                        )),
                    );
                }
            }
        }
    }
}
