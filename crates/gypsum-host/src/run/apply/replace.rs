//! The order *replace*: the new files go live.

use super::related::hold_watchdogs;
use super::service_action::{act_on_service, limit_of};
use crate::error::Error;
use crate::run::live::Live;
use crate::run::steps::INTERRUPTED;
use crate::service::ServiceAction;
use gypsum_core::change::{Plan, StepOutcome};
use gypsum_core::event::Event;
use gypsum_core::profile::Activation;

pub(in crate::run) fn replace(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let plan = live.plan.clone();
    if plan.touch_service && plan.activation.replaces() {
        hold_watchdogs(live)?;
    }
    if plan.touch_service && plan.activation == Activation::StopFirst {
        stop_first(live, &plan)?;
    }
    live.files().replace()?;
    let files = live.plan.files.len();
    live.emit(Event::Replaced { files });
    Ok(StepOutcome::Done)
}

/// Stops the daemon before its files change, and sees that it is really gone.
fn stop_first(live: &mut Live<'_>, plan: &Plan) -> Result<(), Error> {
    let held = live.cx.world.holdings(&plan.service);
    let acted = act_on_service(live, plan, ServiceAction::Stop, false);
    if !acted.ok && live.cx.world.interrupted() {
        return Err(Error::cannot(INTERRUPTED));
    }
    if !acted.ok {
        return Err(Error::cannot(format!("it could not be stopped: {}", acted.said)));
    }
    let gone = live.cx.world.wait(&held, limit_of(plan, ServiceAction::Stop));
    gone.map_err(|left| Error::cannot(format!("it was stopped, and {left}")))
}
