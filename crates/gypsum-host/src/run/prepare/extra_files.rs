//! What a change does beside its edits: files that the configuration refers to, links that switch a site or
//! a module on, files that go.

use super::difference::{Difference, shown_companion, shown_link};
use super::new_file::NewFile;
use super::proposal::Proposal;
use crate::disk::{Disk, link_target, link_to};
use crate::error::Error;
use crate::files::resolved;
use crate::run::extra_files::Companion;
use gypsum_core::change::Ownership;
use gypsum_core::text::Bytes;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Component, Path, PathBuf};

/// Adds the files that change besides the edits to a proposal.
pub(super) fn add(proposal: &mut Proposal, disk: &dyn Disk) -> Result<(), Error> {
    let extra = proposal.request.extra_files.clone();
    for companion in &extra.companions {
        proposal.place_companion(disk, companion)?;
    }
    for (name, on) in &extra.switches {
        proposal.switch(disk, name, *on)?;
    }
    for path in &extra.gone {
        proposal.take_out(disk, path)?;
    }
    Ok(())
}

impl Proposal {
    fn place_companion(&mut self, disk: &dyn Disk, companion: &Companion) -> Result<(), Error> {
        let real = resolved(&companion.to);
        if self.before.loaded.iter().any(|file| file.real == real) {
            return Err(Error::usage(format!("{} is one of the daemon's own files", real.display()))
                .help("a prepared configuration file goes in with --whole FILE --in FILE"));
        }
        if link_target(&companion.bytes).is_some() {
            return Err(Error::usage(format!("what goes to {} is no file's content", real.display())));
        }
        let before = disk.read(&real).map_err(|error| Error::file("read", &real, error))?;
        let wanted = companion.ownership != Ownership::default();
        let same_dress =
            !wanted || fs::metadata(&real).is_ok_and(|meta| has_ownership(&meta, &companion.ownership));
        if before.as_ref() == Some(&companion.bytes) && same_dress {
            return Ok(());
        }
        self.edits.push(shown_companion(&real, before.as_deref(), Some(&companion.bytes)));
        let ownership = wanted.then_some(companion.ownership);
        self.new_files.push(NewFile {
            real,
            before: before.map(Bytes::from),
            after: Some(companion.bytes.clone().into()),
            ownership,
            shifts: Vec::new(),
        });
        Ok(())
    }

    /// A link in a folder that the daemon reads, to what waits in the folder beside it.
    fn switch(&mut self, disk: &dyn Disk, name: &str, on: bool) -> Result<(), Error> {
        let found = self.switchable(name)?;
        for (available, enabled) in found {
            let link = enabled.join(available.file_name().unwrap_or_default());
            let target = relative(&enabled, &available);
            let before = disk.read(&link).map_err(|error| Error::file("read", &link, error))?;
            let after = match (&before, on) {
                (None, true) => Some(link_to(&target)),
                (Some(bytes), false) if link_target(bytes).is_some() => None,
                (Some(bytes), true) if link_target(bytes).is_some() => continue,
                (None, false) => continue,
                (Some(_), _) => {
                    return Err(Error::refused(format!(
                        "{} is a file of its own and no link",
                        link.display()
                    ))
                    .help("--delete-file takes a file away"));
                }
            };
            self.edits.push(shown_link(&link, &target, on));
            if let Some(n) = self.after.iter().position(|file| Path::new(&file.path) == link).filter(|_| !on)
            {
                self.after.remove(n);
            }
            let (before, after) = (before.map(Bytes::from), after.map(Bytes::from));
            self.new_files.push(NewFile { real: link, before, after, ownership: None, shifts: Vec::new() });
        }
        Ok(())
    }

    /// The files called `name` that wait in a folder beside one that the daemon reads (`NAME-available` beside
    /// `NAME-enabled`, as distributions lay them out), each with the folder that is read.
    fn switchable(&self, name: &str) -> Result<Vec<(PathBuf, PathBuf)>, Error> {
        let mut found = Vec::new();
        let mut known = Vec::new();
        let mut folders: Vec<PathBuf> = self
            .before
            .patterns
            .iter()
            .filter_map(|pattern| Some(Path::new(pattern).parent()?.to_owned()))
            .collect();
        folders.sort();
        folders.dedup();
        for enabled in folders {
            let Some(stem) = enabled.file_name().and_then(|name| name.to_str()?.strip_suffix("enabled"))
            else {
                continue;
            };
            let waiting = enabled.with_file_name(format!("{stem}available"));
            let mut entries: Vec<PathBuf> =
                fs::read_dir(&waiting).into_iter().flatten().flatten().map(|entry| entry.path()).collect();
            entries.sort();
            for path in entries {
                let file =
                    path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
                let bare = file.rsplit_once('.').map_or(file.as_str(), |(bare, _)| bare);
                if (file == name || bare == name) && path.is_file() {
                    found.push((path, enabled.clone()));
                }
                known.push(bare.to_owned());
            }
        }
        known.dedup();
        if !found.is_empty() {
            return Ok(found);
        }
        let near = gypsum_core::text::nearest(name, known.iter().map(String::as_str));
        let error = Error::usage(format!("there is no {name} that could be switched on or off"));
        Err(match near.first() {
            Some(near) => error.help(format!("did you mean {near}?")),
            None if known.is_empty() => error.help("this daemon reads no folder of links"),
            None => error.help(format!("there is {}", known.join(", "))),
        })
    }

    fn take_out(&mut self, disk: &dyn Disk, path: &Path) -> Result<(), Error> {
        let loading = &self.before;
        let n = loading.find(path)?;
        if n == loading.home {
            return Err(Error::usage(format!("{} is the daemon's main file", path.display()))
                .help("settings are taken out with --delete ADDRESS"));
        }
        // Of a link the link goes, and not what it leads to.
        let place = &loading.loaded[n];
        let parent = place.name.parent().and_then(|parent| parent.canonicalize().ok());
        let real = match (parent, place.name.file_name()) {
            (Some(parent), Some(name)) => parent.join(name),
            _ => place.real.clone(),
        };
        let name = place.name.clone();
        let before = disk.read(&real).map_err(|error| Error::file("read", &real, error))?;
        match before.as_deref().and_then(link_target) {
            Some(target) => self.edits.push(shown_link(&real, target, false)),
            None => self.edits.extend(Difference::of(before.as_deref(), None).shown(&real)),
        }
        self.after.retain(|file| Path::new(&file.path) != name);
        let before = before.map(Bytes::from);
        self.new_files.push(NewFile { real, before, after: None, ownership: None, shifts: Vec::new() });
        Ok(())
    }
}

fn has_ownership(meta: &fs::Metadata, ownership: &Ownership) -> bool {
    ownership.mode.is_none_or(|mode| meta.mode() & 0o7777 == mode)
        && ownership.owner.is_none_or(|owner| meta.uid() == owner)
        && ownership.group.is_none_or(|group| meta.gid() == group)
}

/// The way from folder `from` to `to`, as short as a person would write it.
fn relative(from: &Path, to: &Path) -> PathBuf {
    let shared = from.components().zip(to.components()).take_while(|(a, b)| a == b).count();
    let up = from.components().skip(shared).map(|_| Component::ParentDir);
    up.chain(to.components().skip(shared)).collect()
}
