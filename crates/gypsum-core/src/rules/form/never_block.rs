//! Blocks that are not there.

use super::{RuleForm, Sides};
use crate::doc::LeafId;
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::ConfigView;
use crate::rules::statements::{broken, is_one};
use serde::Deserialize;

/// A block whose opening line reads like this is there.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct NeverBlock(Vec<String>);

impl RuleForm for NeverBlock {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let titles = &self.0;
        for (_, scope) in config_view.layers.scopes() {
            let Some((file, block)) = scope.block.filter(|_| is_one(config_view, &scope.title, titles))
            else {
                continue;
            };
            let leaf = config_view.files[file].doc.tree().block(block).open();
            let finding = broken(rule, rule.says.clone());
            findings.push(at_block(config_view, finding, file, leaf));
        }
    }
}

/// A finding about a block, at its opening line.
fn at_block(config_view: &ConfigView<'_>, finding: Finding, file: usize, leaf: LeafId) -> Finding {
    let start = config_view.files[file].doc.parts(leaf).map_or(0, |parts| parts.name.start);
    config_view.at(finding, file, leaf, start as usize)
}
