//! The order *measure*: the health of the service as it is now, and what the change will need of it.

use super::check::Checked;
use super::measured::{ActivationPlan, Baseline, Measured};
use super::readings::read_all;
use crate::beside;
use crate::error::Error;
use crate::files::Loading;
use crate::health::HealthRun;
use crate::probe::ProbeContext;
use crate::run::behind_unit::checks_behind;
use crate::run::steps::{Obstacle, RunContext, Step};
use crate::run::values::{ChecksNow, Values};
use crate::service;
use gypsum_core::change::StepOutcome;
use gypsum_core::event::Event;
use gypsum_core::finding::Finding;
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Check, Probe, without_asked_for};
use std::collections::HashSet;
use std::mem::discriminant;

/// So long what must hold afterwards is looked at beforehand, in milliseconds.
const LOOK_MS: u64 = 1_000;
/// The rule by which something was unhealthy before.
const UNHEALTHY_BEFORE: &str = "unhealthy-before";

impl Checked {
    /// Whether the service is to be reloaded or restarted at all: not where it is stopped and stays so.
    pub(super) fn touches_service(&self, baseline: &Baseline) -> bool {
        service::exists(&self.service) && (!baseline.is_stopped() || self.proposal.request.wishes.start)
    }
}

pub(super) fn measure(
    cx: &mut RunContext<'_>,
    obstacle: &mut Obstacle,
    checked: Checked,
) -> Result<Step<Measured>, Error> {
    let mut baseline = baseline_of(cx, &checked)?;
    if cx.world.interrupted() {
        // Nothing is asked of a person who wants out.
        return Ok(Step::Ended(obstacle.interrupted()));
    }
    let activation = ActivationPlan::of(cx, &checked, &mut baseline)?;
    let measured = Measured { checked, baseline, activation };
    match present(cx, obstacle, &measured) {
        StepOutcome::Done => Ok(Step::Done(measured)),
        outcome => Ok(Step::Ended(outcome)),
    }
}

/// The health checks for the files as they are and as they will be.
struct Checks {
    before: Vec<Check>,
    after: Vec<Check>,
    /// What the former showed already.
    known: Vec<Outcome>,
}

fn baseline_of(cx: &mut RunContext<'_>, checked: &Checked) -> Result<Baseline, Error> {
    let (world, service, request) = (cx.world, &checked.service, &checked.proposal.request);
    let values = Values::of(&request.profile, &checked.after);
    let mut checks = checks_of(cx, checked, &values)?;
    let musts = values.filled(&request.wishes.musts)?;
    let seen = Some(checked.found.clone());
    let scene = ProbeContext { service: service.clone(), seen, ..ProbeContext::default() };
    let run = HealthRun {
        last: Some(&checked.found),
        known: &checks.known,
        ..HealthRun::at(world, service, &checks.before, &scene)
    };
    let readings = checked.readings()?;
    let on = format!("the health of {} as it is now", request.profile.daemon);
    cx.recorder.emit(Event::Waiting { on, usual_ms: None, steady_ms: None });
    let ((mut outcomes, observed), readings_before) = std::thread::scope(|scope| {
        let reading = beside::begin(scope, || read_all(world, &readings, &scene));
        (run.once(), reading.wait().unwrap_or_default())
    });
    checks.expect_nothing_more_than(&mut outcomes);
    if request.wishes.steady.is_some() {
        // A person who says how long all is watched means what the profile says, too.
        checks.before.iter_mut().chain(&mut checks.after).for_each(|check| check.steady_ms = None);
    }
    let asked: Vec<Check> = musts.into_iter().chain(checked.expected(&readings)?).collect();
    say_what_holds_already(cx, &asked, &scene);
    let Checks { before: checks_before, after: mut checks_after, .. } = checks;
    checks_after.extend(asked);
    Ok(Baseline { observed, checks_before, checks_after, outcomes, readings, readings_before })
}

/// The checks for both; `values` are those of the files as they will be.
fn checks_of(cx: &mut RunContext<'_>, checked: &Checked, values: &Values<'_>) -> Result<Checks, Error> {
    let service = &checked.service;
    let (profile, files_before) = (&checked.proposal.request.profile, &checked.proposal.before);
    let values_before = Values::of(profile, files_before);
    let mut now = checked.asked.get()?;
    now.ask_counted(service, Some(checked.found.clone()));
    let ChecksNow { checks: mut before, mut known } = now;
    let mut after = values.checks(service)?;
    let replayed = before.iter().filter(|check| matches!(check.probe, Probe::Replay(_)));
    after.extend(replayed.filter_map(|check| values.replayed_there(check)));
    measure_by_the_same(&before, &mut after);
    let is_changed = |name: &String| values_before.said_of(name) != values.said_of(name);
    for measure in after.iter_mut().filter_map(|check| check.measure.as_mut()) {
        measure.is_asked_for = measure.asked_by.iter().any(is_changed);
    }
    for check in after.iter_mut().filter(|check| check.probe == Probe::Sockets) {
        let lines = changed_lines(files_before, &checked.after);
        let answers = check.measure.iter_mut().flat_map(|measure| &mut measure.before);
        answers.for_each(|answer| without_asked_for(answer, &lines));
    }
    match checks_behind(profile, service) {
        Ok(None) => {}
        Ok(Some((_, behind))) => {
            before.extend(behind.checks.clone());
            after.extend(behind.checks);
            known.extend(behind.known);
        }
        Err(error) => {
            cx.recorder
                .note(format!("the health of the daemon behind {} is not known: {error}", profile.daemon));
        }
    }
    Ok(Checks { before, after, known })
}

