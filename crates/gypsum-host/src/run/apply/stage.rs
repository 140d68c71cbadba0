//! The order *stage*: the new files are written beside the old ones.

use crate::error::Error;
use crate::marks::Marks;
use crate::run::live::Live;
use crate::security_label::set_label;
use gypsum_core::change::{ReplaceBy, StepOutcome};

pub(in crate::run) fn stage(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    mark_open(live)?;
    let notes = live.files().stage(&live.contents)?;
    let new = live.plan.files.iter().filter(|file| file.how == ReplaceBy::Create);
    let unlabelled: Vec<String> = new.filter_map(|file| set_label(&file.path, &file.aside)).collect();
    notes.into_iter().chain(unlabelled).for_each(|text| live.note(text));
    Ok(StepOutcome::Done)
}

/// A host that goes down in the middle looks after it when it starts, where it was set up to do so.
fn mark_open(live: &Live<'_>) -> Result<(), Error> {
    let Some(marks) = Marks::of(live.cx.state) else { return Ok(()) };
    let set = marks.set(live.cx.world.disk(), &live.plan.daemon);
    set.map_err(|error| Error::file("mark the change as open in", live.cx.state.root(), error))
}
