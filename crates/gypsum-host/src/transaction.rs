//! The file transaction: from the files as they are to the proposal and back, each file wholly the
//! one or the other at any moment, and nobody's bytes lost.
//!
//! Every step can be repeated. What was done is read off the disk, by digest: the live file is
//! *before*, *after*, *foreign* or absent, and so is what waits aside.

use crate::disk::{Disk, content_of, link_target};
use crate::error::Error;
use gypsum_core::change::{Content, Plan, PlannedFile, ReplaceBy};
use gypsum_core::text::Bytes;
use std::io;
use std::path::{Path, PathBuf};

/// A file transaction; everything it needs is in the plan.
pub struct Transaction<'a> {
    disk: &'a dyn Disk,
    plan: &'a Plan,
    folder: &'a Path,
}

type Outcome<T = ()> = Result<T, Error>;

impl<'a> Transaction<'a> {
    /// The transaction of `plan`, whose change has this folder.
    pub fn new(disk: &'a dyn Disk, plan: &'a Plan, folder: &'a Path) -> Self {
        Self { disk, plan, folder }
    }

    /// Puts the new files beside the old ones, durable, and returns what a person should know about it. No live file is
    /// touched.
    pub fn stage(&self, contents: &[Option<Bytes>]) -> Outcome<Vec<String>> {
        let mut notes = Vec::new();
        // Who wrote before this moment is told so while nothing is touched; who writes later is noticed
        // by the exchange.
        for file in &self.plan.files {
            if self.content(&file.path)? != file.before {
                return Err(foreign(&file.path));
            }
        }
        for folder in &self.plan.folders {
            self.disk.make_open_folder(folder).map_err(|error| Error::file("make", folder, error))?;
            self.sync_around(folder)?;
        }
        for (file, bytes) in self.plan.files.iter().zip(contents) {
            let Some(bytes) = bytes else { continue };
            let model = if file.how == ReplaceBy::Create { None } else { Some(file.path.as_path()) };
            let model = model.or(file.backup.as_deref());
            self.disk.create(&file.aside, bytes, model).map_err(|e| Error::file("write", &file.aside, e))?;
            if let Some(model) = model.filter(|_| link_target(bytes.as_slice()).is_none()) {
                notes.extend(self.lost(file, model)?);
            }
            if let Some(ownership) = &file.ownership {
                let dressed = self.disk.set_ownership(&file.aside, ownership);
                dressed.map_err(|error| Error::file("give its owner and mode to", &file.aside, error))?;
            }
            self.disk.sync_file(&file.aside).map_err(|e| Error::file("sync", &file.aside, e))?;
        }
        self.sync_folders()?;
        Ok(notes)
    }

    /// What the new file does not have of the old one.
    fn lost(&self, file: &PlannedFile, model: &Path) -> Outcome<Option<String>> {
        let lost = self.disk.attributes_lost(model, &file.aside);
        let lost = lost.map_err(|error| Error::file("read the attributes of", &file.aside, error))?;
        let path = file.path.display();
        Ok((!lost.is_empty())
            .then(|| format!("the new {path} does not have these attributes: {}", lost.join(", "))))
    }

    /// Takes the new files live, one at a time. A file that somebody else changed in the meantime
    /// is left as that somebody wrote it, and the transaction fails.
    pub fn replace(&self) -> Outcome {
        for file in &self.plan.files {
            self.replace_one(file)?;
            self.sync_around(&file.path)?;
        }
        Ok(())
    }

    fn replace_one(&self, file: &PlannedFile) -> Outcome {
        let PlannedFile { path, aside, .. } = file;
        let swapped = |result: io::Result<()>| match result {
            Err(error) if matches!(error.kind(), io::ErrorKind::AlreadyExists | io::ErrorKind::NotFound) => {
                Err(foreign(path))
            }
            other => other.map_err(|error| Error::file("replace", path, error)),
        };
        match file.how {
            ReplaceBy::Exchange => {
                swapped(self.disk.exchange(aside, path))?;
                if self.content(aside)? == file.before {
                    return Ok(());
                }
                // Somebody wrote after we read: theirs goes live again, unless it changed once more.
                if self.content(path)? == file.after {
                    swapped(self.disk.exchange(aside, path))?;
                }
                Err(foreign(path))
            }
            ReplaceBy::Create => swapped(self.disk.rename_new(aside, path)),
            ReplaceBy::Remove => {
                swapped(self.disk.rename_new(path, aside))?;
                if self.content(aside)? == file.before {
                    return Ok(());
                }
                swapped(self.disk.rename_new(aside, path))?;
                Err(foreign(path))
            }
            ReplaceBy::InPlace => {
                if self.content(path)? != file.before {
                    return Err(foreign(path));
                }
                let bytes = self.bytes(aside)?.unwrap_or_default();
                self.disk.overwrite(path, &bytes).map_err(|error| Error::file("write", path, error))?;
                self.disk.sync_file(path).map_err(|error| Error::file("sync", path, error))
            }
        }
    }

