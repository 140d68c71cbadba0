//! Rules that need no profile: what a value was says what it is about. They look at a changed value beside the old one,
//! word by word, where nothing more is known of the setting.

use super::{ConfigView, Leaf, ProposalView};
use crate::address::{address_of, address_of_block, with_two_dots};
use crate::doc::{BlockId, Document, Kind as Statements, all_commented_out};
use crate::edit::find_active;
use crate::finding::{Finding, Severity};
use crate::layers::value_of;
use crate::secret::is_secret;
use crate::survey::{PathProperties, Survey};
use crate::text::slip_of;
use crate::value::{Endpoint, Kind, covers, endpoint, is_host, network};
use std::collections::BTreeSet;

/// Words that many daemons take in place of a number.
const NO_NUMBERS: [&str; 20] = [
    "auto",
    "all",
    "any",
    "default",
    "disabled",
    "enabled",
    "false",
    "infinite",
    "infinity",
    "max",
    "min",
    "never",
    "no",
    "none",
    "null",
    "off",
    "on",
    "true",
    "unlimited",
    "yes",
];
/// What the names of files with certificates end with.
const CERTIFICATES: [&str; 4] = [".pem", ".crt", ".cer", ".cert"];
/// Of so many changed statements each is looked at: who replaces a whole large file has another one in mind.
const MOST_STATEMENTS: usize = 200;
/// A certificate that ends so soon is worth a word, in days.
const SOON: i64 = 14;
/// So many names of the file are looked for in the program.
const MOST_NAMES: usize = 40;
/// With fewer of them nothing can be said.
const FEW_NAMES: usize = 3;
/// So long a name must be before one letter tells a slip from another name.
const LONG_NAME: usize = 5;

/// What is probably not meant, by what was there before.
pub(super) fn check(step: &ProposalView<'_>, findings: &mut Vec<Finding>) {
    let (before, after) = (&step.before, &step.after);
    let mut changed: Vec<Leaf> = step.changed_statements.iter().copied().collect();
    changed.sort_unstable();
    for one in changed.into_iter().take(MOST_STATEMENTS).filter_map(|leaf| Statement::of(after, leaf)) {
        let Statement { name, value: new, .. } = &one;
        certificate(after, &one, findings);
        let setting = after.profile.setting(name).map(|(_, setting)| setting);
        // These rules show values.
        if is_secret(after.profile, name) {
            continue;
        }
        // What its kind says is for the rules of kinds, and what is included for those of files.
        let is_include = after.profile.dialect.is_include(name.as_bytes());
        if is_include
            || setting.is_some_and(|setting| setting.kind != Kind::Text || !setting.words.is_empty())
        {
            continue;
        }
        let mut say =
            |finding: Option<Finding>| findings.extend(finding.map(|finding| one.at(after, finding)));
        let address = address_of(&after.files[one.leaf.0].doc, one.leaf.1);
        let old = find_active(before.files, &address).into_iter().next();
        let Some((file, leaf)) = old else {
            if setting.is_none() {
                say(open_network(None, new));
            }
            if after.profile.setting.is_empty() {
                findings.extend(one_dot(before, after, &one).map(|finding| one.at_name(after, finding)));
                findings.extend(new_name(before, name).map(|finding| one.at_name(after, finding)));
            }
            continue;
        };
        let old = value_of(&before.files[file].doc, leaf);
        if old == *new {
            continue;
        }
        say(emptied(name, &old, new));
        if setting.is_none() {
            if !after.files[one.leaf.0].doc.family().is_standard() {
                say(lost_remark(name, &old, new));
            }
            say(open_network(Some(&old), new));
        }
        let (was, is) = (words(&old), words(new));
        if was.len() == is.len() {
            for (was, is) in was.iter().zip(&is).filter(|(was, is)| was != is) {
                say(no_number(name, was, is));
                say(no_path(after.survey, was, is));
                say(nobody_there(after.survey, was, is));
                say(no_such_host(after.survey, was, is));
            }
        }
    }
}

/// The certificates that all settings name.
pub(super) fn certificates(config_view: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    for (n, file) in config_view.files.iter().enumerate() {
        let source = file.doc.source();
        if !CERTIFICATES.iter().any(|end| memchr::memmem::find(source, end.as_bytes()).is_some()) {
            continue;
        }
        let leaves = file.doc.tree().leaves().map(|(leaf, ..)| (n, leaf));
        for one in leaves.filter_map(|leaf| Statement::of(config_view, leaf)) {
            certificate(config_view, &one, findings);
        }
    }
}

/// A statement with a value.
struct Statement {
    leaf: Leaf,
    name: String,
    value: String,
    /// Where its value begins.
    start: usize,
}

