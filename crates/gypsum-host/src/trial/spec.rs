//! What a trial start is made of: read outside, passed on over standard input.

use super::relay::DNS_PORT;
use super::unit::StartUnit;
use gypsum_core::probe::{Check, Probe};
use serde::{Deserialize, Serialize};
use std::fs::File;
use std::io::{self, Read, Seek};
use std::net::{IpAddr, SocketAddr};
use std::os::fd::AsFd;
use std::path::PathBuf;

/// What is in `/run`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Runtime {
    /// What the host makes there at each boot.
    AfterBoot,
    /// The folders that are there now, without their files.
    AsNow,
}

/// Another service of this host that the trial may ask.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Backend {
    /// Where it listens.
    pub at: SocketAddr,
    /// The socket by which it is reached from the trial.
    pub path: PathBuf,
}

/// What a trial start is made of.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct TrialSpec {
    /// The process that asked for it.
    pub parent: i32,
    /// An empty folder to mount on.
    pub base: PathBuf,
    /// The files, resolved, each with the file that takes its place; none where it is gone.
    pub files: Vec<(PathBuf, Option<PathBuf>)>,
    /// How the daemon is started.
    pub unit: StartUnit,
    /// The folders that hold data, which are empty in the trial.
    pub data: Vec<PathBuf>,
    /// Whether a command fills them, which wants them without folders.
    pub is_filled: bool,
    /// Sockets of others outside of `/run`, which are not to be reached.
    pub hidden: Vec<PathBuf>,
    /// Further folders in which the daemon may write.
    pub writable: Vec<PathBuf>,
    /// Sockets of other services that the files name.
    pub sockets: Vec<PathBuf>,
    /// The addresses of this host.
    pub addresses: Vec<IpAddr>,
    /// The name servers that this host asks, for which a relay is made.
    pub name_servers: Vec<IpAddr>,
    /// Other services of this host that it may ask.
    pub backends: Vec<Backend>,
    /// What is in `/run`.
    pub runtime: Runtime,
    /// What clients ask.
    pub checks: Vec<Check>,
    /// How long it may take until it is ready, in milliseconds.
    pub ready_ms: u64,
    /// How long it is waited for an answer once it is ready, in milliseconds.
    pub answer_ms: u64,
    /// So much memory it may hold, in bytes.
    pub memory: u64,
}

impl TrialSpec {
    /// Whether it is a relay that listens there, and not the daemon.
    pub fn is_stood_in_for(&self, at: &SocketAddr) -> bool {
        at.port() == DNS_PORT && self.name_servers.contains(&at.ip())
            || self.backends.iter().any(|backend| backend.at == *at)
    }

    /// The logs in which clients' requests are looked up, each with its place in the trial, where the folder for logs is
    /// empty.
    pub fn logs(&self) -> Vec<(String, String)> {
        let mut all: Vec<(String, String)> = Vec::new();
        for check in &self.checks {
            let Probe::Replay(replay) = &check.probe else { continue };
            for log in &replay.logs {
                if all.iter().all(|(known, _)| known != log) {
                    all.push((log.clone(), format!("/run/gypsum-asked-{}", all.len())));
                }
            }
        }
        all
    }

    /// What clients ask, in the trial.
    pub fn checks_inside(&self) -> Vec<Check> {
        let logs = self.logs();
        let mut checks = self.checks.clone();
        for check in &mut checks {
            let Probe::Replay(replay) = &mut check.probe else { continue };
            for log in &mut replay.logs {
                if let Some((_, kept)) = logs.iter().find(|(known, _)| known == log) {
                    log.clone_from(kept);
                }
            }
        }
        checks
    }

    /// The one that comes over standard input, which is left at its beginning for the next one who reads it.
    ///
    /// # Errors
    ///
    /// If there is none.
    pub fn of_input() -> io::Result<Self> {
        let mut input = File::from(io::stdin().as_fd().try_clone_to_owned()?);
        let mut text = String::new();
        input.rewind()?;
        input.read_to_string(&mut text)?;
        input.rewind()?;
        Ok(serde_json::from_str(&text)?)
    }
}
