//! A trial start from outside: what it needs of the host is gathered once, and the same is done with the files as they are
//! and with a proposal.

use super::backends::{self, WaysOut};
use super::host::{self, Network};
use super::spec::{Runtime, TrialSpec};
use super::unit::{self, ExecLine, StartUnit};
use super::{ENTRY, NO_TRIAL, OUTER};
use crate::children::{Limit, run_with_input};
use crate::rehearse::{Proposed, stand_in};
use crate::scratch::Scratch;
use crate::service::{self, ManagerScope};
use gypsum_core::probe::Check;
use gypsum_core::profile::{Argv, Profile, Service, Trial as Profiled, TrialWhen};
use gypsum_core::service::Observation;
use gypsum_core::trial::{About, TrialRun};
use std::collections::HashSet;
use std::net::SocketAddr;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// How long a daemon may take until it is ready, where its profile says nothing.
const READY: Duration = Duration::from_secs(10);
/// The same of one that is known to be fast.
const READY_FAST: Duration = Duration::from_secs(4);
/// So much longer all of it may take.
const REST: Duration = Duration::from_secs(15);
/// So much memory it may hold at most, in bytes.
const MOST_MEMORY: u64 = 1 << 30;

/// Why no trial start was made, in words.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct NotMade(pub String);

impl From<String> for NotMade {
    fn from(why: String) -> Self {
        Self(why)
    }
}

/// Trial starts of one daemon.
pub struct Trial {
    spec: TrialSpec,
    network: Network,
    taken: Vec<(bool, SocketAddr)>,
    confined: Option<String>,
    /// Other services that a proxy's files name.
    services: Vec<SocketAddr>,
}

impl Trial {
    /// Gathers what trial starts of `service` need; `texts` are the files of its configuration, old and new, and
    /// `named` is what their settings say of folders with data.
    ///
    /// # Errors
    ///
    /// [`NotMade`] with the reason why none can be made.
    pub fn of(
        profile: &Profile,
        service: &Service,
        found: &Observation,
        texts: &[&[u8]],
        named: &[String],
    ) -> Result<Self, NotMade> {
        if !rustix::process::geteuid().is_root() {
            return Err(NotMade("it needs root".into()));
        }
        let manager = service::systemd_of(service)
            .filter(|manager| *manager == ManagerScope::System)
            .ok_or_else(|| NotMade("only a unit of the system's systemd can be tried".into()))?;
        if let Some(caller) = found.callers.iter().find(|unit| unit.ends_with(".socket")) {
            return Err(NotMade(format!("{caller} holds its sockets")));
        }
        let read = std::thread::scope(|scope| {
            let network = crate::beside::begin(scope, host::network);
            let unit = unit::read(&manager, service.name());
            (unit, network.wait())
        });
        let (mut unit, network) = (read.0?, read.1.map_err(|_| NotMade("ip broke off".into()))??);
        change_start(&mut unit, &profile.trial);
        let processes = service::processes(found);
        let own: HashSet<u64> = service::sockets_of_all(&processes);
        let written = host::written(&processes);
        let mut data: Vec<PathBuf> = profile.trial.data.iter().map(PathBuf::from).collect();
        if processes.is_empty() && data.is_empty() && profile.trial.when != TrialWhen::Always {
            let why = "it does not run, so the folders of its data are not known";
            return Err(NotMade(why.into()));
        }
        let is_kept = |folder: &PathBuf| profile.trial.kept.iter().any(|kept| folder == Path::new(kept));
        let others = written.data.into_iter().chain(host::named_data(named));
        data.extend(others.filter(|folder| !is_kept(folder)));
        let usual = if profile.trial.when == TrialWhen::Always { READY_FAST } else { READY };
        let ready = profile.trial.limit.and_then(|limit| limit.try_into().ok()).unwrap_or(usual);
        let ms = |time: Duration| u64::try_from(time.as_millis()).unwrap_or(u64::MAX);
        let spec = TrialSpec {
            parent: i32::try_from(std::process::id()).unwrap_or_default(),
            base: PathBuf::new(),
            files: Vec::new(),
            unit,
            data,
            is_filled: profile.trial.fill.is_some(),
            hidden: host::other_sockets(),
            writable: written.others.into_iter().collect(),
            sockets: host::named_sockets(&own, texts),
            addresses: network.addresses.clone(),
            name_servers: host::name_servers(&own),
            backends: Vec::new(),
            runtime: Runtime::AfterBoot,
            checks: Vec::new(),
            ready_ms: ms(ready),
            // One that is slow may open its port long after it says that it is ready.
            answer_ms: if ready <= READY_FAST { 1_000 } else { ms(ready) },
            memory: MOST_MEMORY.min(available_memory() / 2),
        };
        let taken = host::taken(&own);
        let services = match profile.trial.reaches {
            true => backends::named(&taken, &network.addresses, texts),
            false => Vec::new(),
        };
        Ok(Self { spec, network, taken, confined: host::confined(found), services })
    }

