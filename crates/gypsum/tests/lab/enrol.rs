//! Profiles to begin with, of running daemons: what is found is held against what the built-in profiles know.

use crate::host::{Lab, boot};
use serde_json::Value;

/// A daemon under a name that no profile has: the programs it needs, how it is started, its file, how it is shown to
/// have a checker, and where it listens.
struct Case {
    name: &'static str,
    program: &'static str,
    setup: &'static str,
    unit: &'static str,
    file: &'static str,
    format: &'static str,
    checker: Option<&'static str>,
    listens: Option<&'static str>,
}

const CASES: [Case; 7] = [
    Case {
        name: "named.service",
        program: "/usr/sbin/named",
        setup: "systemctl start named; sleep 0.5",
        unit: "named.service",
        file: "/etc/bind/named.conf",
        format: "braces",
        checker: Some("named-checkconf"),
        listens: Some("127.0.0.1:53"),
    },
    Case {
        name: "sshd-of-host",
        program: "/usr/sbin/sshd",
        setup: "systemctl start ssh; sleep 0.3",
        unit: "ssh.service",
        file: "/etc/ssh/sshd_config",
        format: "keyword",
        checker: Some("sshd"),
        listens: Some("127.0.0.1:22"),
    },
    Case {
        name: "store",
        program: "/usr/bin/redis-server",
        setup: "systemctl start redis-server; sleep 0.5",
        unit: "redis-server.service",
        file: "/etc/redis/redis.conf",
        format: "keyword",
        checker: None,
        listens: Some("127.0.0.1:6379"),
    },
    Case {
        name: "front",
        program: "/usr/sbin/haproxy",
        setup: "printf '\\nfrontend boards\\n\\tbind 127.0.0.1:8080\\n\\tmode http\\n' >> /etc/haproxy/haproxy.cfg; systemctl start haproxy; sleep 0.5",
        unit: "haproxy.service",
        file: "/etc/haproxy/haproxy.cfg",
        format: "stanzas",
        checker: Some("haproxy"),
        listens: Some("127.0.0.1:8080"),
    },
    Case {
        name: "clock",
        program: "/usr/sbin/chronyd",
        setup: "systemctl start chrony; sleep 0.3",
        unit: "chrony.service",
        file: "/etc/chrony/chrony.conf",
        format: "keyword",
        checker: None,
        listens: None,
    },
    Case {
        name: "resolver",
        program: "/usr/sbin/unbound",
        setup: "systemctl stop named; systemctl start unbound; sleep 0.5",
        unit: "unbound.service",
        file: "/etc/unbound/unbound.conf",
        // The one line of the shipped file tells no more; what is written so, the daemon reads.
        format: "yaml",
        checker: Some("unbound-checkconf"),
        listens: Some("127.0.0.1:53"),
    },
    Case {
        name: "logger",
        program: "/usr/sbin/rsyslogd",
        setup: "systemctl start rsyslog; sleep 0.3",
        unit: "rsyslog.service",
        file: "/etc/rsyslog.conf",
        format: "keyword",
        checker: None,
        listens: None,
    },
];

fn enrolled(lab: &Lab, case: &Case) -> Value {
    lab.sh(case.setup);
    let (status, document) = lab.gypsum(&["enrol", case.name, "--unit", case.unit]);
    assert_eq!(status, 0, "{}: {document:#}", case.name);
    document
}

/// F1 to F6: file, checker and listeners of running daemons are seen; a change by such a profile is kept, a wrong one
/// refused where a checker was found, and a breaking one restored.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_is_seen_of_a_running_daemon_is_what_its_profile_knows() {
    let programs: Vec<&str> = CASES.iter().map(|case| case.program).collect();
    let lab = boot(&programs);
    for case in &CASES {
        let document = enrolled(&lab, case);
        let text = document["profile"].as_str().unwrap();
        let profile: toml::Table = text.parse().unwrap();
        let name = case.name;
        assert_eq!(profile["files"]["home"].as_str(), Some(case.file), "{name}\n{text}");
        assert_eq!(profile["files"]["format"].as_str(), Some(case.format), "{name}\n{text}");
        assert_eq!(profile["service"]["unit"][0].as_str(), Some(case.unit), "{name}\n{text}");
        // A reload may keep the old configuration without a word: it is the person who says that it does not.
        assert_eq!(profile["service"]["activation"].as_str(), Some("restart"), "{name}\n{text}");
        let checker = profile.get("checker").and_then(|checker| checker["run"][0].as_str());
        let program = checker.map(|path| path.rsplit('/').next().unwrap());
        assert_eq!(program, case.checker, "{name}\n{text}");
        let health = profile.get("health").and_then(toml::Value::as_array).cloned().unwrap_or_default();
        let at: Vec<&str> = health.iter().filter_map(|check| check.get("tcp")?.as_str()).collect();
        assert!(case.listens.is_none_or(|listens| at.contains(&listens)), "{name}: {at:?}\n{text}");
        lab.sh(&format!(
            "mkdir -p /etc/gypsum/profiles; cat > /etc/gypsum/profiles/{name}.toml <<'END'\n{text}\nEND"
        ));
        let (status, document) =
            lab.gypsum(&["daemons", "--check", &format!("/etc/gypsum/profiles/{name}.toml")]);
        assert_eq!(status, 0, "{name}: {document:#}\n{text}");
    }
}

