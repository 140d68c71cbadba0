//! How a guardian is started.
//!
//! What we believe (measured on systemd 252): a process that only left its session is killed with it where the
//! host says `KillUserProcesses=yes`, by `loginctl terminate-session`, and with the service that it was started
//! from; a transient unit survives all of these, and a restart of sshd. Started with `Type=exec`, it is
//! known to run when `systemd-run` returns.

use crate::children;
use crate::service::{SystemBus, namespace};
use std::ffi::OsStr;
use std::fs;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;
use zbus::Variant;

/// The first word of the own program's command line that means: be a guardian.
pub const ENTRY: &str = "__guardian";
/// The first word that means: stand by a change on probation.
pub const STAND_BY: &str = "__stand-by";
/// The properties of its unit (systemd.unit(5), systemd.service(5), systemd.kill(5)), whoever asks for it. A daemon that is
/// no unit may be started by it: it must not end with it, and gets all that is set here.
const PROPERTIES: [(&str, &str); 3] =
    [("Type", "exec"), ("CollectMode", "inactive-or-failed"), ("KillMode", "process")];
/// The least level that is logged of its unit: that of a notice (syslog(3)). That it starts and ends is no news: the change
/// itself is told in one line.
const LOG_LEVEL: i32 = 5;
/// How long the service manager may take to start it.
const LIMIT: Duration = Duration::from_secs(5);

/// How a guardian was started.
pub enum Launched {
    /// As a process that runs.
    Runs,
    /// As a unit of this name, which the service manager starts by and by.
    Asked(String),
}

impl Launched {
    /// Whether it can still come: the service manager forgets a unit that has failed.
    pub fn may_come(&self) -> bool {
        match self {
            Self::Runs => true,
            Self::Asked(unit) => SystemBus::get().and_then(|bus| bus.holds(unit)).unwrap_or(true),
        }
    }
}

