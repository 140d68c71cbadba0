//! `gypsum changes DAEMON --setting ADDRESS`: the history of one setting.

use super::Context;
use crate::out::{BOLD, DIM};
use crate::target::NoTarget;
use crate::view::{styled, value_text, when, wrapped};
use gypsum_core::address::{Address, AddressStep};
use gypsum_core::doc::Document;
use gypsum_core::edit::{File, find_active};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::history::{Made, Step, Version, steps};
use gypsum_core::profile::Profile;
use gypsum_core::secret::shown_value;
use gypsum_core::text::one_line;
use gypsum_host::disk::{Disk, RealDisk};
use gypsum_host::error::Error;
use gypsum_host::files::load;
use gypsum_host::state::Entry;
use serde_json::json;
use std::path::Path;

pub fn run(context: &Context, profile: &Profile, typed: &str) -> Result<ExitStatus, NoTarget> {
    let address = Address::parse(typed)
        .map_err(|why| Error::usage(format!("--setting {typed:?} is no address: {why}")))?;
    let names = names_of(profile, &address);
    let mut versions = Vec::new();
    for entry in context.state.entries(&RealDisk, &profile.daemon)? {
        versions.extend(versions_of(profile, &names, &entry)?);
    }
    let now_ms = jiff::Timestamp::now().as_millisecond();
    let loading = load(profile, None)?;
    for (loaded, file) in loading.loaded.iter().zip(&loading.files).filter(|(loaded, _)| !loaded.absent) {
        versions.push(Version {
            file: loaded.real.display().to_string(),
            at_ms: now_ms,
            values: values_in(&names, file),
            made: None,
        });
    }
    let now: Vec<String> = loading.files.iter().flat_map(|file| values_in(&names, file)).collect();
    let mut all = steps(versions);
    let shown = |values: &[String]| -> Vec<String> {
        values.iter().map(|value| shown_value(profile, address.name(), value.clone())).collect()
    };
    for step in &mut all {
        step.from = shown(&step.from);
        step.to = shown(&step.to);
    }
    let now = shown(&now);
    if context.out.json {
        let fields = json!({ "daemon": profile.daemon, "setting": typed, "now": now, "history": all });
        context.answer(ExitStatus::Success, fields);
        return Ok(ExitStatus::Success);
    }
    context.out.print(&styled(BOLD, &format!("{} {typed}", profile.daemon)));
    let several = all.iter().any(|step| step.file != all[0].file);
    for step in all.iter().rev() {
        lines(step, several, context.out.width).iter().for_each(|line| context.out.print(line));
    }
    if all.is_empty() {
        context.out.print("  no change of it is recorded, and none was noticed");
    }
    context.out.print(&format!("  now: {}", value(&now)));
    Ok(ExitStatus::Success)
}

/// A step: when and from what to what; below it who and why.
fn lines(step: &Step, with_file: bool, width: usize) -> Vec<String> {
    let mut out = Vec::new();
    let what = format!("{} -> {}", value(&step.from), value(&step.to));
    let file = if with_file { format!("  ({})", step.file) } else { String::new() };
    let first = format!("  {:<21}  {what}{file}", when(step.at_ms));
    out.push(first);
    let who = match (&step.made, step.not_before_ms) {
        (Some(made), _) => {
            let verdict = made.verdict.map_or("it is not recorded how it ended", |verdict| verdict.word());
            let why = made.why.as_ref().map_or_else(String::new, |why| format!(": {why}"));
            format!("change {} by {}, {verdict}{why}", made.change, made.by)
        }
        (None, Some(since)) => format!("without Gypsum, after {}; seen at the time above", when(since)),
        (None, None) => "without Gypsum".to_owned(),
    };
    out.extend(
        wrapped(&who, width.saturating_sub(25))
            .into_iter()
            .map(|line| styled(DIM, &format!("{:25}{line}", ""))),
    );
    out
}

fn value(values: &[String]) -> String {
    match values {
        [] => value_text(None),
        [one] => value_text(Some(one)),
        values => values.iter().map(|value| one_line(value)).collect::<Vec<_>>().join(", "),
    }
}

/// The addresses under which a setting was known, its own first: those of earlier versions, and the later one.
fn names_of(profile: &Profile, address: &Address) -> Vec<Address> {
    let same = |a: &str, b: &str| profile.dialect.same(a.as_bytes(), b.as_bytes());
    let name = address.name();
    let earlier = profile.heirs.iter().filter(|(_, heir)| same(heir, name)).map(|(name, _)| name);
    let later = profile
        .heirs
        .iter()
        .filter(|(known, heir)| same(known, name) && !heir.contains(' '))
        .map(|(_, heir)| heir);
    let mut all = vec![address.clone()];
    for other in earlier.chain(later).filter(|name| !name.is_empty()) {
        let mut steps: Vec<AddressStep> = address.blocks().to_vec();
        steps.push(AddressStep { words: other.clone(), nth: None });
        all.push(Address::of(steps));
    }
    all
}

fn values_in(names: &[Address], file: &File) -> Vec<String> {
    let files = std::slice::from_ref(file);
    let mut found: Vec<_> =
        names.iter().flat_map(|name| find_active(files, name)).map(|(_, leaf)| leaf).collect();
    found.sort_unstable();
    found.dedup();
    found.into_iter().filter_map(|leaf| file.doc.parts(leaf)).map(|parts| file.doc.value(&parts)).collect()
}

/// What the files of a change held before it and after it.
fn versions_of(profile: &Profile, names: &[Address], entry: &Entry) -> Result<Vec<Version>, Error> {
    let Some(plan) = entry.evidence(&RealDisk)?.plan else { return Ok(Vec::new()) };
    let report = entry.report(&RealDisk);
    let moment = |text: Option<&String>| {
        let moment = text.and_then(|text| text.parse::<jiff::Timestamp>().ok());
        moment.map(jiff::Timestamp::as_millisecond)
    };
    // The name of its folder has the second in which it began.
    let named = entry.begun().map_or(0, jiff::Timestamp::as_millisecond);
    let begun = moment(report.as_ref().and_then(|report| report.begun.as_ref())).unwrap_or(named);
    let ended = moment(report.as_ref().and_then(|report| report.ended.as_ref())).unwrap_or(begun);
    let made = Made {
        change: entry.number,
        by: report.as_ref().map_or_else(|| "an unknown account".to_owned(), |report| report.who.clone()),
        why: report.as_ref().and_then(|report| report.why.clone()),
        verdict: report.as_ref().and_then(|report| report.verdict),
    };
    let mut versions = Vec::new();
    for file in &plan.files {
        let copies =
            [(file.backup.clone(), None), (Some(entry.copy_of("after", &file.path)), Some(made.clone()))];
        for (copy, made) in copies {
            let bytes = match copy {
                Some(copy) => RealDisk.read(&copy).map_err(|error| Error::file("read", &copy, error))?,
                None => None,
            };
            let at_ms = if made.is_some() { ended } else { begun };
            let values = values_of(profile, names, &file.path, bytes.unwrap_or_default())?;
            versions.push(Version { file: file.path.display().to_string(), at_ms, values, made });
        }
    }
    Ok(versions)
}

fn values_of(
    profile: &Profile,
    names: &[Address],
    path: &Path,
    bytes: Vec<u8>,
) -> Result<Vec<String>, Error> {
    let path = path.display().to_string();
    let (family, dialect) = profile.form_of(&path);
    let doc =
        Document::read(bytes, family, dialect.clone()).map_err(|error| Error::cannot(error.to_string()))?;
    Ok(values_in(names, &File { path, doc }))
}
