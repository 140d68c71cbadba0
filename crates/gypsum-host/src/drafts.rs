//! Drafts: proposals that are not live, numbered per daemon. One folder each, named by its number, under the daemon's
//! in the state folder; it holds the proposal under the file's own name, what the file held when it was begun, and
//! whose it is.
//!
//! While an editor is open its draft is what is edited, so whatever was written survives the editor, the
//! session and this program.

use crate::disk::{Disk, RealDisk, content_of};
use crate::error::Error;
use crate::evidence::Damage;
use crate::state::State;
use gypsum_core::change::TakenDraft;
use gypsum_core::record::{Recorded, seal, unseal};
use serde::{Deserialize, Serialize};
use std::fs::{self, File, TryLockError};
use std::io;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};

/// Whose a draft is, and why it is not live.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Note {
    /// The file that it is of, links followed.
    pub file: PathBuf,
    /// Who made it.
    pub who: String,
    /// When, in milliseconds since 1970.
    pub at_ms: i64,
    /// Why it is not live.
    pub because: Reason,
    /// Why it was made, in the person's words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
    /// Whether a person wrote it, in an editor or as a prepared file, and not Gypsum from a line of edits.
    pub written: bool,
}

/// A proposal that is not live.
#[derive(Clone, Debug)]
pub struct Draft {
    folder: PathBuf,
    /// Its number among the drafts of its daemon; none is used twice.
    pub number: u32,
    /// Whose it is.
    pub note: Note,
}

/// A draft that an editor is open on; held by this process, and free again when that ends.
#[derive(Debug)]
pub struct Held {
    _file: File,
}

/// Why a draft is not live.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// A check refused it.
    Refused,
    /// It was live, and the old configuration was restored.
    #[serde(alias = "put back")]
    Restored,
    /// The change ended before it was live.
    #[serde(alias = "not finished")]
    NotFinished,
    /// The person left it.
    Left,
    /// An editor is open on it.
    #[serde(alias = "being edited")]
    BeingEdited,
    /// It was checked, and is to go live later.
    Ready,
}

impl Reason {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Refused => "refused",
            Self::Restored => "restored",
            Self::NotFinished => "not finished",
            Self::Left => "left",
            Self::BeingEdited => "being edited",
            Self::Ready => "held",
        }
    }
}

const NOTE: &str = "draft.json";
const BASE: &str = "base";
const HELD: &str = "held";
const PROPOSAL: &str = "proposal";
/// The last number that was given.
const LAST: &str = "last-number";

/// The drafts of a daemon, by number: oldest first.
///
/// # Errors
///
/// If their folder may not be read.
pub fn all(state: &State, daemon: &str) -> Result<Vec<Draft>, Error> {
    let found = folders(state, daemon)?.into_iter().map(Draft::at);
    let mut drafts: Vec<Draft> = found.filter_map(Recorded::whole).collect();
    drafts.sort_by_key(|draft| draft.number);
    Ok(drafts)
}

/// The drafts of a daemon that were checked, and are to go live later.
///
/// # Errors
///
/// If their folder may not be read.
pub fn held(state: &State, daemon: &str) -> Result<Vec<Draft>, Error> {
    let mut drafts = all(state, daemon)?;
    drafts.retain(|draft| draft.note.because == Reason::Ready);
    Ok(drafts)
}

/// The draft of this number.
///
/// # Errors
///
/// If there is none, or it cannot be read; then with the reason.
pub fn find(state: &State, daemon: &str, number: u32) -> Result<Draft, Error> {
    match Draft::at(folder_of(state, daemon).join(number.to_string())) {
        Recorded::Whole(draft) => Ok(draft),
        Recorded::Absent => Err(Error::usage(format!("{daemon} has no draft {number}"))
            .help(format!("gypsum drafts {daemon} lists them"))),
        Recorded::Damaged(why) => Err(Error::cannot(format!("draft {number} of {daemon} is damaged: {why}"))),
        Recorded::Newer(version) => Err(Error::cannot(format!(
            "a newer Gypsum wrote draft {number} of {daemon}, in version {version}"
        ))
        .help("use that version of Gypsum")),
    }
}

fn folder_of(state: &State, daemon: &str) -> PathBuf {
    state.of_daemon(daemon).join("drafts")
}

