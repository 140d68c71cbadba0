//! What a change does beside its edits: files that the configuration refers to, links that switch a site or
//! a module on, files that go.

use super::difference::{Difference, shown_companion, shown_link};
use super::new_file::NewFile;
use super::proposal::Proposal;
use crate::disk::walk::{self, ownership_of};
use crate::disk::{self, Disk, link_target, link_to};
use crate::error::Error;
use crate::files::resolved;
use crate::run::extra_files::Companion;
use gypsum_core::change::Ownership;
use gypsum_core::text::Bytes;
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
        let now = ownership_of(&real).map_err(|error| Error::file("look at", &real, error))?;
        let same_dress = !wanted || now.is_some_and(|now| has(&now, &companion.ownership));
        if before.as_ref() == Some(&companion.bytes) && same_dress {
            return Ok(());
        }
        let ownership = match &before {
            Some(_) => wanted.then_some(companion.ownership),
            None => Some(self.new_companion(companion)),
        };
        let was = now.and_then(|now| now.mode);
        let is = ownership.and_then(|ownership| ownership.mode).or(was);
        let sides = (before.as_deref().map(|bytes| (bytes, was)), Some((companion.bytes.as_slice(), is)));
        self.edits.push(shown_companion(&real, sides.0, sides.1));
        self.new_files.push(NewFile {
            real,
            before: before.map(Bytes::from),
            after: Some(companion.bytes.clone().into()),
            ownership,
            shifts: Vec::new(),
        });
        Ok(())
    }

    /// What was said of its owner and mode; else as any new file, and open to nobody who could not read its source.
    fn new_companion(&self, companion: &Companion) -> Ownership {
        let said = companion.ownership;
        let usual = self.usual_ownership();
        let mode = usual.mode.map(|mode| mode & companion.source_mode.unwrap_or(mode));
        Ownership {
            mode: said.mode.or(mode),
            owner: said.owner.or(usual.owner),
            group: said.group.or(usual.group),
        }
    }

    /// The owner and mode of a new file: root's, or of the account that works on its folder, for all to read; or for as
    /// few as the main file, whose group then reads it, too.
    pub(super) fn usual_ownership(&self) -> Ownership {
        const FOR_ALL_TO_READ: u32 = 0o644;
        let main = self.before.loaded.get(self.before.home).map(|file| file.real.as_path());
        let known = main.and_then(|path| {
            ownership_of(path).unwrap_or_else(|error| {
                tracing::warn!(%error, "the mode of the main file is unknown");
                None
            })
        });
        let mode = known.and_then(|known| known.mode).unwrap_or(FOR_ALL_TO_READ) & FOR_ALL_TO_READ;
        let group = known.and_then(|known| known.group).filter(|_| mode != FOR_ALL_TO_READ);
        Ownership { mode: Some(mode), owner: None, group }
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
            let there = disk::entries(&waiting).map_err(|error| Error::file("look into", &waiting, error))?;
            let names = there.unwrap_or_default().into_iter().map(|(name, _)| name);
            let mut entries: Vec<PathBuf> = names.map(|name| waiting.join(name)).collect();
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
        let real = walk::place(&place.name).map_err(|error| Error::file("look at", &place.name, error))?.real;
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

/// Whether a file has the owner and mode that are wanted of it.
fn has(now: &Ownership, wanted: &Ownership) -> bool {
    let is = |now: Option<u32>, wanted: Option<u32>| wanted.is_none() || wanted == now;
    is(now.mode, wanted.mode) && is(now.owner, wanted.owner) && is(now.group, wanted.group)
}

/// The way from folder `from` to `to`, as short as a person would write it.
fn relative(from: &Path, to: &Path) -> PathBuf {
    let shared = from.components().zip(to.components()).take_while(|(a, b)| a == b).count();
    let up = from.components().skip(shared).map(|_| Component::ParentDir);
    up.chain(to.components().skip(shared)).collect()
}
