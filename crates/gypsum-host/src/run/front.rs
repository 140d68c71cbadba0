//! The part of a change before anything is written: locks, files, checks, rehearsal, baseline.

use super::Run;
use super::beside::Beside;
use super::values::Values;
use crate::files::{self, Loading};
use crate::locks::Locks;
use crate::look::Look;
use crate::rehearse::{Proposed, ask, rehearse};
use crate::service;
use crate::trouble::Trouble;
use gypsum_core::change::{Dress, Event};
use gypsum_core::edit::{Edit, Shown};
use gypsum_core::effective::{asked, compare};
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::happening::Happening;
use gypsum_core::health::Outcome;
use gypsum_core::profile::{Activation, Check, Probe, Profile, Service};
use gypsum_core::service::{Observation, State as ServiceState};
use gypsum_core::survey::Survey;
use gypsum_core::text::LineShift;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What is wanted.
#[derive(Clone, Debug)]
pub enum Wish {
    /// These edits.
    Edits(Vec<Edit>),
    /// This whole prepared file, in place of the daemon's home file or the one that was named.
    Whole(Vec<u8>),
    /// These files as a whole: what each is to hold, none where it is to be gone.
    Files(Vec<(PathBuf, Option<Vec<u8>>)>),
}

/// A change to be carried out.
#[derive(Clone, Debug)]
pub struct Job {
    /// The daemon.
    pub profile: Profile,
    /// What is wanted.
    pub wish: Wish,
    /// The only file to edit.
    pub only: Option<PathBuf>,
    /// What is done beside the edits.
    pub beside: Beside,
    /// Texts that are never shown.
    pub hidden: Vec<String>,
    /// The folders that go once they are empty.
    pub prune: Vec<PathBuf>,
    /// A remark above what is new or changed.
    pub remark: Option<String>,
    /// Why, in the person's words.
    pub why: Option<String>,
    /// Who: the login.
    pub who: String,
    /// Rules whose findings do not refuse.
    pub accept: Vec<String>,
    /// Whether warnings refuse.
    pub strict: bool,
    /// Whether to end before anything is written.
    pub dry_run: bool,
    /// Whether to start a service that is stopped.
    pub start: bool,
    /// What the daemon is told, where the person knows better.
    pub activation: Option<Activation>,
}

impl Job {
    /// The only file to edit: the one that was named, else the one for local settings where those have their own.
    pub fn only(&self) -> Option<&Path> {
        let local = self.profile.files.local.then(|| Path::new(&self.profile.files.home));
        self.only.as_deref().or(local)
    }

    /// The file that is meant and may be made.
    pub fn new_file(&self) -> Option<&Path> {
        let home = Path::new(&self.profile.files.home);
        let meant = self.only().unwrap_or(home);
        (self.beside.new || self.profile.files.makes && meant == home).then_some(meant)
    }
}

/// One file as it is to be.
#[derive(Clone, Debug)]
pub(super) struct NewFile {
    pub real: PathBuf,
    pub before: Option<Vec<u8>>,
    pub after: Option<Vec<u8>>,
    pub shifts: Vec<LineShift>,
    pub dress: Option<Dress>,
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
    /// The addresses of the settings that change.
    pub changed: Vec<String>,
    pub service: Service,
    /// How the service was when it was looked up.
    pub found: Observation,
    pub observed: Option<Observation>,
    pub activation: Activation,
    pub checks_before: Vec<Check>,
    pub checks_after: Vec<Check>,
    pub baseline: Vec<Outcome>,
}

impl Front {
    pub fn new(job: Job) -> Self {
        Self {
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
            checks_before: Vec::new(),
            checks_after: Vec::new(),
            baseline: Vec::new(),
        }
    }

    pub fn loading(&self) -> Result<&Loading, Trouble> {
        self.loading.as_ref().ok_or_else(|| Trouble::cannot("the files were not read"))
    }

