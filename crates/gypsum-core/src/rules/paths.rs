//! Paths that settings name: whether they are there, of the right sort, and of use to the daemon's account.

use super::{ConfigView, TypedSettings};
use crate::finding::Finding;
use crate::profile::{Setting, Sort};
use crate::survey::PathProperties;
use std::cell::RefCell;
use std::collections::HashMap;

pub fn check(config_view: &ConfigView<'_>, known: &TypedSettings<'_>, findings: &mut Vec<Finding>) {
    own_files(config_view, findings);
    let values = Values { config_view, known: RefCell::default() };
    known.each(|turn, _, pieces| {
        for piece in pieces {
            let Some(sort) = piece.what.sort() else { continue };
            if piece.what.role.is_some() && !piece.text.starts_with('/') {
                continue;
            }
            let Some(path) = full(&values, piece.what, &piece.text) else { continue };
            let account = account_for(&values, piece.what);
            let Some(property) = config_view.survey.path(&path, account.as_deref()) else { continue };
            let Some((rule, message, help)) = amiss(sort, &path, property, account.as_deref()) else {
                continue;
            };
            let finding = if piece.what.optional {
                Finding::warning(rule, message)
            } else {
                Finding::fault(rule, message)
            };
            findings.push(config_view.at_value(finding.help(help), turn, piece.at));
        }
    });
}

/// The values of settings that others are understood by, looked up once.
struct Values<'a> {
    config_view: &'a ConfigView<'a>,
    known: RefCell<HashMap<String, Option<String>>>,
}

impl Values<'_> {
    fn of(&self, name: &str) -> Option<String> {
        if let Some(known) = self.known.borrow().get(name) {
            return known.clone();
        }
        let value = self.config_view.layers.value(self.config_view.files, self.config_view.profile, name);
        self.known.borrow_mut().insert(name.to_owned(), value.clone());
        value
    }
}

/// The configuration files themselves: the account that reads them must be able to.
fn own_files(config_view: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let Some(reader) = config_view.profile.files.reader.as_deref() else { return };
    for (n, file) in config_view.files.iter().enumerate() {
        let property = config_view.survey.path(&file.path, Some(reader)).filter(|property| property.exists);
        if property.is_some_and(|property| property.readable == Some(false)) && config_view.layers.reads(n) {
            let message = format!(
                "the daemon reads this file as {reader}, who may not read it: it does not start, or ignores all settings here"
            );
            let finding = Finding::fault("unreadable", message).in_file(&file.path);
            findings.push(finding.help(format!("chgrp {reader} {0} && chmod g+r {0}", file.path)));
        }
    }
}

/// The whole path, where the text is one that can be followed.
fn full(values: &Values<'_>, what: &Setting, text: &str) -> Option<String> {
    // What is computed, or a pattern, or a word for none.
    let odd = text.is_empty() || text.contains(['$', '%', '*', '?', '{', '|']);
    if odd || what.choices.iter().any(|choice| choice.eq_ignore_ascii_case(text)) {
        return None;
    }
    // A program with its arguments.
    let text = if what.path == Some(Sort::Program) { text.split(' ').next()? } else { text };
    if text.starts_with('/') {
        return Some(text.to_owned());
    }
    let base = what.base.as_deref()?;
    let base = match base.strip_prefix('{').and_then(|name| name.strip_suffix('}')) {
        Some(name) => {
            let value = values.of(name)?;
            value.trim_matches(['"', '\'']).to_owned()
        }
        None => base.to_owned(),
    };
    (base.starts_with('/')).then(|| format!("{}/{text}", base.trim_end_matches('/')))
}

/// The account that opens it: the one that the setting names, else that as which the daemon runs.
fn account_for(values: &Values<'_>, what: &Setting) -> Option<String> {
    let named = what.by.as_ref().or(values.config_view.profile.account.as_ref())?;
    match named.strip_prefix('{').and_then(|name| name.strip_suffix('}')) {
        Some(name) => values.of(name),
        None => Some(named.clone()),
    }
    .filter(|account| account != "root")
}

fn amiss(
    sort: Sort,
    path: &str,
    property: &PathProperties,
    account: Option<&str>,
) -> Option<(&'static str, String, String)> {
    let who = account.unwrap_or("root");
    if matches!(sort, Sort::Parent | Sort::NewFolder) {
        let parent =
            path.rsplit_once('/').map_or("/", |(parent, _)| if parent.is_empty() { "/" } else { parent });
        if property.exists && property.folder && sort == Sort::Parent {
            return Some((
                "wrong-path",
                format!("{path} is a folder, not a file"),
                "name a file in it".into(),
            ));
        }
        if !property.exists && property.standing.trim_end_matches('/') != parent.trim_end_matches('/') {
            let message = format!("{path} cannot be created: the folder {parent} does not exist");
            let help =
                format!("create it first (mkdir {parent}), owned by {who}; {} exists", property.standing);
            return Some(("missing-folder", message, help));
        }
        if property.writable == Some(false) {
            let message = format!("{who}, as which the daemon runs, may not write to {path}");
            return Some(("no-access", message, format!("let {who} write there, or name another place")));
        }
        return None;
    }
    if !property.exists {
        let help = match sort {
            Sort::Folder => format!("create it first; {} exists", property.standing),
            Sort::Program => "check the name, and whether its package is installed".into(),
            Sort::Socket => "is what listens there running, and under this name?".into(),
            _ => format!("--companion FILE --to {path} places it in the same change"),
        };
        return Some(("missing-file", format!("{path} does not exist"), help));
    }
    let wrong = match sort {
        Sort::File if property.folder => Some("is a folder, not a file"),
        Sort::Folder if !property.folder => Some("is not a folder"),
        Sort::Program if property.folder || !property.program => Some("cannot be run as a program"),
        Sort::Socket if !property.socket => Some("is not a socket"),
        _ => None,
    };
    if let Some(wrong) = wrong {
        return Some(("wrong-path", format!("{path} {wrong}"), "check the name".into()));
    }
    (sort != Sort::Socket && property.readable == Some(false)).then(|| {
        let message = format!("{who}, as which the daemon reads it, may not read {path}");
        ("no-access", message, format!("let {who} read it, and pass through every folder above it"))
    })
}