/// Starts a guardian that will call at `socket`, in the quickest way. Where it does not come, [`launch_surely`] does it.
pub fn launch(daemon: &str, socket: &Path) -> io::Result<Launched> {
    let unit = format!("{}.service", unit_name("gypsum", daemon));
    let words = [OsStr::new(ENTRY), socket.as_os_str()];
    let asked =
        unit_of(&words).and_then(|transient| Some((transient, SystemBus::get()?))).map(|(transient, bus)| {
            let argv: Vec<&str> = transient.argv.iter().map(String::as_str).collect();
            let about = about(daemon);
            let mut properties: Vec<(&str, Variant<'_>)> =
                PROPERTIES.map(|(name, value)| (name, value.into())).into();
            properties.extend([
                ("Description", about.as_str().into()),
                ("LogLevelMax", LOG_LEVEL.into()),
                ("Environment", (&transient.environment).into()),
                ("ExecStart", vec![(argv[0], argv.clone(), false)].into()),
            ]);
            properties.extend(transient.folder.as_deref().map(|folder| ("WorkingDirectory", folder.into())));
            bus.start_transient(&unit, &properties)
        });
    match asked {
        Some(Ok(())) => return Ok(Launched::Asked(unit)),
        Some(Err(error)) => tracing::debug!(%error, "no transient unit on the bus"),
        None => {}
    }
    launch_surely(daemon, socket)
}

/// Starts a guardian that will call at `socket`, and waits until it runs.
pub fn launch_surely(daemon: &str, socket: &Path) -> io::Result<Launched> {
    let words = [OsStr::new(ENTRY), socket.as_os_str()];
    start(&unit_name("gypsum", daemon), &about(daemon), &[], &words, &words).map(|()| Launched::Runs)
}

fn about(daemon: &str) -> String {
    format!("gypsum: a change of {daemon}")
}

/// Starts a process that stands by the change of `daemon` in the state folder `root`; a service manager starts it again
/// where it is killed.
pub fn stand_by(root: &Path, daemon: &str) -> io::Result<()> {
    let words = [OsStr::new(STAND_BY), root.as_os_str(), OsStr::new(daemon)];
    // Another version of this program may not know these words: then it is not started for ever.
    let again = ["Restart=on-failure", "RestartSec=1", "StartLimitIntervalSec=60", "StartLimitBurst=20"];
    let again = again.map(|property| format!("--property={property}"));
    let about = format!("gypsum: guards a change of {daemon} on probation");
    start(&unit_name("gypsum-stand-by", daemon), &about, &again, &words, &words)
}

fn unit_name(kind: &str, daemon: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() { c } else { '-' };
    let name: String = daemon.chars().map(plain).collect();
    format!("{kind}-{name}-{}", std::process::id())
}

/// Starts this program beside this process: as the unit `unit` of systemd, with these options of systemd-run(1) and the
/// words `as_unit`, else as a process of its own with the words `alone`.
pub fn start(
    unit: &str,
    about: &str,
    options: &[String],
    as_unit: &[&OsStr],
    alone: &[&OsStr],
) -> io::Result<()> {
    let Some(transient) = unit_of(as_unit) else { return detached(alone) };
    match children::run(&command_of(transient, unit, about, options), LIMIT) {
        Ok(ran) if ran.ok() => return Ok(()),
        Ok(ran) => tracing::debug!(said = ran.last_words(), "no transient unit"),
        Err(error) => tracing::debug!(%error, "no transient unit"),
    }
    detached(alone)
}

/// What a unit of this program is started with.
struct Transient {
    argv: Vec<String>,
    folder: Option<String>,
    environment: Vec<String>,
}

/// This program with these words as a unit; none where there is no service manager that could start it, or where it would
/// not see the same host as we do.
fn unit_of(words: &[&OsStr]) -> Option<Transient> {
    let manager = Path::new("/run/systemd/system").is_dir() && rustix::process::geteuid().is_root();
    let program = std::env::current_exe().ok().filter(|path| path.is_file())?;
    if !manager || !sees_the_same_host() {
        return None;
    }
    let argv = std::iter::once(program.as_os_str()).chain(words.iter().copied());
    let argv = argv.map(|word| word.to_str().map(str::to_owned)).collect::<Option<_>>()?;
    // The settings that count are those of the person.
    let passed_on = children::PASSED_ON.into_iter().chain(["XDG_CONFIG_HOME"]);
    let environment = passed_on
        .filter_map(|name| std::env::var(name).ok().map(|value| format!("{name}={value}")))
        .collect();
    let folder = std::env::current_dir().ok().and_then(|folder| folder.to_str().map(str::to_owned));
    Some(Transient { argv, folder, environment })
}

/// The command that starts it and waits until it runs.
fn command_of(transient: Transient, unit: &str, about: &str, options: &[String]) -> Vec<String> {
    let mut argv = vec![
        "systemd-run".to_owned(),
        "--quiet".into(),
        format!("--unit={unit}"),
        format!("--description={about}"),
        format!("--property=LogLevelMax={LOG_LEVEL}"),
    ];
    argv.extend(PROPERTIES.map(|(name, value)| format!("--property={name}={value}")));
    argv.extend_from_slice(options);
    argv.extend(transient.folder.map(|folder| format!("--working-directory={folder}")));
    argv.extend(transient.environment.into_iter().map(|variable| format!("--setenv={variable}")));
    argv.push("--".into());
    argv.extend(transient.argv);
    argv
}

/// Whether the first process sees our files, network and processes: not from inside a container or a private view.
fn sees_the_same_host() -> bool {
    let same_root = || {
        let id = |path: &str| fs::metadata(path).map(|meta| (meta.dev(), meta.ino())).ok();
        id("/") == id("/proc/1/root/")
    };
    let same = |kind: &str| {
        let own = namespace("self", kind);
        own.is_some() && own == namespace("1", kind)
    };
    ["mnt", "net", "pid"].into_iter().all(same) && same_root()
}

/// A process in a session of its own (it leaves ours itself): no hang-up and no key reaches it.
fn detached(words: &[&OsStr]) -> io::Result<()> {
    let mut command = Command::new("/proc/self/exe");
    command.arg0("gypsum").args(words);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    command.spawn().map(drop)
}