impl Statement {
    fn of(config_view: &ConfigView<'_>, leaf: Leaf) -> Option<Self> {
        let doc = &config_view.files[leaf.0].doc;
        let is_setting = doc.tree().kind(leaf.1) == Statements::Setting;
        let parts = doc.parts(leaf.1).filter(|_| is_setting)?;
        let start = parts.value.hull().map_or(parts.name.start, |value| value.start) as usize;
        Some(Self { leaf, name: doc.name(&parts), value: value_of(doc, leaf.1), start })
    }

    fn at_name(&self, config_view: &ConfigView<'_>, finding: Finding) -> Finding {
        let doc = &config_view.files[self.leaf.0].doc;
        let start = doc.parts(self.leaf.1).map_or(self.start, |parts| parts.name.start as usize);
        config_view.at(finding, self.leaf.0, self.leaf.1, start)
    }

    fn at(&self, config_view: &ConfigView<'_>, finding: Finding) -> Finding {
        config_view.at(finding, self.leaf.0, self.leaf.1, self.start)
    }
}

/// The words of a value, without what quotes and parts them.
fn words(value: &str) -> Vec<&str> {
    let parts = value.split(|c: char| c.is_whitespace() || ",;\"'".contains(c));
    parts.filter(|word| !word.is_empty()).collect()
}

/// Whether a word is a number, with a unit or without.
fn is_number(word: &str) -> bool {
    let digits = word.trim_start_matches(['-', '+']);
    let unit = digits.trim_start_matches(|c: char| c.is_ascii_digit() || c == '.');
    // Of an address there are more.
    let dots = digits.matches('.').count();
    digits.starts_with(|c: char| c.is_ascii_digit())
        && dots <= 1
        && unit.chars().count() <= 3
        && unit.chars().all(|c| c.is_ascii_alphabetic() || c == '%')
}

fn no_number(name: &str, was: &str, is: &str) -> Option<Finding> {
    let is_word = is.chars().all(|c| c.is_alphabetic()) && !NO_NUMBERS.contains(&is.to_lowercase().as_str());
    let has_digits =
        is.starts_with(|c: char| c.is_ascii_digit()) && !is_number(is) && !is.contains([':', '/', '.']);
    (is_number(was) && (is_word || has_digits)).then(|| {
        Finding::warning("no-number", format!("{name} was a number ({was}), and {is:?} is not one"))
            .help("if the daemon takes such a word, go on")
    })
}

fn no_path(survey: &Survey, was: &str, is: &str) -> Option<Finding> {
    let is_path =
        |word: &str| word.starts_with('/') && word.len() > 1 && !word.contains(['*', '?', '$', '%', '{']);
    if !is_path(was) || !is_path(is) {
        return None;
    }
    let exists = |path: Option<&PathProperties>| path.map(|path| path.exists);
    if exists(survey.path(was, None))? && !exists(survey.path(is, None))? {
        let message = format!("{was} exists, and {is} does not");
        return Some(
            Finding::warning("no-such-path", message).help("check the path; or go on if the daemon makes it"),
        );
    }
    None
}

/// Somebody else listens at the old place, and nobody at the new one.
fn nobody_there(survey: &Survey, was: &str, is: &str) -> Option<Finding> {
    // A bare number or a name may be anything.
    let local = |word: &str| match endpoint(word).filter(|_| word.contains(':'))? {
        Endpoint::Net { host: Some(host), port: Some(port) } => {
            ["127.0.0.1", "localhost", "::1"].contains(&host.as_str()).then_some(port)
        }
        Endpoint::Net { .. } | Endpoint::Unix(_) => None,
    };
    let (was, is) = (local(was)?, local(is)?);
    let (there, here) = (survey.holders(was, false)?, survey.holders(is, false)?);
    let is_another = there.iter().any(|holder| holder.ours == Some(false));
    (was != is && is_another && here.is_empty()).then(|| {
        let message = format!("a process listens on port {was}, and none on port {is}");
        Finding::warning("no-listener", message)
            .help("check the port; or start what is to listen there first")
    })
}

fn no_such_host(survey: &Survey, was: &str, is: &str) -> Option<Finding> {
    let name = |word: &str| {
        let host = word.split_once("://").map_or(word, |(_, rest)| rest);
        let host = host.split(['/', ':']).next().unwrap_or(host);
        let last = host.rsplit('.').next().unwrap_or_default();
        // The last part of a name has letters alone: `2.4` is a version.
        let is_name =
            host.contains('.') && is_host(host) && last.len() > 1 && last.chars().all(char::is_alphabetic);
        (is_name && !word.starts_with('/')).then(|| host.to_owned())
    };
    let (was, is) = (name(was)?, name(is)?);
    (was != is && survey.resolves(&was)? && !survey.resolves(&is)?).then(|| {
        let message = format!("{was} has an address, and {is} has none");
        Finding::warning("no-such-host", message).help("check the name; `getent hosts NAME` looks it up")
    })
}

