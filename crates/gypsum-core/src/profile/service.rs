//! What keeps a daemon running, and what makes it take up its configuration.

use super::argv::Argv;
use jiff::SignedDuration;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How a daemon takes up its configuration, from the least to the most that it can need.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Activation {
    /// Nothing is needed.
    None,
    /// Its main process gets a signal.
    Signal,
    /// A command tells it.
    Command,
    /// It reads the file again while it runs.
    Reload,
    /// It is stopped and started.
    #[default]
    Restart,
    /// It is stopped before its files change, and started behind that: it would write over them, or read half of them.
    StopFirst,
}

impl Activation {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Signal => "signal",
            Self::Command => "command",
            Self::Reload => "reload",
            Self::Restart => "restart",
            Self::StopFirst => "stop-first",
        }
    }

    /// Whether the service is a new one afterwards.
    pub fn replaces(self) -> bool {
        self >= Self::Restart
    }

    /// Whether the service goes on while it takes up its configuration.
    pub fn keeps_running(self) -> bool {
        (Self::Signal..=Self::Reload).contains(&self)
    }
}

/// What keeps services running on a host.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum ServiceManagerKind {
    /// systemd.
    Systemd,
    /// OpenRC.
    Openrc,
    /// runit.
    Runit,
    /// Scripts in `/etc/init.d`, as System V had them.
    Script,
}

impl ServiceManagerKind {
    /// What a person calls it.
    pub fn title(self) -> &'static str {
        match self {
            Self::Systemd => "systemd",
            Self::Openrc => "OpenRC",
            Self::Runit => "runit",
            Self::Script => "its script in /etc/init.d",
        }
    }
}

/// What keeps the daemon running. Either `unit` or `plain` says how; with neither, the daemon is
/// looked at by its health checks alone.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Service {
    /// Names of the systemd unit, or of the service as the host's service manager has it; the first that exists on
    /// this host is meant.
    pub unit: Vec<String>,
    /// Which service manager has it; where nothing is said, the one that this host was booted with.
    pub keeper: Option<ServiceManagerKind>,
    /// A process of its own, without a service manager.
    pub plain: Option<Plain>,
    /// Where it writes its process id, for service managers that do not know it.
    pub pid_file: Option<String>,
    /// What a change needs unless the setting says otherwise.
    pub activation: Activation,
    /// The signal that `activation = "signal"` sends: HUP, USR1, USR2.
    pub signal: Option<String>,
    /// The command that `activation = "command"` runs.
    pub command: Option<Argv>,
    /// What shows that a reload really took up the new configuration.
    pub proof: Option<Proof>,
    /// Texts of its log which say that it could not take up its configuration.
    pub failed: Vec<String>,
    /// Texts of lines that it logs about a connection which only looks whether it answers. They are no evidence.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub looked_at: Vec<String>,
    /// The files that it logs to, besides or instead of the journal.
    pub log: Vec<String>,
    /// Whether it is a unit of a user's own service manager.
    pub user: bool,
    /// Whether the service manager reads its unit files again before it is told anything.
    pub reread: bool,
    /// Whether these are files of this unit alone: where the manager has forgotten it, it reads them at its start. It is
    /// known when the service is told, and in no record.
    #[serde(skip)]
    pub reread_own: bool,
    /// How long an activation may take.
    pub limit: Option<SignedDuration>,
    /// The same for one sort of it: `reload`, `restart`, `start`, `stop`, `signal`, `command`.
    pub limits: BTreeMap<String, SignedDuration>,
    /// How long all must stay well after it first was.
    pub steady: Option<SignedDuration>,
    /// How long it is away while it is restarted, as it was seen.
    pub away: Option<SignedDuration>,
}

impl Service {
    /// The name of its unit, once that was found; nothing where it has none.
    pub fn name(&self) -> &str {
        self.unit.first().map_or("", String::as_str)
    }

    /// Another unit of the manager that has this one; what shows a reload of this one says nothing about it.
    pub fn beside(&self, unit: &str) -> Self {
        Self { unit: vec![unit.to_owned()], proof: None, ..self.clone() }
    }
}

/// A process with a pid file, started by a command and told by signals.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Plain {
    /// Where it writes its process id.
    pub pid_file: String,
    /// The command that starts it and returns when it is detached.
    pub start: Argv,
    /// The signal that makes it read its configuration; none where it cannot.
    pub reload_signal: Option<String>,
    /// The signal that ends it.
    #[serde(default)]
    pub stop: Stop,
}

/// The signal that ends a plain process.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "UPPERCASE")]
pub enum Stop {
    /// SIGTERM
    #[default]
    Term,
    /// SIGINT
    Int,
    /// SIGQUIT
    Quit,
}

/// What must be another than before, once a reload has really been applied.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Proof {
    /// The listening sockets of the main process.
    Listeners,
    /// The child processes of the main process.
    Children,
    /// What this command prints.
    Prints(Argv),
}

/// What a related service has to do with the daemon.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Part {
    /// It starts the daemon when that is down: it is stopped before the daemon is, and started when all is done.
    Watchdog,
    /// It reads from the daemon, or keeps connections to it: it is told when the daemon has been.
    Follower,
}

/// A further service that has to do with the daemon.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct RelatedService {
    /// Names of its unit; the first that exists on this host is meant.
    pub unit: Vec<String>,
    /// What it has to do with the daemon.
    pub part: Part,
    /// What a follower needs when the daemon was restarted.
    #[serde(default)]
    pub activation: Activation,
}

/// Something to be done between writing the files and the activation.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Hook {
    /// What it is, in a few words.
    pub title: String,
    /// The command.
    pub run: Argv,
    /// The command that takes it back; where there is none, `run` is done again on the old files.
    pub undo: Option<Argv>,
    /// Only for changes of these files, by their names or patterns with `*`; for all where none is named.
    #[serde(default)]
    pub files: Vec<String>,
    /// How long it may take.
    pub limit: Option<SignedDuration>,
}
