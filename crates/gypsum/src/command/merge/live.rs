//! `gypsum merge DAEMON`: the new versions that wait beside a daemon's files are merged, and go live as a change.

use super::shown::{lines, with_answers};
use super::{Context, check_answers, put_away};
use crate::args::{MergeArgs, Target};
use crate::command::change::{carry_out_told, request_of};
use crate::command::whole;
use crate::target::{NoTarget, profile_of};
use crate::view::{plain_finding_lines, wrapped};
use gypsum_core::carry::{Answers, Carried, Versions};
use gypsum_core::change::Verdict;
use gypsum_core::doc::Document;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::profile::{NameAnswer, Profile};
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::files::{Loading, load};
use gypsum_host::rehearse::{Proposed, check_proposed};
use gypsum_host::run::{ChangeRequest, NewContent};
use gypsum_host::shipped::{
    Base, Kept, Record, Records, Shipped, Waiting, Waits, base_of, text_in_package, waiting,
};
use serde_json::{Value, json};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// One file with its three versions.
struct ToMerge {
    /// Its name, as the daemon has it.
    name: String,
    /// The file itself.
    real: PathBuf,
    base: Base,
    mine: Vec<u8>,
    theirs: Vec<u8>,
    /// What is recorded of theirs.
    record: Option<Record>,
    /// What waits there, but for a package that is not installed yet.
    waiting: Option<Waiting>,
}

/// One file, merged.
struct Merged {
    file: ToMerge,
    carried: Carried,
}

pub fn run(context: &Context, asked: &MergeArgs, answers: Answers) -> Result<ExitStatus, NoTarget> {
    let target = Target { profile: asked.profile.clone(), ..Target::named(&asked.daemon) };
    let profile = profile_of(context, &target)?;
    let loading = load(&profile, None)?;
    let records = Records::read().map_err(|error| {
        Error::because(error).help("without the records of the package manager it is unknown what waits")
    })?;
    let all = match &asked.against {
        Some(package) => against_package(context, &profile, &loading, &records, package)?,
        None => waiting_files(context, asked, &profile, &loading, &records)?,
    };
    if all.is_empty() {
        return Ok(nothing(context, asked, &profile, &waiting(&loading, &records)));
    }
    let (answers, merged) = merge_all(context, &profile, &loading, all, answers)?;
    let addresses: Vec<&str> =
        merged.iter().flat_map(|one| &one.carried.questions).map(|question| &*question.address).collect();
    check_answers(&answers, &addresses)?;
    let from_mine = only_with_mine(&profile, &loading, &merged);
    let open =
        merged.iter().flat_map(|one| &one.carried.questions).any(|question| question.answered.is_none());
    // What could not be carried is not in the result.
    let failed = merged
        .iter()
        .flat_map(|one| &one.carried.findings)
        .any(|finding| finding.severity == Severity::Fault);
    if !context.out.json {
        for one in &merged {
            let title = format!("{}  {}", one.file.name, from_to(&one.file));
            lines(context, &title, &one.carried).iter().for_each(|line| context.out.print(line));
        }
        for finding in &from_mine {
            plain_finding_lines(finding, context.out).iter().for_each(|line| context.out.print(line));
        }
    }
    if open || failed || asked.against.is_some() {
        let refused = open || failed || !from_mine.is_empty();
        let status = if refused { ExitStatus::Refused } else { ExitStatus::Success };
        if !context.out.json {
            let how = match asked.against {
                Some(_) => "nothing was changed: this is what the package would bring".to_owned(),
                None if failed => "nothing was changed: see above what cannot be merged".to_owned(),
                None => "nothing was changed; answer with --answer, or with --take mine".to_owned(),
            };
            wrapped(&how, context.out.width).iter().for_each(|line| context.out.print(line));
        }
        context.answer(status, fields(&profile, &merged, &from_mine));
        return Ok(status);
    }
    go_live(context, asked, &target, profile, &merged)
}

/// What base, mine and theirs come from, in words.
fn from_to(file: &ToMerge) -> String {
    let now = file.record.as_ref().map_or_else(|| "the new version".to_owned(), Record::title);
    match &file.base.title {
        Some(base) => format!("(edited from {base}, now {now})"),
        None => format!("(now {now})"),
    }
}

