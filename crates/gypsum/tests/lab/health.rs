//! Healthy means healthy: what a service manager calls active, what a unit's own change does to its daemon, what a reload
//! proves.

use crate::host::{Lab, boot};
use crate::services::{HEAD, boards};

/// The daemon under a System V script, as distributions still ship some, with a profile that knows nothing of clients.
fn under_a_script() -> Lab {
    let lab = boot(&["/usr/bin/perl"]);
    let profile = HEAD.to_owned() + "activation = \"restart\"\nlimit = \"10s\"\nsteady = \"3s\"\n";
    lab.sh(&format!(
        "mkdir -p /etc/boards /etc/gypsum/profiles
         printf 'mode good\\n' > /etc/boards/boards.conf
         cat > /etc/gypsum/profiles/boards.toml <<'END'\n{profile}END
         cat > /etc/init.d/boards <<'END'
#!/bin/sh
### BEGIN INIT INFO
# Provides: boards
# Required-Start:
# Required-Stop:
# Default-Start: 2 3 4 5
# Default-Stop: 0 1 6
### END INIT INFO
case $1 in
  start) BOARDS_PID=/run/boards.pid setsid perl /usr/local/lib/boards.pl >/dev/null 2>&1 </dev/null & ;;
  stop) kill $(cat /run/boards.pid) 2>/dev/null; true ;;
  restart) $0 stop; sleep 0.2; $0 start ;;
esac
END
         chmod 755 /etc/init.d/boards; systemctl daemon-reload; systemctl start boards; sleep 0.3"
    ));
    lab
}

/// B1: a script's service without a process is not up, whatever its manager calls it.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_script_whose_daemon_is_gone_is_not_healthy() {
    let lab = under_a_script();
    let health = || lab.gypsum(&["health", "boards"]);
    assert_eq!(health().0, 0, "{:#}", health().1);
    let (status, report) = lab.gypsum(&["change", "boards", "mode=better"]);
    assert_eq!(status, 0, "{report:#}");
    // It starts, and ends after a second.
    let (status, report) = lab.gypsum(&["change", "boards", "mode=dies"]);
    assert_eq!((status, report["verdict"].as_str()), (4, Some("restored")), "{report:#}");
    assert!(lab.sh("cat /etc/boards/boards.conf").contains("mode better"));
    assert_eq!(health().0, 0, "{:#}", health().1);
    lab.sh("pkill -KILL perl; sleep 0.3; systemctl is-active boards");
    let (status, report) = health();
    assert_eq!(status, 3, "{report:#}");
    assert!(report.to_string().contains("without a process"), "{report:#}");
}

/// B2: what is done to a unit is judged by the clients of its daemon.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_unit_is_healthy_when_its_daemon_is() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx; sleep 0.3");
    let (status, report) = lab.gypsum(&["health", "unit:nginx"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("80"), "{report:#}");
    let (status, report) = lab.gypsum(&["change", "unit:nginx", "Service..PrivateNetwork=yes"]);
    assert_eq!((status, report["verdict"].as_str()), (4, Some("restored")), "{report:#}");
    assert!(lab.is_active("nginx"));
    lab.sh("curl -s -o /dev/null http://127.0.0.1/");
    let (status, report) = lab.gypsum(&["change", "unit:nginx", "Service..Nice=5"]);
    assert_eq!(status, 0, "{report:#}");
}

/// B9: where nothing shows that a reload was taken up, the last line does not say that it was.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_reload_without_a_proof_is_not_called_one() {
    let lab = boards("reload", "50ms", "Type=exec");
    lab.sh("sed -i '/^proof/d' /etc/gypsum/profiles/boards.toml");
    let (status, report) = lab.gypsum(&["change", "boards", "mode=deaf"]);
    assert_eq!((status, report["verdict"].as_str()), (7, Some("kept")), "{report:#}");
    let summary = report["summary"].as_str().unwrap();
    assert!(summary.contains("it may run on the old one until its next restart"), "{summary}");
}

