//! The order *reactivate*: the service takes up the old configuration.

use crate::error::Error;
use crate::run::apply::{
    act_on_service, gentle_action, open_sockets, reopen_sockets, reread, run_hooks, start_taken_along,
};
use crate::run::boot::put_back_at;
use crate::run::live::Live;
use crate::service::ServiceAction;
use gypsum_core::change::{Change, StepOutcome};
use gypsum_core::profile::Activation;
use gypsum_core::service::{Observation, State as ServiceState, TakenUp, taken_up};

/// Makes the daemon take up the old configuration. The checker is not asked: with the daemon
/// down it may fail for reasons of its own.
pub(in crate::run) fn reactivate(live: &mut Live<'_>, change: &Change) -> Result<StepOutcome, Error> {
    let plan = live.plan.clone();
    live.service.before_action = None;
    if change.was_activated() {
        // What did not work is said; the files are back whatever became of it.
        let _ = run_hooks(live, true);
    }
    if !plan.touch_service || plan.activation == Activation::None {
        return Ok(reread(live, &plan, true));
    }
    open_sockets(live, &plan);
    reopen_sockets(live, &plan);
    let now = live.cx.world.observe(&plan.service);
    let before = plan.service_before.clone().unwrap_or_else(|| Observation::only(ServiceState::Stopped));
    // A restart that was refused leaves it as it was.
    let refused = plan.activation.replaces() && now.state == ServiceState::Running && now.main.is_some();
    let untouched = before.same_start(&now) && (refused || !change.was_activated());
    if untouched && taken_up(&before, &now, plan.activation, plan.service.proof.as_ref()) != TakenUp::Yes {
        return Ok(reread(live, &plan, true));
    }
    if started_on_old_files(live, &now) {
        live.note("the service was started with this host, on its old configuration");
        return Ok(reread(live, &plan, true));
    }
    let gentle = gentle_action(plan.activation)
        .filter(|_| change.attempt() == 1 && now.state.is_up() && before.main == now.main);
    if gentle.is_some_and(|action| act_on_service(live, &plan, action, true).ok) {
        start_taken_along(live, &plan, true);
        return Ok(StepOutcome::Done);
    }
    let action =
        if before.state == ServiceState::Stopped { ServiceAction::Stop } else { ServiceAction::Restart };
    live.service.restarted_back = true;
    if !act_on_service(live, &plan, action, true).ok {
        return Ok(StepOutcome::Failed);
    }
    start_taken_along(live, &plan, true);
    Ok(StepOutcome::Done)
}

/// Whether the service was started with the host, after its files were put back: then it runs on them. A unit's own files
/// were read before that.
fn started_on_old_files(live: &Live<'_>, now: &Observation) -> bool {
    let Some(put_back_ms) = put_back_at(live.cx.world.disk(), &live.entry.folder) else { return false };
    let is_of_unit = live.plan.files.iter().any(|file| file.path.starts_with("/etc/systemd"));
    let ticks = rustix::param::clock_ticks_per_second();
    let started_ms = now.main.map(|main| main.started.saturating_mul(1_000) / ticks.max(1));
    !is_of_unit && now.state.is_up() && started_ms.is_some_and(|started_ms| started_ms > put_back_ms)
}
