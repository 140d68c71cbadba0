//! `gypsum restore`.

use super::Context;
use super::change::{carry_out, request_of};
use crate::args::{ChangeOptions, Target};
use crate::target::{NoTarget, profile_of};
use gypsum_core::change::{Content, Plan, PlannedFile, Verdict};
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::{Disk, RealDisk, content_of};
use gypsum_host::error::Error;
use gypsum_host::evidence::Progress;
use gypsum_host::run::NewContent;
use gypsum_host::state::Entry;
use std::path::PathBuf;

pub fn run(
    context: &Context,
    target: &Target,
    change: Option<&str>,
    whole: bool,
    options: &ChangeOptions,
) -> Result<ExitStatus, NoTarget> {
    let profile = profile_of(target)?;
    let entry = match change {
        Some(word) => context.state.find(&RealDisk, &profile.daemon, word)?,
        None => last_kept(context, &profile.daemon)?,
    };
    let plan = entry.evidence(&RealDisk)?.plan.ok_or_else(|| {
        Error::cannot(format!("the plan of change {} cannot be read", entry.number))
            .help(format!("its old files are in {}", entry.folder.join("before").display()))
    })?;
    let content = NewContent::Restored(files_of(&plan, &entry, whole)?);
    if options.hold {
        let error = Error::usage("a restore cannot be held");
        return Err(error.help("-n shows what a restore would do").into());
    }
    let mut request = request_of(profile, content, options)?;
    request.prune = plan.folders.iter().rev().cloned().collect();
    request.why.get_or_insert_with(|| format!("takes back change {}", entry.number));
    carry_out(context, request)
}

fn last_kept(context: &Context, daemon: &str) -> Result<Entry, Error> {
    for entry in context.state.entries(&RealDisk, daemon)?.into_iter().rev() {
        if matches!(entry.evidence(&RealDisk)?.progress, Progress::Ended(Verdict::Kept)) {
            return Ok(entry);
        }
    }
    Err(Error::usage(format!("no change of {daemon} is live that could be taken back"))
        .help(format!("`gypsum changes {daemon}` lists what was done")))
}

/// Each file with what it is to hold.
type Contents = Vec<(PathBuf, Option<Vec<u8>>)>;

/// The files as they were before the change; refused where they were changed since, unless that is
/// to be lost.
fn files_of(plan: &Plan, entry: &Entry, whole: bool) -> Result<Contents, Error> {
    let mut files = Vec::new();
    let mut changed = Vec::new();
    for file in &plan.files {
        let live = RealDisk.read(&file.path).map_err(|error| Error::file("read", &file.path, error))?;
        let content = content_of(live.as_deref());
        if content != file.after && content != file.before {
            changed.push(file.path.display().to_string());
        }
        files.push((file.path.clone(), backup_of(file)?));
    }
    if !changed.is_empty() && !whole {
        return Err(Error::refused(format!("{} was changed since change {}", changed.join(" and "), entry.number)).help(
            "`gypsum changes` shows by what; --whole puts the files back as of then, and what came after is lost (it is in the new change's backup)",
        ));
    }
    Ok(files)
}

fn backup_of(file: &PlannedFile) -> Result<Option<Vec<u8>>, Error> {
    let Some(path) = &file.backup else {
        return Ok(None);
    };
    let bytes = RealDisk.read(path).map_err(|error| Error::file("read", path, error))?;
    if file.before != Content::Absent && content_of(bytes.as_deref()) != file.before {
        return Err(Error::cannot(format!("the backup {} is not what was saved", path.display()))
            .help("it was changed or removed; another change may hold a copy"));
    }
    Ok(bytes)
}
