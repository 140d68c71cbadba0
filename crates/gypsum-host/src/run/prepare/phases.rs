//! All steps up to the backup, one after the other.

use super::save::Saved;
use super::{check, edit, lock, measure, save};
use crate::run::drafts::Typed;
use crate::run::handover::HandOver;
use crate::run::request::ChangeRequest;
use crate::run::steps::Steps;
use gypsum_core::change::Order;

/// Takes all steps up to the backup. `None` if the change ended before.
pub(in crate::run) fn prepare(
    steps: &mut Steps<'_>,
    to: &mut HandOver,
    typed: &mut Typed,
    request: ChangeRequest,
) -> Option<Saved> {
    let loaded = steps.take(Order::Lock, |cx, _| lock::lock(cx, to, request))?;
    let proposal = steps.take(Order::Edit, |cx, _| edit::edit(cx, loaded, typed))?;
    let checked = steps.take(Order::Check, |cx, obstacle| check::check(cx, obstacle, to, proposal))?;
    let measured = steps.take(Order::Measure, |cx, obstacle| measure::measure(cx, obstacle, checked))?;
    steps.take(Order::Save, |cx, _| save::save(cx, measured))
}
