//! The order *activate*: the service takes up the new configuration.

use super::hooks::run_hooks;
use super::related::{open_sockets, start_taken_along};
use super::service_action::{act_on_service, is_woken, reread};
use crate::error::Error;
use crate::run::live::Live;
use crate::service::ServiceAction;
use gypsum_core::change::StepOutcome;
use gypsum_core::profile::Activation;

pub(in crate::run) fn activate(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let plan = live.plan.clone();
    run_hooks(live, false)?;
    if !plan.touch_service || plan.activation == Activation::None {
        return Ok(reread(live, &plan, false));
    }
    let up = plan.service_before.as_ref().is_some_and(|seen| seen.state.is_up());
    let action = match plan.activation {
        Activation::StopFirst => ServiceAction::Start,
        _ if is_woken(&plan) => ServiceAction::Start,
        activation if up => gentle_action(activation).unwrap_or(ServiceAction::Restart),
        _ => ServiceAction::Restart,
    };
    open_sockets(live, &plan);
    let acted = act_on_service(live, &plan, action, false);
    if acted.ok {
        start_taken_along(live, &plan, false);
        return Ok(StepOutcome::Done);
    }
    if live.cx.world.interrupted() {
        return Ok(live.obstacle.interrupted());
    }
    let said = if acted.said.is_empty() { String::new() } else { format!(": {}", acted.said) };
    live.obstacle.cause = Some(format!("{} failed{said}", action.word()));
    Ok(StepOutcome::Failed)
}

/// What an activation that leaves the service running tells it.
pub(in crate::run) fn gentle_action(activation: Activation) -> Option<ServiceAction> {
    match activation {
        Activation::Signal => Some(ServiceAction::Signal),
        Activation::Command => Some(ServiceAction::Command),
        Activation::Reload => Some(ServiceAction::Reload),
        Activation::None | Activation::Restart | Activation::StopFirst => None,
    }
}
