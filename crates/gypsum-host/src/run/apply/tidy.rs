//! The order *tidy*: what is left beside the files goes.

use crate::error::Error;
use crate::run::live::Live;
use gypsum_core::change::{Change, Stage, State, StepOutcome};

pub(in crate::run) fn tidy(live: &mut Live<'_>, change: &Change) -> Result<StepOutcome, Error> {
    if change.state() == State::Durable(Stage::Withdrawn) {
        // Once more where something failed: it may have been for a moment.
        live.files().unstage().or_else(|_| live.files().unstage())?;
        return Ok(StepOutcome::Done);
    }
    // Once more where something failed: it may have been for a moment.
    match live.files().tidy().or_else(|_| live.files().tidy()) {
        Ok(notes) => {
            for text in notes {
                live.note(text);
            }
        }
        // What counts is done; a leftover is no reason to call it anything else.
        Err(error) => live.note(format!("not tidied up: {error}")),
    }
    Ok(StepOutcome::Done)
}
