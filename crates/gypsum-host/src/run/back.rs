//! The part of a change that touches live files and the service, and the way back. Everything it
//! needs is in the plan.

use super::Run;
use super::log_excerpt::{logs_of, units_down};
use crate::error::Error;
use crate::health::HealthRun;
use crate::probe::ProbeContext;
use crate::service::{self, Acted, ServiceAction};
use crate::transaction::Transaction;
use gypsum_core::change::{Change, Plan, StepOutcome};
use gypsum_core::event::Event;
use gypsum_core::health::{Judgement, Outcome, held};
use gypsum_core::probe::Check;
use gypsum_core::profile::Activation;
use gypsum_core::service::{Observation, State as ServiceState, TakenUp, taken_up};
use std::path::PathBuf;
use std::time::Duration;

impl Run<'_> {
    fn folder(&self) -> Result<PathBuf, Error> {
        let entry = self.entry.as_ref().ok_or_else(|| Error::cannot("this change has no folder"))?;
        Ok(entry.folder.clone())
    }

    /// Does something with the file transaction of this change.
    fn files<T>(&self, act: impl FnOnce(&Transaction<'_>) -> Result<T, Error>) -> Result<T, Error> {
        let folder = self.folder()?;
        act(&Transaction::new(self.disk(), self.plan()?, &folder))
    }

    pub(super) fn stage(&mut self) -> Result<StepOutcome, Error> {
        self.files(|files| files.stage(&self.contents))?;
        Ok(StepOutcome::Done)
    }

    pub(super) fn replace(&mut self) -> Result<StepOutcome, Error> {
        let plan = self.plan()?.clone();
        if plan.touch_service && plan.activation.replaces() {
            self.hold_watchdogs().map_err(Error::cannot)?;
        }
        if plan.touch_service && plan.activation == Activation::StopFirst {
            self.stop_first(&plan)?;
        }
        self.files(|files| files.replace())?;
        let files = self.plan()?.files.len();
        self.emit(Event::Replaced { files });
        Ok(StepOutcome::Done)
    }

    /// Stops the daemon before its files change, and sees that it is really gone.
    fn stop_first(&mut self, plan: &Plan) -> Result<(), Error> {
        let held = self.world.holdings(&plan.service);
        let acted = self.tell(plan, ServiceAction::Stop, false);
        if !acted.ok && self.world.interrupted() {
            return Err(Error::cannot("it was interrupted"));
        }
        if !acted.ok {
            return Err(Error::cannot(format!("it could not be stopped: {}", acted.said)));
        }
        let gone = self.world.wait(&plan.service, &held, limit_of(plan, ServiceAction::Stop));
        gone.map_err(|left| Error::cannot(format!("it was stopped, and {left}")))
    }

    pub(super) fn activate(&mut self) -> Result<StepOutcome, Error> {
        let plan = self.plan()?.clone();
        if let Err(why) = self.do_chores(false) {
            self.cause = Some(why);
            return Ok(StepOutcome::Failed);
        }
        if !plan.touch_service || plan.activation == Activation::None {
            return Ok(self.reread(&plan, false));
        }
        let up = plan.service_before.as_ref().is_some_and(|seen| seen.state.is_up());
        let deed = match plan.activation {
            Activation::StopFirst => ServiceAction::Start,
            _ if is_woken(&plan) => ServiceAction::Start,
            activation if up => gentle_deed(activation).unwrap_or(ServiceAction::Restart),
            _ => ServiceAction::Restart,
        };
        self.open_sockets(&plan);
        let acted = self.tell(&plan, deed, false);
        if acted.ok {
            self.start_taken_along(&plan, false);
            return Ok(StepOutcome::Done);
        }
        if self.world.interrupted() {
            self.cause = Some("it was interrupted".into());
            return Ok(StepOutcome::Interrupted);
        }
        let said = if acted.said.is_empty() { String::new() } else { format!(": {}", acted.said) };
        self.cause = Some(format!("{} failed{said}", deed.word()));
        Ok(StepOutcome::Failed)
    }

    /// Where a unit file was touched and the service is told nothing: its manager is told all the same.
    fn reread(&mut self, plan: &Plan, back: bool) -> StepOutcome {
        if !plan.service.reread {
            return StepOutcome::Done;
        }
        let how = format!("{} the unit files", ServiceAction::Reread.word());
        let acted = self.do_beside(how, &plan.service, ServiceAction::Reread, plan);
        if acted.ok {
            return StepOutcome::Done;
        }
        if !back {
            self.cause = Some(acted.said);
        }
        StepOutcome::Failed
    }

    /// Tells the service something; the look just before it is what comes after is compared with.
    fn tell(&mut self, plan: &Plan, deed: ServiceAction, back: bool) -> Acted {
        let name = service::name_of(&plan.service);
        let before = match &plan.service_before {
            Some(last) if !back => self.world.observe_again(&plan.service, last),
            _ => self.world.observe(&plan.service),
        };
        if let Some(plan) = &mut self.plan {
            plan.service_before.get_or_insert_with(|| before.clone());
        }
        self.told.get_or_insert(before);
        if self.scene.since.is_none() || back {
            let since = Some(self.world.mark(&plan.service, &logs_of(plan)));
            self.scene = ProbeContext { service: plan.service.clone(), seen: None, since };
        }
        let on = format!("{} of {name}", deed.word());
        self.emit(Event::Waiting { on, usual_ms: usual(plan), steady_ms: None });
        let acted = self.world.act(&plan.service, deed, limit_of(plan, deed), back);
        let (how, said) = (format!("{} {name}", deed.word()), acted.said.clone());
        let restarts = deed == ServiceAction::Restart;
        self.emit(Event::Activated { how, ok: acted.ok, said, ms: acted.ms(), back, restarts });
        acted
    }

    pub(super) fn look(&mut self) -> Result<StepOutcome, Error> {
        let plan = self.plan()?.clone();
        if service::exists(&plan.service) && !plan.touch_service {
            self.emit(Event::Looked { health: Vec::new(), judgement: Judgement::Unproven, back: false });
            return Ok(StepOutcome::Looked(Judgement::Unproven));
        }
        // What slept is not judged by that: it is to be well.
        let baseline: &[Outcome] = if is_woken(&plan) { &[] } else { &plan.baseline };
        let (health, judgement) = self.look_at(&plan, (&plan.checks_after, baseline), plan.activation, false);
        if self.world.interrupted() {
            // What was seen so far proves nothing: the person did not let it go on.
            self.cause = Some("it was interrupted".into());
            self.emit(Event::Looked { health, judgement, back: false });
            return Ok(StepOutcome::Interrupted);
        }
        if judgement == Judgement::Worse {
            self.cause.get_or_insert_with(|| cause(baseline, &health));
            self.unhealthy = units_down(&plan.checks_after, &health);
        } else {
            self.rouse();
        }
        self.emit(Event::Looked { health, judgement, back: false });
        let scene = self.scene.clone();
        // Until the old files are back, the service is away: nobody is asked who may not answer.
        self.read_again(&scene, judgement == Judgement::Worse);
        if judgement != Judgement::Worse {
            self.mark_log();
        }
        Ok(StepOutcome::Looked(judgement))
    }

    fn look_at(
        &mut self,
        plan: &Plan,
        (checks, baseline): (&[Check], &[Outcome]),
        activation: Activation,
        back: bool,
    ) -> (Vec<Outcome>, Judgement) {
        let (told, scene) = (self.told.clone(), self.scene.clone());
        let look = HealthRun {
            before: told.as_ref(),
            activation,
            steady: Duration::from_millis(plan.steady_ms),
            limit: Duration::from_millis(plan.limit_ms),
            back,
            ..HealthRun::at(self.world, &plan.service, checks, &scene)
        };
        let steady_time = look.steady_time();
        let on = if steady_time.is_zero() {
            "health checks".to_owned()
        } else {
            format!("health checks, then watching for {:.1} s", steady_time.as_secs_f64())
        };
        let steady_ms = u64::try_from(steady_time.as_millis()).ok().filter(|ms| *ms > 0);
        self.emit(Event::Waiting { on, usual_ms: None, steady_ms });
        look.carefully(baseline)
    }

    pub(super) fn put_back(&mut self) -> Result<StepOutcome, Error> {
        // A restart without an edit has no old configuration: what failed must be seen to by a person.
        if self.plan()?.files.is_empty() && self.cause.is_some() {
            return Ok(StepOutcome::Failed);
        }
        let cause = self.cause.clone().unwrap_or_else(|| "it was interrupted".into());
        self.emit(Event::Restoring { cause });
        self.mark_log();
        let plan = self.plan()?.clone();
        if plan.touch_service && plan.activation == Activation::StopFirst {
            // What it would write over must come back behind its end.
            let acted = self.tell(&plan, ServiceAction::Stop, true);
            if !acted.ok {
                self.emit(Event::Noted { text: format!("it could not be stopped: {}", acted.said) });
            }
        }
        let notes = self.files(|files| files.put_back())?;
        for text in notes {
            self.emit(Event::Noted { text });
        }
        if !self.files(|files| files.is_before())? {
            let text = "not all files are as before: the version of another process was left in place";
            self.emit(Event::Noted { text: text.into() });
        }
        Ok(StepOutcome::Done)
    }

    /// Makes the daemon take up the old configuration. The checker is not asked: with the daemon
    /// down it may fail for reasons of its own.
    pub(super) fn revive(&mut self, change: &Change) -> Result<StepOutcome, Error> {
        let plan = self.plan()?.clone();
        self.told = None;
        if change.was_activated() {
            // What did not work is said; the files are back whatever became of it.
            let _ = self.do_chores(true);
        }
        if !plan.touch_service || plan.activation == Activation::None {
            return Ok(self.reread(&plan, true));
        }
        self.open_sockets(&plan);
        self.call_again(&plan);
        let now = self.world.observe(&plan.service);
        let before = plan.service_before.clone().unwrap_or_else(|| Observation::only(ServiceState::Stopped));
        // A restart that was refused leaves it as it was.
        let refused = plan.activation.replaces() && now.state == ServiceState::Running && now.main.is_some();
        let untouched = before.same_start(&now) && (refused || !change.was_activated());
        if untouched && taken_up(&before, &now, plan.activation, plan.service.proof.as_ref()) != TakenUp::Yes
        {
            return Ok(self.reread(&plan, true));
        }
        let gentle = gentle_deed(plan.activation)
            .filter(|_| change.attempt() == 1 && now.state.is_up() && before.main == now.main);
        if gentle.is_some_and(|deed| self.tell(&plan, deed, true).ok) {
            self.start_taken_along(&plan, true);
            return Ok(StepOutcome::Done);
        }
        let deed =
            if before.state == ServiceState::Stopped { ServiceAction::Stop } else { ServiceAction::Restart };
        self.revived_by_restart = true;
        if !self.tell(&plan, deed, true).ok {
            return Ok(StepOutcome::Failed);
        }
        self.start_taken_along(&plan, true);
        Ok(StepOutcome::Done)
    }

    pub(super) fn look_again(&mut self) -> Result<StepOutcome, Error> {
        let plan = self.plan()?.clone();
        self.quote_log();
        if service::exists(&plan.service) && !plan.touch_service {
            self.emit(Event::Looked { health: Vec::new(), judgement: Judgement::Unproven, back: true });
            return Ok(StepOutcome::Looked(Judgement::Unproven));
        }
        let activation = if self.revived_by_restart { Activation::Restart } else { plan.activation };
        let checks = (plan.checks_before.as_slice(), plan.baseline.as_slice());
        let (health, judgement) = self.look_at(&plan, checks, activation, true);
        if judgement != Judgement::Worse {
            self.rouse();
        }
        self.emit(Event::Looked { health, judgement, back: true });
        Ok(StepOutcome::Looked(judgement))
    }

    pub(super) fn tidy(&mut self, change: &Change) -> Result<StepOutcome, Error> {
        use gypsum_core::change::State as S;
        if matches!(change.state(), S::Withdrawn(_)) {
            self.files(|files| files.unstage())?;
            return Ok(StepOutcome::Done);
        }
        match self.files(|files| files.tidy()) {
            Ok(notes) => {
                for text in notes {
                    self.emit(Event::Noted { text });
                }
            }
            // What counts is done; a leftover is no reason to call it anything else.
            Err(error) => self.emit(Event::Noted { text: format!("not tidied up: {error}") }),
        }
        Ok(StepOutcome::Done)
    }
}

