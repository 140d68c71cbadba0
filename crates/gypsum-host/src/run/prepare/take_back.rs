//! What files hold without an earlier change: setting by setting where that is possible, or as a whole.

use super::lock::Loaded;
use super::new_file::NewFile;
use crate::disk::walk::ownership_of;
use crate::disk::{content_of, link_target};
use crate::error::Error;
use crate::merging::{bytes_of, merged};
use crate::run::request::TakeBack;
use crate::run::steps::RunContext;
use crate::state::Entry;
use gypsum_core::change::{Content, Plan, PlannedFile, Verdict};
use gypsum_core::edit::LineDiff;
use gypsum_core::merge::Conflict;
use gypsum_core::report::Report;
use std::path::{Path, PathBuf};

/// Each file with what it is to hold; `None` if it is to be gone.
type Contents = Vec<(PathBuf, Option<Vec<u8>>)>;

/// The files of the daemon without these changes, the last of which is taken back first.
pub(super) fn contents(cx: &RunContext<'_>, loaded: &Loaded, wanted: &TakeBack) -> Result<Contents, Error> {
    let disk = cx.world.disk();
    let mut contents: Contents = Vec::new();
    for entry in &wanted.changes {
        let plan = plan_of(cx, entry)?;
        for file in &plan.files {
            let known = contents.iter().position(|(path, _)| *path == file.path);
            let now = match known {
                Some(n) => contents[n].1.clone(),
                None => bytes_of(disk, &file.path)?,
            };
            let before = backup_of(cx, file)?;
            let back = match wanted.whole {
                true => before,
                false => without(cx, loaded, entry, file, now, before)?,
            };
            match known {
                Some(n) => contents[n].1 = back,
                None => contents.push((file.path.clone(), back)),
            }
        }
    }
    Ok(contents)
}

/// The owner and mode that files get back with their bytes: of those that are gone, or got others by these changes.
pub(super) fn give_owners_back(
    cx: &RunContext<'_>,
    wanted: &TakeBack,
    new_files: &mut [NewFile],
) -> Result<(), Error> {
    for entry in &wanted.changes {
        for planned in plan_of(cx, entry)?.files {
            let Some(backup) = &planned.backup else { continue };
            let Some(file) = new_files.iter_mut().find(|file| file.real == planned.path) else { continue };
            let is_file = file.after().is_some_and(|bytes| link_target(bytes).is_none());
            if is_file && (file.before.is_none() || planned.ownership.is_some()) {
                let owner = ownership_of(backup).map_err(|error| Error::file("look at", backup, error))?;
                file.ownership = owner.or(file.ownership);
            }
        }
    }
    Ok(())
}

/// The file without the change, and with all that came after it.
fn without(
    cx: &RunContext<'_>,
    loaded: &Loaded,
    entry: &Entry,
    file: &PlannedFile,
    now: Option<Vec<u8>>,
    before: Option<Vec<u8>>,
) -> Result<Option<Vec<u8>>, Error> {
    let content = content_of(now.as_deref());
    if content == file.after {
        return Ok(before);
    }
    if content == file.before {
        return Ok(now);
    }
    let after = bytes_of(cx.world.disk(), &entry.copy_of("after", &file.path))?;
    let after = after.filter(|bytes| content_of(Some(bytes)) == file.after);
    let (Some(after), Some(before), Some(now)) = (after, before, now) else {
        // One of the two has no settings to compare: the file was made, removed or is a link.
        return Err(refused(cx, loaded, entry, file, &[]));
    };
    let profile = &loaded.request.profile;
    let without = merged(&loaded.before, profile, &file.path, after, before, now)?;
    without.map(Some).map_err(|conflicts| refused(cx, loaded, entry, file, &conflicts))
}

/// What was made of the same settings since, and by which change.
fn refused(
    cx: &RunContext<'_>,
    loaded: &Loaded,
    entry: &Entry,
    file: &PlannedFile,
    conflicts: &[Conflict],
) -> Error {
    let (daemon, number) = (&loaded.request.profile.daemon, entry.number);
    let path = file.path.display();
    let mut lines: Vec<String> = later(cx, daemon, entry, &file.path)
        .into_iter()
        .map(|(later, who, edit)| {
            let now = edit.after.as_deref().map_or("removed".to_owned(), |after| after.trim().to_owned());
            format!("change {later} by {who} changed {}: {now}", edit.address)
        })
        .collect();
    if lines.is_empty() {
        lines.extend(conflicts.iter().map(|conflict| {
            let theirs = conflict.theirs.trim();
            let now = if theirs.is_empty() { "removed" } else { theirs };
            format!("the same lines were changed outside Gypsum: {now}")
        }));
    }
    let message =
        format!("change {number} cannot be taken back alone: {path} was changed since in the same settings");
    let way = format!(
        "restore the whole files, and lose what came after:\n  gypsum restore {daemon} {number} --whole"
    );
    lines.push(way);
    Error::refused(message).help(lines.join("\n"))
}

/// The edits of later changes that are live, of the settings that `entry` changed in this file.
fn later(cx: &RunContext<'_>, daemon: &str, entry: &Entry, path: &Path) -> Vec<(u32, String, LineDiff)> {
    let disk = cx.world.disk();
    let in_file = |report: Report| -> Vec<LineDiff> {
        report.edits.into_iter().filter(|edit| Path::new(&edit.file) == path).collect()
    };
    let ours: Vec<String> =
        entry.report(disk).map(in_file).unwrap_or_default().into_iter().map(|edit| edit.address).collect();
    let mut found = Vec::new();
    let Ok(entries) = cx.state.newest(disk, daemon) else { return found };
    let later = entries.map_while(Result::ok).take_while(|later| later.number > entry.number);
    for later in later.collect::<Vec<_>>().into_iter().rev() {
        let Some(report) = later.report(disk).filter(|report| report.verdict == Some(Verdict::Kept)) else {
            continue;
        };
        let who = report.who.clone();
        let same = in_file(report).into_iter().filter(|edit| ours.contains(&edit.address));
        found.extend(same.map(|edit| (later.number, who.clone(), edit)));
    }
    found
}

fn plan_of(cx: &RunContext<'_>, entry: &Entry) -> Result<Plan, Error> {
    entry.evidence(cx.world.disk())?.plan.ok_or_else(|| {
        Error::cannot(format!("the plan of change {} cannot be read", entry.number))
            .help(format!("its old files are in {}", entry.folder.join("before").display()))
    })
}

fn backup_of(cx: &RunContext<'_>, file: &PlannedFile) -> Result<Option<Vec<u8>>, Error> {
    let Some(path) = &file.backup else {
        return Ok(None);
    };
    let bytes = bytes_of(cx.world.disk(), path)?;
    if file.before != Content::Absent && content_of(bytes.as_deref()) != file.before {
        return Err(Error::cannot(format!("the backup {} is not what was saved", path.display()))
            .help("it was changed or removed; another change may hold a copy"));
    }
    Ok(bytes)
}