    /// One trial start, on these files in place of those of the host; `checks` are what clients ask there. It is ended
    /// where `is_over` is set meanwhile.
    ///
    /// # Errors
    ///
    /// [`NotMade`] if there was none; what the daemon does is no error.
    pub fn run(
        &self,
        proposed: &[Proposed<'_>],
        checks: Vec<Check>,
        runtime: Runtime,
        is_over: &AtomicBool,
    ) -> Result<TrialRun, NotMade> {
        let failed = |error: std::io::Error| NotMade(crate::error::plain(&error));
        let scratch = Scratch::new(&std::env::temp_dir(), "gypsum-trial-", 0o711).map_err(failed)?;
        let base = scratch.path().join("base");
        std::fs::create_dir(&base).map_err(failed)?;
        let mut files = Vec::new();
        for (n, file) in proposed.iter().enumerate() {
            let stands_in = file.bytes.map(|bytes| stand_in(scratch.path(), n, file, bytes)).transpose();
            files.push((file.real.to_owned(), stands_in.map_err(|error| NotMade(error.to_string()))?));
        }
        // Until the trial has ended.
        let (_ways, backends) = WaysOut::begin(&self.services, scratch.path()).map_err(failed)?;
        let spec = TrialSpec { base, backends, files, checks, runtime, ..self.spec.clone() };
        let input = serde_json::to_vec(&spec).map_err(|error| NotMade(error.to_string()))?;
        let mut command = Command::new("/proc/self/exe");
        command.arg0("gypsum").args([ENTRY, OUTER]);
        let way_out = || is_over.load(Ordering::Relaxed) || crate::interrupt::is_requested();
        let limit = Limit::unless(Duration::from_millis(spec.ready_ms).saturating_add(REST), &way_out);
        let ran = run_with_input(command, &input, limit).map_err(failed)?;
        match ran.status {
            Some(0) => serde_json::from_str(&ran.out).map_err(|error| NotMade(error.to_string())),
            Some(NO_TRIAL) => Err(NotMade(ran.last_words())),
            _ if ran.timed_out => Err(NotMade("it took too long".into())),
            _ => Err(NotMade(format!("it broke off: {}", ran.last_words()))),
        }
    }

    /// What both starts were of.
    pub fn about<'a>(&'a self, daemon: &'a str, checks: &'a [Check]) -> About<'a> {
        About {
            daemon,
            checks,
            taken: &self.taken,
            confined: self.confined.as_deref(),
            devices: &self.network.devices,
        }
    }

    /// Whether the daemon starts without its data.
    pub fn hides_data(&self) -> bool {
        !self.spec.data.is_empty()
    }
}

/// What the profile says of the start otherwise than the unit does.
fn change_start(unit: &mut StartUnit, known: &Profiled) {
    let line = |argv: &Argv| {
        let program = argv.first().cloned().unwrap_or_default();
        ExecLine { program, words: argv.clone(), flags: Vec::new() }
    };
    if let Some(fill) = &known.fill {
        unit.before.insert(0, line(fill));
    }
    if let Some(start) = &known.start {
        unit.start = Some(line(start));
        unit.kind = "simple".to_owned();
    }
    if let Some(account) = known.account.as_ref().filter(|_| unit.user.is_empty()) {
        unit.user.clone_from(account);
    }
    if let Some(start) = &mut unit.start {
        start.words.extend(known.words.iter().cloned());
    }
    unit.variables.extend(known.variables.clone());
}

/// The memory that programs can have without others being moved out, in bytes (proc(5), MemAvailable).
fn available_memory() -> u64 {
    use procfs::Current;
    procfs::Meminfo::current().ok().and_then(|memory| memory.mem_available).unwrap_or(MOST_MEMORY)
}
