//! All steps up to the backup, one after the other.

use super::save::Saved;
use super::{check, edit, lock, measure, save};
use crate::guardian::Guardian;
use crate::locks::Locks;
use crate::run::drafts::Typed;
use crate::run::request::ChangeRequest;
use crate::run::steps::Steps;
use gypsum_core::change::Order;

/// A change that is ready to go live.
pub(in crate::run) struct Prepared {
    /// Its backup and plan.
    pub saved: Saved,
    /// The process that will carry it from here on.
    pub guardian: Option<Guardian>,
    /// What others are told who want the locks.
    pub holder: String,
}

/// Takes all steps up to the backup. `None` if the change ended before.
pub(in crate::run) fn prepare(
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
