//! The shape of a profile.

use crate::doc::{Dialect, Family};
use crate::value::Kind;
use jiff::SignedDuration;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A command as an argument vector; never a shell line. The first word is an absolute path.
pub type Argv = Vec<String>;

/// What is known about one daemon.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Profile {
    /// The name its administrators use.
    pub daemon: String,
    /// What it is, in a few words.
    pub title: String,
    /// Other names for it.
    #[serde(default)]
    pub also: Vec<String>,
    /// Whether `setting` and `names` hold every name that the daemon knows.
    #[serde(default)]
    pub complete: bool,
    /// Its configuration files.
    pub files: Files,
    /// How it writes its format.
    #[serde(default)]
    pub dialect: Dialect,
    /// What keeps it running.
    #[serde(default)]
    pub service: Service,
    /// Its own checker.
    pub checker: Option<Checker>,
    /// What must hold for it to count as well, besides its service running.
    #[serde(default, deserialize_with = "super::read::checks")]
    pub health: Vec<Check>,
    /// What is known of its settings.
    #[serde(default)]
    pub setting: BTreeMap<String, Setting>,
    /// Further names that it knows.
    #[serde(default)]
    pub names: Vec<String>,
}

/// Which files a daemon reads.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Files {
    /// Absolute paths or glob patterns, in the daemon's reading order.
    pub read: Vec<String>,
    /// The file for settings that stand nowhere yet.
    pub home: String,
    /// The family of its format.
    pub format: Family,
    /// The block for settings that stand nowhere yet.
    pub section: Option<String>,
}

/// How a daemon takes up its configuration.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Activation {
    /// Nothing is needed.
    None,
    /// It reads the file again while it runs.
    Reload,
    /// It is stopped and started.
    #[default]
    Restart,
}

impl Activation {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Reload => "reload",
            Self::Restart => "restart",
        }
    }
}

/// What keeps the daemon running. Either `unit` or `plain` says how; with neither, the daemon is
/// looked at by its health checks alone.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Service {
    /// Names of the systemd unit; the first that exists on this host is meant.
    pub unit: Vec<String>,
    /// A process of its own, without a service manager.
    pub plain: Option<Plain>,
    /// What a change needs unless the setting says otherwise.
    pub activation: Activation,
    /// What shows that a reload really took up the new configuration.
    pub proof: Option<Proof>,
    /// How long an activation may take.
    pub limit: Option<SignedDuration>,
    /// How long all must stay well after it first was.
    pub steady: Option<SignedDuration>,
}

/// A process with a pid file, started by a command and told by signals.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
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
#[serde(rename_all = "kebab-case")]
pub enum Proof {
    /// The listening sockets of the main process.
    Listeners,
    /// The child processes of the main process.
    Children,
    /// What this command prints.
    Prints(Argv),
}

/// The daemon's own checker.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Checker {
    /// The command. `{file}` in it stands for the proposal of the home file, where the checker is
    /// to read that instead of the real place in a private view.
    pub run: Argv,
    /// How long it may take.
    pub limit: Option<SignedDuration>,
    /// Texts that make a new line of its output a fault although the exit status is 0.
    #[serde(default)]
    pub faults: Vec<String>,
}

/// What one health check looks at.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Probe {
    /// The service itself: running, the generation that the activation implies, no restarts.
    Service,
    /// A connection to `host:port`.
    Tcp {
        /// Where to.
        at: String,
    },
    /// An HTTP answer.
    Http {
        /// What is asked for.
        url: String,
        /// The status that must come; any from 200 to 399 where none is given.
        status: Option<u16>,
        /// A text that must be in the body.
        contains: Option<String>,
    },
    /// What a command says.
    Command {
        /// The command.
        run: Argv,
        /// The exit status that must come.
        status: i32,
        /// A text that it must print.
        prints: Option<String>,
    },
}

/// One health check.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Check {
    /// Its name in output.
    pub name: String,
    /// What it looks at.
    pub probe: Probe,
    /// How long it may fail at first, in milliseconds.
    pub patience_ms: u64,
    /// How long one try may take, in milliseconds.
    pub limit_ms: u64,
}

/// What is known of one setting.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Setting {
    /// The kind of its value.
    pub kind: Kind,
    /// What may stand instead of a value of that kind.
    pub choices: Vec<String>,
    /// Of a path: whether the file must be there.
    pub exists: bool,
    /// What parts the words of its value, where that is a list: `" "`, `", "`.
    pub list: Option<String>,
    /// The least number.
    pub min: Option<i64>,
    /// The greatest number.
    pub max: Option<i64>,
    /// The value that holds where it is not set.
    pub default: Option<String>,
    /// What it does.
    pub about: Option<String>,
    /// Whether it may stand several times, each adding to the others.
    pub repeats: bool,
    /// Whether its value must never be shown.
    pub secret: bool,
    /// What a change of it needs, where that differs from the daemon's `activation`.
    pub activation: Option<Activation>,
}

impl Profile {
    /// What is known of the setting called `name`, with the daemon's own spelling of it.
    pub fn setting(&self, name: &str) -> Option<(&str, &Setting)> {
        if let Some((spelling, setting)) = self.setting.get_key_value(name) {
            return Some((spelling, setting));
        }
        let same = |(known, _): &(&String, &Setting)| self.dialect.same(known.as_bytes(), name.as_bytes());
        self.setting.iter().find(same).map(|(known, setting)| (known.as_str(), setting))
    }

    /// Every name that is known, in the daemon's own spelling.
    pub fn known_names(&self) -> impl Iterator<Item = &str> {
        self.setting.keys().chain(&self.names).map(String::as_str)
    }

    /// The daemon's own spelling of `name`, where the name is known.
    pub fn spelling(&self, name: &str) -> Option<&str> {
        self.known_names().find(|known| self.dialect.same(known.as_bytes(), name.as_bytes()))
    }
}
