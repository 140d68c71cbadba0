//! Settings that the installed version does not know yet, or no longer.

use super::{ConfigView, TypedSettings};
use crate::finding::Finding;

pub fn check(config_view: &ConfigView<'_>, known: &TypedSettings<'_>, findings: &mut Vec<Finding>) {
    let dated = |setting: &crate::profile::Setting| setting.since.is_some() || setting.until.is_some();
    if !config_view.profile.setting.values().any(dated) {
        return;
    }
    known.each(|turn, setting, _| {
        let Some(is) = config_view.survey.version().filter(|_| dated(setting)) else { return };
        let name = config_view.name(turn);
        let said = match (&setting.since, &setting.until) {
            (Some(since), _) if older(is, since) => {
                Some(("too-new", format!("{name} needs version {since} or later; {is} is installed")))
            }
            (_, Some(until)) if !older(is, until) => {
                Some(("retired", format!("{name} was removed in version {until}; {is} is installed")))
            }
            _ => None,
        };
        let Some((rule, message)) = said else { return };
        let help = setting.about.clone().unwrap_or_else(|| "see the manual of the installed version".into());
        findings.push(config_view.at_name(Finding::fault(rule, message).help(help), turn));
    });
}

/// Whether version `a` comes before version `b`.
fn older(a: &str, b: &str) -> bool {
    let parts = |text: &str| -> Vec<u64> {
        text.split(|c: char| !c.is_ascii_digit()).filter_map(|part| part.parse().ok()).collect()
    };
    parts(a) < parts(b)
}