/// A network that is every address, where there was none.
fn open_network(old: Option<&str>, new: &str) -> Option<Finding> {
    let is_all = |word: &&str| word.contains('/') && network(word).is_some_and(|(_, bits, _)| bits == 0);
    let all = words(new).into_iter().find(is_all)?;
    if old.is_some_and(|old| words(old).iter().any(is_all)) {
        return None;
    }
    Some(
        Finding::warning("every-address", format!("{all} is every address"))
            .help("if everybody is meant, go on"),
    )
}

/// What looks like a comment behind the old value, where the format takes it for a part of the value.
fn lost_remark(name: &str, old: &str, new: &str) -> Option<Finding> {
    let at = [" #", " ;"].iter().filter_map(|mark| old.find(mark)).min().filter(|at| *at > 0)?;
    let remark = old[at..].trim();
    // A mark without words is none, and what the new value has is not lost.
    if !remark[1..].starts_with(' ') || new.contains(remark) {
        return None;
    }
    let message = format!("\"{remark}\" was a part of the value of {name}, and is gone");
    let help = format!("if it is a comment that is to stay, give it, too: '{name}={new} {remark}'");
    Some(Finding::new("lost-remark", Severity::Hint, message).help(help))
}

/// A list of which nothing is left.
fn emptied(name: &str, old: &str, new: &str) -> Option<Finding> {
    let was = words(old);
    (was.len() > 1 && words(new).is_empty()).then(|| {
        let message = format!("{name} had {} elements, and has none now", was.len());
        Finding::warning("emptied", message)
            .help(format!("to take one out: {name}-=ELEMENT; if all are to go, go on"))
    })
}

/// A new name with a dot, where two dots lead into a block beside it that was there.
fn one_dot(before: &ConfigView<'_>, after: &ConfigView<'_>, one: &Statement) -> Option<Finding> {
    let around = |doc: &Document, block: Option<BlockId>| block.map(|block| address_of_block(doc, block));
    let new = &after.files[one.leaf.0].doc;
    let place = around(new, new.tree().block_of(one.leaf.1));
    let meant = before.files.iter().find_map(|file| {
        let doc = &file.doc;
        with_two_dots(doc, &one.name, |block| around(doc, doc.tree().block(block).parent()) == place)
    })?;
    let (block, _) = meant.around()?;
    let message = format!("{} is a new name, and {block} is a block", one.name);
    Some(Finding::warning("one-dot", message).help(format!("two dots lead into a block: {meant}")))
}

/// A new name that is one letter away from one in the files or their comments, or that the running program does not hold.
fn new_name(before: &ConfigView<'_>, name: &str) -> Option<Finding> {
    if name.chars().count() < LONG_NAME {
        return None;
    }
    let (mut set, mut known): (BTreeSet<String>, BTreeSet<String>) = Default::default();
    for doc in before.files.iter().map(|file| &file.doc) {
        let settings = doc.tree().leaves().filter(|(_, kind, _)| *kind == Statements::Setting);
        set.extend(settings.filter_map(|(leaf, ..)| Some(doc.name(&doc.parts(leaf)?))));
        known.extend(all_commented_out(doc).map(|one| doc.name(&one.parts)));
    }
    if set.contains(name) || known.contains(name) {
        return None;
    }
    if let Some(near) = set.iter().chain(&known).find(|known| slip_of(name, known)) {
        let message = format!("{name} is not in the file, and {near} is");
        return Some(Finding::warning("near-name", message).help(format!("did you mean {near}?")));
    }
    not_in_program(before, name, set)
}

/// A program that holds nearly all names of its file holds its names so: one that it does not hold is probably none. Where
/// it holds few of them, nothing follows.
fn not_in_program(before: &ConfigView<'_>, name: &str, set: BTreeSet<String>) -> Option<Finding> {
    let mut names: Vec<String> =
        set.into_iter().filter(|name| name.chars().count() >= LONG_NAME).take(MOST_NAMES).collect();
    let count = names.len();
    names.push(name.to_owned());
    let held = before.survey.in_program(names)?;
    let is_held = held.iter().any(|held| held == name);
    if is_held || count < FEW_NAMES || held.len() * 10 < count * 9 {
        return None;
    }
    let message = format!(
        "the running program holds {} of {count} names in the file, and does not hold {name}",
        held.len()
    );
    Some(Finding::warning("not-in-program", message).help("check the name in the daemon's manual"))
}

