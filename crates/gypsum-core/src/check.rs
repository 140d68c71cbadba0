//! Our own check of a daemon's files: what the format, the kinds of values and the rules say.

use crate::address::{Address, address_of};
use crate::doc::{Document, Kind, LeafId, Wins};
use crate::edit::{File, find_active};
use crate::finding::{Finding, Severity};
use crate::profile::Profile;
use crate::secret::is_secret;
use crate::text::nearest;
use crate::value::misfit;

/// All findings in `files`. `edited` are the addresses that a change touches: some rules are about
/// those alone, since everything else is somebody's decision from before.
pub fn check(files: &[File], profile: &Profile, edited: &[String]) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut names: Vec<String> =
        edited.iter().filter_map(|address| Some(Address::parse(address).ok()?.name().to_owned())).collect();
    names.sort();
    names.dedup();
    let ours = Ours { addresses: edited, names };
    for file in files {
        let broken_ones = file.doc.tree().leaves().filter(|(_, kind, _)| *kind == Kind::Broken);
        findings.extend(broken_ones.map(|(leaf, ..)| broken(file, leaf)));
        let mut look = |leaf: LeafId| setting(file, leaf, profile, &ours, &mut findings);
        if profile.setting.is_empty() {
            // Nothing is known of the others.
            ours.names.iter().for_each(|name| {
                let called = file.doc.statements_called(name);
                called.filter(|(_, kind, _)| *kind == Kind::Setting).for_each(|(leaf, ..)| look(leaf));
            });
        } else {
            file.doc
                .tree()
                .leaves()
                .filter(|(_, kind, _)| *kind == Kind::Setting)
                .for_each(|(leaf, ..)| look(leaf));
        }
    }
    for address in edited {
        findings.extend(no_effect(files, profile, address));
    }
    findings
}

/// What is new in `after` against `before`; the rest stood there already, and is not for this
/// change to mend: its faults become warnings.
pub fn only_new(before: &[Finding], after: Vec<Finding>) -> Vec<Finding> {
    let soften = |mut finding: Finding| {
        if before.iter().any(|old| old.same_as(&finding)) {
            finding.severity = finding.severity.min(Severity::Warning);
            finding.message = format!("{} (it stood there before)", finding.message);
        }
        finding
    };
    after.into_iter().map(soften).collect()
}

fn broken(file: &File, leaf: LeafId) -> Finding {
    Finding::fault("broken", "this line cannot be read")
        .at(&file.path, &file.doc, leaf)
        .mend("mend or remove the line; edits elsewhere leave it as it is")
}

/// What this change is about.
struct Ours<'a> {
    addresses: &'a [String],
    names: Vec<String>,
}

fn setting(file: &File, leaf: LeafId, profile: &Profile, edited: &Ours<'_>, findings: &mut Vec<Finding>) {
    let doc = &file.doc;
    let Some(parts) = doc.parts(leaf) else {
        return;
    };
    // By name first: an address costs a look at the whole file.
    let bytes = parts.name.of(doc.source());
    let named = edited.names.iter().any(|known| doc.dialect().same(known.as_bytes(), bytes));
    if !named && profile.setting.is_empty() {
        return;
    }
    let name = doc.text(parts.name);
    let known = profile.setting(&name);
    let ours = named && edited.addresses.contains(&address_of(doc, leaf).to_string());
    let place_at = |finding: Finding, offset: u32| {
        let finding = finding.at_offset(&file.path, doc, offset as usize).about(address_of(doc, leaf));
        if is_secret(profile, &name) { Finding { text: None, ..finding } } else { finding }
    };
    let place = |finding: Finding| place_at(finding, parts.name.start);
    let place_of_value =
        |finding| place_at(finding, parts.value.hull().map_or(parts.name.start, |span| span.start));
    if profile.spelling(&name).is_none() && (profile.complete || ours) && !profile.setting.is_empty() {
        findings.extend(unknown(profile, &name).map(place));
    }
    if let Some(misfit) = known.and_then(|(_, setting)| misfit(setting, &doc.value(&parts))) {
        // A bare name is a flag switched on in formats that have bare names.
        if !parts.value.is_none() {
            findings.push(place_of_value(
                Finding::fault("value", format!("{name}: {}", misfit.message)).mend(misfit.mend),
            ));
        }
    }
    if ours {
        findings.extend(strange_characters(&doc.value(&parts)).map(place_of_value));
    }
}

fn unknown(profile: &Profile, name: &str) -> Option<Finding> {
    let near = nearest(name, profile.known_names());
    let mend = match near.as_slice() {
        [] => "check the spelling in the daemon's manual".to_owned(),
        near => format!("did you mean {}?", near.join(" or ")),
    };
    let message = format!("{} has no setting called {name}", profile.daemon);
    let certain = profile.complete || !near.is_empty();
    let severity = if certain { Severity::Fault } else { Severity::Warning };
    let message = if certain {
        message
    } else {
        format!("{name} is not among the settings known of {}", profile.daemon)
    };
    Some(Finding::new("unknown-name", severity, message).mend(mend))
}

fn strange_characters(value: &str) -> Option<Finding> {
    let curly = value.chars().find(|c| matches!(c, '“' | '”' | '„' | '‘' | '’' | '‚'));
    if let Some(curly) = curly {
        let message = format!(
            "the value holds {curly}, a quote from a text page; most daemons take it as part of the value"
        );
        return Some(Finding::fault("curly-quotes", message).mend("type a plain \" or ' instead, or none"));
    }
    let odd = value.chars().find(|c| !c.is_ascii())?;
    let message = format!("the value holds {odd:?}, which is not ASCII");
    Some(Finding::warning("not-ascii", message).mend("make sure that the daemon reads this file as UTF-8"))
}

/// An edited setting that does nothing, because another line of the same setting decides.
fn no_effect(files: &[File], profile: &Profile, edited: &str) -> Option<Finding> {
    let address = Address::parse(edited).ok()?;
    let (_, setting) = profile.setting(address.name())?;
    if setting.repeats {
        return None;
    }
    let ours = *find_active(files, &address).first()?;
    let bare = edited
        .rsplit_once('#')
        .filter(|(_, n)| n.bytes().all(|b| b.is_ascii_digit()))
        .map_or(edited, |(bare, _)| bare);
    let all = find_active(files, &Address::parse(bare).ok()?);
    let deciding = match profile.dialect.wins {
        Wins::First => *all.first()?,
        Wins::Last => *all.last()?,
    };
    if deciding == ours {
        return None;
    }
    let place = |(n, leaf): (usize, LeafId)| -> (&File, u32, String) {
        let doc: &Document = &files[n].doc;
        (&files[n], doc.place(leaf).line, address_of(doc, leaf).to_string())
    };
    let (file, line, there) = place(deciding);
    let which = if profile.dialect.wins == Wins::First { "first" } else { "last" };
    let message =
        format!("this has no effect: line {line} of {} decides, since the {which} one wins", file.path);
    let mend = format!("edit that one: --in {} {there}=VALUE", file.path);
    let (here, ..) = place(ours);
    Some(Finding::fault("no-effect", message).at(&here.path, &here.doc, ours.1).about(edited).mend(mend))
}
