//! The order *check health again*: whether the old configuration is as healthy as before.

use crate::error::Error;
use crate::run::apply::{health_of, quote_log, restart_followers};
use crate::run::live::Live;
use crate::service;
use gypsum_core::change::StepOutcome;
use gypsum_core::event::Event;
use gypsum_core::health::Judgement;
use gypsum_core::profile::Activation;

pub(in crate::run) fn check_health_again(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let plan = live.plan.clone();
    quote_log(live);
    if service::exists(&plan.service) && !plan.touch_service {
        live.emit(Event::Looked { health: Vec::new(), judgement: Judgement::Unproven, back: true });
        return Ok(StepOutcome::Health(Judgement::Unproven));
    }
    let activation = if live.service.restarted_back { Activation::Restart } else { plan.activation };
    let checks = (plan.checks_before.as_slice(), plan.baseline.as_slice());
    let (health, judgement) = health_of(live, &plan, checks, activation, true);
    let judgement = match live.cx.world.interrupted() {
        true if live.cx.world.observe(&plan.service).state.is_up() => {
            live.note("you ended the wait: it is not known whether the old configuration is healthy");
            Judgement::Unproven
        }
        _ => judgement,
    };
    if judgement != Judgement::Worse {
        restart_followers(live);
    }
    live.emit(Event::Looked { health, judgement, back: true });
    Ok(StepOutcome::Health(judgement))
}
