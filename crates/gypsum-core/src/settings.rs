//! Gypsum's own settings: a file of the host and one of the person, which decides where both say something.

use crate::malformed::Malformed;
use crate::value::quantity::size;
use jiff::SignedDuration;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

/// When a proposal is tried by a trial start, where the command line does not say.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum TrialDefault {
    /// Where the profile says that it is harmless and fast.
    #[default]
    Usual,
    /// Wherever it can be.
    Always,
    /// Not at all.
    Never,
}

/// What of clients' requests is asked again, where the command line does not say.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ReplayDefault {
    /// What is answered from files.
    #[default]
    Files,
    /// What is handed on, too.
    All,
    /// Nothing.
    Nothing,
}

/// A command that is told how changes end, and how it is run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TellCommand {
    /// Its words; no shell reads them.
    pub argv: Vec<String>,
    /// The account that runs it; none where it is the one of the change.
    pub account: Option<String>,
    /// How long it may take.
    pub limit: Duration,
}

/// The settings that are in effect.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Settings {
    /// How long all checks must stay healthy; none where the profile says it.
    pub steady: Option<Duration>,
    /// How long to wait for another change to end.
    pub wait: Option<Duration>,
    /// How long to wait for the package manager to end.
    pub packages: Duration,
    /// Whether warnings refuse a change.
    pub strict: bool,
    /// When a proposal is tried by a trial start.
    pub trial: TrialDefault,
    /// What of clients' requests is asked again.
    pub replay: ReplayDefault,
    /// So many changes of a daemon are kept.
    pub changes: usize,
    /// So many bytes their folders may have together.
    pub bytes: u64,
    /// Whether those who are logged in are told how a change ended that nobody watched.
    pub terminals: bool,
    /// The command that is told the same.
    pub command: Option<TellCommand>,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            steady: None,
            wait: None,
            packages: Duration::from_secs(60),
            strict: false,
            trial: TrialDefault::Usual,
            replay: ReplayDefault::Files,
            changes: 50,
            bytes: 1 << 30,
            terminals: true,
            command: None,
        }
    }
}

/// One of them: its name in the file, its default in words, what it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Known {
    /// Its table and its key: `change.steady`.
    pub name: &'static str,
    /// What it is by default.
    pub default: &'static str,
    /// What it is.
    pub about: &'static str,
}

/// All of them, in the order in which they are shown.
pub const KNOWN: [Known; 12] = [
    known("change.steady", "as the profile says", "how long all checks must stay healthy"),
    known("change.wait", "0s", "how long to wait for another change of the same daemon or file"),
    known("change.packages", "1m", "how long to wait for the package manager to end"),
    known("change.strict", "false", "whether warnings refuse a change"),
    known("change.trial", "\"usual\"", "trial starts: usual, always or never"),
    known("change.replay", "\"files\"", "requests of clients asked again: files, all or nothing"),
    known("records.changes", "50", "how many changes of a daemon are kept"),
    known("records.size", "\"1GB\"", "how large their folders may be together"),
    known("tell.terminals", "true", "tell those who are logged in how a change ended without a terminal"),
    known("tell.command", "none", "a command that gets the same as JSON on standard input"),
    known("tell.account", "the change's own", "the account that runs this command"),
    known("tell.limit", "10s", "how long this command may take"),
];

const fn known(name: &'static str, default: &'static str, about: &'static str) -> Known {
    Known { name, default, about }
}

#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
struct Written {
    change: WrittenChange,
    records: WrittenRecords,
    tell: WrittenTell,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
struct WrittenChange {
    steady: Option<SignedDuration>,
    wait: Option<SignedDuration>,
    packages: Option<SignedDuration>,
    strict: Option<bool>,
    trial: Option<TrialDefault>,
    replay: Option<ReplayDefault>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
struct WrittenRecords {
    changes: Option<usize>,
    size: Option<String>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
struct WrittenTell {
    terminals: Option<bool>,
    command: Option<Vec<String>>,
    account: Option<String>,
    limit: Option<SignedDuration>,
}

/// One file of settings that could be read.
#[derive(Debug)]
pub struct SettingsFile {
    path: PathBuf,
    written: Written,
    /// What it says, by name, as it is written there.
    said: BTreeMap<String, String>,
}

/// A setting as it is in effect.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shown {
    /// Which one.
    pub known: Known,
    /// Its value, as it is written in a file.
    pub value: String,
    /// The file that decides; none where it is the default.
    pub from: Option<PathBuf>,
}

impl SettingsFile {
    /// Reads the text of the file at `path`.
    ///
    /// # Errors
    ///
    /// What is wrong with it, with line and column.
    pub fn read(path: PathBuf, text: &str) -> Result<Self, Malformed> {
        let of_toml = |error| Malformed::of_toml(text, &error);
        let written: Written = toml::from_str(text).map_err(of_toml)?;
        let table: toml::Table = toml::from_str(text).map_err(of_toml)?;
        if let Some((what, word)) = amiss(&written) {
            return Err(Malformed::at(text, text.find(&word).unwrap_or(0), what));
        }
        let mut said = BTreeMap::new();
        for (group, settings) in &table {
            for (key, value) in settings.as_table().into_iter().flatten() {
                said.insert(format!("{group}.{key}"), value.to_string());
            }
        }
        Ok(Self { path, written, said })
    }
}

/// What is wrong with values that are of the right sort: the message, and a word of the text to point at.
fn amiss(written: &Written) -> Option<(String, String)> {
    let WrittenChange { steady, wait, packages, .. } = &written.change;
    let times = [steady, wait, packages, &written.tell.limit];
    if times.into_iter().flatten().any(|time| time.is_negative()) {
        return Some(("a time cannot be negative".into(), "-".into()));
    }
    if written.records.changes == Some(0) {
        return Some(("changes must be at least 1: the last change is always kept".into(), "changes".into()));
    }
    if let Some(text) = &written.records.size
        && size(text).is_none_or(|bytes| bytes < 0)
    {
        return Some((format!("{text:?} is no size; write for example \"500MB\""), text.clone()));
    }
    let program = written.tell.command.as_ref()?.first();
    if program.is_none_or(|program| !program.starts_with('/')) {
        return Some(("command must begin with the absolute path of a program".into(), "command".into()));
    }
    None
}

impl Settings {
    /// What is in effect by these files; the later one decides.
    pub fn of(files: &[SettingsFile]) -> Self {
        let mut settings = Self::default();
        let time = |time: SignedDuration| Duration::try_from(time).unwrap_or_default();
        let (mut argv, mut account, mut limit) = (None, None, Duration::from_secs(10));
        for SettingsFile { written, .. } in files {
            let Written { change, records, tell } = written;
            settings.steady = change.steady.map(time).or(settings.steady);
            settings.wait = change.wait.map(time).or(settings.wait);
            settings.packages = change.packages.map_or(settings.packages, time);
            settings.strict = change.strict.unwrap_or(settings.strict);
            settings.trial = change.trial.unwrap_or(settings.trial);
            settings.replay = change.replay.unwrap_or(settings.replay);
            settings.changes = records.changes.unwrap_or(settings.changes);
            let bytes = records.size.as_deref().and_then(size).and_then(|bytes| u64::try_from(bytes).ok());
            settings.bytes = bytes.unwrap_or(settings.bytes);
            settings.terminals = tell.terminals.unwrap_or(settings.terminals);
            argv = tell.command.clone().or(argv);
            account = tell.account.clone().or(account);
            limit = tell.limit.map_or(limit, time);
        }
        settings.command = argv.map(|argv| TellCommand { argv, account, limit });
        settings
    }

