//! What a process may do: the kernel's account of it (proc_pid_status(5), capabilities(7), namespaces(7)).

use crate::accounts::user_name;
use crate::service::namespace;
use procfs::ProcError;
use procfs::process::Process;

/// The capabilities, by their numbers (linux/capability.h), without their common beginning.
const CAPABILITIES: [&str; 41] = [
    "chown",
    "dac_override",
    "dac_read_search",
    "fowner",
    "fsetid",
    "kill",
    "setgid",
    "setuid",
    "setpcap",
    "linux_immutable",
    "net_bind_service",
    "net_broadcast",
    "net_admin",
    "net_raw",
    "ipc_lock",
    "ipc_owner",
    "sys_module",
    "sys_rawio",
    "sys_chroot",
    "sys_ptrace",
    "sys_pacct",
    "sys_admin",
    "sys_boot",
    "sys_nice",
    "sys_resource",
    "sys_time",
    "sys_tty_config",
    "mknod",
    "lease",
    "audit_write",
    "audit_control",
    "setfcap",
    "mac_override",
    "mac_admin",
    "syslog",
    "wake_alarm",
    "block_suspend",
    "audit_read",
    "perfmon",
    "bpf",
    "checkpoint_restore",
];

/// It in words of the form `NAME=VALUE`.
pub fn of(process: &Process) -> Result<String, ProcError> {
    let status = process.status()?;
    let most = std::fs::read_to_string("/proc/sys/kernel/cap_last_cap").ok();
    let last = most.and_then(|text| text.trim().parse().ok());
    let yes = |flag: bool| if flag { "yes" } else { "no" };
    let mut groups = status.groups.clone();
    groups.push(status.egid);
    groups.sort_unstable();
    groups.dedup();
    let groups: Vec<String> = groups.iter().map(ToString::to_string).collect();
    let root = process.root()?;
    Ok([
        format!("user={}", user_name(status.euid)),
        format!("groups={}", groups.join(",")),
        format!("capabilities={}", capabilities(status.capeff, last)),
        format!("own-namespaces={}", own_namespaces(process)),
        format!("root={}", root.display()),
        format!("folder={}", process.cwd()?.display()),
        format!("no-new-privileges={}", yes(status.nonewprivs.is_some_and(|flag| flag != 0))),
        format!("filters-calls={}", yes(status.seccomp.is_some_and(|mode| mode != 0))),
    ]
    .join(" "))
}

/// Those of a set of bits, of which `last` is the highest that the kernel knows. Of most of them those that are missing.
fn capabilities(set: u64, last: Option<u32>) -> String {
    let name = |n: u32| {
        let known = usize::try_from(n).ok().and_then(|n| CAPABILITIES.get(n));
        known.map_or_else(|| n.to_string(), |name| (*name).to_owned())
    };
    let names = |set: u64| {
        let names: Vec<String> = (0..u64::BITS).filter(|n| set & (1 << n) != 0).map(name).collect();
        names.join(",")
    };
    let all = last.and_then(|last| 1_u64.checked_shl(last + 1)).map(|bits| bits - 1);
    match all.map(|all| all & !set) {
        _ if set == 0 => "none".to_owned(),
        Some(0) => "all".to_owned(),
        Some(missing) if missing.count_ones() < set.count_ones() => format!("all-but:{}", names(missing)),
        _ => names(set),
    }
}

/// The kinds of namespaces (namespaces(7)).
const KINDS: [&str; 8] = ["cgroup", "ipc", "mnt", "net", "pid", "time", "user", "uts"];

/// The kinds of namespaces that it does not share with the first process; only root may see all of them.
fn own_namespaces(process: &Process) -> String {
    let pid = process.pid().to_string();
    let pairs = KINDS.iter().filter_map(|kind| Some((*kind, namespace(&pid, kind)?, namespace("1", kind)?)));
    let pairs: Vec<_> = pairs.collect();
    let own: Vec<&str> =
        pairs.iter().filter(|(_, own, first)| own != first).map(|(kind, ..)| *kind).collect();
    match (pairs.is_empty(), own.is_empty()) {
        (true, _) => "not-seen".to_owned(),
        (false, true) => "none".to_owned(),
        (false, false) => own.join(","),
    }
}

#[cfg(test)]
mod tests {
    use super::capabilities;

    #[test]
    fn capabilities_have_the_kernels_names() {
        assert_eq!(capabilities(0, Some(40)), "none");
        assert_eq!(capabilities((1 << 41) - 1, Some(40)), "all");
        assert_eq!(capabilities(1 << 10 | 1 << 21, Some(40)), "net_bind_service,sys_admin");
        assert_eq!(capabilities((1 << 41) - 1 - (1 << 24), Some(40)), "all-but:sys_resource");
        assert_eq!(capabilities(1 << 45, None), "45");
    }

    #[test]
    fn this_process_is_told_as_the_shell_tells_it() {
        let process = procfs::process::Process::myself().unwrap();
        let said = super::of(&process).unwrap();
        let folder = std::env::current_dir().unwrap();
        assert!(said.contains(&format!("folder={}", folder.display())), "{said}");
        let user = crate::accounts::user_name(rustix::process::geteuid().as_raw());
        assert!(said.contains(&format!("user={user}")) && said.contains("no-new-privileges="), "{said}");
    }
}
