//! Each daemon through a good change, a change that our own check refuses, one that the daemon's own
//! checker refuses, and one that passes both and is restored because the service is not well.

use crate::host::{Lab, boot};

struct Case<'a> {
    daemon: &'a str,
    unit: &'a str,
    file: &'a str,
    more: &'a [&'a str],
    /// The edit, the line that it replaces and the new one.
    good: (&'a str, &'a str, &'a str),
    /// What the running daemon says of the good value, and the command that asks it.
    proof: (&'a str, &'a str),
    ours: &'a str,
    theirs: &'a str,
    breaks: &'a str,
}

fn walk(lab: &Lab, case: &Case<'_>) {
    let Case { daemon, unit, file, more, .. } = case;
    lab.sh(&format!(
        "systemctl start {unit}; setfattr -n user.quay -v north {file}; setfacl -m u:games:r {file}"
    ));
    let change = |edit: &str| {
        // What our own rules know of what goes wrong is to go wrong here all the same.
        let mut words = vec!["change", daemon, edit, "--why", "a test"];
        if edit == case.breaks {
            words.extend([
                "--no-trial",
                "--accept",
                "foreign-address",
                "--accept",
                "unknown-account",
                "--accept",
                "not-understood",
            ]);
        }
        words.extend(*more);
        lab.gypsum(&words)
    };
    let (before, meta) = lab.file(file);
    let (edit, old, new) = case.good;
    let (status, report) = change(edit);
    assert_eq!((status, report["verdict"].as_str()), (0, Some("kept")), "{report:#}");
    let (after, meta_after) = lab.file(file);
    assert_eq!(after, before.replacen(old, new, 1), "{daemon}");
    assert_ne!(after, before, "{daemon}");
    assert_eq!(meta_after, meta, "owner, mode, ACL and attributes of {file}");
    assert!(lab.sh(case.proof.1).contains(case.proof.0), "{daemon}: {}", lab.sh(case.proof.1));
    let backup = format!("{}{file}", report["backup"].as_str().unwrap());
    assert_eq!(lab.file(&backup), (before, meta.clone()), "the backup of {file}");

    for (edit, rule) in [(case.ours, ""), (case.theirs, "checker")] {
        let start = lab.sh(&format!("systemctl show -p InvocationID,MainPID {unit}"));
        let (status, report) = change(edit);
        assert_eq!((status, report["verdict"].as_str()), (3, Some("refused")), "{edit}: {report:#}");
        let rules: Vec<_> =
            report["findings"].as_array().unwrap().iter().map(|one| one["rule"].as_str().unwrap()).collect();
        assert_eq!(rules.contains(&"checker"), rule == "checker", "{edit}: {rules:?}");
        assert_eq!(lab.file(file), (after.clone(), meta.clone()), "{edit}");
        assert_eq!(lab.sh(&format!("systemctl show -p InvocationID,MainPID {unit}")), start, "{edit}");
    }

    let (status, report) = change(case.breaks);
    assert_eq!((status, report["verdict"].as_str()), (4, Some("restored")), "{report:#}");
    assert_eq!(lab.file(file), (after, meta), "{daemon}");
    assert!(lab.is_active(unit), "{daemon} runs again");
    assert!(
        report["summary"].as_str().unwrap().ends_with("is running on its old configuration"),
        "{report:#}"
    );
    let beside = lab.sh(&format!("ls -A $(dirname {file})"));
    assert!(!beside.contains("gypsum"), "{beside}");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn sshd() {
    let lab = boot(&["/usr/sbin/sshd", "/usr/bin/getfacl", "/usr/bin/getfattr"]);
    walk(
        &lab,
        &Case {
            daemon: "sshd",
            unit: "ssh.service",
            file: "/etc/ssh/sshd_config",
            more: &[],
            good: ("MaxAuthTries=4", "#MaxAuthTries 6", "MaxAuthTries 4"),
            proof: ("maxauthtries 4", "sshd -T"),
            ours: "MaxAuthTrise=4",
            theirs: "AuthenticationMethods=bogus",
            // The reload returns 0, and sshd is dead 20 ms later.
            breaks: "ListenAddress=192.0.2.1",
        },
    );
    let (status, report) = lab.gypsum(&["restore", "sshd"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(lab.sh("cat /etc/ssh/sshd_config").contains("#MaxAuthTries 6"));
    // A restart that fails leaves it down, and its run-time folder gone.
    let (status, report) = lab.gypsum(&[
        "change",
        "--no-trial",
        "sshd",
        "ListenAddress=192.0.2.1",
        "--activation",
        "restart",
        "--accept",
        "foreign-address",
    ]);
    assert_eq!((status, lab.is_active("ssh")), (4, true), "{report:#}");
    // B8: what it logs of the health checks themselves is not shown as the reason.
    let failing = ["change", "sshd", "MaxAuthTries=5", "--must", "run '/bin/false'"];
    let (status, report) = lab.gypsum(&failing);
    assert_eq!(status, 4, "{report:#}");
    let log = report["log"].to_string();
    assert!(!log.contains("kex_exchange") && !log.contains("Connection "), "{report:#}");
    // Down, its own checker would fail whatever the files say: what its manager makes at the start is there in the view.
    let (status, report) = lab.gypsum(&["change", "sshd", "Port=2222"]);
    assert_eq!(status, 0, "{report:#}");
    lab.sh("systemctl stop ssh; rm -rf /run/sshd; ! sshd -t 2>/dev/null");
    let (status, report) = lab.gypsum(&["restore", "sshd", "--start"]);
    assert_eq!(status, 0, "{report:#}");
    assert_eq!(report["findings"].as_array().unwrap().len(), 0, "{report:#}");
    assert!(lab.is_active("ssh"));
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn mariadb() {
    let lab = boot(&["/usr/sbin/mariadbd", "/usr/bin/getfacl", "/usr/bin/getfattr"]);
    walk(
        &lab,
        &Case {
            daemon: "mariadb",
            unit: "mariadb.service",
            file: "/etc/mysql/mariadb.conf.d/50-server.cnf",
            more: &[],
            good: ("max_connections=200", "#max_connections        = 100", "max_connections        = 200"),
            proof: ("200", "mariadb -N -e 'select @@max_connections'"),
            ours: "max_connections=many",
            theirs: "character-set-server=saltmarsh",
            breaks: "bind-address=192.0.2.1",
        },
    );
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_daemon_without_a_profile() {
    let lab = boot(&["/usr/sbin/chronyd", "/usr/bin/getfacl", "/usr/bin/getfattr"]);
    // It must not touch the clock of the machine that the lab is on.
    lab.sh("echo 'DAEMON_OPTS=\"-x\"' > /etc/default/chrony");
    walk(
        &lab,
        &Case {
            daemon: "chrony",
            unit: "chrony.service",
            file: "/etc/chrony/chrony.conf",
            more: &[
                "--file",
                "/etc/chrony/chrony.conf",
                "--format",
                "keyword",
                "--unit",
                "chrony",
                "--checker",
                "/usr/sbin/chronyd -p",
            ],
            good: ("maxupdateskew=50", "maxupdateskew 100.0", "maxupdateskew 50"),
            proof: ("maxupdateskew 50", "chronyd -p"),
            ours: "maxupdateskew=“50”",
            theirs: "maxupdateskew=fifty",
            breaks: "user=nobody-here",
        },
    );
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_web_server_by_its_site_file() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/getfacl", "/usr/bin/getfattr"]);
    let site = "/etc/nginx/sites-enabled/default";
    walk(
        &lab,
        &Case {
            daemon: "nginx",
            unit: "nginx.service",
            // It is named by the link through which the daemon reads it.
            file: "/etc/nginx/sites-available/default",
            more: &[
                "--file",
                site,
                "--format",
                "braces",
                "--unit",
                "nginx",
                "--checker",
                "/usr/sbin/nginx -t",
                "--health",
                "http://127.0.0.1/",
            ],
            good: ("server..location /..try_files=$uri $uri/ =410", "$uri/ =404;", "$uri/ =410;"),
            proof: ("=410", "nginx -T 2>/dev/null"),
            ours: "server..root=“/var/www/html”",
            theirs: "server..listen#1=80x",
            breaks: "server..location /..try_files=$uri =502",
        },
    );
    let change = |edits: &[&str]| {
        let nginx = [
            "--file",
            "/etc/nginx/nginx.conf",
            "--format",
            "braces",
            "--unit",
            "nginx",
            "--activation",
            "reload",
        ];
        lab.gypsum(&[&["change", "nginx"], edits, &nginx].concat())
    };
    // A block's own setting, one that sleeps behind a blank, and one that goes.
    let edits = [
        "events..worker_connections=512",
        "--enable",
        "server_tokens",
        "--disable",
        "gzip",
        "--delete",
        "tcp_nopush",
    ];
    let (status, report) = change(&edits);
    assert_eq!(status, 0, "{report:#}");
    let text = lab.sh("cat /etc/nginx/nginx.conf");
    for line in ["\tworker_connections 512;", "\n\tserver_tokens off;", "\t#gzip on;"] {
        assert!(text.contains(line), "{line:?} in {text}");
    }
    assert!(!text.contains("tcp_nopush"));
    // Named in the main file, done where it is: in a site that is included through a link.
    let (status, report) = change(&["server _..location /..expires=1h"]);
    assert_eq!((status, report["edits"][0]["file"].as_str()), (0, Some(site)), "{report:#}");
    assert!(lab.sh("cat /etc/nginx/sites-available/default").contains("\t\texpires 1h;\n\t}"));
    let (status, report) =
        change(&["--add", "server _..location /api", "server _..location /api..return=204", "--in", site]);
    assert_eq!(status, 0, "{report:#}");
    assert!(lab.sh("nginx -T 2>/dev/null").contains("\tlocation /api {\n\t\treturn 204;\n\t}\n"));
}
