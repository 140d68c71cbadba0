//! How systemd starts a unit, as its bus has it (org.freedesktop.systemd1(5)). What `systemctl show` prints of a command
//! loses where its words end, and the property without `Ex` the marks in front of it.

use crate::children;
use crate::service::{ASKING, ManagerScope, object_of};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use std::path::PathBuf;

/// The value of a number that was not set.
const UNSET: u64 = u64::MAX;

/// A command of a unit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ExecLine {
    /// The program.
    pub program: String,
    /// Its words, the name that it is called by first.
    pub words: Vec<String>,
    /// The marks in front of it, by their names.
    pub flags: Vec<String>,
}

impl ExecLine {
    /// Whether it has a mark.
    pub fn has(&self, flag: &str) -> bool {
        self.flags.iter().any(|one| one == flag)
    }

    /// The program without its folder.
    pub fn name(&self) -> &str {
        self.program.rsplit('/').next().unwrap_or(&self.program)
    }
}

/// A folder that the service manager makes for it at each start.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct MadeFolder {
    /// Where.
    pub path: PathBuf,
    /// Its mode.
    pub mode: u32,
    /// The variable that names it.
    pub variable: String,
}

/// How a unit is started.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct StartUnit {
    /// Its name.
    pub name: String,
    /// `Type=`
    pub kind: String,
    /// What is run before it.
    pub before: Vec<ExecLine>,
    /// What starts it.
    pub start: Option<ExecLine>,
    /// `User=`
    pub user: String,
    /// `Group=`
    pub group: String,
    /// `SupplementaryGroups=`
    pub groups: Vec<String>,
    /// `Environment=`
    pub variables: BTreeMap<String, String>,
    /// `EnvironmentFile=`, each with whether it may be missing.
    pub variable_files: Vec<(String, bool)>,
    /// `RuntimeDirectory=` and its like.
    pub folders: Vec<MadeFolder>,
    /// Names and files of `LoadCredential=`.
    pub credentials: Vec<(String, PathBuf)>,
    /// `WorkingDirectory=`
    pub working_folder: String,
    /// `ReadWritePaths=`
    pub writable: Vec<PathBuf>,
    /// `UMask=`
    pub umask: u32,
    /// `Nice=`
    pub nice: i32,
    /// `CapabilityBoundingSet=`
    pub bounding: u64,
    /// `AmbientCapabilities=`
    pub ambient: u64,
    /// `NoNewPrivileges=`
    pub no_new_privileges: bool,
    /// `Limit…=`: name, soft and hard limit.
    pub limits: Vec<(String, u64, u64)>,
}

/// The limits that are passed on, as the bus names them; not that of core dumps, since a program that takes those runs on
/// the host.
pub const LIMITS: [&str; 12] = [
    "AS",
    "CPU",
    "DATA",
    "FSIZE",
    "LOCKS",
    "MEMLOCK",
    "MSGQUEUE",
    "NOFILE",
    "NPROC",
    "RTPRIO",
    "SIGPENDING",
    "STACK",
];

/// The properties of a unit.
struct Properties(Map<String, Value>);

#[derive(Deserialize)]
struct Reply {
    data: Vec<Map<String, Value>>,
}

/// How `unit` is started.
///
/// # Errors
///
/// In words, why a trial start cannot be made like that.
pub fn read(manager: &ManagerScope, unit: &str) -> Result<StartUnit, String> {
    let object = object_of(unit);
    let words = [
        "--json=short",
        "call",
        "org.freedesktop.systemd1",
        &object,
        "org.freedesktop.DBus.Properties",
        "GetAll",
        "s",
        "org.freedesktop.systemd1.Service",
    ];
    let ran = children::run(&manager.busctl(&words), ASKING).map_err(|error| format!("busctl: {error}"))?;
    if !ran.ok() {
        return Err(format!("the service manager does not tell how it starts {unit}: {}", ran.last_words()));
    }
    let reply: Reply = serde_json::from_str(&ran.out)
        .map_err(|error| format!("what busctl says is not understood: {error}"))?;
    let properties = reply.data.into_iter().next().ok_or("busctl says nothing")?;
    of(unit, &Properties(properties))
}

