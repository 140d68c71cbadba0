//! The part of a change before anything is written: locks, files, checks, rehearsal, baseline.

use super::Run;
use super::job::{Job, Wish};
use super::readings::look_at;
use super::values::Values;
use crate::disk::Disk;
use crate::error::Error;
use crate::files::{self, Loading};
use crate::health::HealthRun;
use crate::locks::Locks;
use crate::probe::ProbeContext;
use crate::rehearse::{Proposed, Rehearsal, ask, rehearse};
use crate::service;
use crate::shell;
use crate::state::State;
use crate::survey::Early;
use gypsum_core::change::{Ownership, PlannedNeighbour, StepOutcome};
use gypsum_core::doc::Family;
use gypsum_core::edit::Shown;
use gypsum_core::effective::{ALSO_CHANGES, asked, compare};
use gypsum_core::event::Event;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::{Activation, Service};
use gypsum_core::reading::{Reading, Seen};
use gypsum_core::service::{Observation, State as ServiceState};
use gypsum_core::survey::Survey;
use gypsum_core::text::{Bytes, LineShift};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// The rule by which something was not well before.
const UNWELL: &str = "unhealthy-before";

/// One file as it is to be.
#[derive(Clone, Debug)]
pub(super) struct NewFile {
    pub real: PathBuf,
    pub before: Option<Bytes>,
    pub after: Option<Bytes>,
    pub shifts: Vec<LineShift>,
    pub dress: Option<Ownership>,
}

impl NewFile {
    /// What it holds before.
    pub fn before(&self) -> Option<&[u8]> {
        self.before.as_ref().map(|bytes| bytes.as_slice())
    }

    /// What it is to hold.
    pub fn after(&self) -> Option<&[u8]> {
        self.after.as_ref().map(|bytes| bytes.as_slice())
    }
}

/// What is known before anything is written.
pub(super) struct Front {
    pub job: Job,
    pub locks: Locks,
    pub loading: Option<Loading>,
    pub after: Vec<gypsum_core::edit::File>,
    pub after_loading: Option<Loading>,
    /// The statements that are new in the proposal.
    pub fresh: std::collections::HashSet<gypsum_core::rules::Leaf>,
    pub new_files: Vec<NewFile>,
    pub edits: Vec<Shown>,
    /// The addresses of the settings that change; once they are checked, those in new blocks among them.
    pub changed: Vec<String>,
    /// What was looked up while the files were read.
    pub early: Early,
    /// What others are told who want the locks.
    pub holder: String,
    /// What the daemon's checker said meanwhile.
    pub rehearsed: Option<Result<Rehearsal, Error>>,
    pub service: Service,
    /// How the service was when it was looked up.
    pub found: Observation,
    pub observed: Option<Observation>,
    pub activation: Activation,
    /// How long the service was away when it was restarted last, where that is known.
    pub last_away: Option<Duration>,
    pub checks_before: Vec<Check>,
    pub checks_after: Vec<Check>,
    pub baseline: Vec<Outcome>,
    /// What is read before and after.
    pub readings: Vec<Reading>,
    pub readings_before: Vec<Seen>,
    /// Further services, resolved.
    pub neighbours: Vec<PlannedNeighbour>,
    /// Units that were up and that a stop takes along.
    pub taken_along: Vec<String>,
    /// Units that are up and start the service when they are called: its sockets, timers.
    pub callers: Vec<String>,
}

impl Front {
    pub fn new(job: Job) -> Self {
        Self {
            early: Early::begin(&job.profile),
            holder: String::new(),
            rehearsed: None,
            job,
            locks: Locks::default(),
            loading: None,
            after: Vec::new(),
            after_loading: None,
            fresh: std::collections::HashSet::new(),
            new_files: Vec::new(),
            edits: Vec::new(),
            changed: Vec::new(),
            service: Service::default(),
            found: Observation::only(ServiceState::Missing),
            observed: None,
            activation: Activation::None,
            last_away: None,
            checks_before: Vec::new(),
            checks_after: Vec::new(),
            baseline: Vec::new(),
            readings: Vec::new(),
            readings_before: Vec::new(),
            neighbours: Vec::new(),
            taken_along: Vec::new(),
            callers: Vec::new(),
        }
    }

    pub fn loading(&self) -> Result<&Loading, Error> {
        self.loading.as_ref().ok_or_else(|| Error::cannot("the files were not read"))
    }

    /// Whether the service is to be told of the change: not where it is stopped and stays so.
    pub fn touches_service(&self) -> bool {
        service::exists(&self.service) && (!self.is_stopped() || self.job.start)
    }

    /// Whether the service does not run, and nothing is wrong with that.
    pub fn is_stopped(&self) -> bool {
        self.observed.as_ref().is_some_and(|seen| seen.state == ServiceState::Stopped)
    }
}

