//! Starting the daemon as its unit says, and when it is ready.

use super::account::Account;
use super::command::{self, RunAs};
use super::lines::{Heard, NOTIFY, OUTPUT};
use super::processes;
use super::spec::TrialSpec;
use super::unit::ExecLine;
use crate::children::SEARCH_PATH;
use crate::sockets::listening;
use gypsum_core::trial::{Start, expanded, variables};
use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::os::unix::process::ExitStatusExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus};
use std::time::{Duration, Instant};

/// How often it is looked at.
const LOOK: Duration = Duration::from_millis(3);
/// A daemon that says nothing and opens no socket counts as ready after this time.
const SILENT: Duration = Duration::from_millis(400);
/// Starts the daemon of a trial.
pub struct Starter<'a> {
    spec: &'a TrialSpec,
    heard: &'a Heard,
    variables: BTreeMap<String, String>,
    main: Option<Child>,
    begun: Instant,
}

impl<'a> Starter<'a> {
    /// With all that its commands find in their surroundings.
    ///
    /// # Errors
    ///
    /// If a file of variables that must be there cannot be read.
    pub fn new(
        spec: &'a TrialSpec,
        heard: &'a Heard,
        account: Option<Account>,
        credentials: Option<PathBuf>,
    ) -> io::Result<Self> {
        let unit = &spec.unit;
        let mut all =
            BTreeMap::from([("PATH".to_owned(), SEARCH_PATH.to_owned()), ("LANG".into(), "C.UTF-8".into())]);
        all.extend(account.into_iter().flat_map(|account| account.variables));
        all.insert("NOTIFY_SOCKET".into(), NOTIFY.into());
        all.insert("INVOCATION_ID".into(), "0".repeat(32));
        all.extend(credentials.map(|folder| ("CREDENTIALS_DIRECTORY".into(), folder.display().to_string())));
        for folder in &unit.folders {
            let path = folder.path.display().to_string();
            all.entry(folder.variable.clone())
                .and_modify(|old| *old = format!("{old}:{path}"))
                .or_insert(path);
        }
        all.extend(unit.variables.clone());
        for (file, may_be_missing) in &unit.variable_files {
            match fs::read_to_string(file) {
                Ok(text) => all.extend(variables(&text)),
                Err(_) if *may_be_missing => {}
                Err(error) => {
                    return Err(io::Error::other(format!("{file}: {}", crate::error::plain(&error))));
                }
            }
        }
        Ok(Self { spec, heard, variables: all, main: None, begun: Instant::now() })
    }

    /// Starts it, and waits until it is ready, or is not going to be.
    ///
    /// # Errors
    ///
    /// If a command cannot be begun at all.
    pub fn start(&mut self) -> io::Result<Start> {
        for line in self.spec.unit.before.iter().filter(|line| !asks_manager(line)) {
            let mut child = self.spawn(line)?;
            let ended = loop {
                if let Some(ended) = child.try_wait()? {
                    break ended;
                }
                if let Some(end) = self.out_of_time(line) {
                    return Ok(end);
                }
                std::thread::sleep(LOOK);
            };
            if !ended.success() && !line.has("ignore-failure") {
                return Ok(failed(line, ended));
            }
        }
        let Some(line) = &self.spec.unit.start else {
            return Err(io::Error::other("its unit has no start command"));
        };
        self.main = Some(self.spawn(line)?);
        let started = Instant::now();
        loop {
            let ended = self.main.as_mut().and_then(|main| main.try_wait().transpose()).transpose()?;
            let is_ready = match (self.spec.unit.kind.as_str(), ended) {
                ("forking", Some(ended)) if ended.success() => true,
                (_, Some(ended)) if !ended.success() || !self.is_left_alone() => {
                    return Ok(failed(line, ended));
                }
                ("forking", None) => false,
                ("notify" | "notify-reload", _) => self.heard.is_ready(),
                _ => self.listens() || started.elapsed() >= SILENT,
            };
            if is_ready {
                return Ok(Start::Ready { ms: self.ms() });
            }
            if let Some(end) = self.out_of_time(line) {
                return Ok(end);
            }
            std::thread::sleep(LOOK);
        }
    }

    /// Whether a process of the daemon is there. Those that nobody waits for are buried.
    pub fn is_alive(&mut self) -> bool {
        let is_forking = self.spec.unit.kind == "forking";
        match self.main.as_mut().map(Child::try_wait) {
            Some(Ok(None)) => true,
            Some(Ok(Some(_))) if is_forking => self.is_left_alone(),
            Some(Ok(Some(_)) | Err(_)) | None => false,
        }
    }

    /// Whether a process is there that the start command left.
    fn is_left_alone(&self) -> bool {
        let all = processes::all();
        let ours: Vec<u32> = self.main.iter().map(Child::id).collect();
        processes::bury(&all, &ours);
        all.iter().any(|one| !one.is_dead)
    }

    fn listens(&self) -> bool {
        let is_other = |at: &std::net::SocketAddr| !self.spec.is_stood_in_for(at);
        [false, true].into_iter().any(|udp| listening(udp).iter().any(|one| is_other(&one.address)))
    }

    fn ms(&self) -> u64 {
        u64::try_from(self.begun.elapsed().as_millis()).unwrap_or(u64::MAX)
    }

    /// That it is waited for no longer, if it is not.
    fn out_of_time(&self, line: &ExecLine) -> Option<Start> {
        let ms = self.ms();
        (ms > self.spec.ready_ms).then(|| Start::TimedOut { program: line.name().to_owned(), ms })
    }

    fn spawn(&self, line: &ExecLine) -> io::Result<Child> {
        let how = match line {
            _ if line.has("privileged") => RunAs::Root,
            _ if line.has("no-setuid") || line.has("ambient") && self.spec.unit.ambient == 0 => RunAs::Itself,
            _ => RunAs::Account,
        };
        let words = match line.has("no-env-expand") {
            true => line.words.clone(),
            false => expanded(&line.words, &self.variables),
        };
        let program = found(&line.program);
        let output = command::output(Path::new(OUTPUT))?;
        let mut command: Command = command::line(how, &program, &words);
        command.env_clear().envs(&self.variables).stdout(output.try_clone()?).stderr(output);
        command.spawn()
    }
}

/// Whether a command asks the service manager, whose bus is not to be seen in a trial: it would fail for that alone.
fn asks_manager(line: &ExecLine) -> bool {
    line.words.iter().any(|word| word.contains("systemctl"))
}

/// The program with its folder: a unit may name it without (systemd.service(5)).
fn found(program: &str) -> String {
    if program.contains('/') {
        return program.to_owned();
    }
    let there = SEARCH_PATH
        .split(':')
        .map(|folder| format!("{folder}/{program}"))
        .find(|path| Path::new(path).exists());
    there.unwrap_or_else(|| program.to_owned())
}

fn failed(line: &ExecLine, ended: ExitStatus) -> Start {
    let how = match (ended.code(), ended.signal()) {
        (Some(code), _) => format!("status {code}"),
        (None, Some(signal)) => format!("signal {signal}"),
        (None, None) => "no status".to_owned(),
    };
    Start::Failed { program: line.name().to_owned(), how }
}
