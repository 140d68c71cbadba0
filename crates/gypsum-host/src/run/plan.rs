//! The backup, and the plan from which everything that follows is done.

use super::Run;
use super::front::NewFile;
use crate::disk::content_of;
use crate::files::can_exchange;
use crate::state::Entry;
use crate::trouble::Trouble;
use gypsum_core::change::{Event, How, Plan, PlannedFile};
use gypsum_core::happening::Happening;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long an activation may take where nothing is said.
const USUAL_LIMIT: Duration = Duration::from_secs(60);
/// How long all must stay well where nothing is said.
const USUAL_STEADY: Duration = Duration::from_secs(2);

impl Run<'_> {
    pub(super) fn save(&mut self) -> Result<Event, Trouble> {
        let (disk, state, now) = (self.disk(), self.state, self.world.now_ms());
        let front = self.front()?;
        let daemon = front.job.profile.daemon.clone();
        let entry = state.next(disk, &daemon, now)?;
        self.entry = Some(entry.clone());
        let front = self.front()?;
        let new_files = std::mem::take(&mut front.new_files);
        let mut files = Vec::new();
        for file in &new_files {
            files.push(self.back_up(&entry, file)?);
        }
        disk.sync_folder(&entry.folder).map_err(|error| Trouble::file("sync", &entry.folder, &error))?;
        let parent = state.of_daemon(&daemon);
        disk.sync_folder(&parent).map_err(|error| Trouble::file("sync", &parent, &error))?;
        // Those that are gone go last: nothing must refer to a file that is missing.
        let mut pairs: Vec<(PlannedFile, Option<Vec<u8>>)> =
            files.into_iter().zip(new_files.into_iter().map(|file| file.after)).collect();
        pairs.sort_by_key(|(file, _)| file.how == How::Remove);
        let (files, contents) = pairs.into_iter().unzip();
        self.contents = contents;
        self.plan = Some(self.plan_of(&entry, files)?);
        let folder = entry.folder.join("before").display().to_string();
        self.emit(Happening::BackedUp { change: entry.name, folder });
        let in_place: Vec<String> =
            self.plan()?.files.iter().filter(|file| file.how == How::InPlace).map(in_place).collect();
        for text in in_place {
            self.emit(Happening::Noted { text });
        }
        Ok(Event::Done)
    }

    fn plan_of(&mut self, entry: &Entry, files: Vec<PlannedFile>) -> Result<Plan, Trouble> {
        let front = self.front()?;
        let time = |given: Option<jiff::SignedDuration>, usual: Duration| {
            let time = given.and_then(|given| given.try_into().ok()).unwrap_or(usual);
            u64::try_from(time.as_millis()).unwrap_or(u64::MAX)
        };
        Ok(Plan {
            daemon: front.job.profile.daemon.clone(),
            change: entry.name.clone(),
            files,
            activation: front.activation,
            touch_service: front.touches_service(),
            limit_ms: time(front.service.limit, USUAL_LIMIT),
            steady_ms: time(front.service.steady, USUAL_STEADY),
            service: front.service.clone(),
            checks_before: std::mem::take(&mut front.checks_before),
            checks_after: std::mem::take(&mut front.checks_after),
            baseline: std::mem::take(&mut front.baseline),
            service_before: front.observed.clone(),
        })
    }

    /// The backup of one file, durable, read back and compared.
    fn back_up(&self, entry: &Entry, file: &NewFile) -> Result<PlannedFile, Trouble> {
        let disk = self.disk();
        let backup = file.before.as_ref().map(|bytes| (entry.copy_of("before", &file.real), bytes));
        if let Some((copy, bytes)) = &backup {
            self.place(copy, bytes, &file.real)?;
            disk.sync_file(copy).map_err(|error| Trouble::file("sync", copy, &error))?;
            self.sync_up(copy, &entry.folder)?;
            let again = disk.read(copy).map_err(|error| Trouble::file("read", copy, &error))?;
            if again.as_ref() != Some(*bytes) {
                return Err(Trouble::cannot(format!(
                    "the backup {} does not read back as it was written",
                    copy.display()
                ))
                .mend("look at that disk before anything else"));
            }
        }
        if let Some(bytes) = &file.after {
            self.place(&entry.copy_of("after", &file.real), bytes, &file.real)?;
        }
        let how = match (&file.before, &file.after) {
            (None, _) => How::Create,
            (_, None) => How::Remove,
            _ if can_exchange(&file.real) => How::Exchange,
            _ => How::InPlace,
        };
        Ok(PlannedFile {
            aside: self.aside(entry, &file.real)?,
            path: file.real.clone(),
            before: content_of(file.before.as_deref()),
            after: content_of(file.after.as_deref()),
            how,
            backup: backup.map(|(copy, _)| copy),
        })
    }

    fn place(&self, copy: &Path, bytes: &[u8], like: &Path) -> Result<(), Trouble> {
        let disk = self.disk();
        let failed = |error: std::io::Error| Trouble::file("write", copy, &error);
        disk.make_folder(copy.parent().unwrap_or(copy)).map_err(failed)?;
        let like = disk.read(like).ok().flatten().is_some().then_some(like);
        disk.create(copy, bytes, like).map_err(failed)
    }

    /// Makes the names of all folders between a copy and the change's folder durable.
    fn sync_up(&self, copy: &Path, top: &Path) -> Result<(), Trouble> {
        for folder in copy.ancestors().skip(1).take_while(|folder| *folder != top) {
            self.disk().sync_folder(folder).map_err(|error| Trouble::file("sync", folder, &error))?;
        }
        Ok(())
    }

    /// A name beside the file that no include pattern reads (they leave out names with a leading dot,
    /// and by their ending), and that is free: what stands there may be somebody's only copy.
    fn aside(&self, entry: &Entry, path: &Path) -> Result<PathBuf, Trouble> {
        let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
        let taken = |error: std::io::Error| Trouble::file("look beside", path, &error);
        for more in ["", "b", "c", "d", "e"] {
            let aside = path.with_file_name(format!(".{name}.gypsum-{:04}{more}~", entry.number));
            if self.disk().read(&aside).map_err(taken)?.is_none() {
                return Ok(aside);
            }
        }
        Err(Trouble::cannot(format!("too many leftovers stand beside {}", path.display()))
            .mend(format!("look at .{name}.gypsum-* there: one may hold an original")))
    }
}

fn in_place(file: &PlannedFile) -> String {
    let path = file.path.display();
    format!("{path} is itself a mount, or its file system cannot exchange two files: it is written in place")
}