    /// All settings as they are in effect by these files.
    pub fn shown(files: &[SettingsFile]) -> Vec<Shown> {
        let shown = |known: Known| {
            let decides = files.iter().rev().find_map(|file| Some((file.said.get(known.name)?, &file.path)));
            match decides {
                Some((value, path)) => Shown { known, value: value.clone(), from: Some(path.clone()) },
                None => Shown { known, value: known.default.to_owned(), from: None },
            }
        };
        KNOWN.into_iter().map(shown).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HOST: &str = "\
[change]
steady = \"10s\"
wait = \"2m\"
trial = \"never\"
[records]
changes = 20
size = \"500MB\"
[tell]
command = [\"/usr/local/bin/tell-harbour\", \"--boards\"]
";

    fn read(path: &str, text: &str) -> SettingsFile {
        SettingsFile::read(path.into(), text).unwrap_or_else(|error| panic!("{path}: {error}"))
    }

    #[test]
    fn the_file_of_the_person_decides_over_the_one_of_the_host() {
        let files =
            [read("/etc/host", HOST), read("/own", "[change]\nwait = \"5s\"\n[tell]\naccount = \"quay\"")];
        let settings = Settings::of(&files);
        let command = settings.command.clone().expect("it is set");
        assert_eq!(settings.steady, Some(Duration::from_secs(10)));
        assert_eq!(settings.wait, Some(Duration::from_secs(5)));
        assert_eq!((settings.changes, settings.bytes), (20, 500 << 20));
        assert_eq!((command.account.as_deref(), command.argv.len()), (Some("quay"), 2));
        let shown = Settings::shown(&files);
        let of = |name: &str| shown.iter().find(|one| one.known.name == name).expect("it is known");
        assert_eq!(
            (of("change.wait").value.as_str(), of("change.wait").from.clone()),
            ("\"5s\"", Some("/own".into()))
        );
        assert_eq!(of("change.trial").from, Some("/etc/host".into()));
        assert_eq!((of("change.strict").value.as_str(), &of("change.strict").from), ("false", &None));
    }

    /// Every setting that is told of can be written, and the other way round.
    #[test]
    fn all_that_is_known_can_be_written() {
        let values = [
            "\"1s\"",
            "\"1s\"",
            "\"1s\"",
            "true",
            "\"always\"",
            "\"all\"",
            "3",
            "\"1GB\"",
            "false",
            "[\"/bin/true\"]",
            "\"quay\"",
            "\"1s\"",
        ];
        let text: String =
            KNOWN.iter().zip(values).map(|(one, value)| format!("{} = {value}\n", one.name)).collect();
        let file = read("/etc/host", &text);
        assert_eq!(file.said.len(), KNOWN.len());
        assert!(Settings::shown(&[file]).iter().all(|one| one.from.is_some()));
        assert_eq!(Settings::of(&[]), Settings::default());
    }

    #[test]
    fn what_is_wrong_is_told_with_its_place() {
        for (text, place, says) in [
            ("[change]\nstedy = \"1s\"\n", (2, 1), "stedy"),
            ("[change]\nsteady = \"soon\"\n", (2, 10), "is no time"),
            ("[change]\nsteady = \"-3s\"\n", (2, 11), "negative"),
            ("[records]\nsize = \"much\"\n", (2, 9), "500MB"),
            ("[records]\nchanges = 0\n", (2, 1), "at least 1"),
            ("[tell]\ncommand = [\"mail\"]\n", (2, 1), "absolute path"),
            ("[change\n", (1, 8), ""),
        ] {
            let error = SettingsFile::read("/etc/host".into(), text).expect_err(text);
            assert_eq!((error.line, error.column), place, "{text}: {error}");
            assert!(error.message.contains(says), "{text}: {error}");
        }
    }
}