impl Run<'_> {
    pub(super) fn prepare(&mut self) -> Result<StepOutcome, Error> {
        let (state, disk, now) = (self.state, self.disk(), self.world.now_ms());
        let front = self.front()?;
        let daemon = front.job.profile.daemon.clone();
        let mut known = Vec::new();
        if !front.job.dry_run {
            state.prepare(disk, &daemon)?;
            let loading = files::load(disk, &front.job.profile, front.job.new_file())?;
            let things: Vec<String> =
                loading.loaded.iter().map(|file| file.real.display().to_string()).collect();
            known = loading.files;
            let since =
                jiff::Timestamp::from_millisecond(now).unwrap_or_default().strftime("%H:%M:%S").to_string();
            front.holder = format!("{}, since {since} UTC", front.job.who);
            front.locks = Locks::take(&things, &front.holder)?;
        }
        // Who is at work holds the locks and was named by them; an open record without is a change that
        // was cut off.
        if let Some(entry) = state.open_change(disk, &daemon)?.map(|(entry, ..)| entry) {
            let what = format!("change {} of {daemon} was interrupted and is still open", entry.number);
            return Err(Error::busy(what).help(format!("gypsum recover {daemon}")));
        }
        // Under the locks, and whatever was read to find them: somebody may have changed it before.
        let held = front.held_already(state)?;
        front.loading =
            Some(files::load_over(disk, &front.job.profile, front.job.new_file(), &held, &known)?);
        Ok(StepOutcome::Done)
    }

    pub(super) fn rehearse(&mut self) -> Result<StepOutcome, Error> {
        let front = self.front()?;
        let rehearsal = front.rehearsed.take().transpose()?;
        let home = front.home()?;
        let proposed = proposed(&front.new_files, &home);
        let mut by = vec!["Gypsum's rules".to_owned()];
        let mut findings = Vec::new();
        match rehearsal {
            Some(rehearsal) => {
                by.push(rehearsal.by);
                findings = rehearsal.findings;
            }
            None => by.push("the daemon has no checker".to_owned()),
        }
        if let Some(said) = front.shell_syntax() {
            by.push("the shell's own syntax check".to_owned());
            findings.extend(said);
        }
        // A proposal that the checker refuses is not understood at all.
        let refused = findings.iter().any(|finding| finding.severity == Severity::Fault);
        let told = if refused { None } else { front.effective(&proposed, &home)? };
        if let Some(told) = told {
            by.push("the settings that the daemon reports".to_owned());
            findings.extend(told);
        }
        if self.judge(findings)? {
            return Ok(StepOutcome::Refused);
        }
        self.emit(Event::Checked { by: by.join("; ") });
        Ok(StepOutcome::Done)
    }

    pub(super) fn measure(&mut self) -> Result<StepOutcome, Error> {
        let (world, state) = (self.world, self.state);
        let front = self.front()?;
        let profile = &front.job.profile;
        let loading = front.loading()?;
        let mut checks_before = Values::of(profile, loading).checks(&front.service)?;
        let after = front.after_loading.as_ref().unwrap_or(loading);
        let values = Values::of(profile, after);
        let mut checks_after = values.checks(&front.service)?;
        let musts = values.filled(&front.job.musts)?;
        let seen = Some(front.found.clone());
        let scene = ProbeContext { service: front.service.clone(), seen, ..ProbeContext::default() };
        let look = HealthRun {
            last: Some(&front.found),
            ..HealthRun::at(world, &front.service, &checks_before, &scene)
        };
        let readings = front.readings()?;
        let ((mut baseline, observed), seen) = std::thread::scope(|scope| {
            let reading = scope.spawn(|| look_at(world, &readings, &scene));
            (look.once(), reading.join().unwrap_or_default())
        });
        // Where nobody listened before although the files say so (a module that is not loaded), nobody is expected.
        let silent: Vec<String> = checks_before
            .iter()
            .zip(&baseline)
            .filter(|(check, outcome)| matches!(check.probe, Probe::Listens { .. }) && !outcome.healthy)
            .map(|(check, _)| check.name.clone())
            .collect();
        baseline.retain(|outcome| !silent.contains(&outcome.name));
        checks_before.retain(|check| !silent.contains(&check.name));
        checks_after.retain(|check| !silent.contains(&check.name));
        if front.job.steady.is_some() {
            // Who says how long all is watched means what the profile says, too.
            checks_before.iter_mut().chain(&mut checks_after).for_each(|check| check.steady_ms = None);
        }
        checks_after.extend(musts);
        checks_after.extend(front.expected(&readings)?);
        front.observed = observed;
        front.baseline = baseline;
        (front.readings, front.readings_before) = (readings, seen);
        (front.checks_before, front.checks_after) = (checks_before, checks_after);
        front.decide(world, state)?;
        self.say_how_it_is()
    }

    /// Says how all is before anything is touched, and what will be done; where something is not well, the person may
    /// stop here.
    fn say_how_it_is(&mut self) -> Result<StepOutcome, Error> {
        let front = self.front()?;
        let (baseline, planned) = (front.baseline.clone(), front.planned());
        // Nobody asks whom to wake that is asleep.
        let stopped = front.is_stopped();
        let unhealthy: Vec<Finding> =
            baseline.iter().filter(|outcome| !outcome.healthy && !stopped).map(unhealthy).collect();
        self.emit(Event::Baseline { health: baseline });
        let asks = !unhealthy.is_empty() && self.front()?.asks_if_unhealthy();
        if self.judge(unhealthy)? {
            return Ok(StepOutcome::Refused);
        }
        self.emit(planned);
        if asks && !self.watch.confirm() {
            self.cause = Some("the service was already unhealthy, and you chose to stop".into());
            return Ok(StepOutcome::Interrupted);
        }
        Ok(StepOutcome::Done)
    }
}

