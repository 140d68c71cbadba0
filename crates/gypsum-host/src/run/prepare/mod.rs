//! What happens before anything live is touched. One file an order; each order takes what the one before it made.

mod activation;
mod backup;
mod check;
mod difference;
mod edit;
mod effective;
mod extra_files;
mod file_rules;
mod lock;
mod measure;
mod own_rules;
mod plausible;
mod readings;
mod related;
mod save;
mod sections;
mod unread_changes;
mod whole_files;

pub use extra_files::{Companion, ExtraFiles};
pub(super) use readings::read_all;
pub(super) use save::Saved;

use super::ChangeRequest;
use super::drafts::{Typed, TypedFile};
use super::steps::Steps;
use crate::guardian::Guardian;
use crate::locks::Locks;
use gypsum_core::change::{Order, Ownership};
use gypsum_core::text::{Bytes, LineShift};
use std::path::PathBuf;

/// A change that is ready to go live.
pub(super) struct Prepared {
    /// Its backup and plan.
    pub saved: Saved,
    /// The process that will carry it from here on.
    pub guardian: Option<Guardian>,
    /// What others are told who want the locks.
    pub holder: String,
}

/// Takes all steps up to the backup. `None` if the change ended before.
pub(super) fn prepare(
    steps: &mut Steps<'_>,
    locks: &mut Locks,
    typed: &mut Typed,
    request: ChangeRequest,
) -> Option<Prepared> {
    let dry_run = request.wishes.dry_run;
    let daemon = request.profile.daemon.clone();
    let loaded = steps.take(Order::Lock, |cx, _| lock::lock(cx, locks, request))?;
    let holder = loaded.holder.clone();
    let proposal = steps.take(Order::Edit, |cx, _| edit::edit(cx, loaded, typed))?;
    // It comes up while the checks run.
    let guardian = (!dry_run).then(|| Guardian::begin(&daemon));
    let checked = steps.take(Order::Check, |cx, _| check::check(cx, locks, proposal))?;
    let measured = steps.take(Order::Measure, |cx, obstacle| measure::measure(cx, obstacle, checked))?;
    let saved = steps.take(Order::Save, |cx, _| save::save(cx, measured))?;
    Some(Prepared { saved, guardian, holder })
}

/// One file as it is to be.
#[derive(Clone, Debug)]
pub(super) struct NewFile {
    /// The file itself, links followed.
    pub real: PathBuf,
    /// What it holds; `None` if there is none.
    pub before: Option<Bytes>,
    /// What it is to hold; `None` if it is to be gone.
    pub after: Option<Bytes>,
    /// How its lines move.
    pub shifts: Vec<LineShift>,
    /// Owner and mode, where they are not to stay.
    pub ownership: Option<Ownership>,
}

impl NewFile {
    /// What it holds before.
    pub fn before(&self) -> Option<&[u8]> {
        self.before.as_ref().map(|bytes| bytes.as_slice())
    }

    /// What it is to hold.
    pub fn after(&self) -> Option<&[u8]> {
        self.after.as_ref().map(|bytes| bytes.as_slice())
    }

    /// As something that was typed, for a draft.
    fn typed(&self) -> Option<TypedFile> {
        let bytes = |side: &Option<Bytes>| side.as_deref().cloned();
        TypedFile::new(self.real.clone(), bytes(&self.before), bytes(&self.after))
    }
}