/// The files at which a new version waits, with their three versions.
fn waiting_files(
    context: &Context,
    asked: &MergeArgs,
    profile: &Profile,
    loading: &Loading,
    records: &Records,
) -> Result<Vec<ToMerge>, Error> {
    let kept = Kept::of(&context.state);
    let entries = context.state.entries(&RealDisk, &profile.daemon)?;
    let mut all = Vec::new();
    for one in waiting(loading, records) {
        let Some(theirs) = one.theirs() else { continue };
        if asked.within.as_ref().is_some_and(|within| *within != one.file && *within != one.real) {
            continue;
        }
        let mine = one.mine().unwrap_or(&one.real);
        let (mine, theirs) = (whole(mine)?, whole(theirs)?);
        // A file that the package manager never puts in place is recorded as it was edited.
        let not_placed = matches!(one.waits, Waits::NotPlaced { .. });
        let base = match &asked.base {
            Some(file) => Some(Base { bytes: whole(file)?, from: file.clone(), title: None }),
            None => {
                // Of a file that was renamed the new version is recorded, and not the one that was edited.
                let recorded =
                    not_placed.then(|| recorded_text(records, &kept, &one, &mine, &entries)).flatten();
                match recorded.filter(|base| base.bytes != theirs) {
                    Some(base) => Some(base),
                    None => base_of(&kept, &one.real, one.record.as_ref(), &entries)?,
                }
            }
        };
        let Some(base) = base else { return Err(no_base(profile, &one)) };
        all.push(ToMerge {
            name: one.file.display().to_string(),
            real: one.real.clone(),
            base,
            mine,
            theirs,
            record: one.record.clone(),
            waiting: Some(one),
        });
    }
    Ok(all)
}

/// The text that is recorded of a file still.
fn recorded_text(
    records: &Records,
    kept: &Kept,
    one: &Waiting,
    mine: &[u8],
    entries: &[gypsum_host::state::Entry],
) -> Option<Base> {
    let backups = entries.iter().map(|entry| entry.copy_of("before", &one.real));
    match records.find(&one.file, mine, backups, kept) {
        Shipped::Text { record, bytes, from } => Some(Base { bytes, from, title: Some(record.title()) }),
        Shipped::Unedited(record) => {
            Some(Base { bytes: mine.to_vec(), from: one.real.clone(), title: Some(record.title()) })
        }
        Shipped::Unrecorded | Shipped::Edited(_) => None,
    }
}

fn no_base(profile: &Profile, one: &Waiting) -> Error {
    let (daemon, file) = (&profile.daemon, one.file.display());
    Error::refused(format!("the text that {file} was edited from is not on this host any more"))
        .help(format!(
            "if you have it, from a backup or from the old package: gypsum merge {daemon} --in {file} --base FILE\nto keep your file as it is: gypsum merge {daemon} --in {file} --keep-mine\n`gypsum setup packages` keeps these texts before each upgrade"
        ))
}

/// The files of which a package that is not installed yet brings another version.
fn against_package(
    context: &Context,
    profile: &Profile,
    loading: &Loading,
    records: &Records,
    package: &Path,
) -> Result<Vec<ToMerge>, Error> {
    let kept = Kept::of(&context.state);
    let entries = context.state.entries(&RealDisk, &profile.daemon)?;
    let mut all = Vec::new();
    for loaded in loading.loaded.iter().filter(|loaded| !loaded.absent) {
        let mine = whole(&loaded.real)?;
        let backups = entries.iter().map(|entry| entry.copy_of("before", &loaded.real));
        let Shipped::Text { record, bytes, from } = records.find(&loaded.real, &mine, backups, &kept) else {
            continue;
        };
        let Some(theirs) = text_in_package(package, &loaded.real)?.filter(|theirs| *theirs != bytes) else {
            continue;
        };
        all.push(ToMerge {
            name: loaded.name.display().to_string(),
            real: loaded.real.clone(),
            base: Base { bytes, from, title: Some(record.title()) },
            mine,
            theirs,
            record: None,
            waiting: None,
        });
    }
    Ok(all)
}

/// Nothing waits, or nothing of what waits can be merged.
fn nothing(context: &Context, asked: &MergeArgs, profile: &Profile, all: &[Waiting]) -> ExitStatus {
    let text = match &asked.against {
        Some(package) => {
            format!("{} brings no other version of an edited file of {}", package.display(), profile.daemon)
        }
        None => format!("no new version waits for {}", profile.daemon),
    };
    context.say_unless_json(&text);
    let findings: Vec<Finding> = all.iter().map(|one| one.finding(&profile.daemon)).collect();
    if !context.out.json {
        for finding in &findings {
            plain_finding_lines(finding, context.out).iter().for_each(|line| context.out.print(line));
        }
    }
    context
        .answer(ExitStatus::Success, json!({ "daemon": profile.daemon, "files": [], "findings": findings }));
    ExitStatus::Success
}

