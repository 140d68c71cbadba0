//! The order *check health again*: whether the old configuration is as healthy as before.

use crate::error::Error;
use crate::run::apply::{act_on_service, gentle_action, health_of, quote_log, restart_followers};
use crate::run::live::Live;
use crate::service;
use gypsum_core::change::StepOutcome;
use gypsum_core::event::Event;
use gypsum_core::health::{Judgement, Outcome};
use gypsum_core::probe::Probe;
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
    let (mut health, mut judgement) = health_of(live, &plan, checks, activation, true);
    if judgement == Judgement::Worse && is_untold(live, &health) && tell_again(live) {
        (health, judgement) = health_of(live, &plan, checks, activation, true);
    }
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

/// Whether clients are served and only the service itself is not as it was: what it was told it may have missed while its
/// processes changed places. A restart would take it away from the clients.
fn is_untold(live: &Live<'_>, health: &[Outcome]) -> bool {
    let checks = &live.plan.checks_before;
    let is_service = |n: usize| checks.get(n).is_some_and(|check| check.probe == Probe::Service);
    let rest = (0..health.len()).filter(|n| !is_service(*n)).collect::<Vec<_>>();
    !live.service.restarted_back
        && !rest.is_empty()
        && rest.into_iter().all(|n| health[n].healthy)
        && live.cx.world.observe(&live.plan.service).state.is_up()
}

/// Tells the service once more to take up its configuration, where it can go on meanwhile.
fn tell_again(live: &mut Live<'_>) -> bool {
    let plan = live.plan.clone();
    gentle_action(plan.activation).is_some_and(|action| act_on_service(live, &plan, action, true).ok)
}
