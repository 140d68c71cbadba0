//! How a guardian is started.
//!
//! What we believe (measured on systemd 252): a process that only left its session is killed with it where the
//! host says `KillUserProcesses=yes`, by `loginctl terminate-session`, and with the service that it was started
//! from; a transient unit survives all of these, and a restart of sshd. Started with `--service-type=exec`, it is
//! known to run when `systemd-run` returns.

use crate::children;
use std::ffi::OsStr;
use std::fs;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

/// The first word of the own program's command line that means: be a guardian.
pub const ENTRY: &str = "__guardian";
/// The first word that means: stand by a change on probation.
pub const STAND_BY: &str = "__stand-by";
/// How long the service manager may take to start it.
const LIMIT: Duration = Duration::from_secs(5);

/// Starts a guardian that will call at `socket`.
pub fn launch(daemon: &str, socket: &Path) -> io::Result<()> {
    let words = [OsStr::new(ENTRY), socket.as_os_str()];
    let about = format!("gypsum: a change of {daemon}");
    start(&unit_name("gypsum", daemon), &about, &[], &words, &words)
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
    let Some(argv) = unit_of(unit, about, options, as_unit) else { return detached(alone) };
    match children::run(&argv, LIMIT) {
        Ok(ran) if ran.ok() => return Ok(()),
        Ok(ran) => tracing::debug!(said = ran.last_words(), "no transient unit"),
        Err(error) => tracing::debug!(%error, "no transient unit"),
    }
    detached(alone)
}

/// The command that makes it a unit of its own; none where there is no service manager that could, or where it
/// would not see the same host as we do.
fn unit_of(unit: &str, about: &str, options: &[String], words: &[&OsStr]) -> Option<Vec<String>> {
    let manager = Path::new("/run/systemd/system").is_dir() && rustix::process::geteuid().is_root();
    let program = std::env::current_exe().ok().filter(|path| path.is_file())?;
    if !manager || !sees_the_same_host() {
        return None;
    }
    let mut argv = vec![
        "systemd-run".to_owned(),
        "--quiet".into(),
        "--collect".into(),
        "--service-type=exec".into(),
        format!("--unit={unit}"),
        format!("--description={about}"),
        // That it starts and ends is no news: the change itself is told in one line.
        "--property=LogLevelMax=notice".into(),
        // A daemon that is no unit may be started by it: it must not end with it, and gets all that is set here.
        "--property=KillMode=process".into(),
    ];
    argv.extend_from_slice(options);
    if let Ok(folder) = std::env::current_dir() {
        argv.push(format!("--working-directory={}", folder.display()));
    }
    // The settings that count are those of the person.
    for name in children::PASSED_ON.into_iter().chain(["XDG_CONFIG_HOME"]) {
        argv.extend(std::env::var(name).ok().map(|value| format!("--setenv={name}={value}")));
    }
    argv.push("--".into());
    argv.push(program.to_str()?.to_owned());
    for word in words {
        argv.push(word.to_str()?.to_owned());
    }
    Some(argv)
}

/// Whether the first process sees our files, network and processes: not from inside a container or a private view.
fn sees_the_same_host() -> bool {
    let same_root = || {
        let id = |path: &str| fs::metadata(path).map(|meta| (meta.dev(), meta.ino())).ok();
        id("/") == id("/proc/1/root/")
    };
    let same = |kind: &str| {
        let of = |pid: &str| fs::read_link(format!("/proc/{pid}/ns/{kind}")).ok();
        of("self").is_some() && of("self") == of("1")
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