    /// Puts the old files back, in reverse order, and returns what a person should know about it.
    pub fn put_back(&self) -> Outcome<Vec<String>> {
        let mut notes = Vec::new();
        for file in self.plan.files.iter().rev() {
            let note = match file.how {
                ReplaceBy::Exchange => self.exchange_back(file)?,
                ReplaceBy::InPlace => self.write_back(file)?,
                ReplaceBy::Create => self.take_away(file)?,
                ReplaceBy::Remove => self.bring_back(file)?,
            };
            self.sync_around(&file.path)?;
            notes.extend(note);
        }
        self.remove_folders(self.plan.folders.iter().rev())?;
        Ok(notes)
    }

    /// Removes those folders that are empty; what somebody put into the others stays.
    fn remove_folders<'b>(&self, folders: impl Iterator<Item = &'b PathBuf>) -> Outcome {
        for folder in folders {
            self.disk.remove_folder(folder).map_err(|error| Error::file("remove", folder, error))?;
        }
        Ok(())
    }

    fn exchange_back(&self, file: &PlannedFile) -> Outcome<Option<String>> {
        let (live, aside) = (self.content(&file.path)?, self.content(&file.aside)?);
        let swapped = aside != Content::Absent && aside != file.after;
        match (live == file.before, live == file.after) {
            (true, _) => self.drop_aside(file, None),
            // Not swapped yet: whatever is live is not ours to touch.
            (_, false) if aside == file.after => self.drop_aside(file, Some(left_alone(&file.path))),
            _ if live == Content::Absent && swapped => {
                self.rename(&file.aside, &file.path)?;
                Ok(None)
            }
            (_, true) if swapped => {
                self.exchange(file)?;
                let note = (aside != file.before).then(|| left_alone(&file.path));
                self.drop_aside(file, note)
            }
            (_, ours) => {
                let note = if ours || live == Content::Absent { None } else { Some(self.save(&file.path)?) };
                if !swapped {
                    self.backup_aside(file)?;
                }
                if live == Content::Absent {
                    self.rename(&file.aside, &file.path)?;
                    return Ok(note);
                }
                self.exchange(file)?;
                self.drop_aside(file, note)
            }
        }
    }

    fn write_back(&self, file: &PlannedFile) -> Outcome<Option<String>> {
        let live = self.content(&file.path)?;
        let mut note = None;
        if live != file.before {
            // A write that a crash cut short looks foreign, too; it is saved like one.
            if live != file.after && live != Content::Absent {
                note = Some(self.save(&file.path)?);
            }
            let bytes = self.backup(file)?;
            let written = match live {
                Content::Absent => self.disk.create(&file.path, &bytes, file.backup.as_deref()),
                Content::Digest(_) => self.disk.overwrite(&file.path, &bytes),
            };
            written.map_err(|error| Error::file("write", &file.path, error))?;
            self.disk.sync_file(&file.path).map_err(|error| Error::file("sync", &file.path, error))?;
        }
        self.drop_aside(file, note)
    }

    fn take_away(&self, file: &PlannedFile) -> Outcome<Option<String>> {
        let (live, aside) = (self.content(&file.path)?, self.content(&file.aside)?);
        if live == Content::Absent {
            return self.drop_aside(file, None);
        }
        if aside == file.after {
            return self.drop_aside(file, Some(left_alone(&file.path)));
        }
        // Renamed first and looked at then, so that a write in between is not lost.
        self.rename(&file.path, &file.aside)?;
        self.drop_aside(file, None)
    }

    fn bring_back(&self, file: &PlannedFile) -> Outcome<Option<String>> {
        let (live, aside) = (self.content(&file.path)?, self.content(&file.aside)?);
        match (live, aside) {
            (Content::Digest(_), Content::Absent) => Ok(None),
            (Content::Absent, Content::Digest(_)) => {
                self.rename(&file.aside, &file.path)?;
                Ok(None)
            }
            (Content::Absent, Content::Absent) => {
                self.backup_aside(file)?;
                self.rename(&file.aside, &file.path)?;
                Ok(None)
            }
            (Content::Digest(_), Content::Digest(_)) => {
                let note = self.save(&file.path)?;
                self.exchange(file)?;
                self.drop_aside(file, Some(note))
            }
        }
    }

    /// Removes what waits aside. What is neither before nor after was written by somebody else and is
    /// saved first.
    pub fn tidy(&self) -> Outcome<Vec<String>> {
        let mut notes = Vec::new();
        for file in &self.plan.files {
            notes.extend(self.drop_aside(file, None)?);
        }
        self.sync_folders()?;
        self.remove_folders(self.plan.prune.iter())?;
        Ok(notes)
    }

    /// Removes what was put beside the files before anything was live; it may be torn.
    pub fn unstage(&self) -> Outcome {
        for file in self.plan.files.iter().filter(|file| file.how != ReplaceBy::Remove) {
            self.disk.remove(&file.aside).map_err(|error| Error::file("remove", &file.aside, error))?;
        }
        self.sync_folders()?;
        self.remove_folders(self.plan.folders.iter().rev())
    }

    /// Whether every live file holds what it held before.
    pub fn is_before(&self) -> Outcome<bool> {
        self.all(|file| &file.before)
    }

    /// Whether every live file holds what it is to hold.
    pub fn is_after(&self) -> Outcome<bool> {
        self.all(|file| &file.after)
    }

    /// Whether a live file is no longer as it was before through this change: it holds what it is to hold, or was
    /// half written in its place.
    pub fn is_begun(&self) -> Outcome<bool> {
        for file in &self.plan.files {
            let live = self.content(&file.path)?;
            let is_half_written = file.how == ReplaceBy::InPlace && live != file.before;
            if is_half_written || (live == file.after && live != file.before) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// The live files that another process changed or removed since they went live, each with what to say of it; a
    /// version that is neither before nor after is saved first.
    pub fn others(&self) -> Outcome<Vec<(PathBuf, String)>> {
        let mut found = Vec::new();
        for file in &self.plan.files {
            let live = self.content(&file.path)?;
            if live == file.after {
                continue;
            }
            let path = file.path.display();
            let note = match live {
                Content::Absent => format!("another process removed {path} meanwhile"),
                live if live == file.before => {
                    format!("another process gave {path} back what it held before this change")
                }
                Content::Digest(_) => self.save(&file.path)?,
            };
            found.push((file.path.clone(), note));
        }
        Ok(found)
    }

    /// Whether anything waits beside a live file.
    pub fn is_staged(&self) -> Outcome<bool> {
        for file in &self.plan.files {
            if self.content(&file.aside)? != Content::Absent {
                return Ok(true);
            }
        }
        Ok(false)
    }

    fn all(&self, wanted: impl Fn(&PlannedFile) -> &Content) -> Outcome<bool> {
        for file in &self.plan.files {
            if self.content(&file.path)? != *wanted(file) {
                return Ok(false);
            }
        }
        Ok(true)
    }

    fn drop_aside(&self, file: &PlannedFile, note: Option<String>) -> Outcome<Option<String>> {
        let aside = self.content(&file.aside)?;
        let ours = aside == file.before || aside == file.after;
        let note = if ours || aside == Content::Absent || self.is_saved(&aside)? {
            note
        } else {
            Some(self.save(&file.aside)?)
        };
        match self.disk.remove(&file.aside) {
            // What was put there is no file, and may not be empty.
            Err(error) if error.kind() == io::ErrorKind::IsADirectory => Ok(Some(format!(
                "a folder that another process put there is left at {}",
                file.aside.display()
            ))),
            removed => removed.map(|()| note).map_err(|error| Error::file("remove", &file.aside, error)),
        }
    }

    fn backup_aside(&self, file: &PlannedFile) -> Outcome {
        let bytes = self.backup(file)?;
        self.disk.remove(&file.aside).map_err(|error| Error::file("remove", &file.aside, error))?;
        let made = self.disk.create(&file.aside, &bytes, file.backup.as_deref());
        made.map_err(|error| Error::file("write", &file.aside, error))?;
        self.disk.sync_file(&file.aside).map_err(|error| Error::file("sync", &file.aside, error))
    }

    fn backup(&self, file: &PlannedFile) -> Outcome<Vec<u8>> {
        let missing = || Error::cannot(format!("the backup of {} is gone", file.path.display()));
        let bytes = self.bytes(file.backup.as_ref().ok_or_else(missing)?)?.ok_or_else(missing)?;
        if content_of(Some(&bytes)) == file.before { Ok(bytes) } else { Err(missing()) }
    }

    /// Keeps a copy of somebody else's version in the change's folder.
    fn save(&self, path: &Path) -> Outcome<String> {
        let folder = self.foreign_folder();
        let bytes = match self.disk.read(path) {
            Ok(Some(bytes)) => bytes,
            Ok(None) => return Ok(left_alone(path)),
            // A pipe, a device or a folder: there are no bytes that could be lost.
            Err(error) if error.kind() == io::ErrorKind::InvalidInput => {
                return Ok(format!(
                    "another process put something that is no file in place of {}",
                    path.display()
                ));
            }
            Err(error) => return Err(Error::file("read", path, error)),
        };
        let copy = folder.join(digest_name(&content_of(Some(&bytes))));
        if self.bytes(&copy)?.as_deref() != Some(bytes.as_slice()) {
            let kept = |error: io::Error| Error::file("keep a copy in", &folder, error);
            self.disk.make_folder(&folder).map_err(kept)?;
            self.disk.remove(&copy).map_err(kept)?;
            self.disk.create(&copy, &bytes, None).map_err(kept)?;
            self.disk.sync_file(&copy).map_err(kept)?;
            self.disk.sync_folder(&folder).map_err(kept)?;
            self.disk.sync_folder(self.folder).map_err(kept)?;
        }
        Ok(format!(
            "another process changed {} meanwhile; its version is saved in {}",
            path.display(),
            copy.display()
        ))
    }

    fn is_saved(&self, content: &Content) -> Outcome<bool> {
        let copy = self.foreign_folder().join(digest_name(content));
        Ok(self.content(&copy)? == *content)
    }

    fn foreign_folder(&self) -> PathBuf {
        self.folder.join("foreign")
    }

    fn exchange(&self, file: &PlannedFile) -> Outcome {
        let done = self.disk.exchange(&file.aside, &file.path);
        done.map_err(|error| Error::file("restore", &file.path, error))?;
        self.sync_around(&file.path)
    }

    fn rename(&self, from: &Path, to: &Path) -> Outcome {
        self.disk.rename_new(from, to).map_err(|error| Error::file("restore", to, error))?;
        self.sync_around(to)
    }

    fn bytes(&self, path: &Path) -> Outcome<Option<Vec<u8>>> {
        self.disk.read(path).map_err(|error| Error::file("read", path, error))
    }

    fn content(&self, path: &Path) -> Outcome<Content> {
        self.disk.content(path).map_err(|error| Error::file("read", path, error))
    }

    fn sync_around(&self, path: &Path) -> Outcome {
        self.sync_folder(path.parent().unwrap_or(path))
    }

    fn sync_folders(&self) -> Outcome {
        let mut folders: Vec<&Path> = self.plan.files.iter().filter_map(|file| file.path.parent()).collect();
        folders.sort();
        folders.dedup();
        folders.into_iter().try_for_each(|folder| self.sync_folder(folder))
    }

    fn sync_folder(&self, folder: &Path) -> Outcome {
        match self.disk.sync_folder(folder) {
            // One that was to be made, and was not, or is gone again.
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            synced => synced.map_err(|error| Error::file("sync", folder, error)),
        }
    }
}

fn digest_name(content: &Content) -> &str {
    match content {
        Content::Absent => "absent",
        Content::Digest(digest) => &digest[..16.min(digest.len())],
    }
}

fn foreign(path: &Path) -> Error {
    Error::cannot(format!("{} was changed by another process after it was read", path.display()))
        .help("look at it, and run the command again")
}

fn left_alone(path: &Path) -> String {
    format!("another process changed {} meanwhile; its version is live and was left alone", path.display())
}
