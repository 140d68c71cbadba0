//! One action on the service of a change, and what is known of it around that.

use super::log_excerpt::logs_of;
use super::related::act_and_show;
use crate::probe::ProbeContext;
use crate::run::live::Live;
use crate::service::{self, Acted, ServiceAction};
use gypsum_core::change::{Plan, StepOutcome};
use gypsum_core::event::Event;
use gypsum_core::profile::Service;
use gypsum_core::service::State as ServiceState;
use std::path::Path;
use std::time::Duration;

/// Reloads, restarts, starts or stops the service. What is seen of it just before is what everything later is compared
/// with.
pub(in crate::run) fn act_on_service(
    live: &mut Live<'_>,
    plan: &Plan,
    action: ServiceAction,
    back: bool,
) -> Acted {
    let name = service::name_of(&plan.service);
    let before = match &plan.service_before {
        Some(last) if !back => live.cx.world.observe_again(&plan.service, last),
        _ => live.cx.world.observe(&plan.service),
    };
    live.plan.service_before.get_or_insert_with(|| before.clone());
    live.service.before_action.get_or_insert(before);
    if live.service.probes.since.is_none() || back {
        let since = Some(live.cx.world.mark(&logs_of(plan)));
        live.service.probes =
            ProbeContext { service: plan.service.clone(), since, ..ProbeContext::default() };
    }
    let on = format!("{} of {name}", action.word());
    live.emit(Event::Waiting { on, usual_ms: usual(plan), steady_ms: None });
    let is_own = |path: &Path| is_file_of(path, plan.service.name());
    let reread_own = !plan.files.is_empty() && plan.files.iter().all(|file| is_own(&file.path));
    let told = Service { reread_own, ..plan.service.clone() };
    let acted = live.cx.world.act(&told, action, limit_of(plan, action), back);
    let (said, restarts) = (acted.said.clone(), action == ServiceAction::Restart);
    let action = action.word().to_owned();
    live.emit(Event::Activated { action, target: name, ok: acted.ok, said, ms: acted.ms(), back, restarts });
    acted
}

/// Whether this is the file of a unit of the system, or a drop-in of it.
fn is_file_of(path: &Path, unit: &str) -> bool {
    let Some(inside) = path.strip_prefix("/etc/systemd/system").ok() else { return false };
    let first = inside.components().next().and_then(|first| first.as_os_str().to_str());
    first.is_some_and(|first| first == unit || first.strip_suffix(".d") == Some(unit))
}

/// Where a unit file was touched and the service itself needs no action, its manager reads the unit files again.
pub(in crate::run) fn reread(live: &mut Live<'_>, plan: &Plan, back: bool) -> StepOutcome {
    if !plan.service.reread {
        return StepOutcome::Done;
    }
    let target = "the unit files".to_owned();
    let acted = act_and_show(live, target, &plan.service, ServiceAction::Reread, plan);
    if acted.ok {
        return StepOutcome::Done;
    }
    if !back {
        live.obstacle.cause = Some(acted.said);
    }
    StepOutcome::Failed
}

/// Whether the service was stopped before and is to be started.
pub(super) fn is_woken(plan: &Plan) -> bool {
    let stopped = plan.service_before.as_ref().is_some_and(|seen| seen.state == ServiceState::Stopped);
    plan.touch_service && stopped
}

/// How long it may take to do that.
pub(super) fn limit_of(plan: &Plan, action: ServiceAction) -> Duration {
    let own = plan.service.limits.get(action.word()).and_then(|limit| Duration::try_from(*limit).ok());
    own.unwrap_or(Duration::from_millis(plan.limit_ms))
}

/// How long the action usually takes, in milliseconds, where that is known.
fn usual(plan: &Plan) -> Option<u64> {
    let away = plan.service.away.and_then(|away| Duration::try_from(away).ok())?;
    plan.activation.replaces().then(|| u64::try_from(away.as_millis()).ok()).flatten()
}
