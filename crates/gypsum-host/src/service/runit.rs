//! runit, through `sv` and the files of `supervise/`.
//!
//! What we believe of it (2.1.2): `sv status` ends with 0 for a service that is up, down or dying over and over;
//! `restart` of a dying one, too. Its files say which process runs and what is wanted.

use super::manager::{ServiceManager, Units};
use super::{Acted, ServiceAction, bare, output, proc, tell, unknown, with_logs};
use crate::children::Limit;
use crate::error::Error;
use gypsum_core::profile::{Service, ServiceManagerKind};
use gypsum_core::service::{Observation, State};
use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Where services are on various distributions.
const FOLDERS: [&str; 4] = ["/etc/service", "/var/service", "/service", "/run/runit/service"];

/// So long it may hold back a start.
const HELD_BACK: Duration = Duration::from_millis(1_300);

/// Whether services are kept here.
pub fn runs() -> bool {
    let kept = |folder: &&str| {
        let entries = fs::read_dir(folder).into_iter().flatten().flatten();
        entries.map(|entry| entry.path().join("supervise/status")).any(|status| status.exists())
    };
    FOLDERS.iter().any(kept)
}

/// The folder of the service of this name.
pub fn folder(name: &str) -> Option<PathBuf> {
    let path = Path::new(name);
    if path.is_absolute() {
        return path.join("run").exists().then(|| path.to_owned());
    }
    FOLDERS.iter().map(|folder| Path::new(folder).join(name)).find(|folder| folder.join("run").exists())
}

/// The 20 bytes of `supervise/status`: since when (TAI64N), the process, paused, what is wanted, signalled, state.
struct Status {
    since_ms: i64,
    pid: u32,
    wanted: u8,
    state: u8,
}

fn status(folder: &Path) -> Option<Status> {
    let bytes: [u8; 20] = fs::read(folder.join("supervise/status")).ok()?.try_into().ok()?;
    let seconds = u64::from_be_bytes(bytes[..8].try_into().ok()?);
    let nanos = u32::from_be_bytes(bytes[8..12].try_into().ok()?);
    // TAI64 begins at 2^62, and runit leaves leap seconds out but for the first ten.
    let seconds = i64::try_from(seconds.checked_sub((1 << 62) + 10)?).ok()?;
    Some(Status {
        since_ms: seconds * 1000 + i64::from(nanos / 1_000_000),
        pid: u32::from_le_bytes(bytes[12..16].try_into().ok()?),
        wanted: bytes[17],
        state: bytes[19],
    })
}

fn observe(folder: &Path) -> Observation {
    let Some(status) = status(folder) else {
        return Observation::only(State::Unreachable);
    };
    let main = proc::process(status.pid).filter(|_| status.pid > 0);
    let state = match (status.state, main, status.wanted) {
        (1, Some(_), b'd') => State::Stopping,
        (1, Some(_), _) => State::Running,
        // Wanted up, and between two lives.
        (_, _, b'u') => State::BackingOff,
        (2, ..) => State::Stopping,
        _ => State::Stopped,
    };
    Observation { main, can_reload: true, since_ms: Some(status.since_ms), ..Observation::only(state) }
}

/// runit.
pub struct Runit;

impl ServiceManager for Runit {
    fn resolve(&self, service: &Service) -> Result<(Service, Observation), Error> {
        let folder = service.unit.iter().find_map(|unit| folder(bare(unit)));
        let folder = folder.ok_or_else(|| unknown(ServiceManagerKind::Runit, service))?;
        let log = if service.log.is_empty() { output::of_runit(&folder) } else { service.log.clone() };
        let unit = vec![folder.display().to_string()];
        let found = Service { unit, keeper: Some(ServiceManagerKind::Runit), log, ..service.clone() };
        Ok((found, observe(&folder)))
    }

    fn observe(&self, service: &Service) -> Observation {
        observe(place(service))
    }

    fn by_hand(&self, service: &Service) -> String {
        with_logs(format!("sv status {}", place(service).display()), service)
    }

    fn act(&self, service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted {
        let (folder, limit) = (place(service), limit.time);
        let (wait, name) = (limit.as_secs().max(1).to_string(), folder.display().to_string());
        let before = observe(folder).main;
        let acted = tell(&["sv", "-w", &wait, action.word(), &name], limit + Duration::from_secs(1));
        // It may answer for the run from before, and holds a start back where the last one is less than a second ago:
        // neither is a death.
        let deadline = Instant::now() + HELD_BACK;
        let waits = |seen: Observation| {
            seen.state == State::BackingOff
                || action == ServiceAction::Restart && seen.main.is_some() && seen.main == before
        };
        while action.starts() && Instant::now() < deadline && waits(observe(folder)) {
            std::thread::sleep(Duration::from_millis(20));
        }
        acted
    }

    fn units(&self) -> Option<&dyn Units> {
        None
    }
}

/// Its folder, once it is resolved.
fn place(service: &Service) -> &Path {
    Path::new(service.name())
}
