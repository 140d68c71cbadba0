//! What a change is asked to do, and in which manner.

use super::extra_files::Beside;
use gypsum_core::change::TakenDraft;
use gypsum_core::edit::Request;
use gypsum_core::probe::Check;
use gypsum_core::profile::{Activation, Profile};
use gypsum_core::reading::Reading;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What is wanted.
#[derive(Clone, Debug)]
pub enum Wish {
    /// These edits, each with the file that it is for where that is said.
    Edits(Vec<Request>),
    /// This whole prepared file, in place of the daemon's home file or the one that was named.
    Whole(Vec<u8>),
    /// These whole files, which were checked and put aside.
    Ready(Vec<(PathBuf, Option<Vec<u8>>)>),
    /// These files as a whole: what each is to hold, none where it is to be gone.
    Files(Vec<(PathBuf, Option<Vec<u8>>)>),
}

/// A change to be carried out.
#[derive(Clone, Debug)]
pub struct Job {
    /// The daemon.
    pub profile: Profile,
    /// What is wanted.
    pub wish: Wish,
    /// The only file to edit.
    pub only: Option<PathBuf>,
    /// What is done beside the edits.
    pub beside: Beside,
    /// Texts that are never shown.
    pub hidden: Vec<String>,
    /// The folders that go once they are empty.
    pub prune: Vec<PathBuf>,
    /// A remark above what is new or changed.
    pub remark: Option<String>,
    /// Why, in the person's words.
    pub why: Option<String>,
    /// Who: the login.
    pub who: String,
    /// Rules whose findings do not refuse.
    pub accept: Vec<String>,
    /// Whether warnings refuse.
    pub strict: bool,
    /// Whether to end before anything is written.
    pub dry_run: bool,
    /// Whether to put it aside for later once it is checked.
    pub hold: bool,
    /// Whether to start a service that is stopped.
    pub start: bool,
    /// What the daemon is told, where the person knows better.
    pub activation: Option<Activation>,
    /// What must hold afterwards, whatever was before.
    pub musts: Vec<Check>,
    /// Further readings.
    pub readings: Vec<Reading>,
    /// What readings must show afterwards: name and value.
    pub expects: Vec<(String, String)>,
    /// How long all must stay well, where the person knows better.
    pub steady: Option<Duration>,
    /// The drafts that this takes live.
    pub takes_live: Vec<TakenDraft>,
}

impl Job {
    /// The only file to edit: the one that was named, else the one for local settings where those have their own.
    pub fn only(&self) -> Option<&Path> {
        let local = self.profile.files.local.then(|| Path::new(&self.profile.files.home));
        self.only.as_deref().or(local)
    }

    /// The file that is meant and may be made.
    pub fn new_file(&self) -> Option<&Path> {
        let home = Path::new(&self.profile.files.home);
        let meant = self.only().unwrap_or(home);
        (self.beside.new || self.profile.files.makes && meant == home).then_some(meant)
    }
}
