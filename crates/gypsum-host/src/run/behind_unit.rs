//! The daemon behind a unit: a change of a unit's own settings is judged by that daemon's health checks, too.

use super::values::{ChecksNow, Values};
use crate::error::Error;
use crate::{files, profiles};
use gypsum_core::probe::Probe;
use gypsum_core::profile::{Profile, Service};

/// The health checks of the daemon that the unit of this profile runs, with its name. `None` where the profile is of no
/// unit, or no profile has that unit.
///
/// # Errors
///
/// If the daemon is known, and its files cannot be read: then nothing is known of its health.
pub fn checks_behind(profile: &Profile, service: &Service) -> Result<Option<(String, ChecksNow)>, Error> {
    let unit = service.unit.first().filter(|_| profile.daemon.starts_with("unit:"));
    let Some(daemon) = unit.and_then(|unit| profiles::of_unit_named(unit)) else { return Ok(None) };
    let loading = files::load(&daemon, None)?;
    let mut now = Values::of(&daemon, &loading).checks_now(service, None, None)?;
    // The unit is watched by itself.
    now.checks.retain(|check| check.probe != Probe::Service);
    Ok(Some((daemon.daemon, now)))
}
