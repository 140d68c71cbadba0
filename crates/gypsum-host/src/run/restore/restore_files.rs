//! The order *restore*: the old files are live again.

use crate::error::Error;
use crate::run::apply::{act_on_service, mark_log};
use crate::run::live::Live;
use crate::run::steps::INTERRUPTED;
use crate::service::ServiceAction;
use gypsum_core::change::StepOutcome;
use gypsum_core::event::Event;
use gypsum_core::profile::Activation;

pub(in crate::run) fn restore_files(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    // A restart without an edit has no old configuration: what failed must be seen to by a person.
    if live.plan.files.is_empty() && live.obstacle.cause.is_some() {
        return Ok(StepOutcome::Failed);
    }
    // The restore goes to its end; who asks to stop from now on, asks to end the wait for its health.
    live.cx.world.take_interrupt();
    let cause = live.obstacle.cause.clone().unwrap_or_else(|| INTERRUPTED.into());
    live.emit(Event::Restoring { cause });
    mark_log(live);
    let plan = live.plan.clone();
    if plan.touch_service && plan.activation == Activation::StopFirst {
        // What it would write over must come back behind its end.
        let acted = act_on_service(live, &plan, ServiceAction::Stop, true);
        if !acted.ok {
            live.note(format!("it could not be stopped: {}", acted.said));
        }
    }
    let notes = live.files().put_back()?;
    for text in notes {
        live.note(text);
    }
    if !live.files().is_before()? {
        let text = "not all files are as before: the version of another process was left in place";
        live.note(text);
    }
    Ok(StepOutcome::Done)
}