/// Whether the service was stopped before and is to be started.
fn is_woken(plan: &Plan) -> bool {
    let stopped = plan.service_before.as_ref().is_some_and(|seen| seen.state == ServiceState::Stopped);
    plan.touch_service && stopped
}

/// What an activation that leaves the service running tells it.
fn gentle_deed(activation: Activation) -> Option<ServiceAction> {
    match activation {
        Activation::Signal => Some(ServiceAction::Signal),
        Activation::Command => Some(ServiceAction::Command),
        Activation::Reload => Some(ServiceAction::Reload),
        Activation::None | Activation::Restart | Activation::StopFirst => None,
    }
}

/// How long it may take to do that.
fn limit_of(plan: &Plan, deed: ServiceAction) -> Duration {
    let own = plan.service.limits.get(deed.word()).and_then(|limit| Duration::try_from(*limit).ok());
    own.unwrap_or(Duration::from_millis(plan.limit_ms))
}

/// How long what is told now usually takes, where that is known.
fn usual(plan: &Plan) -> Option<u64> {
    let away = plan.service.away.and_then(|away| Duration::try_from(away).ok())?;
    plan.activation.replaces().then(|| u64::try_from(away.as_millis()).ok()).flatten()
}

/// The first check that fails now and did not before, in words.
fn cause(baseline: &[Outcome], health: &[Outcome]) -> String {
    let names: Vec<&str> = health.iter().map(|outcome| outcome.name.as_str()).collect();
    let worse = (0..health.len()).find(|n| !health[*n].healthy && held(baseline, &names, *n));
    worse.map_or_else(|| "it is unhealthy".into(), |n| format!("{} is unhealthy", names[n]))
}
