//! The activation: the least that the changed settings need, and what that will be, in words.

use super::check::Checked;
use super::measured::{ActivationPlan, Baseline, Measured};
use super::new_file::NewFile;
use super::proposal::Proposal;
use crate::disk::Disk;
use crate::error::Error;
use crate::run::steps::RunContext;
use crate::service;
use crate::state::State;
use crate::survey::listed;
use gypsum_core::address::Address;
use gypsum_core::change::Verdict;
use gypsum_core::event::Event;
use gypsum_core::profile::{Activation, ListedName, Part, Profile};
use gypsum_core::report::Report;
use std::path::PathBuf;
use std::time::Duration;

/// Among so many changes the last restart is looked for.
const LOOKED_BACK: usize = 5;

impl ActivationPlan {
    /// Decides it; units that are touched, too, are added to the baseline.
    pub fn of(cx: &RunContext<'_>, checked: &Checked, baseline: &mut Baseline) -> Result<Self, Error> {
        let observed = baseline.observed.as_ref();
        let callers = observed
            .map(|observed| cx.world.active_units(&checked.service, &observed.callers))
            .unwrap_or_default();
        let activation = checked.least_activation(baseline, &callers)?;
        let last_away = if activation.replaces() && checked.service.away.is_none() {
            last_away(cx.world.disk(), cx.state, &checked.proposal.request.profile.daemon)
        } else {
            None
        };
        let mut plan = Self { activation, last_away, related: Vec::new(), taken_along: Vec::new(), callers };
        plan.find_related(cx.world, checked, baseline);
        Ok(plan)
    }
}

impl Checked {
    /// The least that the changed settings need, unless the person knows better.
    fn least_activation(&self, baseline: &Baseline, callers: &[String]) -> Result<Activation, Error> {
        let (request, service) = (&self.proposal.request, &self.service);
        if !self.touches_service(baseline) {
            return Ok(Activation::None);
        }
        if request.wishes.activation.is_none() && self.proposal.says_the_same() {
            return Ok(Activation::None);
        }
        let profile = &request.profile;
        let usual = profile.service.activation;
        let own = self.proposal.changed.iter().map(|address| match profile.at_address(address) {
            Some((_, setting)) => setting.activation.unwrap_or(usual),
            None if needs_restart(profile, address) => usual.max(Activation::Restart),
            None => usual,
        });
        let wanted = request.wishes.activation.unwrap_or_else(|| own.max().unwrap_or(usual));
        let lacks = |what: &str| {
            let message = format!("the profile of {} has no {what} for its activation", profile.daemon);
            Err(Error::usage(message).help("--activation reload or restart works without it"))
        };
        // What its manager reads at each start is not read again by a running daemon.
        let wanted = match self.read_at_start() {
            Some(_) if request.wishes.activation.is_none() => wanted.max(Activation::Restart),
            _ => wanted,
        };
        let wanted = match self.runs_old_program(baseline) {
            true if request.wishes.activation.is_none() => wanted.max(Activation::Restart),
            _ => wanted,
        };
        let up = baseline.is_up();
        let reloadable = up && baseline.observed.as_ref().is_some_and(|seen| seen.can_reload);
        let has_sockets = callers.iter().any(|unit| unit.ends_with(".socket"));
        Ok(match wanted {
            Activation::Signal if service.signal.is_none() => return lacks("signal"),
            Activation::Command if service.command.is_none() => return lacks("command"),
            // Under an active socket unit a reloaded daemon would bind its ports beside it.
            Activation::Reload if !reloadable || has_sockets => Activation::Restart,
            Activation::Signal | Activation::Command if !up => Activation::Restart,
            Activation::None if baseline.is_stopped() => Activation::Restart,
            other => other,
        })
    }
}

impl Checked {
    /// Whether the service still runs the program of the version before the one whose files are merged: that program may
    /// not understand them. The kernel says so where its file is gone (proc(5)).
    fn runs_old_program(&self, baseline: &Baseline) -> bool {
        let main = baseline.observed.as_ref().and_then(|seen| seen.main);
        let program = main.map(|main| std::fs::read_link(format!("/proc/{}/exe", main.pid)));
        let is_gone = |path: PathBuf| path.to_string_lossy().ends_with(" (deleted)");
        self.proposal.request.merges && program.is_some_and(|program| program.is_ok_and(is_gone))
    }

    /// A changed file that the service manager itself reads at each start of the service: the file, and what it is.
    fn read_at_start(&self) -> Option<(String, &'static str)> {
        self.proposal.new_files.iter().find_map(|file| {
            let name = file.real.display().to_string();
            let role = self.found.started_as.role_of(&name)?;
            Some((name, role))
        })
    }
}

impl Proposal {
    /// Whether no setting differs: comments and blanks alone were changed, which no daemon reads.
    pub(super) fn says_the_same(&self) -> bool {
        let loading = &self.before;
        let config = |file: &NewFile| loading.loaded.iter().any(|loaded| loaded.real == file.real);
        let whole =
            |file: &NewFile| file.before.is_some() && file.after.is_some() && file.ownership.is_none();
        !self.new_files.is_empty()
            && self.new_files.iter().all(|file| config(file) && whole(file))
            && loading.files.len() == self.after.len()
            && loading
                .files
                .iter()
                .zip(&self.after)
                .all(|(before, after)| before.doc.says_the_same(&after.doc))
    }
}

