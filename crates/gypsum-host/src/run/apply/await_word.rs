//! The order *await word*: a change on probation is kept if the person says so in time.

use crate::error::Error;
use crate::probation::{End, Word, said};
use crate::run::live::Live;
use gypsum_core::change::StepOutcome;
use gypsum_core::event::Event;
use std::time::Duration;

/// How often it is looked whether something was said.
const LOOK: Duration = Duration::from_millis(200);

pub(in crate::run) fn await_word(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let (world, folder) = (live.cx.world, live.entry.folder.clone());
    let failed = |error| Error::file("read or write the probation in", &folder, error);
    let time = Duration::from_millis(live.plan.probation_ms.unwrap_or_default());
    let (end, begins) = End::of(world.disk(), &folder, time, world.now_ms()).map_err(failed)?;
    if begins {
        world.guard(live.cx.state, &live.plan.daemon);
        let until = jiff::Timestamp::from_millisecond(end.until_ms).unwrap_or_default().to_string();
        live.emit(Event::OnProbation { until, for_ms: live.plan.probation_ms.unwrap_or_default() });
    }
    loop {
        let cause = match said(world.disk(), &folder).map_err(failed)? {
            Some(Word::Keep) => return Ok(StepOutcome::Done),
            Some(Word::Restore) => "you asked for the old configuration".to_owned(),
            None if world.interrupted() => return Ok(live.obstacle.interrupted()),
            None if end.left().is_none() => "it was not kept in time".to_owned(),
            None => {
                world.sleep(LOOK);
                continue;
            }
        };
        live.obstacle.cause = Some(cause);
        return Ok(StepOutcome::Failed);
    }
}