/// The drafts of a daemon of which nothing is known any more but what they propose: each with the reason.
///
/// # Errors
///
/// If their folder may not be read.
pub fn damaged(state: &State, daemon: &str) -> Result<Vec<Damage>, Error> {
    let unread = folders(state, daemon)?.into_iter().filter_map(|folder| {
        let file = folder.join(NOTE);
        let why = match Draft::at(folder) {
            Recorded::Absent | Recorded::Whole(_) => return None,
            Recorded::Damaged(why) => why,
            Recorded::Newer(version) => format!("a newer Gypsum wrote it, in version {version}"),
        };
        Some(Damage { file, line: None, why: Some(why) })
    });
    Ok(unread.collect())
}

fn folders(state: &State, daemon: &str) -> Result<Vec<PathBuf>, Error> {
    let base = folder_of(state, daemon);
    let names = RealDisk.folders(&base).map_err(|error| Error::file("read", &base, error))?;
    Ok(names.into_iter().map(|name| base.join(name)).collect())
}

/// The drafts of one file, oldest first.
///
/// # Errors
///
/// If their folder may not be read.
pub fn of_file(state: &State, daemon: &str, file: &Path) -> Result<Vec<Draft>, Error> {
    let mut drafts = all(state, daemon)?;
    drafts.retain(|draft| draft.note.file == file);
    Ok(drafts)
}

/// Keeps `bytes` as a draft. A file has one held draft: a further one takes its place, and its number. A draft that
/// holds the same already is that draft. A proposal that Gypsum made of a line of edits takes the place of the last
/// such; what a person wrote, or held, is never replaced by it.
///
/// # Errors
///
/// If it cannot be written, with the place.
pub fn keep(state: &State, daemon: &str, note: Note, base: &[u8], bytes: &[u8]) -> Result<Draft, Error> {
    for mut known in all(state, daemon)? {
        let same_file = known.note.file == note.file;
        if known.holder().is_some() {
            continue;
        }
        match (known.note.because, note.because) {
            (Reason::Ready, Reason::Ready) if same_file => {
                known.rebase(base, bytes)?;
                let why = joined(known.note.why.take(), note.why.clone());
                known.note = Note { why, ..note };
                known.write_note()?;
                return Ok(known);
            }
            (Reason::Ready, _) | (_, Reason::Ready | Reason::BeingEdited) => continue,
            _ => {}
        }
        if same_file && known.proposal()? == bytes {
            known.note = Note { written: known.note.written || note.written, ..note };
            known.write_note()?;
            return Ok(known);
        }
        let both_refused = known.note.because == Reason::Refused && note.because == Reason::Refused;
        // The drafts of several files of one change are made at one moment.
        let same_change = known.note.at_ms == note.at_ms;
        if !note.written && !known.note.written && (same_file || both_refused) && !same_change {
            known.remove()?;
        }
    }
    let base_folder = folder_of(state, daemon);
    let failed = |error: io::Error| Error::file("keep a draft in", &base_folder, error);
    RealDisk.make_folder(&base_folder).map_err(failed)?;
    let (number, folder) = numbered_folder(&base_folder).map_err(failed)?;
    let inner = folder.join(PROPOSAL);
    RealDisk.make_folder(&inner).map_err(failed)?;
    let draft = Draft { folder: folder.clone(), number, note };
    for (path, bytes) in [(folder.join(BASE), base), (draft.path(), bytes)] {
        RealDisk.create(&path, bytes, None).and_then(|()| RealDisk.sync_file(&path)).map_err(failed)?;
    }
    draft.write_note()?;
    for folder in [&inner, &folder, &base_folder] {
        RealDisk.sync_folder(folder).map_err(failed)?;
    }
    Ok(draft)
}

/// Two reasons, one after the other.
fn joined(first: Option<String>, second: Option<String>) -> Option<String> {
    match (first, second) {
        (Some(first), Some(second)) if first != second => Some(format!("{first}; {second}")),
        (first, second) => first.or(second),
    }
}

/// A new folder with the next number. A number is given once, even if its draft is gone.
fn numbered_folder(base: &Path) -> io::Result<(u32, PathBuf)> {
    let last = base.join(LAST);
    let given = RealDisk.read(&last)?.and_then(|bytes| String::from_utf8(bytes).ok()?.trim().parse().ok());
    let known = RealDisk.folders(base)?.into_iter().filter_map(|name| name.parse().ok());
    let mut number = known.chain(given).max().unwrap_or(0u32) + 1;
    loop {
        let folder = base.join(number.to_string());
        match fs::DirBuilder::new().mode(0o700).create(&folder) {
            // Another session has just taken that number.
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => number += 1,
            made => {
                made?;
                fs::write(&last, number.to_string())?;
                return Ok((number, folder));
            }
        }
    }
}

