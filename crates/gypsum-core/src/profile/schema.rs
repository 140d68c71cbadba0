//! The shape of a profile.

use super::{Rule, Setting};
use crate::doc::{Dialect, Family};
use crate::text::fits;
use crate::value::Spelling;
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
    /// Whether the daemon's own checker refuses names that the daemon does not know.
    #[serde(default)]
    pub names_by_checker: bool,
    /// Where its files are on other distributions.
    #[serde(default)]
    pub layout: Vec<Layout>,
    /// What is known of its settings.
    #[serde(default)]
    pub setting: BTreeMap<String, Setting>,
    /// Further names that it knows.
    #[serde(default)]
    pub names: Vec<String>,
    /// Files beside the main ones, of other formats.
    #[serde(default)]
    pub other: Vec<Other>,
    /// How it spells sizes, times and switches.
    #[serde(default)]
    pub values: Spelling,
    /// Where it listens.
    #[serde(default)]
    pub listen: Vec<Listen>,
    /// Rules that see more than one setting.
    #[serde(default)]
    pub rule: Vec<Rule>,
    /// How it tells what it understood.
    pub effective: Option<Effective>,
    /// The account as which it runs, or `{NAME}` for the one that a setting names; root where none is named.
    pub account: Option<String>,
    /// Blocks in which names are free, by their first word.
    #[serde(default)]
    pub free_blocks: Vec<String>,
    /// Which settings say who may log in to this host.
    pub login: Option<Login>,
    /// How it tells its version.
    pub version: Option<Argv>,
}

/// Where a daemon's files are on another distribution: taken where its home file is there and the usual one is not.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Layout {
    /// Absolute paths or glob patterns, in the daemon's reading order.
    pub read: Vec<String>,
    /// The file for settings that stand nowhere yet.
    pub home: String,
    /// The command of its own checker.
    pub checker: Option<Argv>,
}

/// Files of a daemon whose format is another than that of the main ones; their names are not known one by one.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Other {
    /// Absolute paths or glob patterns.
    pub read: Vec<String>,
    /// The family of their format.
    pub format: Family,
    /// How it is written.
    #[serde(default)]
    pub dialect: Dialect,
}

/// Where a daemon listens: one setting that has the whole endpoint, or one for the address and one for the port.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Listen {
    /// The setting that names the endpoint, in the first word of its value.
    pub endpoint: Option<String>,
    /// The setting that names the addresses.
    pub address: Option<String>,
    /// The setting that names the port.
    pub port: Option<String>,
    /// The port where none is named.
    pub usual: Option<u16>,
    /// Whether it listens though nothing says so.
    #[serde(default)]
    pub always: bool,
    /// Whether it is UDP.
    #[serde(default)]
    pub udp: bool,
    /// A condition under which it listens at all.
    pub when: Option<String>,
}

/// The settings of a daemon that lets people in.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Login {
    /// The setting that lists the accounts that may.
    pub allow_users: Option<String>,
    /// The setting that lists the groups whose members may.
    pub allow_groups: Option<String>,
    /// The setting that lists the accounts that may not.
    pub deny_users: Option<String>,
    /// The setting that lists the groups whose members may not.
    pub deny_groups: Option<String>,
    /// The condition under which root may.
    pub root: Option<String>,
}

/// How a daemon tells what it understood of its files.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Effective {
    /// The command; with `{name}` in it, it is asked for each edited setting by itself.
    pub run: Argv,
    /// What stands between name and value.
    #[serde(default = "blank")]
    pub between: String,
    /// The text of the line behind which the values begin.
    pub after: Option<String>,
    /// What stands before the name in a line, up to and with this text.
    #[serde(default)]
    pub strip: Vec<String>,
    /// Whether what it prints counts though it ends with another status than 0.
    #[serde(default)]
    pub any_status: bool,
    /// Names whose values come and go by themselves.
    #[serde(default)]
    pub passing: Vec<String>,
    /// Words for one and the same value.
    #[serde(default)]
    pub synonyms: Vec<Vec<String>>,
    /// The block whose settings are told, where not all are.
    #[serde(default)]
    pub within: Vec<String>,
    /// The account as which it is asked, where not that of the files' reader.
    #[serde(rename = "as")]
    pub account: Option<String>,
}

