//! What a change is asked to do, and how.

use super::extra_files::ExtraFiles;
use super::recorder::Acceptance;
use super::replayed::Replaying;
use crate::state::Entry;
use gypsum_core::change::{PlannedWatch, TakenDraft};
use gypsum_core::edit::Request;
use gypsum_core::probe::Check;
use gypsum_core::profile::{Activation, Profile};
use gypsum_core::reading::Reading;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What the files are to hold.
#[derive(Clone, Debug)]
pub enum NewContent {
    /// These edits, each with the file that it is for where that is said.
    Edits(Vec<Request>),
    /// This whole prepared file, in place of the daemon's home file or the one that was named.
    Whole(Vec<u8>),
    /// These whole files, which were checked and put aside.
    Ready(Vec<(PathBuf, Option<Vec<u8>>)>),
    /// All files without these changes.
    Restored(TakeBack),
}

/// Changes that are taken back.
#[derive(Clone, Debug)]
pub struct TakeBack {
    /// The changes, the last one first.
    pub changes: Vec<Entry>,
    /// Whether whole files are restored, and what came after is lost; else setting by setting.
    pub whole: bool,
}

impl TakeBack {
    /// The numbers of the changes, the last one first.
    pub fn numbers(&self) -> Vec<u32> {
        self.changes.iter().map(|entry| entry.number).collect()
    }
}

/// Whether a person wants a trial start.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum TrialWish {
    /// Where the profile says that it is harmless and fast.
    #[default]
    AsKnown,
    /// By all means.
    Yes,
    /// None.
    No,
}

/// How a change is carried out, as far as the person said.
#[derive(Clone, Debug, Default)]
pub struct Wishes {
    /// Which findings do not refuse it.
    pub acceptance: Acceptance,
    /// Whether to end before anything is written.
    pub dry_run: bool,
    /// Whether to put it aside for later once it is checked.
    pub hold: bool,
    /// Whether to start a service that is stopped.
    pub start: bool,
    /// How long to wait for another change to end.
    pub wait: Option<Duration>,
    /// How long to wait for a package manager to end.
    pub packages: Duration,
    /// What the service is to do, where the person knows better.
    pub activation: Option<Activation>,
    /// How long it is live on probation, where the person wants that.
    pub probation: Option<Duration>,
    /// What is looked at for some time after it was kept.
    pub watches: Vec<PlannedWatch>,
    /// What must hold afterwards, whatever was before.
    pub musts: Vec<Check>,
    /// Further readings.
    pub readings: Vec<Reading>,
    /// What readings must show afterwards: name and value.
    pub expects: Vec<(String, String)>,
    /// Which requests of clients are asked again.
    pub replaying: Replaying,
    /// Whether the daemon is started on the proposal to try it.
    pub trial: TrialWish,
    /// How long all must stay healthy, where the person knows better.
    pub steady: Option<Duration>,
}

/// A change to be carried out.
#[derive(Clone, Debug)]
pub struct ChangeRequest {
    /// The daemon.
    pub profile: Profile,
    /// What its files are to hold.
    pub content: NewContent,
    /// The only file to edit.
    pub only: Option<PathBuf>,
    /// What changes besides the edits.
    pub extra_files: ExtraFiles,
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
    /// How it is carried out.
    pub wishes: Wishes,
    /// The drafts that this takes live.
    pub takes_live: Vec<TakenDraft>,
    /// Whether it merges the new versions that wait, which are put away then.
    pub merges: bool,
}

impl ChangeRequest {
    /// A request for this alone.
    pub fn new(profile: Profile, content: NewContent, who: String) -> Self {
        Self {
            profile,
            content,
            only: None,
            extra_files: ExtraFiles::default(),
            hidden: Vec::new(),
            prune: Vec::new(),
            remark: None,
            why: None,
            who,
            wishes: Wishes::default(),
            takes_live: Vec::new(),
            merges: false,
        }
    }

    /// The only file to edit: the one that was named, else the one for local settings where those have their own.
    pub fn only(&self) -> Option<&Path> {
        let local = self.profile.files.local.then(|| Path::new(&self.profile.files.home));
        self.only.as_deref().or(local)
    }

    /// The file that is meant and may be made.
    pub fn new_file(&self) -> Option<&Path> {
        let home = Path::new(&self.profile.files.home);
        let meant = self.only().unwrap_or(home);
        (self.extra_files.new || self.profile.files.makes && meant == home).then_some(meant)
    }

    /// Whether it takes an earlier change back.
    pub fn is_restore(&self) -> bool {
        matches!(self.content, NewContent::Restored(_))
    }

    /// The numbers of the changes that it takes back.
    pub fn takes_back(&self) -> Vec<u32> {
        match &self.content {
            NewContent::Restored(wanted) => wanted.numbers(),
            NewContent::Edits(_) | NewContent::Whole(_) | NewContent::Ready(_) => Vec::new(),
        }
    }

    /// Whether it has no edit: the service alone is restarted or reloaded, or other files change.
    pub fn has_no_edits(&self) -> bool {
        matches!(&self.content, NewContent::Edits(edits) if edits.is_empty())
    }

    /// Whether the service is to do something by all means.
    pub fn activates(&self) -> bool {
        self.wishes.activation.is_some_and(|activation| activation != Activation::None)
    }
}
