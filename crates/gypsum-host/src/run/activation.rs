//! The activation: the least that the changed settings need, and what that will be, in words.

use super::front::{Front, NewFile};
use crate::disk::Disk;
use crate::error::Error;
use crate::service;
use crate::state::State;
use crate::world::World;
use gypsum_core::change::Verdict;
use gypsum_core::event::Event;
use gypsum_core::profile::{Activation, Part};
use gypsum_core::report::Report;
use std::time::Duration;

/// Among so many changes the last restart is looked for.
const LOOKED_BACK: usize = 5;

impl Front {
    /// Decides what is told, and finds what else that touches.
    pub(super) fn decide(&mut self, world: &dyn World, state: &State) -> Result<(), Error> {
        self.look_for_callers(world);
        self.activation = self.needed()?;
        if self.activation.replaces() && self.service.away.is_none() {
            self.last_away = last_away(world.disk(), state, &self.job.profile.daemon);
        }
        self.look_around(world);
        Ok(())
    }

    /// The least that the changed settings need, unless the person knows better.
    fn needed(&self) -> Result<Activation, Error> {
        if !service::exists(&self.service) || !self.touches_service() {
            return Ok(Activation::None);
        }
        if self.job.activation.is_none() && self.says_the_same() {
            return Ok(Activation::None);
        }
        let profile = &self.job.profile;
        let usual = profile.service.activation;
        let own = self.changed.iter().map(|address| {
            profile.at_address(address).and_then(|(_, setting)| setting.activation).unwrap_or(usual)
        });
        let wanted = self.job.activation.unwrap_or_else(|| own.max().unwrap_or(usual));
        let lacks = |what: &str| {
            let message = format!("{} has no {what} in its profile to be told by", profile.daemon);
            Err(Error::usage(message).help("--activation reload or restart tells it otherwise"))
        };
        let up = self.observed.as_ref().is_some_and(|seen| seen.state.is_up());
        let reloadable = self.observed.as_ref().is_some_and(|seen| seen.can_reload && seen.state.is_up());
        Ok(match wanted {
            Activation::Signal if self.service.signal.is_none() => return lacks("signal"),
            Activation::Command if self.service.command.is_none() => return lacks("command"),
            // Under an active socket unit a reloaded daemon would bind its ports beside it.
            Activation::Reload if !reloadable || self.has_sockets() => Activation::Restart,
            Activation::Signal | Activation::Command if !up => Activation::Restart,
            Activation::None if self.is_stopped() => Activation::Restart,
            other => other,
        })
    }

    /// Whether no setting differs: comments and blanks alone were changed, which no daemon reads.
    pub(super) fn says_the_same(&self) -> bool {
        let Some(loading) = &self.loading else {
            return false;
        };
        let config = |file: &NewFile| loading.loaded.iter().any(|loaded| loaded.real == file.real);
        let whole = |file: &NewFile| file.before.is_some() && file.after.is_some() && file.dress.is_none();
        !self.new_files.is_empty()
            && self.new_files.iter().all(|file| config(file) && whole(file))
            && loading.files.len() == self.after.len()
            && loading
                .files
                .iter()
                .zip(&self.after)
                .all(|(before, after)| before.doc.says_the_same(&after.doc))
    }

    fn has_sockets(&self) -> bool {
        self.callers.iter().any(|unit| unit.ends_with(".socket"))
    }

    /// What will be done.
    pub(super) fn planned(&self) -> Event {
        let idle = self.activation == Activation::None || !self.touches_service();
        let down = !idle && self.activation.replaces() && !self.is_stopped();
        let away = self.away().filter(|_| down);
        let away_ms = away.and_then(|away| u64::try_from(away.as_millis()).ok());
        Event::Planned { activation: self.in_words(), idle, down, away_ms }
    }

    /// How long it is away while it is restarted: as its profile says, else as long as the last time.
    pub(super) fn away(&self) -> Option<Duration> {
        let known = self.service.away.and_then(|away| Duration::try_from(away).ok());
        known.or(self.last_away)
    }

    fn in_words(&self) -> String {
        let name = service::name_of(&self.service);
        let seconds = |away: Duration| match away.as_secs() {
            0..10 => format!("{:.1} s", away.as_secs_f64().max(0.1)),
            whole => format!("{whole} s"),
        };
        let away = || match (self.away(), self.service.away) {
            (Some(away), Some(_)) => format!("is away for about {}", seconds(away)),
            (Some(away), None) => format!("was away for {} the last time", seconds(away)),
            (None, _) => "is away for that moment".to_owned(),
        };
        let along = if self.taken_along.is_empty() {
            String::new()
        } else {
            format!(", and with it {}", self.taken_along.join(", "))
        };
        let around: String = self
            .neighbours
            .iter()
            .map(|neighbour| match neighbour.part {
                Part::Watchdog => format!("; {} is held until then", service::name_of(&neighbour.service)),
                Part::Follower => {
                    let name = service::name_of(&neighbour.service);
                    format!("; then {} {name}", neighbour.activation.word())
                }
            })
            .collect();
        match self.activation {
            _ if !service::exists(&self.service) => "nothing to activate: no service is known".into(),
            _ if !self.touches_service() => {
                format!("nothing: {name} is stopped, and stays so (--start starts it)")
            }
            Activation::None if self.says_the_same() => "nothing: no setting changed".into(),
            Activation::None => format!("nothing: {name} needs no telling"),
            _ if self.is_stopped() => format!("start {name}{around}"),
            Activation::Signal => {
                format!("send {} to {name}", self.service.signal.as_deref().unwrap_or("a signal"))
            }
            Activation::Command => {
                format!(
                    "run {}",
                    self.service.command.iter().flatten().cloned().collect::<Vec<_>>().join(" ")
                )
            }
            Activation::Reload => format!("reload {name}"),
            Activation::Restart => format!("restart {name}{along}; it {}{around}", away()),
            Activation::StopFirst => {
                format!("stop {name}{along}, write, start it; it {}{around}", away())
            }
        }
    }
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
    let mut last = state.entries(daemon).into_iter().rev().take(LOOKED_BACK);
    last.find_map(|entry| away(entry.report(disk)?)).map(Duration::from_millis)
}