/// What a trial start does not have, by the property that asks for it.
const WITHOUT: [(&str, &str); 7] = [
    ("DynamicUser", "its account is made at each start (DynamicUser)"),
    ("RootDirectory", "it has a root folder of its own (RootDirectory)"),
    ("RootImage", "it has a root image of its own (RootImage)"),
    ("NetworkNamespacePath", "it has a network of its own (NetworkNamespacePath)"),
    ("LoadCredentialEncrypted", "it gets encrypted credentials"),
    ("SetCredentialEncrypted", "it gets encrypted credentials"),
    ("SetCredential", "it gets credentials that its unit holds"),
];

fn of(unit: &str, all: &Properties) -> Result<StartUnit, String> {
    if let Some((_, why)) = WITHOUT.iter().find(|(key, _)| all.is_set(key)) {
        return Err((*why).to_owned());
    }
    let kind = all.text("Type");
    if matches!(kind.as_str(), "dbus" | "oneshot") {
        return Err(format!("a unit of Type={kind} shows nothing in a trial start"));
    }
    let start = all.commands("ExecStartEx");
    let variables = all.list("Environment");
    let variables = variables.iter().filter_map(|pair| pair.split_once('='));
    Ok(StartUnit {
        name: unit.to_owned(),
        kind,
        before: all.commands("ExecStartPreEx"),
        start: Some(start.into_iter().next().ok_or("its unit has no start command")?),
        user: all.text("User"),
        group: all.text("Group"),
        groups: all.list("SupplementaryGroups"),
        variables: variables.map(|(name, value)| (name.to_owned(), value.to_owned())).collect(),
        variable_files: all.pairs("EnvironmentFiles", Value::as_bool),
        folders: all.folders(),
        credentials: all
            .pairs("LoadCredential", |path| path.as_str().map(PathBuf::from))
            .into_iter()
            .filter(|(_, path)| path.is_absolute())
            .collect(),
        working_folder: all.text("WorkingDirectory"),
        writable: all
            .list("ReadWritePaths")
            .iter()
            .map(|path| PathBuf::from(path.trim_start_matches(['-', '+'])))
            .collect(),
        umask: u32::try_from(all.number("UMask").unwrap_or(0o022)).unwrap_or(0o022),
        nice: all
            .0
            .get("Nice")
            .and_then(|nice| nice["data"].as_i64())
            .and_then(|nice| nice.try_into().ok())
            .unwrap_or(0),
        bounding: all.number("CapabilityBoundingSet").unwrap_or(UNSET),
        ambient: all.number("AmbientCapabilities").unwrap_or(0),
        no_new_privileges: all.is_set("NoNewPrivileges"),
        limits: LIMITS
            .iter()
            .filter_map(|name| {
                let (soft, hard) = (format!("Limit{name}Soft"), format!("Limit{name}"));
                Some(((*name).to_owned(), all.number(&soft)?, all.number(&hard)?))
            })
            .collect(),
    })
}

impl Properties {
    fn data(&self, key: &str) -> &Value {
        self.0.get(key).map_or(&Value::Null, |property| &property["data"])
    }

    fn text(&self, key: &str) -> String {
        self.data(key).as_str().unwrap_or_default().to_owned()
    }

    fn number(&self, key: &str) -> Option<u64> {
        self.data(key).as_u64()
    }

    /// Whether it is true, or not empty.
    fn is_set(&self, key: &str) -> bool {
        match self.data(key) {
            Value::Bool(is_set) => *is_set,
            Value::String(text) => !text.is_empty(),
            Value::Array(all) => !all.is_empty(),
            Value::Null | Value::Number(_) | Value::Object(_) => false,
        }
    }

    fn list(&self, key: &str) -> Vec<String> {
        let all = self.data(key).as_array().map(Vec::as_slice).unwrap_or_default();
        all.iter().filter_map(|one| Some(one.as_str()?.to_owned())).collect()
    }

