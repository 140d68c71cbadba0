//! Accounts and groups that settings name, and changes that shut people out.

use super::{ConfigView, TypedSettings};
use crate::finding::Finding;
use crate::text::glob_match;
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

/// Who may log in is told by up to four settings of one daemon.
pub fn lock_out(before: &ConfigView<'_>, after: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let Some(login) = &after.profile.login else { return };
    let list = |config_view: &ConfigView<'_>, name: &Option<String>| -> Vec<String> {
        let Some(name) = name else { return Vec::new() };
        let turns = config_view.layers.called(config_view.files, config_view.profile, name);
        turns
            .flat_map(|turn| {
                config_view.value(turn).split_whitespace().map(str::to_owned).collect::<Vec<_>>()
            })
            .collect()
    };
    let allowed = (list(after, &login.allow_users), list(after, &login.allow_groups));
    let denied = (list(after, &login.deny_users), list(after, &login.deny_groups));
    let was = [&login.allow_users, &login.allow_groups, &login.deny_users, &login.deny_groups]
        .map(|name| list(before, name));
    let is = [&allowed.0, &allowed.1, &denied.0, &denied.1];
    let root_in = |config_view: &ConfigView<'_>| {
        login.root.as_deref().and_then(|condition| config_view.holds(condition))
    };
    if was.iter().zip(is).all(|(was, is)| was == is) && root_in(before) == root_in(after) {
        return;
    }
    let any_fits = |patterns: &[String], names: &[String]| {
        patterns.iter().any(|pattern| {
            let account = pattern.split('@').next().unwrap_or(pattern);
            names.iter().any(|name| glob_match(account, name))
        })
    };
    let may = |account: &str, groups: &[String]| {
        let own = [account.to_owned()];
        (allowed.0.is_empty() || any_fits(&allowed.0, &own))
            && (allowed.1.is_empty() || any_fits(&allowed.1, groups))
            && !any_fits(&denied.0, &own)
            && !any_fits(&denied.1, groups)
            && (account != "root" || root_in(after) != Some(false))
    };
    let about = |finding: Finding| {
        let names = [&login.allow_users, &login.allow_groups, &login.deny_users, &login.deny_groups];
        let turn = names
            .into_iter()
            .flatten()
            .find_map(|name| after.layers.called(after.files, after.profile, name).next());
        match turn {
            Some(turn) => after.at_value(finding, turn, 0),
            None => finding,
        }
    };
    let Some(people) = after.survey.people() else { return };
    let anybody = people.iter().any(|line| {
        let mut words = line.split(' ').map(str::to_owned);
        let account = words.next().unwrap_or_default();
        may(&account, &words.collect::<Vec<_>>())
    });
    if !anybody && !may("root", &["root".to_owned()]) {
        let message = "after this change no account of this host can log in";
        let help = "let at least one account in";
        findings.push(about(Finding::fault("locks-out", message).help(help)));
        return;
    }
    let Some([typist, groups @ ..]) = after.survey.typist() else { return };
    if !may(typist, groups) {
        let message = format!("{typist}, who is typing this, could not log in any more");
        findings.push(about(
            Finding::fault("locks-out", message)
                .help("add that account, or --accept locks-out if that is meant"),
        ));
    }
}