impl Measured {
    /// Whether the service is to be reloaded or restarted at all.
    pub(super) fn touches_service(&self) -> bool {
        self.checked.touches_service(&self.baseline)
    }

    /// What will be done.
    pub(super) fn planned(&self) -> Event {
        let activation = self.activation.activation;
        let idle = activation == Activation::None || !self.touches_service();
        let down = !idle && activation.replaces() && !self.baseline.is_stopped();
        let away = self.away().filter(|_| down);
        let away_ms = away.and_then(|away| u64::try_from(away.as_millis()).ok());
        Event::Planned { activation: self.in_words(), idle, down, away_ms }
    }

    /// How long it is away while it is restarted: as its profile says, else as long as the last time.
    pub(super) fn away(&self) -> Option<Duration> {
        let known = self.checked.service.away.and_then(|away| Duration::try_from(away).ok());
        known.or(self.activation.last_away)
    }

    fn in_words(&self) -> String {
        let (checked, plan) = (&self.checked, &self.activation);
        let (service, stopped) = (&checked.service, self.baseline.is_stopped());
        let name = service::name_of(service);
        let seconds = |away: Duration| match away.as_secs() {
            0..10 => format!("{:.1} s", away.as_secs_f64().max(0.1)),
            whole => format!("{whole} s"),
        };
        let away = || match (self.away(), service.away) {
            (Some(away), Some(_)) => format!("is away for about {}", seconds(away)),
            (Some(away), None) => format!("was away for {} the last time", seconds(away)),
            (None, _) => "is away for that moment".to_owned(),
        };
        let along = if plan.taken_along.is_empty() {
            String::new()
        } else {
            format!(", and with it {}", plan.taken_along.join(", "))
        };
        let why = checked.read_at_start().map_or(String::new(), |(file, role)| {
            format!("; {file} is its {role}, which is only read at a start")
        });
        let why = match checked.runs_old_program(&self.baseline) {
            true => format!("{why}; it still runs the program of the version before"),
            false => why,
        };
        let around: String = plan
            .related
            .iter()
            .map(|related_service| match related_service.part {
                Part::Watchdog => {
                    format!("; {} is held until then", service::name_of(&related_service.service))
                }
                Part::Follower => {
                    let name = service::name_of(&related_service.service);
                    format!("; then {} {name}", related_service.activation.word())
                }
            })
            .collect();
        match plan.activation {
            _ if !service::exists(service) => "nothing to activate: no service is known".into(),
            _ if !self.touches_service() => {
                format!("nothing: {name} is stopped, and stays so (--start starts it)")
            }
            Activation::None if checked.proposal.says_the_same() => "nothing: no setting changed".into(),
            Activation::None => format!("nothing: {name} needs no telling"),
            _ if stopped => format!("start {name}{around}"),
            Activation::Signal => {
                format!("send {} to {name}", service.signal.as_deref().unwrap_or("a signal"))
            }
            Activation::Command => {
                format!("run {}", service.command.iter().flatten().cloned().collect::<Vec<_>>().join(" "))
            }
            Activation::Reload => format!("reload {name}"),
            Activation::Restart => format!("restart {name}{along}; it {}{around}{why}", away()),
            Activation::StopFirst => {
                format!("stop {name}{along}, write, start it; it {}{around}", away())
            }
        }
    }
}

/// Whether the daemon's own list says that a setting, of which the profile says nothing, needs a restart.
fn needs_restart(profile: &Profile, address: &str) -> bool {
    if profile.list.iter().all(|list| list.restart.is_empty()) {
        return false;
    }
    let name = Address::parse(address).map(|address| address.name().to_owned()).unwrap_or_default();
    let same = |one: &ListedName| profile.dialect.same(one.name.as_bytes(), name.as_bytes());
    let said =
        listed(profile).and_then(|(list, names)| list.needs_restart(names.iter().find(|one| same(one))?));
    said == Some(true)
}

/// How long the service of a daemon was away when a change restarted it last: until its manager was done, and all
/// checks held again.
fn last_away(disk: &dyn Disk, state: &State, daemon: &str) -> Option<Duration> {
    let away = |report: Report| {
        let told = report.activation.filter(|told| told.ok && report.verdict == Some(Verdict::Kept))?;
        let until_healthy =
            report.health.iter().filter(|outcome| outcome.healthy).map(|outcome| outcome.ms).max();
        told.restarts.then_some(told.ms + until_healthy.unwrap_or(0))
    };
    // Only how long it takes is said by it: what cannot be read says nothing.
    let mut last = state.newest(disk, daemon).ok()?.take(LOOKED_BACK);
    last.find_map(|entry| away(entry.ok()?.report(disk)?)).map(Duration::from_millis)
}