/// What was named on the line is remembered after a change was kept, under no name that a profile has, until it is
/// forgotten.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_was_named_on_the_line_is_remembered_after_a_kept_change() {
    let lab = boot(&["/usr/bin/redis-server"]);
    lab.sh("systemctl start redis-server; sleep 0.3");
    let named = [
        "--file",
        "/etc/redis/redis.conf",
        "--format",
        "keyword",
        "--unit",
        "redis-server",
        "--health",
        "6379",
    ];
    let change = |daemon: &str, edit: &str, more: &[&str]| {
        lab.gypsum(&[&["change", daemon, edit, "--steady", "200ms"], more].concat())
    };
    // What is refused or restored is not remembered.
    let (status, _) = change("store", "port=nowhere", &named);
    assert_eq!(status, 4);
    assert_eq!(lab.gypsum(&["show", "store", "port"]).0, 2);
    let (status, report) = change("store", "tcp-keepalive=299", &named);
    assert_eq!(status, 0, "{report:#}");
    let (status, report) = change("store", "tcp-keepalive=298", &[]);
    assert_eq!(status, 0, "{report:#}");
    let checks = report["health"].to_string();
    assert!(checks.contains("redis-server.service") && checks.contains("127.0.0.1:6379"), "{report:#}");
    let (_, listed) = lab.gypsum(&["daemons"]);
    assert!(listed.to_string().contains("\"profile\":\"remembered\""), "{listed:#}");
    // A name that has a profile keeps it.
    assert_eq!(change("redis", "tcp-keepalive=297", &named).0, 0);
    assert!(!lab.sh("ls /var/lib/gypsum").contains("redis.named"));
    assert_eq!(lab.gypsum(&["daemons", "--forget", "store"]).0, 0);
    assert_eq!(lab.gypsum(&["show", "store", "port"]).0, 2);
    assert_eq!(lab.gypsum(&["daemons", "--forget", "store"]).0, 2);
    // A record that is damaged is no record of another daemon.
    assert_eq!(change("store", "tcp-keepalive=296", &named).0, 0);
    lab.sh("sed -i 's/redis.conf/redis.cong/' /var/lib/gypsum/store.named");
    let (status, report) = change("store", "tcp-keepalive=295", &[]);
    assert_eq!(status, 1, "{report:#}");
    assert!(report.to_string().contains("what was remembered of store is damaged"), "{report:#}");
}

/// Where nothing else is known of a daemon, its running program tells a name from a typing error: by what it holds of the
/// names that are in the file.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_name_that_the_running_program_does_not_hold_is_told() {
    let lab = boot(&["/usr/bin/redis-server"]);
    lab.sh("systemctl start redis-server; sleep 0.3");
    let rules = |edit: &str, unit: &str| {
        let words = [
            "change",
            "store",
            "--file",
            "/etc/redis/redis.conf",
            "--format",
            "keyword",
            "--unit",
            unit,
            edit,
            "-n",
        ];
        let (_, report) = lab.gypsum(&words);
        report["findings"].to_string()
    };
    let said = rules("tracking-of-tides=5", "redis-server");
    assert!(said.contains("and does not hold tracking-of-tides"), "{said}");
    for name in ["active-expire-effort", "hz-and-tides"] {
        let said = rules(&format!("{name}=5"), "redis-server");
        assert_eq!(said.contains("does not hold"), name == "hz-and-tides", "{name}: {said}");
    }
    // Another program holds none of the names, so it says nothing of this one.
    let said = rules("tracking-of-tides=5", "systemd-journald");
    assert!(!said.contains("does not hold"), "{said}");
}
