//! Proposals that were checked and put aside until the service can be spared: kept as drafts, taken live together.

use super::request::NewContent;
use crate::disk::Disk;
use crate::drafts::{self, Draft, Reason};
use crate::error::Error;
use crate::files;
use crate::state::State;
use gypsum_core::doc::Document;
use gypsum_core::merge::merge;
use gypsum_core::profile::Profile;

/// The drafts of a daemon that are ready, and the change that takes all of them live.
pub fn ready(disk: &dyn Disk, state: &State, profile: &Profile) -> Result<(NewContent, Vec<Draft>), Error> {
    let mut ready = drafts::all(state, &profile.daemon);
    ready.retain(|draft| draft.note.because == Reason::Ready);
    if ready.is_empty() {
        return Err(Error::usage(format!("nothing of {} is ready", profile.daemon)).help(format!(
            "gypsum change {} EDIT --hold checks a change and puts it aside",
            profile.daemon
        )));
    }
    let mut files = Vec::new();
    for draft in &ready {
        files.push((draft.note.file.clone(), Some(on_live(disk, profile, draft)?)));
    }
    Ok((NewContent::Ready(files), ready))
}

/// What a draft proposes, with what was changed in the file since it was put aside.
fn on_live(disk: &dyn Disk, profile: &Profile, draft: &Draft) -> Result<Vec<u8>, Error> {
    let file = &draft.note.file;
    let live = disk.read(file).map_err(|error| Error::file("read", file, error))?.unwrap_or_default();
    let (base, typed) = (draft.base()?, draft.proposal()?);
    if base == live {
        return Ok(typed);
    }
    let loading = files::load(disk, profile, None)?;
    let like = loading.loaded.iter().position(|loaded| loaded.real == *file).map(|n| &loading.files[n].doc);
    let (family, dialect) = like.map_or_else(
        || (profile.files.format, profile.dialect.clone()),
        |doc| (doc.family(), doc.dialect().clone()),
    );
    let read = |bytes: Vec<u8>| {
        Document::read(bytes, family, dialect.clone()).map_err(|error| Error::cannot(error.to_string()))
    };
    merge(&read(base)?, &read(typed)?, &read(live)?).map_err(|conflicts| {
        let message = format!(
            "{} was changed since, in {} of the lines that wait",
            file.display(),
            if conflicts.len() == 1 { "one".to_owned() } else { conflicts.len().to_string() }
        );
        Error::refused(message).help(format!("gypsum edit {} shows the draft", profile.daemon))
    })
}