/// All files merged; what is open is asked at a terminal.
fn merge_all(
    context: &Context,
    profile: &Profile,
    loading: &Loading,
    all: Vec<ToMerge>,
    mut answers: Answers,
) -> Result<(Answers, Vec<Merged>), Error> {
    let known: RefCell<BTreeMap<String, Option<bool>>> = RefCell::default();
    let knows = |name: &str| {
        *known.borrow_mut().entry(name.to_owned()).or_insert_with(|| {
            match gypsum_host::survey::known_name(profile, name) {
                Some(NameAnswer::Known) => Some(true),
                Some(NameAnswer::Unknown(_) | NameAnswer::Removed(_)) => Some(false),
                None => None,
            }
        })
    };
    let mut merged = Vec::new();
    for file in all {
        let (family, dialect) = match loading.loaded.iter().position(|loaded| loaded.real == file.real) {
            Some(n) => (loading.files[n].doc.family(), loading.files[n].doc.dialect().clone()),
            None => {
                let (family, dialect) = profile.form_of(&file.name);
                (family, dialect.clone())
            }
        };
        let read = |bytes: &[u8]| {
            Document::read(bytes.to_vec(), family, dialect.clone())
                .map_err(|error| Error::cannot(error.to_string()))
        };
        let (base, mine, theirs) = (read(&file.base.bytes)?, read(&file.mine)?, read(&file.theirs)?);
        let versions = Versions { profile, base: &base, mine: &mine, theirs: &theirs, knows: &knows };
        let carried;
        (answers, carried) = with_answers(context, &versions, answers)?;
        merged.push(Merged { file, carried });
    }
    Ok((answers, merged))
}

/// What the daemon's checker says of the result and not of the new version alone: it comes from what was carried.
fn only_with_mine(profile: &Profile, loading: &Loading, merged: &[Merged]) -> Vec<Finding> {
    let Some(checker) = &profile.checker else { return Vec::new() };
    let home = loading.loaded.get(loading.home).map(|file| file.real.clone()).unwrap_or_default();
    let said = |bytes: &dyn Fn(&Merged) -> &[u8]| {
        let proposed: Vec<Proposed<'_>> = merged
            .iter()
            .map(|one| Proposed {
                real: &one.file.real,
                bytes: Some(bytes(one)),
                shifts: Vec::new(),
                ownership: None,
                is_home: one.file.real == home,
            })
            .collect();
        check_proposed(checker, &proposed, &home).map(|rehearsal| rehearsal.findings)
    };
    let (theirs, result) = (said(&|one| &one.file.theirs), said(&|one| &one.carried.bytes));
    let (Ok(theirs), Ok(result)) = (theirs, result) else { return Vec::new() };
    let is_new = |finding: &Finding| {
        finding.severity > Severity::Hint && !theirs.iter().any(|other| other.message == finding.message)
    };
    result.into_iter().filter(is_new).collect()
}

/// The result goes live as a change; then what waited is put away.
fn go_live(
    context: &Context,
    asked: &MergeArgs,
    target: &Target,
    profile: Profile,
    merged: &[Merged],
) -> Result<ExitStatus, NoTarget> {
    let files: Vec<(PathBuf, Option<Vec<u8>>)> =
        merged.iter().map(|one| (one.file.real.clone(), Some(one.carried.bytes.clone()))).collect();
    let daemon = profile.daemon.clone();
    let title = merged.iter().find_map(|one| one.file.record.as_ref()).map(Record::title);
    let why = title
        .map_or_else(|| "merges a new version".to_owned(), |title| format!("merges the files of {title}"));
    let changes = files.iter().any(|(path, bytes)| fs::read(path).ok() != *bytes);
    let mut request: ChangeRequest = request_of(profile, NewContent::Ready(files), &asked.options)?;
    request.why.get_or_insert(why);
    request.merges = true;
    let is_dry = request.wishes.dry_run;
    let (status, verdict) = carry_out_told(context, target, request)?;
    let is_live = verdict == Some(Verdict::Kept) || !changes && verdict == Some(Verdict::Unchanged);
    if is_live && !is_dry {
        let beside = merged.iter().filter_map(|one| one.file.waiting.as_ref());
        put_away(context, &daemon, beside, merged.iter().map(|one| (&*one.file.real, &*one.file.theirs)))?;
    }
    Ok(status)
}

fn fields(profile: &Profile, merged: &[Merged], from_mine: &[Finding]) -> Value {
    let files: Vec<Value> = merged
        .iter()
        .map(|one| {
            json!({
                "file": one.file.name,
                "base": one.file.base.from,
                "questions": one.carried.questions,
                "findings": one.carried.findings,
                "settled": one.carried.settled,
            })
        })
        .collect();
    json!({ "daemon": profile.daemon, "files": files, "findings": from_mine })
}
