//! Accounts and groups that settings name.

use super::{ConfigView, TypedSettings};
use crate::finding::Finding;
use crate::value::Kind;

pub fn check(config_view: &ConfigView<'_>, known: &TypedSettings<'_>, findings: &mut Vec<Finding>) {
    known.each(|turn, _, pieces| {
        for piece in pieces {
            let (what, known) = match piece.what.kind {
                Kind::User => ("account", config_view.survey.user(&piece.text)),
                Kind::Group => ("group", config_view.survey.group(&piece.text)),
                Kind::Zone => ("time zone", zone(config_view, &piece.text)),
                _ => continue,
            };
            let choice = piece.what.choices.iter().any(|choice| choice.eq_ignore_ascii_case(&piece.text));
            // Patterns, and names from a directory, are not for this host to judge.
            let odd = piece.text.contains(['*', '?', '%', '$', '@', '\\', '!']);
            if known == Some(false) && !choice && !odd {
                let message = format!("there is no {what} {} on this host", piece.text);
                let rule = if what == "time zone" { "unknown-zone" } else { "unknown-account" };
                let finding = if piece.what.optional {
                    Finding::warning(rule, message)
                } else {
                    Finding::fault(rule, message)
                };
                let help = if what == "time zone" {
                    "timedatectl list-timezones lists them"
                } else {
                    "getent passwd and getent group list them"
                };
                findings.push(config_view.at_value(finding.help(help), turn, piece.at));
            }
        }
    });
}

fn zone(config_view: &ConfigView<'_>, name: &str) -> Option<bool> {
    let there = config_view.survey.path("/usr/share/zoneinfo", None)?.exists;
    let path = format!("/usr/share/zoneinfo/{}", name.trim_matches(['"', '\'']));
    if there { config_view.survey.path(&path, None).map(|property| property.exists) } else { None }
}
