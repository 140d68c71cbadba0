//! The backup, and the plan from which everything that follows is done.

use super::Run;
use super::front::NewFile;
use crate::disk::{content_of, link_target};
use crate::error::Error;
use crate::files::can_exchange;
use crate::state::Entry;
use gypsum_core::change::{Content, How, Ownership, Plan, PlannedFile, StepOutcome};
use gypsum_core::event::Event;
use gypsum_core::profile::Service;
use gypsum_core::text::Bytes;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long an activation may take where nothing is said.
const USUAL_LIMIT: Duration = Duration::from_secs(60);
/// How long it may take at the most where only the service manager says something.
const MOST_LIMIT: Duration = Duration::from_mins(30);
/// How long all must stay well where nothing is said.
const USUAL_STEADY: Duration = Duration::from_secs(2);

impl Run<'_> {
    pub(super) fn save(&mut self) -> Result<StepOutcome, Error> {
        let (disk, state, now) = (self.disk(), self.state, self.world.now_ms());
        let front = self.front()?;
        let daemon = front.job.profile.daemon.clone();
        let entry = state.next(disk, &daemon, now)?;
        self.entry = Some(entry.clone());
        let front = self.front()?;
        let same_settings = front.says_the_same();
        let new_files = std::mem::take(&mut front.new_files);
        self.same_settings = same_settings;
        let mut files = Vec::new();
        for file in &new_files {
            files.push(self.back_up(&entry, file)?);
        }
        disk.sync_folder(&entry.folder).map_err(|error| Error::file("sync", &entry.folder, &error))?;
        let parent = state.of_daemon(&daemon);
        disk.sync_folder(&parent).map_err(|error| Error::file("sync", &parent, &error))?;
        // Those that are gone go last: nothing must refer to a file that is missing.
        let folders = missing_folders(&files);
        let mut pairs: Vec<(PlannedFile, Option<Bytes>)> =
            files.into_iter().zip(new_files.into_iter().map(|file| file.after)).collect();
        pairs.sort_by_key(|(file, _)| file.how == How::Remove);
        let (files, contents) = pairs.into_iter().unzip();
        self.contents = contents;
        self.plan = Some(self.plan_of(&entry, files, folders)?);
        let folder = entry.folder.join("before").display().to_string();
        self.emit(Event::BackedUp { change: entry.name, folder });
        let in_place: Vec<String> =
            self.plan()?.files.iter().filter(|file| file.how == How::InPlace).map(in_place).collect();
        for text in in_place {
            self.emit(Event::Noted { text });
        }
        Ok(StepOutcome::Done)
    }

    fn plan_of(
        &mut self,
        entry: &Entry,
        files: Vec<PlannedFile>,
        folders: Vec<PathBuf>,
    ) -> Result<Plan, Error> {
        let same_settings = self.same_settings;
        let front = self.front()?;
        let paths: Vec<&Path> = files.iter().map(|file| file.path.as_path()).collect();
        let chores = front.chores(&paths);
        // Whatever its manager says about the need: a unit file was touched.
        let files_of_units = paths.iter().any(|path| {
            let text = path.display().to_string();
            text.starts_with("/etc/systemd/") || text.contains("/.config/systemd/user/")
        });
        let time = |given: Option<jiff::SignedDuration>, usual: Duration| {
            let time = given.and_then(|given| given.try_into().ok()).unwrap_or(usual);
            u64::try_from(time.as_millis()).unwrap_or(u64::MAX)
        };
        // Whoever knows nothing better waits as long as the service manager itself does.
        let allowed = front.observed.as_ref().and_then(|seen| seen.allowed_ms).unwrap_or(0);
        let allowed = Duration::from_millis(allowed).min(MOST_LIMIT);
        Ok(Plan {
            daemon: front.job.profile.daemon.clone(),
            change: entry.name.clone(),
            files,
            folders,
            prune: front.job.prune.clone(),
            activation: front.activation,
            touch_service: front.touches_service(),
            same_settings,
            limit_ms: time(front.service.limit, allowed.max(USUAL_LIMIT)),
            steady_ms: front.job.steady.map_or_else(
                || time(front.service.steady, USUAL_STEADY),
                |steady| u64::try_from(steady.as_millis()).unwrap_or(u64::MAX),
            ),
            neighbours: std::mem::take(&mut front.neighbours),
            taken_along: std::mem::take(&mut front.taken_along),
            callers: std::mem::take(&mut front.callers),
            chores,
            service: Service {
                reread: front.service.reread || files_of_units,
                away: front.away().and_then(|away| away.try_into().ok()),
                ..front.service.clone()
            },
            checks_before: std::mem::take(&mut front.checks_before),
            checks_after: std::mem::take(&mut front.checks_after),
            baseline: std::mem::take(&mut front.baseline),
            service_before: front.observed.clone(),
            moved: front.moved_settings(),
            readings: std::mem::take(&mut front.readings),
            readings_before: std::mem::take(&mut front.readings_before),
            draft: front.draft(),
            takes_live: front.job.takes_live.clone(),
        })
    }

    /// The backup of one file, durable, read back and compared.
    fn back_up(&self, entry: &Entry, file: &NewFile) -> Result<PlannedFile, Error> {
        let disk = self.disk();
        let backup = file.before.as_ref().map(|bytes| (entry.copy_of("before", &file.real), bytes));
        if let Some((copy, bytes)) = &backup {
            self.place(copy, bytes, &file.real)?;
            disk.sync_file(copy).map_err(|error| Error::file("sync", copy, &error))?;
            self.sync_up(copy, &entry.folder)?;
            let again = disk.content(copy).map_err(|error| Error::file("read", copy, &error))?;
            if again != content_of(Some(bytes)) {
                return Err(Error::cannot(format!(
                    "the backup {} does not read back as it was written",
                    copy.display()
                ))
                .help("look at that disk before anything else"));
            }
        }
        let is_link =
            [file.before(), file.after()].into_iter().any(|side| side.and_then(link_target).is_some());
        let how = match (&file.before, &file.after) {
            (None, _) => How::Create,
            (_, None) => How::Remove,
            _ if is_link || can_exchange(&file.real) => How::Exchange,
            _ => How::InPlace,
        };
        let dress = file.dress.or_else(|| (how == How::Create && !is_link).then(|| usual_dress(&file.real)));
        if let Some(bytes) = &file.after {
            let copy = entry.copy_of("after", &file.real);
            self.place(&copy, bytes, &file.real)?;
            if let Some(dress) = &dress {
                disk.dress(&copy, dress)
                    .map_err(|error| Error::file("give its owner and mode to", &copy, &error))?;
            }
        }
        Ok(PlannedFile {
            aside: self.aside(entry, &file.real)?,
            path: file.real.clone(),
            before: content_of(file.before()),
            after: content_of(file.after()),
            how,
            backup: backup.map(|(copy, _)| copy),
            dress,
        })
    }

    fn place(&self, copy: &Path, bytes: &[u8], like: &Path) -> Result<(), Error> {
        let disk = self.disk();
        let failed = |error: std::io::Error| Error::file("write", copy, &error);
        disk.make_folder(copy.parent().unwrap_or(copy)).map_err(failed)?;
        let like = disk.content(like).is_ok_and(|content| content != Content::Absent).then_some(like);
        disk.create(copy, bytes, like).map_err(failed)
    }

    /// Makes the names of all folders between a copy and the change's folder durable.
    fn sync_up(&self, copy: &Path, top: &Path) -> Result<(), Error> {
        for folder in copy.ancestors().skip(1).take_while(|folder| *folder != top) {
            self.disk().sync_folder(folder).map_err(|error| Error::file("sync", folder, &error))?;
        }
        Ok(())
    }

    /// A name beside the file that no include pattern reads (they leave out names with a leading dot,
    /// and by their ending), and that is free: what stands there may be somebody's only copy.
    fn aside(&self, entry: &Entry, path: &Path) -> Result<PathBuf, Error> {
        let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
        let taken = |error: std::io::Error| Error::file("look beside", path, &error);
        for more in ["", "b", "c", "d", "e"] {
            let aside = path.with_file_name(format!(".{name}.gypsum-{:04}{more}~", entry.number));
            if self.disk().read(&aside).map_err(taken)?.is_none() {
                return Ok(aside);
            }
        }
        Err(Error::cannot(format!("there are too many leftovers beside {}", path.display()))
            .help(format!("look at .{name}.gypsum-* there: one may hold an original")))
    }
}