    /// Whether the service is to be told of the change: not where it is stopped and stays so.
    pub fn touches_service(&self) -> bool {
        let stopped = self.observed.as_ref().is_some_and(|seen| seen.state == ServiceState::Stopped);
        service::exists(&self.service) && (!stopped || self.job.start)
    }
}

impl Run<'_> {
    pub(super) fn prepare(&mut self) -> Result<Event, Trouble> {
        let (state, disk, now) = (self.state, self.disk(), self.world.now_ms());
        let front = self.front()?;
        let daemon = front.job.profile.daemon.clone();
        (front.service, front.found) = service::find(&front.job.profile.service)?;
        if !front.job.dry_run {
            state.prepare(disk, &daemon)?;
            let mut things: Vec<String> = files::load(disk, &front.job.profile, front.job.new_file())?
                .loaded
                .iter()
                .map(|file| file.real.display().to_string())
                .collect();
            things.extend(service::lock_name(&front.service));
            let since =
                jiff::Timestamp::from_millisecond(now).unwrap_or_default().strftime("%H:%M:%S").to_string();
            let holder = format!("{}, since {since} UTC, process {}", front.job.who, std::process::id());
            front.locks = Locks::take(&things, &holder)?;
        }
        // Who is at work holds the locks and was named by them; an open record without is a change that
        // was cut off.
        if let Some(entry) = state.open_change(disk, &daemon) {
            let what = format!("change {} of {daemon} was begun and not brought to its end", entry.number);
            return Err(Trouble::busy(what).mend(format!("gypsum recover {daemon}")));
        }
        // Under the locks, and whatever was read to find them: somebody may have changed it before.
        front.loading = Some(files::load(disk, &front.job.profile, front.job.new_file())?);
        Ok(Event::Done)
    }

    pub(super) fn rehearse(&mut self) -> Result<Event, Trouble> {
        let front = self.front()?;
        let loading = front.loading()?;
        let home = loading.loaded.get(loading.home).map_or_else(PathBuf::new, |file| file.real.clone());
        let proposed: Vec<Proposed<'_>> = front
            .new_files
            .iter()
            .map(|file| Proposed {
                real: &file.real,
                bytes: file.after.as_deref(),
                shifts: file.shifts.clone(),
                is_home: file.real == home,
            })
            .collect();
        let putting_back = matches!(front.job.wish, Wish::Files(_));
        let checker = front.job.profile.checker.as_ref();
        let rehearsal =
            checker.map(|checker| rehearse(checker, &proposed, &home, putting_back)).transpose()?;
        let mut by = vec!["Gypsum's own rules".to_owned()];
        let mut findings = Vec::new();
        match rehearsal {
            Some(rehearsal) => {
                by.push(rehearsal.by);
                findings = rehearsal.findings;
            }
            None => by.push("the daemon has no checker".to_owned()),
        }
        // A proposal that the checker refuses is not understood at all.
        let refused = findings.iter().any(|finding| finding.severity == Severity::Fault);
        let told = if refused { None } else { front.effective(&proposed, &home)? };
        if let Some(told) = told {
            by.push("the daemon's own account of its settings".to_owned());
            findings.extend(told);
        }
        if self.judge(findings)? {
            return Ok(Event::Refused);
        }
        self.emit(Happening::Checked { by: by.join("; ") });
        Ok(Event::Done)
    }

    pub(super) fn measure(&mut self) -> Result<Event, Trouble> {
        let world = self.world;
        let front = self.front()?;
        let profile = &front.job.profile;
        let loading = front.loading()?;
        let checks_before = Values::of(profile, loading).checks(&front.service)?;
        let after = front.after_loading.as_ref().unwrap_or(loading);
        let checks_after = Values::of(profile, after).checks(&front.service)?;
        let look = Look {
            world,
            service: &front.service,
            checks: &checks_before,
            before: None,
            activation: Activation::None,
            steady: Duration::ZERO,
            interruptible: true,
        };
        front.baseline = look.once();
        front.observed = service::exists(&front.service).then(|| world.observe(&front.service));
        // Where nobody listened before although the files say so (a module that is not loaded), nobody is expected.
        let silent: Vec<&String> =
            front.baseline.iter().filter(|outcome| !outcome.well).map(|outcome| &outcome.name).collect();
        let expected =
            |check: &Check| !matches!(check.probe, Probe::Listens { .. }) || !silent.contains(&&check.name);
        let checks_after = checks_after.into_iter().filter(expected).collect();
        (front.checks_before, front.checks_after) = (checks_before, checks_after);
        front.activation = front.needed();
        let (baseline, activation) = (front.baseline.clone(), front.planned());
        // That it does not listen everywhere is what it was like; it only must not get worse.
        let told: Vec<&str> = front
            .checks_before
            .iter()
            .filter(|check| !matches!(check.probe, Probe::Listens { .. }))
            .map(|check| check.name.as_str())
            .collect();
        let amiss = baseline.iter().filter(|outcome| !outcome.well && told.contains(&outcome.name.as_str()));
        let unwell: Vec<Finding> = amiss.map(unwell).collect();
        self.emit(Happening::Baseline { health: baseline });
        if self.judge(unwell)? {
            return Ok(Event::Refused);
        }
        self.emit(Happening::Planned { activation });
        Ok(Event::Done)
    }
}