    /// A list of pairs whose first part is a text.
    fn pairs<T>(&self, key: &str, second: impl Fn(&Value) -> Option<T>) -> Vec<(String, T)> {
        let all = self.data(key).as_array().map(Vec::as_slice).unwrap_or_default();
        all.iter().filter_map(|pair| Some((pair[0].as_str()?.to_owned(), second(&pair[1])?))).collect()
    }

    /// A list of commands: program, words, flags and what became of the last run.
    fn commands(&self, key: &str) -> Vec<ExecLine> {
        let texts = |value: &Value| -> Vec<String> {
            let all = value.as_array().map(Vec::as_slice).unwrap_or_default();
            all.iter().filter_map(|word| Some(word.as_str()?.to_owned())).collect()
        };
        let one = |line: &Value| {
            Some(ExecLine {
                program: line[0].as_str()?.to_owned(),
                words: texts(&line[1]),
                flags: texts(&line[2]),
            })
        };
        self.data(key).as_array().map(Vec::as_slice).unwrap_or_default().iter().filter_map(one).collect()
    }

    /// The folders that are made for it (systemd.exec(5), RuntimeDirectory=).
    fn folders(&self) -> Vec<MadeFolder> {
        let mut all = Vec::new();
        for (word, parent) in
            [("Runtime", "/run"), ("State", "/var/lib"), ("Cache", "/var/cache"), ("Logs", "/var/log")]
        {
            let mode = self.number(&format!("{word}DirectoryMode")).and_then(|mode| u32::try_from(mode).ok());
            for name in self.list(&format!("{word}Directory")) {
                let (path, mode) = (PathBuf::from(parent).join(name), mode.unwrap_or(0o755));
                all.push(MadeFolder { path, mode, variable: format!("{}_DIRECTORY", word.to_uppercase()) });
            }
        }
        all
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use serde_json::json;

    fn boards(more: &Value) -> Properties {
        let mut all = json!({
            "Type": {"data": "notify"},
            "ExecStartPreEx": {"data": [["/bin/true", ["true"], ["ignore-failure"], 0]]},
            "ExecStartEx": {"data": [["/usr/sbin/boards", ["boards", "-c", "a b"], ["no-setuid"], 0, 0]]},
            "User": {"data": "boards"},
            "Environment": {"data": ["A=b c", "QUAY=3"]},
            "EnvironmentFiles": {"data": [["/etc/default/boards", true]]},
            "RuntimeDirectory": {"data": ["boards/east"]},
            "RuntimeDirectoryMode": {"data": 0o750},
            "UMask": {"data": 0o27},
            "Nice": {"data": -5},
            "LimitNOFILE": {"data": 1024},
            "LimitNOFILESoft": {"data": 512},
        });
        all.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        Properties(all.as_object().unwrap().clone())
    }

    #[test]
    fn a_unit_is_read_with_words_and_marks() {
        let unit = of("boards.service", &boards(&json!({}))).unwrap();
        let start = unit.start.unwrap();
        assert_eq!((start.name(), start.words.len(), start.has("no-setuid")), ("boards", 3, true));
        assert!(unit.before[0].has("ignore-failure"));
        assert_eq!((unit.umask, unit.nice), (0o27, -5));
        assert_eq!(unit.variables["A"], "b c");
        assert_eq!(unit.variable_files, [("/etc/default/boards".to_owned(), true)]);
        assert_eq!(unit.folders[0].path, PathBuf::from("/run/boards/east"));
        assert_eq!(unit.limits, [("NOFILE".to_owned(), 512, 1024)]);
    }

    #[test]
    fn what_a_trial_does_not_have_is_said() {
        for (more, why) in [
            (json!({"DynamicUser": {"data": true}}), "DynamicUser"),
            (json!({"RootDirectory": {"data": "/srv/root"}}), "RootDirectory"),
            (json!({"Type": {"data": "dbus"}}), "Type=dbus"),
            (json!({"ExecStartEx": {"data": []}}), "no start command"),
        ] {
            let told = of("boards.service", &boards(&more)).unwrap_err();
            assert!(told.contains(why), "{told}");
        }
    }
}
