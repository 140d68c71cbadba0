//! What a process may do: the kernel's account of it (proc_pid_status(5), capabilities(7), namespaces(7)).

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

/// It in words of the form `NAME=VALUE`; `user` is the name of its account.
pub fn of(process: &Process, user: &str) -> Result<String, ProcError> {
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
        format!("user={user}"),
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
    let of = |pid: &str, kind: &str| std::fs::read_link(format!("/proc/{pid}/ns/{kind}")).ok();
    let pid = process.pid().to_string();
    let pairs = KINDS.map(|kind| (kind, of(&pid, kind), of("1", kind)));
    if pairs.iter().all(|(_, own, first)| own.is_none() || first.is_none()) {
        return "not-seen".to_owned();
    }
    let own = pairs.iter().filter(|(_, own, first)| own.is_some() && first.is_some() && own != first);
    let own: Vec<&str> = own.map(|(kind, ..)| *kind).collect();
    if own.is_empty() { "none".to_owned() } else { own.join(",") }
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
        let said = super::of(&process, "mate").unwrap();
        let folder = std::env::current_dir().unwrap();
        assert!(said.contains(&format!("folder={}", folder.display())), "{said}");
        assert!(said.contains("user=mate") && said.contains("no-new-privileges="), "{said}");
    }
}