fn unhealthy(outcome: &Outcome) -> Finding {
    let message = format!("{} was already unhealthy before this change: {}", outcome.name, outcome.said);
    Finding::warning(UNWELL, message)
        .help("the change is judged by whether anything gets worse; --strict refuses it")
}

/// The files of a proposal, as a checker reads them.
fn proposed<'a>(files: &'a [NewFile], home: &Path) -> Vec<Proposed<'a>> {
    let one = |file: &'a NewFile| Proposed {
        real: &file.real,
        bytes: file.after(),
        shifts: file.shifts.clone(),
        is_home: file.real == home,
    };
    files.iter().map(one).collect()
}

impl Front {
    fn home(&self) -> Result<PathBuf, Error> {
        let loading = self.loading()?;
        Ok(loading.loaded.get(loading.home).map_or_else(PathBuf::new, |file| file.real.clone()))
    }

    /// Whether the person is asked before something that is unwell is changed: not where nothing goes live, nor where
    /// a change is taken back, nor where it was accepted beforehand.
    fn asks_if_unhealthy(&self) -> bool {
        let accepted = self.job.accept.iter().any(|rule| rule.split('=').next() == Some(UNWELL));
        !self.job.dry_run && !accepted && !matches!(self.job.wish, Wish::Files(_))
    }

    /// Our own check; the daemon's checker reads the proposal meanwhile.
    pub(super) fn both_checks(&mut self, state: &State, disk: &dyn Disk) -> Result<Vec<Finding>, Error> {
        let home = self.home()?;
        let (files, checker) = (&self.new_files, self.job.profile.checker.as_ref());
        let putting_back = matches!(self.job.wish, Wish::Files(_));
        let (own, rehearsed) = std::thread::scope(|scope| {
            let home = &home;
            let rehearsing = checker.map(|checker| {
                scope.spawn(move || rehearse(checker, &proposed(files, home), home, putting_back))
            });
            let own = self.own_check(disk);
            let failed = || Err(Error::cannot("the rehearsal broke off"));
            (own, rehearsing.map(|thread| thread.join().unwrap_or_else(|_| failed())))
        });
        self.rehearsed = rehearsed;
        self.checked(own?, state, disk)
    }

    /// What the shell says of the proposal, where the files are the shell's.
    fn shell_syntax(&self) -> Option<Vec<Finding>> {
        if self.job.profile.files.format != Family::Assignments {
            return None;
        }
        let changed = self.new_files.iter().filter_map(|file| Some((file, file.after()?)));
        let said: Vec<_> =
            changed.filter_map(|(file, after)| shell::syntax(&file.real, file.before(), after)).collect();
        (!said.is_empty()).then(|| said.concat())
    }

    /// What the daemon understands otherwise than it was asked for, where it can be asked.
    fn effective(&self, proposed: &[Proposed<'_>], home: &Path) -> Result<Option<Vec<Finding>>, Error> {
        let profile = &self.job.profile;
        let Some((effective, loading)) = profile.effective.as_ref().zip(self.after_loading.as_ref()) else {
            return Ok(None);
        };
        let layers = loading.layers(profile);
        let survey = Survey::default();
        let subject = loading.subject(&layers, profile, &survey);
        let turns = asked(&subject, &self.fresh, effective);
        let names = turns
            .iter()
            .map(|turn| loading.files[turn.file].doc.text(turn.name).into_owned())
            .collect::<Vec<_>>();
        if names.is_empty() && effective.run.iter().any(|word| word.contains("{name}")) {
            return Ok(None);
        }
        let Some((before, after)) = ask(effective, proposed, home, &names)? else {
            return Ok(None);
        };
        if after.is_empty() {
            return Ok(None);
        }
        let said = compare(profile, effective, (&before, &after), &subject, &self.fresh);
        if !said.iter().any(|finding| finding.rule == ALSO_CHANGES) {
            return Ok(Some(said));
        }
        // Some accounts hold the time: what differs when the same is asked again is no change.
        let Some((again_before, again_after)) = ask(effective, proposed, home, &names)? else {
            return Ok(Some(said));
        };
        let mut effective = effective.clone();
        effective.passing.extend(before.passing(&again_before));
        effective.passing.extend(after.passing(&again_after));
        Ok(Some(compare(profile, &effective, (&before, &after), &subject, &self.fresh)))
    }
}
