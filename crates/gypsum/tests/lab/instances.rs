//! Several installations of one daemon: told apart, listed, and never taken for each other.

use crate::host::boot;
use crate::services::boards;

/// A second version and a second cluster beside the first: where one runs it is taken, where both run they are named.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn several_installations_are_told_apart() {
    let lab = boot(&["/usr/sbin/php-fpm8.2", "/usr/bin/pg_lsclusters"]);
    lab.sh("cp -a /etc/php/8.2 /etc/php/8.4; printf '#!/bin/sh\\nexec /usr/sbin/php-fpm8.2 -c /etc/php/8.4/fpm/php.ini \"$@\"\\n' > /usr/sbin/php-fpm8.4; chmod 755 /usr/sbin/php-fpm8.4; sed -i 's/8\\.2/8.4/g' /etc/php/8.4/fpm/php-fpm.conf /etc/php/8.4/fpm/pool.d/www.conf
         sed 's/8\\.2/8.4/g' /usr/lib/systemd/system/php8.2-fpm.service > /etc/systemd/system/php8.4-fpm.service
         sed -i '/^Exec/d' /etc/systemd/system/php8.4-fpm.service
         sed -i '/^\\[Service\\]/a ExecStart=/usr/sbin/php-fpm8.4 --nodaemonize --fpm-config /etc/php/8.4/fpm/php-fpm.conf' /etc/systemd/system/php8.4-fpm.service
         systemctl daemon-reload; systemctl start php8.2-fpm; sleep 0.5");
    let line = |version: &str| lab.sh(&format!("grep '^post_max_size' /etc/php/{version}/fpm/php.ini"));
    let change = |daemon: &str, value: &str| {
        lab.gypsum(&["change", daemon, &format!("post_max_size={value}"), "--steady", "200ms"])
    };
    // One of two runs: it is taken, though the other one is newer.
    let (status, report) = change("php-fpm", "9M");
    assert_eq!(status, 0, "{report:#}");
    assert!(line("8.2").contains("9M") && line("8.4").contains("8M"), "{}{}", line("8.2"), line("8.4"));
    let (_, listed) = lab.gypsum(&["daemons"]);
    let listed = listed.to_string();
    assert!(listed.contains("php-fpm@8.2") && listed.contains("php-fpm@8.4"), "{listed}");
    // Both run: the person says which.
    lab.sh("systemctl start php8.4-fpm; sleep 0.5");
    let (status, report) = change("php-fpm", "10M");
    assert_eq!(status, 2, "{report:#}");
    assert!(report.to_string().contains("php-fpm runs here as 8.2, 8.4"), "{report:#}");
    let (status, report) = change("php-fpm@8.4", "11M");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("php8.4-fpm.service"), "{report:#}");
    assert!(line("8.2").contains("9M") && line("8.4").contains("11M"), "{}{}", line("8.2"), line("8.4"));
    let (status, report) = lab.gypsum(&["restore", "php-fpm@8.4"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(line("8.4").contains("8M"));
    let (status, report) = change("php-fpm@7.4", "12M");
    assert_eq!(status, 2, "{report:#}");
    assert!(report.to_string().contains("there is 8.2, 8.4"), "{report:#}");
    // Two clusters of one version.
    lab.sh("pg_createcluster 15 north --start >/dev/null 2>&1; systemctl start postgresql@15-north; sleep 1");
    let (status, report) =
        lab.gypsum(&["change", "postgresql@15-north", "work_mem=5MB", "--steady", "200ms"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(lab.sh("grep '^work_mem' /etc/postgresql/15/north/postgresql.conf").contains("5MB"));
    assert!(lab.sh("grep -c '^work_mem' /etc/postgresql/15/main/postgresql.conf || true").trim() == "0");
}

/// The running process is believed: a file that it was not started with, or does not see, is not what is to be edited.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_file_that_the_running_process_does_not_read_is_refused() {
    let lab = boards("restart", "200ms", "");
    let with = |lines: &str| {
        lab.sh(&format!("mkdir -p /etc/systemd/system/boards.service.d; printf '[Service]\\n{lines}\\n' > /etc/systemd/system/boards.service.d/own.conf
            systemctl daemon-reload; systemctl restart boards; sleep 0.3"));
        lab.gypsum(&["change", "boards", "note=1", "-n"])
    };
    lab.sh("mkdir -p /srv/boards; cp /etc/boards/boards.conf /srv/boards/boards.conf; cp /etc/boards/boards.conf /root/other.conf");
    let refused = |lines: &str, says: &str| {
        let (status, report) = with(lines);
        assert_eq!(status, 3, "{lines}: {report:#}");
        assert!(report.to_string().contains(says), "{lines}: {report:#}");
    };
    refused(
        "ExecStart=\\nExecStart=/usr/bin/perl /usr/local/lib/boards.pl --config=/srv/boards/boards.conf",
        "boards was started with /srv/boards/boards.conf, and not with this file",
    );
    refused("BindReadOnlyPaths=/root/other.conf:/etc/boards/boards.conf", "sees another file here");
    refused(
        "ExecStart=\\nExecStart=/bin/sleep 600\\nTemporaryFileSystem=/etc/boards",
        "sees no such file: it has a root or mounts",
    );
    // Views of its own in which the file is the same one are no reason.
    for lines in ["PrivateTmp=yes\\nProtectSystem=full", "PrivateMounts=yes"] {
        let (status, report) = with(lines);
        assert_eq!(status, 0, "{lines}: {report:#}");
    }
}

/// What the service manager itself reads for the daemon is read at a start, whatever the profile says of reloads.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn an_environment_file_and_a_credential_need_a_restart() {
    let lab = boards(
        "reload",
        "200ms",
        "EnvironmentFile=-/etc/default/boards\nLoadCredential=tides:/etc/boards/tides.conf",
    );
    lab.sh("echo 'LAMPS=3' > /etc/default/boards; echo 'tide 3' > /etc/boards/tides.conf; chmod 600 /etc/boards/tides.conf
         printf '\n[[other]]\nread = [\"/etc/default/boards\"]\nformat = \"assignments\"\n[[other]]\nread = [\"/etc/boards/tides.conf\"]\nformat = \"keyword\"\n' >> /etc/gypsum/profiles/boards.toml
         systemctl daemon-reload; systemctl restart boards; sleep 0.3");
    let variables = || lab.sh("tr '\\0' '\\n' < /proc/$(systemctl show -p MainPID --value boards)/environ");
    let (status, report) = lab.gypsum(&["change", "boards", "note=1"]);
    assert_eq!((status, report["activation"]["how"].to_string().contains("reload")), (0, true), "{report:#}");
    for (file, edit, role) in [
        ("/etc/default/boards", "LAMPS=5", "environment file"),
        ("/etc/boards/tides.conf", "tide=5", "credential"),
    ] {
        let main = || lab.sh("systemctl show -p MainPID --value boards");
        let before = main();
        let (status, report) = lab.gypsum(&["change", "boards", edit, "--in", file]);
        assert_eq!((status, main() == before), (0, false), "{report:#}");
        let events = lab.sh("cat $(ls -d /var/lib/gypsum/boards/2*/ | tail -n 1)events.jsonl");
        let says = format!("; {file} is its {role}, which is only read at a start");
        assert!(events.contains("restart boards.service; it "), "{events}");
        assert!(events.contains(&says), "{says}: {events}");
    }
    assert!(variables().contains("LAMPS=5"), "{}", variables());
}

/// The account and the program are those of the unit that runs, and not those of the profile.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn account_and_program_of_the_running_unit_are_believed() {
    let lab = boards("restart", "200ms", "User=porter\nEnvironment=BOARDS_PID=");
    lab.sh("useradd porter; systemctl daemon-reload; mkdir -p /opt/boards/bin; cp $(readlink -f /usr/bin/perl) /opt/boards/bin/perl
         mkdir -p /srv/closed /srv/open; chmod 700 /srv/closed; chmod 755 /srv/open
         printf '\n[setting.logs]\nkind = \"path\"\npath = \"parent\"\n[checker]\nrun = [\"/usr/bin/perl\", \"-e\", \"exit($^X !~ m(^/opt/boards))\"]\n' >> /etc/gypsum/profiles/boards.toml
         sed -i 's|^ExecStart=/usr/bin/perl|ExecStart=/opt/boards/bin/perl|' /etc/systemd/system/boards.service
         systemctl daemon-reload; systemctl restart boards; sleep 0.3");
    let (status, report) = lab.gypsum(&["change", "boards", "logs=/srv/closed/boards.log", "-n"]);
    assert_eq!(status, 3, "{report:#}");
    assert!(report.to_string().contains("porter, as which the daemon runs, may not write to"), "{report:#}");
    lab.sh("chown porter /srv/open");
    let (status, report) = lab.gypsum(&["change", "boards", "logs=/srv/open/boards.log", "-n"]);
    assert_eq!(status, 0, "{report:#}");
    // One that somebody else can replace is not run by root.
    lab.sh("chown porter /opt/boards/bin");
    let (status, report) = lab.gypsum(&["change", "boards", "logs=/srv/open/boards.log", "-n"]);
    assert_eq!((status, report["findings"][0]["rule"].as_str()), (3, Some("checker")), "{report:#}");
}

/// A second web server with files and a unit of its own: listed, named, changed by itself, and taken where it alone runs.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn an_installation_at_another_place_is_told_apart() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("cp -a /etc/nginx /etc/nginx-quay; cd /etc/nginx-quay; rm -f sites-enabled/*
         printf 'server { listen 8081; location / { return 200 quay; } }\\n' > sites-enabled/quay
         sed -i 's|/etc/nginx/|/etc/nginx-quay/|; s|^pid .*|pid /run/nginx-quay.pid;|' nginx.conf
         printf '[Service]\\nType=forking\\nPIDFile=/run/nginx-quay.pid\\nExecStart=/usr/sbin/nginx -c /etc/nginx-quay/nginx.conf\\nExecReload=/bin/kill -HUP $MAINPID\\n' > /etc/systemd/system/nginx-quay.service
         systemctl daemon-reload; systemctl start nginx nginx-quay; sleep 0.5");
    let (_, listed) = lab.gypsum(&["daemons"]);
    assert!(
        listed.to_string().contains("nginx@quay")
            && listed.to_string().contains("/etc/nginx-quay/nginx.conf")
    );
    let change = |daemon: &str, value: &str| {
        let edit = format!("http..keepalive_timeout={value}");
        lab.gypsum(&["change", daemon, &edit, "--steady", "200ms"])
    };
    let lines =
        || lab.sh("grep -h keepalive_timeout /etc/nginx/nginx.conf /etc/nginx-quay/nginx.conf || true");
    let (status, report) = change("nginx@quay", "41");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("nginx-quay.service"), "{report:#}");
    assert!(lines().trim().ends_with("41;") && lines().matches("41").count() == 1, "{}", lines());
    // The usual one is changed alone, and the other one is named.
    let (status, report) = change("nginx", "42");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("nginx@quay runs here, too"), "{report:#}");
    assert!(lines().trim().ends_with("41;"), "{}", lines());
    // Its own checker reads its own files.
    let (status, report) =
        lab.gypsum(&["change", "nginx@quay", "http..sendfile=perhaps", "--accept", "value"]);
    assert_eq!((status, report["findings"][0]["rule"].as_str().is_some()), (3, true), "{report:#}");
    assert!(report.to_string().contains("/etc/nginx-quay/nginx.conf"), "{report:#}");
    // It alone runs: it is meant.
    lab.sh("systemctl stop nginx");
    let (status, report) = change("nginx", "43");
    assert_eq!((status, report["daemon"].as_str()), (0, Some("nginx@quay")), "{report:#}");
    assert!(lines().trim().ends_with("43;"), "{}", lines());
    let (status, report) = change("nginx@ebb", "44");
    assert_eq!(status, 2, "{report:#}");
    assert!(report.to_string().contains("there is nginx@quay"), "{report:#}");
}
