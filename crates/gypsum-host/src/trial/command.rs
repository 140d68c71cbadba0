//! Becoming a command of the unit: its limits, its account, its capabilities, and then its program.

use super::spec::TrialSpec;
use super::unit::StartUnit;
use super::{COMMAND, ENTRY, account};
use rustix::process::{Resource, Rlimit, setrlimit, setsid};
use rustix::thread::{
    CapabilitySet, CapabilitySets, configure_capability_in_ambient_set, remove_capability_from_bounding_set,
    set_capabilities, set_keep_capabilities, set_no_new_privs, set_thread_groups, set_thread_res_gid,
    set_thread_res_uid,
};
use rustix::thread::{Gid, Uid};
use std::fs::{File, OpenOptions};
use std::io;
use std::os::unix::process::CommandExt;
use std::process::Command;

/// What no command of a trial may do: set the clock, load a part of the kernel, reach raw devices, read its log.
const NEVER: CapabilitySet = CapabilitySet::SYS_TIME
    .union(CapabilitySet::SYS_BOOT)
    .union(CapabilitySet::SYS_MODULE)
    .union(CapabilitySet::SYS_RAWIO)
    .union(CapabilitySet::SYSLOG)
    .union(CapabilitySet::MKNOD)
    .union(CapabilitySet::WAKE_ALARM)
    .union(CapabilitySet::MAC_ADMIN)
    .union(CapabilitySet::AUDIT_CONTROL)
    .union(CapabilitySet::BPF)
    .union(CapabilitySet::PERFMON);

/// How a command is run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RunAs {
    /// As the unit's account, with its limits and capabilities.
    Account,
    /// The same, but the program changes the account by itself (`!`).
    Itself,
    /// As root, without any of that (`+`).
    Root,
}

impl RunAs {
    fn word(self) -> &'static str {
        match self {
            Self::Account => "account",
            Self::Itself => "itself",
            Self::Root => "root",
        }
    }
}

/// The command line that becomes `program`, called by the first of the `words`.
pub fn line(how: RunAs, program: &str, words: &[String]) -> Command {
    let mut command = Command::new("/proc/self/exe");
    command.arg0("gypsum").args([ENTRY, COMMAND, how.word(), program]).args(words);
    command
}

/// Becomes the program that the words name; the first one says as what. Comes back only if that fails.
///
/// # Errors
///
/// Why it fails.
pub fn become_it(how: &str, words: &[String]) -> io::Result<i32> {
    let [program, name, arguments @ ..] = words else {
        return Err(io::Error::other("no command"));
    };
    let unit = TrialSpec::of_input()?.unit;
    setsid()?;
    if how != RunAs::Root.word() {
        take_on(&unit, how == RunAs::Account.word())?;
    } else {
        drop_from_bounding_set(NEVER)?;
    }
    let mut command = Command::new(program);
    command.arg0(name).args(arguments).stdin(File::open("/dev/null")?);
    Err(command.exec())
}

fn take_on(unit: &StartUnit, with_account: bool) -> io::Result<()> {
    for (name, soft, hard) in &unit.limits {
        let limit = |value: &u64| (*value != u64::MAX).then_some(*value);
        if let Some(resource) = resource(name) {
            // More than what this process may have at most cannot be asked for.
            if let Err(error) = setrlimit(resource, Rlimit { current: limit(soft), maximum: limit(hard) }) {
                tracing::debug!(name, %error, "the limit stays as it is");
            }
        }
    }
    rustix::process::umask(rustix::fs::Mode::from_raw_mode(unit.umask));
    if unit.nice != 0 {
        rustix::process::setpriority_process(None, unit.nice)?;
    }
    go_to(&unit.working_folder)?;
    let bounding = CapabilitySet::from_bits_retain(unit.bounding).difference(NEVER);
    drop_from_bounding_set(bounding.complement())?;
    let ambient = CapabilitySet::from_bits_retain(unit.ambient).intersection(bounding);
    if let Some(account) = account::of(unit)?.filter(|_| with_account) {
        let groups: Vec<Gid> = account.groups.iter().map(|group| Gid::from_raw(*group)).collect();
        let (user, group) = (Uid::from_raw(account.user), Gid::from_raw(account.group));
        set_thread_groups(&groups)?;
        set_thread_res_gid(group, group, group)?;
        set_keep_capabilities(!ambient.is_empty())?;
        set_thread_res_uid(user, user, user)?;
    }
    if !ambient.is_empty() {
        set_capabilities(
            None,
            CapabilitySets { effective: ambient, permitted: ambient, inheritable: ambient },
        )?;
        for one in ambient.iter() {
            configure_capability_in_ambient_set(one, true)?;
        }
    }
    if unit.no_new_privileges {
        set_no_new_privs(true)?;
    }
    Ok(())
}

/// The working folder: `~` is the account's home, `-` in front lets it be missing (systemd.exec(5)).
fn go_to(folder: &str) -> io::Result<()> {
    let may_be_missing = folder.starts_with('-') || folder.starts_with('!');
    let folder = folder.trim_start_matches(['-', '!']);
    let home = std::env::var("HOME").unwrap_or_else(|_| "/".to_owned());
    let folder = match folder {
        "" => "/",
        "~" => &home,
        folder => folder,
    };
    match std::env::set_current_dir(folder) {
        Err(_) if may_be_missing => std::env::set_current_dir("/"),
        done => done,
    }
}

fn drop_from_bounding_set(these: CapabilitySet) -> io::Result<()> {
    for bit in 0..u64::BITS {
        let one = CapabilitySet::from_bits_retain(1 << bit);
        if !these.contains(one) {
            continue;
        }
        match remove_capability_from_bounding_set(one) {
            Ok(()) => {}
            // This kernel does not know it.
            Err(rustix::io::Errno::INVAL) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(())
}

fn resource(name: &str) -> Option<Resource> {
    Some(match name {
        "AS" => Resource::As,
        "CPU" => Resource::Cpu,
        "DATA" => Resource::Data,
        "FSIZE" => Resource::Fsize,
        "LOCKS" => Resource::Locks,
        "MEMLOCK" => Resource::Memlock,
        "MSGQUEUE" => Resource::Msgqueue,
        "NOFILE" => Resource::Nofile,
        "NPROC" => Resource::Nproc,
        "RTPRIO" => Resource::Rtprio,
        "SIGPENDING" => Resource::Sigpending,
        "STACK" => Resource::Stack,
        _ => return None,
    })
}

/// A file to which a command's output is added.
///
/// # Errors
///
/// If it cannot be made.
pub fn output(path: &std::path::Path) -> io::Result<File> {
    OpenOptions::new().create(true).append(true).open(path)
}
