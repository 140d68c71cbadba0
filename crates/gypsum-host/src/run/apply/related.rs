//! What is done around the daemon: watchdogs are held, what a stop took along is started, followers take up their part.

use crate::error::Error;
use crate::run::live::Live;
use crate::service::{self, Acted, ServiceAction};
use gypsum_core::change::{Plan, PlannedRelated};
use gypsum_core::event::Event;
use gypsum_core::profile::{Activation, Part, Service};
use gypsum_core::service::State as ServiceState;
use std::time::Duration;

/// Stops what would start the daemon meanwhile.
pub(in crate::run) fn hold_watchdogs(live: &mut Live<'_>) -> Result<(), Error> {
    act_on_part(live, Part::Watchdog, ServiceAction::Stop)
}

/// Starts what a stop took along. What went down by itself is left so, for the checks to see, unless the old
/// configuration is coming `back`.
pub(in crate::run) fn start_taken_along(live: &mut Live<'_>, plan: &Plan, back: bool) {
    if !back && !plan.activation.replaces() {
        return;
    }
    for unit in missing(live, plan, &plan.taken_along) {
        let service = plan.service.beside(unit);
        if back || live.cx.world.observe(&service).state == ServiceState::Stopped {
            act_on_related(live, &service, ServiceAction::Start, plan);
        }
    }
}

/// Opens sockets that were held, before the service is started: one that is up already would keep them out.
pub(in crate::run) fn open_sockets(live: &mut Live<'_>, plan: &Plan) {
    let is_socket = |related_service: &&PlannedRelated| {
        related_service.part == Part::Watchdog
            && related_service.service.unit.iter().any(|unit| unit.ends_with(".socket"))
    };
    for related_service in plan.related.iter().filter(is_socket) {
        act_on_related(live, &related_service.service, ServiceAction::Start, plan);
    }
}

/// Starts again what called the service and has given up: sockets close for good once it failed too often.
pub(in crate::run) fn reopen_sockets(live: &mut Live<'_>, plan: &Plan) {
    let missing = missing(live, plan, &plan.callers);
    if missing.iter().any(|unit| unit.ends_with(".socket")) {
        act_on_related(live, &plan.service, ServiceAction::Stop, plan);
    }
    for unit in missing {
        act_on_related(live, &plan.service.beside(unit), ServiceAction::Start, plan);
    }
}

/// Those of these units that are not up.
fn missing<'p>(live: &Live<'_>, plan: &Plan, units: &'p [String]) -> Vec<&'p String> {
    let up = live.cx.world.active_units(&plan.service, units);
    units.iter().filter(|unit| !up.contains(unit)).collect()
}

/// Tells those that follow, and lets watchdogs go on.
pub(in crate::run) fn restart_followers(live: &mut Live<'_>) {
    if !(live.plan.touch_service && live.plan.activation.replaces()) {
        return;
    }
    // What could not be done is said; the daemon itself is as well as it was found.
    let _ = act_on_part(live, Part::Follower, ServiceAction::Restart);
    release_watchdogs(live);
}

/// Lets what was held go on.
pub(in crate::run) fn release_watchdogs(live: &mut Live<'_>) {
    let _ = act_on_part(live, Part::Watchdog, ServiceAction::Start);
}

fn act_on_part(live: &mut Live<'_>, part: Part, action: ServiceAction) -> Result<(), Error> {
    let plan = live.plan.clone();
    let mut failed = None;
    let mut related: Vec<_> =
        plan.related.iter().filter(|related_service| related_service.part == part).collect();
    if part == Part::Watchdog && action == ServiceAction::Start {
        // What was held last goes on first.
        related.reverse();
    }
    for related_service in related {
        let action = match (part, related_service.activation) {
            (Part::Follower, Activation::None) => continue,
            (Part::Follower, Activation::Reload) => ServiceAction::Reload,
            _ => action,
        };
        let name = service::name_of(&related_service.service);
        let held = (action == ServiceAction::Stop).then(|| live.cx.world.holdings(&related_service.service));
        if !act_on_related(live, &related_service.service, action, &plan) {
            failed = Some(format!("{} of {name} failed", action.word()));
            continue;
        }
        // What its manager says of a stop is looked at: one that goes on would start the daemon meanwhile.
        let Some(held) = held else { continue };
        let limit = Duration::from_millis(plan.limit_ms);
        if let Err(left) = live.cx.world.wait(&held, limit) {
            failed = Some(format!("{name} was stopped, and {left}"));
        } else if live.cx.world.observe(&related_service.service).state.is_up() {
            failed = Some(format!("{name} was stopped, and is up again"));
        }
    }
    failed.map_or(Ok(()), |why| Err(Error::cannot(why)))
}

fn act_on_related(live: &mut Live<'_>, service: &Service, action: ServiceAction, plan: &Plan) -> bool {
    act_and_show(live, service::name_of(service), service, action, plan).ok
}

/// Does that and shows it, with `target` as what it is done with; an interrupt does not end it before its time.
pub(in crate::run) fn act_and_show(
    live: &mut Live<'_>,
    target: String,
    service: &Service,
    action: ServiceAction,
    plan: &Plan,
) -> Acted {
    let acted = live.cx.world.act(service, action, Duration::from_millis(plan.limit_ms), true);
    let (said, action) = (acted.said.clone(), action.word().to_owned());
    live.emit(Event::Beside { action, target, ok: acted.ok, said, ms: acted.ms() });
    acted
}
