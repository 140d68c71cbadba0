//! Settings come and go with releases: the installed daemon decides, and no list.

use crate::host::{Lab, boot, boot_tree, next_release};
use serde_json::Value;

/// New in the next release, with a value that it takes.
const NEW: [(&str, &str); 24] = [
    ("sshd", "PAMServiceName=sshd"),
    ("sshd", "PerSourcePenalties=yes"),
    ("sshd", "PerSourcePenaltyExemptList=10.0.0.1"),
    ("sshd", "RefuseConnection=no"),
    ("sshd", "SshdSessionPath=/usr/lib/openssh/sshd-session"),
    ("redis", "bio-cpulist=0"),
    ("redis", "hide-user-data-from-log=yes"),
    ("redis", "max-new-connections-per-cycle=10"),
    ("redis", "replica-full-sync-buffer-limit=0"),
    ("postgresql", "transaction_timeout=5s"),
    ("postgresql", "summarize_wal=on"),
    ("postgresql", "scram_iterations=5000"),
    ("postgresql", "event_triggers=on"),
    ("postgresql", "io_combine_limit=128kB"),
    ("mariadb", "binlog-space-limit=1G"),
    ("mariadb", "max-tmp-session-space-usage=1G"),
    ("mariadb", "log-slow-always-query-time=10"),
    ("mariadb", "optimizer-where-cost=0.03"),
    ("unit:ssh", "RestartMode=direct"),
    ("unit:ssh", "Service..MemoryZSwapMax=1G"),
    ("unit:ssh", "Service..PrivatePIDs=no"),
    ("unit:ssh", "Install..UpheldBy=boards.service"),
    ("named", "options..max-validations-per-fetch=16"),
    ("unbound", "server..answer-cookie=yes"),
];

/// Gone in the next release, and what is said of what took their place.
const GONE: [(&str, &str, &str); 10] = [
    ("postgresql", "force_parallel_mode=on", "use debug_parallel_query instead"),
    ("postgresql", "promote_trigger_file=''", "use pg_ctl promote or pg_promote() instead"),
    ("postgresql", "vacuum_defer_cleanup_age=100", "use hot_standby_feedback or a replication slot instead"),
    ("postgresql", "db_user_namespace=on", ""),
    ("postgresql", "old_snapshot_threshold=1h", ""),
    ("postgresql", "trace_recovery_messages=log", ""),
    ("mariadb", "innodb-change-buffer-max-size=10", ""),
    ("mariadb", "debug-no-thread-alarm=1", ""),
    ("mariadb", "max-tmp-tables=32", ""),
    ("mariadb", "old-alter-table=DEFAULT", ""),
];

/// Faults about what is not known, and not about anything else.
fn unknown(lab: &Lab, daemon: &str, edit: &str) -> Option<Value> {
    let (_, report) = lab.gypsum(&["change", daemon, edit, "--dry-run"]);
    let findings =
        report["findings"].as_array().unwrap_or_else(|| panic!("{daemon} {edit}: {report:#}")).clone();
    let name = edit.split('=').next().unwrap().rsplit("..").next().unwrap();
    findings.into_iter().find(|finding| {
        finding["severity"] == "fault"
            && finding["message"].as_str().unwrap().to_lowercase().contains(&name.to_lowercase())
    })
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn names_of_a_release_are_those_of_its_daemons() {
    let programs = ["/usr/sbin/sshd", "/usr/bin/redis-server", "/usr/sbin/mariadbd", "/usr/sbin/named"];
    let (this, next) = (boot(&programs), boot_tree(&next_release(), &programs));
    for lab in [&this, &next] {
        // Its checker reads what the first start makes.
        lab.sh("mkdir -p /var/lib/unbound; touch /var/lib/unbound/root.key");
    }
    let mut amiss = Vec::new();
    for (daemon, edit) in NEW {
        if let Some(finding) = unknown(&next, daemon, edit) {
            amiss.push(format!("{daemon} {edit} is refused where it is known: {finding:#}"));
        }
        if unknown(&this, daemon, edit).is_none() {
            amiss.push(format!("{daemon} {edit} is taken where it is not known"));
        }
    }
    for (daemon, edit, heir) in GONE {
        if let Some(finding) = unknown(&this, daemon, edit) {
            amiss.push(format!("{daemon} {edit} is refused where it is known: {finding:#}"));
        }
        match unknown(&next, daemon, edit) {
            Some(finding) if finding["help"].as_str().unwrap_or_default().contains(heir) => {}
            other => amiss.push(format!("{daemon} {edit} on the next release: {other:#?}")),
        }
    }
    assert!(amiss.is_empty(), "{}", amiss.join("\n"));
}
