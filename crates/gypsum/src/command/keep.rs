//! `gypsum keep`, and what `gypsum restore` does with a change on probation: the person's word, and how it ends.

use super::changes::must_be_known;
use super::{Context, follow, world};
use crate::target::NoTarget;
use crate::view::ChangeView;
use gypsum_core::change::Verdict;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::probation::{Word, say};
use gypsum_host::run::go_on_with_probation;
use gypsum_host::state::Standing;

/// Whether the last change of this daemon is live on probation.
pub fn is_on_probation(context: &Context, daemon: &str) -> Result<bool, Error> {
    let open = context.state.standing(&RealDisk, daemon)?;
    Ok(open.is_some_and(|open| open.standing == Standing::OnProbation))
}

/// Keeps it; the exit status of the change.
pub fn keep(context: &Context, daemon: &str) -> Result<ExitStatus, NoTarget> {
    if is_on_probation(context, daemon)? {
        return end(context, daemon, Word::Keep);
    }
    if context.state.newest(&RealDisk, daemon)?.count() == 0 {
        must_be_known(daemon)?;
    }
    if context.open_change(daemon)?.is_some() {
        return Err(Error::usage(format!("no change of {daemon} is on probation any more")).into());
    }
    Err(Error::usage(format!("no change of {daemon} is on probation"))
        .help(format!("how the last one ended: gypsum changes {daemon}"))
        .into())
}

/// Restores what was before.
pub fn restore(context: &Context, daemon: &str) -> Result<ExitStatus, NoTarget> {
    end(context, daemon, Word::Restore)
}

/// Says the word, and shows how the change ends.
fn end(context: &Context, daemon: &str, word: Word) -> Result<ExitStatus, NoTarget> {
    let Some((entry, ..)) = context.state.last_change(&RealDisk, daemon)? else {
        return Err(Error::usage(format!("no change of {daemon} is on probation")).into());
    };
    say(&RealDisk, &entry.folder, word)
        .map_err(|error| Error::file("write your word in", &entry.folder, error))?;
    // Where nobody carries it any more it is ended here.
    let world = world()?;
    // What it did was seen before: how it ends is all that is new.
    let view = || ChangeView::only_end(context.out);
    let mut own = view().progress(world.progress());
    let (status, report) = match go_on_with_probation(&world, &context.state, &mut own, daemon) {
        Ok(Some(finished)) => (finished.status, finished.report),
        Ok(None) | Err(Error::Busy { .. }) => follow::follow(context, daemon, &entry, view())?,
        Err(error) => return Err(error.into()),
    };
    // What was asked for is done.
    let is_wanted = word == Word::Restore && report.verdict == Some(Verdict::Restored);
    let status = if is_wanted { ExitStatus::Success } else { status };
    context.report(status, &report);
    Ok(status)
}
