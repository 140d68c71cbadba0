//! The shape of a profile.

use super::argv::Argv;
use super::ask::Ask;
use super::service::{Hook, RelatedService, Service};
use super::{Elsewhere, Login, NameList, Rule, Setting, Sites, Trial};
use crate::address::Address;
use crate::doc::{Dialect, Family};
use crate::probe::Check;
use crate::reading::Reading;
use crate::text::glob_match;
use crate::value::Spelling;
use jiff::SignedDuration;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::mem::swap;

/// What is known about one daemon.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Profile {
    /// The name its administrators use.
    pub daemon: String,
    /// What it is, in a few words.
    pub title: String,
    /// Other names for it.
    #[serde(default)]
    pub also: Vec<String>,
    /// Whether `setting` and `names` hold every name that the daemon knows: then any other is refused. Only for a daemon
    /// that cannot be asked; no built-in profile has it.
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
    /// What must hold for it to count as healthy, besides its service running.
    #[serde(default, deserialize_with = "crate::probe::checks")]
    #[cfg_attr(feature = "reference", schemars(schema_with = "crate::probe::health_schema"))]
    pub health: Vec<Check>,
    /// Values that are looked at before and after a change.
    #[serde(default, deserialize_with = "crate::reading::readings")]
    #[cfg_attr(feature = "reference", schemars(with = "Vec<crate::reading::RawReading>"))]
    pub reading: Vec<Reading>,
    /// Further services that have to do with it.
    #[serde(default)]
    pub related: Vec<RelatedService>,
    /// What is to be done between writing the files and the activation.
    #[serde(default)]
    pub hook: Vec<Hook>,
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
    /// What clients can ask it for, of a web server.
    pub sites: Option<Sites>,
    /// Whether a trial start of it can be made.
    #[serde(default)]
    pub trial: Trial,
    /// Blocks that hold only under a condition.
    #[serde(default)]
    pub condition: Vec<Condition>,
    /// Rules that see more than one setting.
    #[serde(default)]
    #[cfg_attr(feature = "reference", schemars(with = "Vec<super::rule::RawRule>"))]
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
    /// What took the place of a setting that later versions do not know, by its name: the new name where its values mean
    /// the same, else what to do in words; empty where nothing does. A name and a word of its value (`listen http2`) has a
    /// setting with its value (`http2 on`).
    #[serde(default)]
    pub heirs: BTreeMap<String, String>,
    /// Settings that later versions read, and that have no effect in them.
    #[serde(default)]
    pub ignored: Vec<String>,
    /// How it is asked whether it knows the name of a setting; the first way that is for it is taken.
    #[serde(default)]
    pub ask: Vec<Ask>,
    /// How it lists the names that it knows; the first list that has names is taken.
    #[serde(default)]
    pub list: Vec<NameList>,
    /// How a second installation at another place is known.
    pub elsewhere: Option<Elsewhere>,
    /// The other installations of it that run on this host, by their names; found, and not written in a profile.
    #[serde(skip)]
    pub also_runs: Vec<String>,
    /// The manual pages that describe its settings, as in `sshd_config(5)`.
    #[serde(default)]
    pub manual: Vec<String>,
}

/// Blocks that hold only under a condition, which their argument names.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Condition {
    /// The first word of such a block.
    pub block: String,
    /// The setting that loads a module: the block holds if its argument is the name of a loaded one, and with `!` before
    /// it if that is not loaded. Without it nobody knows whether the block holds.
    pub loaded_by: Option<String>,
    /// Modules that need not be loaded.
    #[serde(default)]
    pub built_in: Vec<String>,
}

/// Where a daemon's files are elsewhere: on another distribution, where its home file is there and the usual one is
/// not; or a user's own, which are read instead of the usual ones.
#[derive(Clone, Debug, Default, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Layout {
    /// Absolute paths or glob patterns, in the daemon's reading order.
    pub read: Vec<String>,
    /// The file for settings that are nowhere yet.
    pub home: String,
    /// The command of its own checker.
    pub checker: Option<Argv>,
    /// The command by which it tells what it understood.
    pub effective: Option<Argv>,
    /// Whether the daemon reads these instead of the usual ones wherever the home file is there. `~` in them is the
    /// home folder of the account whose service manager runs the daemon.
    #[serde(default)]
    pub instead: bool,
}

impl Profile {
    /// Takes the program that runs in place of one of the same name elsewhere, in all commands that ask the daemon.
    pub fn take_program(&mut self, program: &str) {
        let name = program.rsplit('/').next().unwrap_or(program);
        let asks = self.ask.iter_mut().map(|ask| &mut ask.run);
        let lists = self.list.iter_mut().map(|list| &mut list.run);
        let others = self.checker.iter_mut().map(|checker| &mut checker.run);
        let others = others.chain(self.effective.iter_mut().map(|effective| &mut effective.run));
        let others = others.chain(self.version.iter_mut());
        let others = others.chain(self.login.iter_mut().filter_map(|login| login.report.as_mut()));
        for first in asks.chain(lists).chain(others).filter_map(|run| run.first_mut()) {
            if first.rsplit('/').next() == Some(name) {
                program.clone_into(first);
            }
        }
    }