fn blank() -> String {
    " ".into()
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
    /// The account that reads them, where that is not root.
    pub reader: Option<String>,
    /// The blocks that its own settings belong in, where they say nothing else and the format has blocks for others.
    #[serde(default)]
    pub blocks: Vec<String>,
    /// Whether edits go to the home file where none is named, whatever stands elsewhere.
    #[serde(default)]
    pub local: bool,
    /// Whether the home file is made, with its folder, where it does not exist.
    #[serde(default)]
    pub makes: bool,
    /// The mode bits that the daemon does not accept on them, in octal: `"022"`.
    pub no_mode: Option<String>,
}

impl Files {
    /// One file, of which nothing is known but its format.
    pub fn one(path: String, format: Family) -> Self {
        Self {
            read: vec![path.clone()],
            home: path,
            format,
            section: None,
            reader: None,
            blocks: Vec::new(),
            local: false,
            makes: false,
            no_mode: None,
        }
    }
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
    /// Whether it is a unit of a user's own service manager.
    pub user: bool,
    /// Whether the service manager reads its unit files again before it is told anything.
    pub reread: bool,
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
#[derive(Clone, Debug, Default, Deserialize)]
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
    /// Texts that make a line of its standard output a warning.
    #[serde(default)]
    pub warnings: Vec<String>,
    /// Texts of lines that say nothing of the configuration.
    #[serde(default)]
    pub chatter: Vec<String>,
    /// The account as which it is run, where not as root.
    #[serde(rename = "as")]
    pub account: Option<String>,
    /// Folders that it wants to be there, and that the service manager takes away when the service stops.
    #[serde(default)]
    pub folders: Vec<String>,
    /// Whether it tells everything on standard output.
    #[serde(default)]
    pub on_stdout: bool,
}

/// What one health check looks at.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Probe {
    /// The service itself: running, the generation that the activation implies, no restarts.
    Service,
    /// Somebody listens on a port of this host.
    Listens {
        /// On which address; all of them where none is named.
        address: Option<String>,
        /// The port.
        port: u16,
        /// Whether of UDP.
        udp: bool,
    },
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

impl Profile {
    /// What is known of the setting called `name`, with the daemon's own spelling of it.
    pub fn setting(&self, name: &str) -> Option<(&str, &Setting)> {
        if let Some((spelling, setting)) = self.setting.get_key_value(name) {
            return Some((spelling, setting));
        }
        let same = |(known, _): &(&String, &Setting)| self.dialect.same(known.as_bytes(), name.as_bytes());
        let pattern = |(known, _): &(&String, &Setting)| {
            known.contains('*') && !name.contains("..") && fits(known, name)
        };
        let found = self.setting.iter().find(same).or_else(|| self.setting.iter().find(pattern));
        found.map(|(known, setting)| (known.as_str(), setting))
    }

    /// What is known of the setting called `name` in a block called `block`: an entry `block..name` comes first.
    pub fn setting_in(&self, block: Option<&str>, name: &str) -> Option<(&str, &Setting)> {
        let inner = block
            .filter(|block| !block.is_empty())
            .and_then(|block| self.setting(&format!("{block}..{name}")));
        inner.or_else(|| self.setting(name))
    }

    /// A profile that says nothing but which files there are.
    pub fn bare(daemon: &str, title: String, files: Files) -> Self {
        let dialect = files.format.plain_dialect();
        Self {
            daemon: daemon.to_owned(),
            title,
            also: Vec::new(),
            complete: false,
            files,
            dialect,
            service: Service::default(),
            checker: None,
            health: Vec::new(),
            setting: BTreeMap::new(),
            names: Vec::new(),
            names_by_checker: false,
            layout: Vec::new(),
            other: Vec::new(),
            values: Spelling::default(),
            listen: Vec::new(),
            rule: Vec::new(),
            effective: None,
            version: None,
            account: None,
            free_blocks: Vec::new(),
            login: None,
        }
    }

    /// Every name that is known, in the daemon's own spelling.
    pub fn known_names(&self) -> impl Iterator<Item = &str> {
        self.setting.keys().chain(&self.names).map(String::as_str)
    }

    /// The daemon's own spelling of `name`, where the name is known.
    pub fn spelling(&self, name: &str) -> Option<&str> {
        let named = self.known_names().find(|known| self.dialect.same(known.as_bytes(), name.as_bytes()));
        named.or_else(|| self.known_names().find(|known| known.contains('*') && fits(known, name)))
    }
}