/// The folders that do not exist yet, outermost first.
fn missing_folders(files: &[PlannedFile]) -> Vec<PathBuf> {
    let mut missing: Vec<PathBuf> = Vec::new();
    for file in files.iter().filter(|file| file.how == How::Create) {
        let above = file.path.ancestors().skip(1).take_while(|folder| !folder.exists());
        missing.extend(above.map(Path::to_owned));
    }
    missing.sort();
    missing.dedup();
    missing
}

/// The owner and mode of a new file: those of its neighbours, else everybody's to read as configuration
/// usually is.
fn usual_dress(path: &Path) -> Ownership {
    let files = path.parent().and_then(|folder| fs::read_dir(folder).ok()).into_iter().flatten().flatten();
    let mut neighbours: Vec<PathBuf> =
        files.map(|entry| entry.path()).filter(|path| path.is_file()).collect();
    neighbours.sort();
    match neighbours.first().and_then(|neighbour| fs::metadata(neighbour).ok()) {
        Some(meta) => {
            Ownership { mode: Some(meta.mode() & 0o777), owner: Some(meta.uid()), group: Some(meta.gid()) }
        }
        None => Ownership { mode: Some(0o644), owner: None, group: None },
    }
}

fn in_place(file: &PlannedFile) -> String {
    let path = file.path.display();
    format!("{path} is itself a mount, or its file system cannot exchange two files: it is written in place")
}
