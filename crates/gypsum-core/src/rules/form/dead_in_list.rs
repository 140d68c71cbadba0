//! A list in a value or a block that is decided by its first fitting member.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::Rule;
use crate::rules::ConfigView;
use crate::rules::statements::{broken, is_one, text_of};
use crate::value::network;
use serde::Deserialize;
use std::collections::HashMap;
use std::net::IpAddr;

/// In the list that is the value of `of`, nothing is reached behind one of `ends`.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct DeadInList {
    /// The settings or blocks whose members make the list.
    of: Vec<String>,
    /// The members that fit everything.
    ends: Vec<String>,
}

impl RuleForm for DeadInList {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        for (turn, members) in lists(config_view, &self.of) {
            dead_in_list(config_view, rule, &turn, &members, &self.ends, findings);
        }
    }
}

/// The members of a list: of a value, or of a block.
fn lists(config_view: &ConfigView<'_>, of: &[String]) -> Vec<(Occurrence, Vec<String>)> {
    let mut out: Vec<(Occurrence, Vec<String>)> = Vec::new();
    let mut blocks: HashMap<ScopeId, usize> = HashMap::new();
    for turn in config_view.layers.turns() {
        let word = config_view.layers.scope(turn.scope).word();
        let name = config_view.name(turn);
        if is_one(config_view, &name, of) {
            let value = config_view.value(turn);
            let members =
                value.split([',', ' ', '\t', '\n']).filter(|one| !one.is_empty()).map(str::to_owned);
            out.push((*turn, members.collect()));
        } else if !word.is_empty() && is_one(config_view, word, of) {
            let at = *blocks.entry(turn.scope).or_insert_with(|| {
                out.push((*turn, Vec::new()));
                out.len() - 1
            });
            out[at].1.push(text_of(config_view, turn));
        }
    }
    out
}

fn dead_in_list(
    config_view: &ConfigView<'_>,
    rule: &Rule,
    turn: &Occurrence,
    members: &[String],
    ends: &[String],
    findings: &mut Vec<Finding>,
) {
    let mut networks: Vec<(&String, (IpAddr, u8))> = Vec::new();
    for (n, member) in members.iter().enumerate() {
        let said = |why: &str| {
            let finding = broken(rule, format!("{member}: {}, {why} comes first", rule.says));
            config_view.at_name(finding, turn)
        };
        if let Some(end) = members[..n].iter().find(|end| is_one(config_view, end, ends)) {
            findings.push(said(end));
            return;
        }
        let Some((address, length, _)) = network(member.trim_start_matches('!')) else { continue };
        if let Some((wide, _)) =
            networks.iter().find(|(_, (wide, prefix))| covers(*wide, *prefix, address, length))
        {
            findings.push(said(wide));
            return;
        }
        networks.push((member, (address, length)));
    }
}

fn covers(wide: IpAddr, prefix: u8, narrow: IpAddr, length: u8) -> bool {
    if prefix > length {
        return false;
    }
    match (wide, narrow) {
        (IpAddr::V4(a), IpAddr::V4(b)) => {
            let mask = u32::MAX.checked_shl(32 - u32::from(prefix)).unwrap_or(0);
            u32::from(a) & mask == u32::from(b) & mask
        }
        (IpAddr::V6(a), IpAddr::V6(b)) => {
            let mask = u128::MAX.checked_shl(128 - u32::from(prefix)).unwrap_or(0);
            u128::from(a) & mask == u128::from(b) & mask
        }
        _ => false,
    }
}
