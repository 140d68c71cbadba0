//! The order *stage*: the new files are written beside the old ones.

use crate::error::Error;
use crate::run::live::Live;
use gypsum_core::change::StepOutcome;

pub(in crate::run) fn stage(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let notes = live.files().stage(&live.contents)?;
    notes.into_iter().for_each(|text| live.note(text));
    Ok(StepOutcome::Done)
}
