//! The order *check health*: the health of the new configuration decides whether it stays.

use super::complaints::{complaints, said_before, said_since};
use super::log_excerpt::{mark_log, units_down};
use super::read_again::read_again;
use super::related::restart_followers;
use super::service_action::is_woken;
use crate::beside;
use crate::error::Error;
use crate::health::HealthRun;
use crate::run::live::Live;
use crate::service;
use gypsum_core::change::{Plan, StepOutcome};
use gypsum_core::event::Event;
use gypsum_core::health::{Judgement, Outcome, held};
use gypsum_core::probe::Check;
use gypsum_core::profile::Activation;
use std::time::Duration;

pub(in crate::run) fn check_health(live: &mut Live<'_>) -> Result<StepOutcome, Error> {
    let plan = live.plan.clone();
    if service::exists(&plan.service) && !plan.touch_service {
        look_at_files(live)?;
        live.emit(Event::Looked { health: Vec::new(), judgement: Judgement::Unproven, back: false });
        return Ok(StepOutcome::Health(Judgement::Unproven));
    }
    // What slept is not judged by that: it is to be well.
    let baseline: &[Outcome] = if is_woken(&plan) { &[] } else { &plan.baseline };
    let (world, scene) = (live.cx.world, live.service.probes.clone());
    let plan_watches = plan.steady_ms > 0;
    let ((health, judgement), before) = std::thread::scope(|threads| {
        let (world, scene) = (world, &scene);
        let before = beside::begin(threads, move || said_before(world, scene, plan_watches));
        let judged = health_of(live, &plan, (&plan.checks_after, baseline), plan.activation, false);
        (judged, before.wait().unwrap_or_default())
    });
    if live.cx.world.interrupted() {
        // What was seen so far proves nothing: the person did not let it go on.
        live.emit(Event::Looked { health, judgement, back: false });
        return Ok(live.obstacle.interrupted());
    }
    // What was watched is proven of the files that were there: they must be there still.
    let judgement = match judgement {
        Judgement::Worse => judgement,
        judgement if look_at_files(live)? => judgement,
        Judgement::Healthy | Judgement::Unproven => Judgement::Unproven,
        judgement => judgement,
    };
    if judgement == Judgement::Worse {
        live.obstacle.cause.get_or_insert_with(|| cause(baseline, &health));
        live.service.down = units_down(&plan.checks_after, &health);
    } else {
        restart_followers(live);
    }
    live.emit(Event::Looked { health, judgement, back: false });
    let scene = live.service.probes.clone();
    // Until the old files are back, the service is away: nobody is asked who may not answer.
    read_again(live, &scene, judgement == Judgement::Worse);
    if judgement != Judgement::Worse {
        // Reading the journal takes its time; who wants no time to be spent has the daemon's own files.
        let now = said_since(world, &scene, plan_watches);
        for complaint in complaints(&before, &now, &plan) {
            live.note(complaint);
        }
        mark_log(live);
    }
    Ok(StepOutcome::Health(judgement))
}

/// Whether the live files are those that went live. What another process made of them is saved and said.
fn look_at_files(live: &mut Live<'_>) -> Result<bool, Error> {
    let others = live.files().others()?;
    for (path, note) in &others {
        live.note(note.clone());
        live.service.taken_over.push(path.clone());
    }
    Ok(others.is_empty())
}

pub(in crate::run) fn health_of(
    live: &mut Live<'_>,
    plan: &Plan,
    (checks, baseline): (&[Check], &[Outcome]),
    activation: Activation,
    back: bool,
) -> (Vec<Outcome>, Judgement) {
    let (told, scene) = (live.service.before_action.clone(), live.service.probes.clone());
    let look = HealthRun {
        before: told.as_ref(),
        activation,
        steady: Duration::from_millis(plan.steady_ms),
        limit: Duration::from_millis(plan.limit_ms),
        back,
        ..HealthRun::at(live.cx.world, &plan.service, checks, &scene)
    };
    let steady_time = look.steady_time();
    let on = if steady_time.is_zero() {
        "health checks".to_owned()
    } else {
        format!("health checks, then watching for {:.1} s", steady_time.as_secs_f64())
    };
    let steady_ms = u64::try_from(steady_time.as_millis()).ok().filter(|ms| *ms > 0);
    live.emit(Event::Waiting { on, usual_ms: None, steady_ms });
    look.carefully(baseline)
}

/// The first check that fails now and did not before, in words.
fn cause(baseline: &[Outcome], health: &[Outcome]) -> String {
    let names: Vec<&str> = health.iter().map(|outcome| outcome.name.as_str()).collect();
    let is_worse = |n: &usize| !health[*n].healthy && held(baseline, &names, *n);
    // One that was left says nothing of the reason.
    let worse = (0..health.len()).filter(|n| !health[*n].is_left).find(is_worse);
    let worse = worse.or_else(|| (0..health.len()).find(is_worse));
    let said = |n: usize| format!("{} was unhealthy: {}", names[n], health[n].said);
    worse.map_or_else(|| "it was unhealthy".into(), said)
}
