//! The part of a change before anything is written: locks, files, checks, rehearsal, baseline.

use super::Run;
use super::beside::Beside;
use super::values::{checks_for, values_of};
use crate::files::{self, Loading};
use crate::locks::Locks;
use crate::look::Look;
use crate::rehearse::{Proposed, rehearse};
use crate::service;
use crate::trouble::Trouble;
use gypsum_core::change::{Dress, Event};
use gypsum_core::edit::{Edit, Shown};
use gypsum_core::finding::Finding;
use gypsum_core::happening::Happening;
use gypsum_core::health::Outcome;
use gypsum_core::profile::{Activation, Check, Profile, Service};
use gypsum_core::service::{Observation, State as ServiceState};
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
    /// The file that is meant and may be made.
    pub fn new_file(&self) -> Option<&Path> {
        let meant = self.only.as_deref().unwrap_or_else(|| Path::new(&self.profile.files.home));
        self.beside.new.then_some(meant)
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
    pub new_files: Vec<NewFile>,
    pub edits: Vec<Shown>,
    /// The addresses of the settings that change.
    pub changed: Vec<String>,
    pub service: Service,
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
            new_files: Vec::new(),
            edits: Vec::new(),
            changed: Vec::new(),
            service: Service::default(),
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
        front.service = service::resolve(&front.job.profile.service)?;
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
        let Some(checker) = front.job.profile.checker.clone() else {
            self.emit(Happening::Checked { by: "Gypsum's own rules; the daemon has no checker".into() });
            return Ok(Event::Done);
        };
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
        let rehearsal = rehearse(&checker, &proposed, &home, putting_back)?;
        if self.judge(rehearsal.findings)? {
            return Ok(Event::Refused);
        }
        self.emit(Happening::Checked { by: format!("Gypsum's own rules; {}", rehearsal.by) });
        Ok(Event::Done)
    }

    pub(super) fn measure(&mut self) -> Result<Event, Trouble> {
        let world = self.world;
        let front = self.front()?;
        let profile = &front.job.profile;
        let loading = front.loading()?;
        let checks_before = checks_for(profile, &front.service, &values_of(profile, &loading.files))?;
        let checks_after = checks_for(profile, &front.service, &values_of(profile, &front.after))?;
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
        (front.checks_before, front.checks_after) = (checks_before, checks_after);
        front.activation = front.needed();
        let (baseline, activation) = (front.baseline.clone(), front.planned());
        let unwell: Vec<Finding> = baseline.iter().filter(|outcome| !outcome.well).map(unwell).collect();
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
            Activation::Reload if !reloadable || service::needs_restart_for_sockets(&self.service) => {
                Activation::Restart
            }
            other => other,
        }
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
