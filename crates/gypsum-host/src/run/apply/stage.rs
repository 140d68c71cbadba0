//! The order *stage*: the new files are written beside the old ones.

use crate::error::Error;
use crate::run::live::Live;
use gypsum_core::change::StepOutcome;

pub(in crate::run) fn stage(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    live.files().stage(&live.contents)?;
    Ok(StepOutcome::Done)
}