impl Draft {
    fn at(folder: PathBuf) -> Recorded<Self> {
        let bytes = match fs::read(folder.join(NOTE)) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Recorded::Absent,
            Err(error) => return Recorded::Damaged(error.to_string()),
        };
        let number = folder.file_name().and_then(|name| name.to_str()?.parse().ok());
        let Some(number) = number else {
            return Recorded::Damaged("the name of its folder is not a number".into());
        };
        unseal(&bytes).map(|note| Self { folder, number, note })
    }

    /// Where the proposal is: a file of the same name as the real one, for the editor's sake.
    pub fn path(&self) -> PathBuf {
        self.folder.join(PROPOSAL).join(self.note.file.file_name().unwrap_or_default())
    }

    /// What it proposes.
    pub fn proposal(&self) -> Result<Vec<u8>, Error> {
        let path = self.path();
        fs::read(&path).map_err(|error| Error::file("read the draft", &path, error))
    }

    /// What the file held when it was begun.
    pub fn base(&self) -> Result<Vec<u8>, Error> {
        let path = self.folder.join(BASE);
        fs::read(&path).map_err(|error| Error::file("read", &path, error))
    }

    /// From now on it is a proposal against `base`, and proposes `bytes`.
    pub fn rebase(&self, base: &[u8], bytes: &[u8]) -> Result<(), Error> {
        // The proposal first: with the old base it would be merged a second time, which changes nothing.
        for (path, bytes) in [(self.path(), bytes), (self.folder.join(BASE), base)] {
            self.replace(&path, bytes)?;
        }
        Ok(())
    }

    /// From now on it proposes these bytes.
    pub fn propose(&self, bytes: &[u8]) -> Result<(), Error> {
        self.replace(&self.path(), bytes)
    }

    /// Says why it is not live.
    pub fn is_now(&mut self, because: Reason, now_ms: i64) -> Result<(), Error> {
        self.note.because = because;
        self.note.at_ms = now_ms;
        self.write_note()
    }

    fn write_note(&self) -> Result<(), Error> {
        let path = self.folder.join(NOTE);
        let bytes = seal(&self.note).and_then(|note| serde_json::to_vec_pretty(&note));
        let bytes = bytes.map_err(|error| Error::file("write", &path, error.into()))?;
        self.replace(&path, &bytes)
    }

    /// A whole file in the place of another, durable.
    fn replace(&self, path: &Path, bytes: &[u8]) -> Result<(), Error> {
        let next = self.folder.join("next");
        let done = RealDisk
            .remove(&next)
            .and_then(|()| RealDisk.create(&next, bytes, None))
            .and_then(|()| RealDisk.sync_file(&next))
            .and_then(|()| fs::rename(&next, path))
            .and_then(|()| RealDisk.sync_folder(path.parent().unwrap_or(path)));
        done.map_err(|error| Error::file("write", path, error))
    }

    /// Takes it for an editor; none where somebody else has it.
    pub fn hold(&self) -> Result<Option<Held>, Error> {
        let path = self.folder.join(HELD);
        let file = File::options().create(true).append(true).open(&path);
        let file = file.map_err(|error| Error::file("take the draft", &path, error))?;
        match file.try_lock() {
            Ok(()) => Ok(Some(Held { _file: file })),
            Err(TryLockError::WouldBlock) => Ok(None),
            Err(TryLockError::Error(error)) => Err(Error::file("take the draft", &path, error)),
        }
    }

    /// Why it is not live, in words.
    pub fn state(&self) -> &'static str {
        match self.note.because {
            Reason::BeingEdited if self.holder().is_none() => "interrupted",
            because => because.words(),
        }
    }

    /// Who has an editor open on it.
    pub fn holder(&self) -> Option<&str> {
        let file = File::open(self.folder.join(HELD)).ok()?;
        matches!(file.try_lock(), Err(TryLockError::WouldBlock)).then_some(self.note.who.as_str())
    }

    /// How a change says that it takes this live.
    pub fn taken(&self) -> Result<TakenDraft, Error> {
        Ok(TakenDraft { folder: self.folder.clone(), proposal: content_of(Some(&self.proposal()?)) })
    }

    /// Throws it away.
    pub fn remove(&self) -> Result<(), Error> {
        fs::remove_dir_all(&self.folder).map_err(|error| Error::file("remove the draft", &self.folder, error))
    }
}

/// Throws a draft away that is live now, unless somebody has it in an editor, or wrote on it since.
pub fn remove_taken(taken: &TakenDraft) -> Result<(), Error> {
    let Recorded::Whole(draft) = Draft::at(taken.folder.clone()) else { return Ok(()) };
    let Some(_held) = draft.hold()? else { return Ok(()) };
    if draft.taken()? == *taken { draft.remove() } else { Ok(()) }
}