fn unwell(outcome: &Outcome) -> Finding {
    let message =
        format!("{} is not well already, before anything is touched: {}", outcome.name, outcome.said);
    Finding::warning("unwell-before", message)
        .mend("the change is judged by whether anything gets worse; --strict refuses it")
}

impl Front {
    /// What the daemon understands otherwise than it was asked for, where it can be asked.
    fn effective(&self, proposed: &[Proposed<'_>], home: &Path) -> Result<Option<Vec<Finding>>, Trouble> {
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
        Ok(Some(compare(profile, effective, (&before, &after), &subject, &self.fresh)))
    }

    /// The least that the changed settings need.
    fn needed(&self) -> Activation {
        if !service::exists(&self.service) || !self.touches_service() {
            return Activation::None;
        }
        let profile = &self.job.profile;
        let usual = profile.service.activation;
        let rank = |activation: &Activation| match activation {
            Activation::None => 0,
            Activation::Reload => 1,
            Activation::Restart => 2,
        };
        let own = self.changed.iter().map(|address| {
            let name = gypsum_core::address::Address::parse(address).ok();
            let setting = name.as_ref().and_then(|address| profile.setting(address.name()));
            setting.and_then(|(_, setting)| setting.activation).unwrap_or(usual)
        });
        let wanted = self.job.activation.unwrap_or_else(|| own.max_by_key(rank).unwrap_or(usual));
        let observed = self.observed.as_ref();
        let reloadable = observed.is_some_and(|seen| seen.can_reload && seen.state.is_up());
        match wanted {
            // Under an active socket unit a reloaded daemon would bind its ports beside it.
            Activation::Reload if !reloadable || self.has_sockets() => Activation::Restart,
            other => other,
        }
    }

    fn has_sockets(&self) -> bool {
        self.observed.as_ref().is_some_and(|seen| service::needs_restart_for_sockets(&self.service, seen))
    }

    /// What will be done, in words.
    fn planned(&self) -> String {
        let name = service::name_of(&self.service);
        match self.activation {
            _ if !service::exists(&self.service) => "nothing to activate: no service is known".into(),
            _ if !self.touches_service() => {
                format!("nothing: {name} is stopped, and stays so (--start starts it)")
            }
            Activation::None => format!("nothing: {name} needs no telling"),
            Activation::Reload => format!("reload {name}"),
            Activation::Restart => format!("restart {name}; it is away for that moment"),
        }
    }
}
