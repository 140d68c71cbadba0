//! What every service manager can be asked and told; one file a manager implements it.

use super::holdings::OwnedResources;
use super::{Acted, ActionError, ServiceAction};
use crate::children::Limit;
use crate::error::Error;
use crate::logs::Mark;
use gypsum_core::log::LogLine;
use gypsum_core::profile::Service;
use gypsum_core::service::Observation;
use std::time::{Duration, Instant};

/// How often a service that is on its way down is looked at.
const LOOK_UP: Duration = Duration::from_millis(10);

/// A service manager. What it reports proves nothing: `observe` alone judges.
pub(super) trait ServiceManager {
    /// The service of these names that exists on this host, and how it is.
    fn resolve(&self, service: &Service) -> Result<(Service, Observation), Error>;

    /// How a resolved service is, with its main process and the manager's own marks of this run of it.
    fn observe(&self, service: &Service) -> Observation;

    /// Tells it something, and waits until the manager says that this is done, or until the time is up. Only a manager
    /// that carries on by itself, and puts what it is told then behind that, may be left in the middle.
    fn act(&self, service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted;

    /// How a person looks at it and its log: a line for the shell.
    fn by_hand(&self, service: &Service) -> String;

    /// What only a manager of units can be asked; `None` if it keeps neither units that depend on each other, nor a log,
    /// nor an account of what it was asked to do.
    fn units(&self) -> Option<&dyn Units>;
}

/// A service manager that has units, which depend on each other, and a log of its own.
pub(super) trait Units {
    /// The last lines of the log that the manager itself keeps of the service, from a mark on and up to a moment
    /// (milliseconds since 1970).
    fn logs_since(&self, service: &Service, since: &Mark, until_ms: Option<i64>) -> Vec<LogLine>;

    /// Those of these units that are up.
    fn active(&self, service: &Service, units: &[String]) -> Vec<String>;

    /// Whether it was asked, since a moment, to stop or to restart the service: then its end is no crash.
    fn was_asked(&self, service: &Service, since_ms: i64) -> bool;
}

/// Waits until nothing is left of a service that was stopped: no process of it, no socket on which it listened.
///
/// # Errors
///
/// [`ActionError::Left`] with what is left when the time is up.
pub fn wait_until_gone(held: &OwnedResources, limit: Duration) -> Result<(), ActionError> {
    let end = Instant::now() + limit;
    loop {
        match held.left() {
            None => return Ok(()),
            Some(left) if Instant::now() > end => return Err(ActionError::Left(left)),
            Some(_) => std::thread::sleep(LOOK_UP),
        }
    }
}