    /// Takes the files of layout number `n`; those that were taken so far take its place.
    pub fn take_layout(&mut self, n: usize) {
        let Some(layout) = self.layout.get_mut(n) else { return };
        swap(&mut self.files.read, &mut layout.read);
        swap(&mut self.files.home, &mut layout.home);
        if let (Some(run), Some(checker)) = (&mut layout.checker, &mut self.checker) {
            swap(run, &mut checker.run);
        }
        if let (Some(run), Some(effective)) = (&mut layout.effective, &mut self.effective) {
            swap(run, &mut effective.run);
        }
        let back = self.files.instead.as_ref() == Some(&self.files.home);
        if layout.instead || back {
            layout.instead = back;
            self.files.instead = Some(layout.home.clone());
        }
    }
}

/// Files of a daemon whose format is another than that of the main ones; their names are not known one by one.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
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
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
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

/// How a daemon tells what it understood of its files.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Effective {
    /// The command; with `{name}` in it, it is asked for each edited setting by itself.
    pub run: Argv,
    /// What is between name and value.
    #[serde(default = "blank")]
    pub between: String,
    /// The text of the line behind which the values begin.
    pub after: Option<String>,
    /// What is before the name in a line, up to and with this text.
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
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Files {
    /// Absolute paths or glob patterns, in the daemon's reading order.
    pub read: Vec<String>,
    /// The file for settings that are nowhere yet.
    pub home: String,
    /// The family of its format.
    pub format: Family,
    /// The block for settings that are nowhere yet.
    pub section: Option<String>,
    /// The account that reads them, where that is not root.
    pub reader: Option<String>,
    /// The blocks that its own settings belong in, where they say nothing else and the format has blocks for others.
    #[serde(default)]
    pub blocks: Vec<String>,
    /// Whether edits go to the home file where none is named, whatever is set elsewhere.
    #[serde(default)]
    pub local: bool,
    /// Whether the home file is made, with its folder, where it does not exist.
    #[serde(default)]
    pub makes: bool,
    /// Whether a file hides those of the same name in folders that are named before its own.
    #[serde(default)]
    pub hides: bool,
    /// The mode bits that the daemon does not accept on them, in octal: `"022"`.
    pub no_mode: Option<String>,
    /// The usual home file, where these are read instead of it; the one that is read instead, where these are not.
    #[serde(skip)]
    pub instead: Option<String>,
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
            hides: false,
            no_mode: None,
            instead: None,
        }
    }
}

/// The daemon's own checker.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
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

impl Profile {
    /// What is known of the setting called `name`, with the daemon's own spelling of it.
    pub fn setting(&self, name: &str) -> Option<(&str, &Setting)> {
        if let Some((spelling, setting)) = self.setting.get_key_value(name) {
            return Some((spelling, setting));
        }
        let same = |(known, _): &(&String, &Setting)| self.dialect.same(known.as_bytes(), name.as_bytes());
        let pattern = |(known, _): &(&String, &Setting)| {
            known.contains('*') && !name.contains("..") && glob_match(known, name)
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

    /// What is known of the setting at an address, with the daemon's own spelling of it.
    pub fn at_address(&self, address: &str) -> Option<(&str, &Setting)> {
        let address = Address::parse(address).ok()?;
        let block = address.blocks().last().and_then(|step| step.words.split(' ').next());
        self.setting_in(block, address.name())
    }

    /// The block for a setting of this name that is set nowhere yet: the first that it belongs in, else the usual one;
    /// none where that is the part before all blocks. Includes are usual there, where blocks are closed.
    pub fn home_block(&self, name: &str) -> Option<String> {
        let own = self.setting(name).and_then(|(_, setting)| setting.within.first());
        let tops = matches!(self.files.format, Family::Braces | Family::Stanzas);
        match own.map(String::as_str) {
            Some("") => None,
            None if tops && self.dialect.is_include(name.as_bytes()) => None,
            None | Some("*") => self.files.section.clone(),
            Some(block) => Some(block.to_owned()),
        }
    }

    /// The format of a file at `path`: that of the other files where it is one of them by its path or, for a copy at
    /// another place, by its name; else that of the main ones.
    pub fn form_of(&self, path: &str) -> (Family, &Dialect) {
        let name = |path: &str| path.rsplit('/').next().unwrap_or_default().to_owned();
        let is_named = |pattern: &String| {
            let own = name(pattern);
            glob_match(pattern, path) || (!own.starts_with('*') && glob_match(&own, &name(path)))
        };
        let is_main = self.files.read.iter().any(|pattern| glob_match(pattern, path));
        let other = self.other.iter().find(|other| other.read.iter().any(is_named));
        match other.filter(|_| !is_main) {
            Some(other) => (other.format, &other.dialect),
            None => (self.files.format, &self.dialect),
        }
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
            reading: Vec::new(),
            related: Vec::new(),
            hook: Vec::new(),
            setting: BTreeMap::new(),
            names: Vec::new(),
            names_by_checker: false,
            condition: Vec::new(),
            ask: Vec::new(),
            list: Vec::new(),
            elsewhere: None,
            also_runs: Vec::new(),
            manual: Vec::new(),
            heirs: BTreeMap::new(),
            ignored: Vec::new(),
            layout: Vec::new(),
            other: Vec::new(),
            values: Spelling::default(),
            listen: Vec::new(),
            sites: None,
            trial: Trial::default(),
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

    /// The daemon's own spelling of `name`, where the name is known; one that is known by a pattern is spelled as it is.
    pub fn spelling<'a>(&'a self, name: &'a str) -> Option<&'a str> {
        let named = self.known_names().find(|known| self.dialect.same(known.as_bytes(), name.as_bytes()));
        let mut patterns = self.known_names().filter(|known| known.contains('*'));
        named.or_else(|| patterns.any(|known| glob_match(known, name)).then_some(name))
    }
}