impl Checks {
    /// Leaves out what says nothing: a place where nothing listened before although the files say so (a module that is not
    /// loaded), and what only compares where there is no measure.
    fn expect_nothing_more_than(&mut self, outcomes: &mut Vec<Outcome>) {
        let is_silent = |(check, outcome): &(&Check, &Outcome)| {
            matches!(check.probe, Probe::Listens { .. }) && !outcome.healthy
        };
        let silent: HashSet<String> = self
            .before
            .iter()
            .zip(outcomes.iter())
            .filter(is_silent)
            .map(|(check, _)| check.name.clone())
            .collect();
        let is_measured =
            |check: &Check| check.measure.as_ref().is_some_and(|measure| !measure.before.is_empty());
        outcomes.retain(|outcome| !silent.contains(&outcome.name));
        self.before.retain(|check| !silent.contains(&check.name));
        self.after
            .retain(|check| !silent.contains(&check.name) && (!check.only_compares() || is_measured(check)));
    }
}

/// The lines that are only before, and those that are only after.
fn changed_lines(before: &Loading, after: &Loading) -> String {
    let was: HashSet<&[u8]> = lines_of(before).collect();
    let is: HashSet<&[u8]> = lines_of(after).collect();
    was.symmetric_difference(&is).map(|line| String::from_utf8_lossy(line)).collect::<Vec<_>>().join("\n")
}

fn lines_of(loading: &Loading) -> impl Iterator<Item = &[u8]> {
    loading.files.iter().flat_map(|file| file.doc.source().split(|byte| *byte == b'\n'))
}

/// What must hold afterwards and holds already says nothing about the change; it is to go on holding.
fn say_what_holds_already(cx: &mut RunContext<'_>, asked: &[Check], scene: &ProbeContext) {
    // A log is read from the activation on.
    let now = asked.iter().filter(|check| !matches!(check.probe, Probe::Log(_)));
    let now: Vec<Check> =
        now.map(|check| Check { limit_ms: check.limit_ms.min(LOOK_MS), ..check.clone() }).collect();
    let (outcomes, _) = HealthRun::at(cx.world, &scene.service, &now, scene).once();
    for outcome in outcomes.into_iter().filter(|outcome| outcome.healthy) {
        cx.recorder.note(format!("{} holds already, so it proves nothing about this change", outcome.name));
    }
}

/// The new configuration is measured by the answers to the old one, at another address, too: by the question of the same
/// name, else by the next one of its kind.
fn measure_by_the_same(before: &[Check], after: &mut [Check]) {
    let names: HashSet<String> = after.iter().map(|check| check.name.clone()).collect();
    let mut left: Vec<&Check> = before.iter().filter(|check| check.measure.is_some()).collect();
    for check in after {
        let Some(measure) = &mut check.measure else { continue };
        let same_kind = |old: &Check| discriminant(&old.probe) == discriminant(&check.probe);
        let named = left.iter().position(|old| same_kind(old) && old.name == check.name);
        let next = || left.iter().position(|old| same_kind(old) && !names.contains(&old.name));
        if let Some(old) = named.or_else(next).and_then(|n| left.remove(n).measure.as_ref()) {
            measure.before.clone_from(&old.before);
        }
    }
}

/// Says how the service is before anything is touched, and what will be done. Where something is unhealthy, the
/// person may stop here.
fn present(cx: &mut RunContext<'_>, obstacle: &mut Obstacle, measured: &Measured) -> StepOutcome {
    let Measured { checked, baseline, .. } = measured;
    let request = &checked.proposal.request;
    // No question about a service that is stopped on purpose.
    let stopped = baseline.is_stopped();
    let unhealthy: Vec<Finding> = baseline
        .outcomes
        .iter()
        .filter(|outcome| !outcome.healthy && !stopped)
        .map(unhealthy_before)
        .collect();
    cx.recorder.emit(Event::Baseline { health: baseline.outcomes.clone() });
    // Not where nothing goes live, nor where a change is taken back, nor where it was accepted beforehand.
    let acceptance = &request.wishes.acceptance;
    let mut notes = Vec::new();
    let asks = !unhealthy.is_empty()
        && !request.wishes.dry_run
        && !acceptance.has(UNHEALTHY_BEFORE)
        && !request.is_restore();
    if cx.recorder.judge(unhealthy, acceptance) {
        return StepOutcome::Refused;
    }
    for rule in acceptance
        .names()
        .filter(|rule| cx.recorder.report().findings.iter().all(|found| found.rule != *rule))
    {
        notes.push(format!("--accept {rule} accepts nothing: no finding of this change has that rule"));
    }
    notes.into_iter().for_each(|note| cx.recorder.note(note));
    cx.recorder.emit(measured.planned());
    if asks && !cx.recorder.confirm() {
        obstacle.cause = Some("the service was already unhealthy, and you chose to stop".into());
        return StepOutcome::Interrupted;
    }
    StepOutcome::Done
}

fn unhealthy_before(outcome: &Outcome) -> Finding {
    let message = format!("{} was already unhealthy before this change: {}", outcome.name, outcome.said);
    Finding::warning(UNHEALTHY_BEFORE, message)
        .help("the change is judged by whether anything gets worse; --strict refuses it")
}