/// B13: the checker reads a new file as the daemon's account will, and a folder and its subfolder may change together.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_checker_sees_new_files_as_they_will_be() {
    let lab = boot(&["/usr/bin/perl"]);
    lab.sh("mkdir -p /etc/quays/conf.d/more; printf 'rows 8\\n' > /etc/quays/quays.conf; printf 'rows 7\\n' > /etc/quays/conf.d/a.conf
         mkdir -p /etc/gypsum/profiles; cat > /etc/gypsum/profiles/quays.toml <<'END'
daemon = \"quays\"
title = \"Quays\"
[files]
home = \"/etc/quays/quays.conf\"
read = [\"/etc/quays/quays.conf\", \"/etc/quays/conf.d/*.conf\", \"/etc/quays/conf.d/more/*.conf\"]
format = \"keyword\"
[checker]
run = [\"/bin/sh\", \"-c\", \"cat /etc/quays/*.conf /etc/quays/conf.d/*.conf /etc/quays/conf.d/more/*.conf >/dev/null\"]
as = \"nobody\"
END
         printf 'rows 1\\n' > /etc/quays/conf.d/more/m.conf");
    let (status, report) =
        lab.gypsum(&["change", "quays", "rows=5", "--in", "/etc/quays/conf.d/new.conf", "--new"]);
    assert_eq!(status, 7, "{report:#}");
    assert_eq!(lab.sh("stat -c '%U %a' /etc/quays/conf.d/new.conf"), "root 644");
    // Whole files of three folders, one in another.
    lab.sh("printf 'x\\n' > /root/key");
    let (status, report) = lab.gypsum(&[
        "change",
        "quays",
        "rows=3",
        "--in",
        "/etc/quays/quays.conf",
        "--companion",
        "/root/key",
        "--to",
        "/etc/quays/conf.d/more/key.conf",
    ]);
    assert_eq!(status, 7, "{report:#}");
    // The checker is no formality.
    lab.sh("chmod 600 /root/key");
    let (status, report) = lab.gypsum(&[
        "change",
        "quays",
        "rows=4",
        "--in",
        "/etc/quays/quays.conf",
        "--companion",
        "/root/key",
        "--to",
        "/etc/quays/conf.d/more/other.conf",
    ]);
    assert_eq!(status, 3, "{report:#}");
}

/// B6: nobody waits for a port under a condition that does not hold, and each counts under one that does.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_conditional_listener_counts_where_its_condition_holds() {
    let lab = boot(&["/usr/sbin/apache2"]);
    lab.sh("printf '<IfModule !mod_ssl.c>\\nListen 8081\\n</IfModule>\\n<IfModule log_config_module>\\nListen 8082\\n</IfModule>\\n\
            <IfDefine Quay>\\nListen 8083\\n</IfDefine>\\n' >> /etc/apache2/ports.conf
            systemctl start apache2; sleep 0.5");
    let ports = || {
        let (status, report) = lab.gypsum(&["health", "apache2"]);
        assert_eq!(status, 0, "{report:#}");
        let names = report["health"]
            .as_array()
            .unwrap()
            .iter()
            .map(|check| check["name"].as_str().unwrap().to_owned());
        names.filter(|name| name.starts_with("port")).collect::<Vec<_>>()
    };
    assert_eq!(ports(), ["port 80", "port 8081", "port 8082"]);
    lab.sh("a2enmod -q ssl; systemctl restart apache2; sleep 0.5");
    assert_eq!(ports(), ["port 80", "port 443", "port 8082"]);
}

/// B7: what a site answers at its root is its own affair; that it answers something else is not.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_answer_from_before_is_the_measure() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("printf 'server { listen 80 default_server; server_name _; location / { return 404; } location /board { return 200; } }\\n' \
            > /etc/nginx/sites-available/default; systemctl start nginx; sleep 0.3");
    let (status, report) = lab.gypsum(&["health", "nginx"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("answers 404, as before"), "{report:#}");
    let change = |edit: &str| {
        let (status, report) = lab.gypsum(&["change", "nginx", "--no-trial", edit]);
        (status, report["verdict"].as_str().map(str::to_owned), report.to_string())
    };
    let (status, verdict, report) = change("http..keepalive_timeout=70");
    assert_eq!((status, verdict.as_deref()), (0, Some("kept")), "{report}");
    assert!(!report.contains("unhealthy-before"), "{report}");
    // Nobody was served before, so another refusal takes nothing from anyone; both are named.
    let (status, verdict, report) = change("server..location /..return=403");
    assert_eq!((status, verdict.as_deref()), (0, Some("kept")), "{report}");
    assert!(report.contains("http://127.0.0.1/: 403 now, 404 before"), "{report}");
    // An error of the server is worse.
    let (status, verdict, report) = change("server..location /..return=503");
    assert_eq!((status, verdict.as_deref()), (4, Some("restored")), "{report}");
    // A page is better, and from then on the measure.
    let (status, verdict, report) = change("server..location /..return=200");
    assert_eq!((status, verdict.as_deref()), (0, Some("kept")), "{report}");
    let (status, verdict, report) = change("server..location /..return=404");
    assert_eq!((status, verdict.as_deref()), (4, Some("restored")), "{report}");
}

/// A message is sent as programs send theirs; no built-in check writes to anybody's log.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_message_must_reach_its_log() {
    let lab = boot(&["/usr/sbin/rsyslogd"]);
    lab.sh("systemctl start rsyslog; sleep 0.5");
    let must = ["--must", "logged /var/log/auth.log of auth.info", "--steady", "1s"];
    let change = |edit: &str| lab.gypsum(&[&["change", "rsyslog", edit], &must[..]].concat());
    let written = || lab.sh("grep -c 'a health check writes this line' /var/log/auth.log || true");
    let (status, report) = change("$FileCreateMode=0600");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("a message of auth.info came after"), "{report:#}");
    // Beforehand, and afterwards, and not all the time while it is watched.
    assert_eq!(written(), "2");
    let (status, report) = change("\"auth,authpriv.*\"=/var/log/quay.log");
    assert_eq!(status, 4, "{report:#}");
    assert!(report.to_string().contains("a message of auth.info did not come within"), "{report:#}");
    assert_eq!(lab.sh("grep -c quay.log /etc/rsyslog.conf || true"), "0");
    assert!(lab.is_active("rsyslog"));
    let before = written();
    assert_eq!(lab.gypsum(&["change", "rsyslog", "$FileCreateMode=0640"]).0, 0);
    assert_eq!(written(), before);
}
