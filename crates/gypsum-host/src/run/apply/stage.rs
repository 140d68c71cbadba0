//! The order *stage*: the new files are written beside the old ones.

use crate::error::Error;
use crate::run::live::Live;
use crate::security_label::set_label;
use gypsum_core::change::{ReplaceBy, StepOutcome};

pub(in crate::run) fn stage(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let notes = live.files().stage(&live.contents)?;
    let new = live.plan.files.iter().filter(|file| file.how == ReplaceBy::Create);
    let unlabelled: Vec<String> = new.filter_map(|file| set_label(&file.path, &file.aside)).collect();
    notes.into_iter().chain(unlabelled).for_each(|text| live.note(text));
    Ok(StepOutcome::Done)
}
