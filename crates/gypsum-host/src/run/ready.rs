//! Proposals that were checked and are held until the service can be spared: drafts, taken live together.

use super::request::NewContent;
use crate::disk::Disk;
use crate::drafts::{self, Draft, Reason};
use crate::error::Error;
use crate::files;
use crate::merging::merged;
use crate::state::State;
use gypsum_core::profile::Profile;

/// The held drafts of a daemon with these numbers, or all of them, and the change that takes them live. Drafts of
/// several files that were held by one change go live together.
///
/// # Errors
///
/// If there is none, if one of the numbers is not that of a held draft, or if the file was changed since in the same
/// lines.
pub fn ready(
    disk: &dyn Disk,
    state: &State,
    profile: &Profile,
    numbers: Option<&[u32]>,
) -> Result<(NewContent, Vec<Draft>), Error> {
    let daemon = &profile.daemon;
    let mut ready = drafts::held(state, daemon)?;
    if let Some(numbers) = numbers {
        for number in numbers {
            let draft = drafts::find(state, daemon, *number)?;
            if draft.note.because != Reason::Ready {
                let why = draft.note.because.words();
                let error = Error::usage(format!("draft {number} of {daemon} is not held: it is {why}"));
                return Err(error.help(format!("check it again: gypsum edit {daemon} --draft {number}")));
            }
        }
        let moments: Vec<i64> = ready
            .iter()
            .filter(|draft| numbers.contains(&draft.number))
            .map(|draft| draft.note.at_ms)
            .collect();
        ready.retain(|draft| moments.contains(&draft.note.at_ms));
    }
    if ready.is_empty() {
        return Err(Error::usage(format!("no change of {daemon} is held"))
            .help(format!("gypsum change {daemon} EDIT --hold checks a change and keeps it for later")));
    }
    let mut files = Vec::new();
    for draft in &ready {
        files.push((draft.note.file.clone(), Some(on_live(disk, profile, draft)?)));
    }
    Ok((NewContent::Ready(files), ready))
}

/// What a draft proposes, with what was changed in the file since it was held.
fn on_live(disk: &dyn Disk, profile: &Profile, draft: &Draft) -> Result<Vec<u8>, Error> {
    let file = &draft.note.file;
    let live = disk.read(file).map_err(|error| Error::file("read", file, error))?.unwrap_or_default();
    let (base, typed) = (draft.base()?, draft.proposal()?);
    if base == live {
        return Ok(typed);
    }
    let loading = files::load(profile, None)?;
    merged(&loading, profile, file, base, typed, live)?.map_err(|conflicts| {
        let message = format!(
            "{} was changed since, in {} of the lines of draft {}",
            file.display(),
            if conflicts.len() == 1 { "one".to_owned() } else { conflicts.len().to_string() },
            draft.number
        );
        Error::refused(message)
            .help(format!("merge them: gypsum edit {} --draft {}", profile.daemon, draft.number))
    })
}