/// A certificate that has run out, or ends soon, or does not belong to the key or the site beside it. A changed name of a
/// site is held against the certificate beside it.
fn certificate(config_view: &ConfigView<'_>, one: &Statement, findings: &mut Vec<Finding>) {
    let mut say = |message: String, help: &str| {
        findings.push(one.at(config_view, Finding::warning("certificate", message).help(help)));
    };
    let beside = || beside(config_view, one);
    if is_site(&one.name) {
        for path in beside().iter().filter_map(certificate_in) {
            other_site(config_view.survey, path, &one.value).into_iter().for_each(|message| {
                say(message, "name a certificate for that site");
            });
        }
        return;
    }
    let Some(path) = certificate_in(one) else { return };
    let Some(days) = config_view.survey.certificate_days(path) else { return };
    if days < 0 {
        say(format!("the certificate {path} ran out {} days ago", -days), "renew it first");
    } else if days < SOON {
        say(format!("the certificate {path} ends in {days} days"), "renew it soon");
    }
    for other in beside() {
        let key = other.value.trim_matches(['"', '\'']);
        let is_key = key.starts_with('/') && [".key", ".pem"].iter().any(|end| key.ends_with(end));
        if is_key && config_view.survey.key_fits(path, key) == Some(false) {
            say(
                format!("the key {key} does not belong to the certificate {path}"),
                "name the key of that certificate",
            );
        }
        if is_site(&other.name) {
            other_site(config_view.survey, path, &other.value).into_iter().for_each(|message| {
                say(message, "name a certificate for that site");
            });
        }
    }
}

/// The path of a certificate that a statement names.
fn certificate_in(one: &Statement) -> Option<&str> {
    let path = one.value.trim_matches(['"', '\'']);
    let is_one = CERTIFICATES.iter().any(|end| path.ends_with(end));
    (path.starts_with('/') && is_one).then_some(path)
}

/// The other settings in the same block.
fn beside(config_view: &ConfigView<'_>, one: &Statement) -> Vec<Statement> {
    let doc = &config_view.files[one.leaf.0].doc;
    let block = doc.tree().block_of(one.leaf.1);
    let leaves = doc.tree().leaves().filter(|(leaf, kind, _)| {
        *leaf != one.leaf.1 && *kind == Statements::Setting && doc.tree().block_of(*leaf) == block
    });
    leaves.filter_map(|(leaf, ..)| Statement::of(config_view, (one.leaf.0, leaf))).collect()
}

/// Whether a setting names the site that its block is about.
fn is_site(name: &str) -> bool {
    let letters: String = name.chars().filter(|c| c.is_alphanumeric()).collect();
    letters.eq_ignore_ascii_case("servername")
}

/// A site that no name of a certificate covers: clients refuse it. Patterns of names are left to the daemon.
fn other_site(survey: &Survey, path: &str, site: &str) -> Option<String> {
    let is_name = |word: &&str| word.contains('.') && is_host(word);
    let sites: Vec<&str> = words(site).into_iter().filter(is_name).collect();
    let names = survey.certificate_names(path).filter(|names| !names.is_empty())?;
    let left_out = sites.into_iter().find(|site| !names.iter().any(|name| covers(name, site)))?;
    Some(format!("the certificate {path} is for {}, and not for {left_out}", names.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_told_from_words() {
        for number in ["1", "-5", "128M", "80%", "1.5", "500ms"] {
            assert!(is_number(number), "{number}");
            assert!(no_number("rows", number, "many").is_some());
            assert!(
                no_number("rows", number, "unlimited").is_none() && no_number("rows", number, "7").is_none()
            );
        }
        for word in ["many", "v1", "10.0.0.1", "1:2", "1234abcd", ""] {
            assert!(!is_number(word), "{word}");
        }
        assert!(no_number("rows", "5", "5o0").is_some() && no_number("rows", "5", "10:30:100").is_none());
    }

    #[test]
    fn lists_and_networks() {
        assert!(emptied("hosts", "a, b", "\"\"").is_some() && emptied("hosts", "a", "").is_none());
        assert!(open_network(Some("10.0.0.0/8"), "0.0.0.0/0").is_some());
        assert!(open_network(None, "allow ::/0").is_some());
        assert!(open_network(Some("0.0.0.0/0"), "0.0.0.0/0, ::1").is_none());
        assert!(open_network(None, "10.0.0.0/8").is_none());
    }
}
