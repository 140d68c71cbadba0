//! Every built-in profile on the daemon as its Debian package ships it: nothing of it is a fault, one good change is kept,
//! and the daemon itself says that it took it up; a bad one is refused or taken back, and the daemon goes on as it was.

use crate::host::{Lab, boot, boot_tree, next_release};
use std::path::Path;

struct Case {
    daemon: &'static str,
    /// A program of its package.
    program: &'static str,
    /// What makes it run.
    start: &'static str,
    /// One good change.
    edit: &'static [&'static str],
    /// What the daemon then says, and how it is asked.
    says: (&'static str, &'static str),
    /// A setting, and what the daemon itself prints of it; compared with `show`.
    agrees: (&'static str, &'static str),
}

const fn case(
    daemon: &'static str,
    program: &'static str,
    start: &'static str,
    edit: &'static [&'static str],
    says: (&'static str, &'static str),
    agrees: (&'static str, &'static str),
) -> Case {
    Case { daemon, program, start, edit, says, agrees }
}

const CASES: [Case; 21] = [
    case(
        "sshd",
        "/usr/sbin/sshd",
        "systemctl start ssh",
        &["MaxAuthTries=4"],
        ("maxauthtries 4", "sshd -T"),
        ("UsePAM", "sshd -T | sed -n 's/^usepam //p'"),
    ),
    case(
        "nginx",
        "/usr/sbin/nginx",
        "systemctl start nginx",
        &["http..keepalive_timeout=70"],
        ("keepalive_timeout 70", "nginx -T 2>/dev/null"),
        ("worker_processes", "nginx -T 2>/dev/null | sed -n 's/^worker_processes \\(.*\\);/\\1/p'"),
    ),
    case(
        "apache2",
        "/usr/sbin/apache2",
        "systemctl start apache2",
        &["KeepAliveTimeout=7"],
        ("KeepAliveTimeout 7", "cat /etc/apache2/apache2.conf"),
        ("Timeout", "sed -n 's/^Timeout //p' /etc/apache2/apache2.conf"),
    ),
    case(
        "named",
        "/usr/sbin/named",
        "systemctl start named",
        &["options..max-cache-ttl=3600"],
        ("max-cache-ttl 3600", "named-checkconf -p"),
        ("options..directory", "named-checkconf -p | sed -n 's/.*directory \"\\(.*\\)\";/\\1/p'"),
    ),
    case(
        "squid",
        "/usr/sbin/squid",
        "systemctl start squid",
        &["maximum_object_size_in_memory=256 KB"],
        ("256 KB", "grep ^maximum_object_size_in_memory /etc/squid/squid.conf"),
        ("http_port", "squid -k parse 2>&1 | sed -n 's/.*Processing: http_port //p'"),
    ),
    case(
        "mariadb",
        "/usr/sbin/mariadbd",
        "systemctl start mariadb",
        &["max_connections=120"],
        ("120", "mariadb -NBe 'select @@max_connections'"),
        ("bind-address", "mariadb -NBe 'select @@bind_address'"),
    ),
    case(
        "postgresql",
        "/usr/bin/pg_ctlcluster",
        "systemctl start postgresql@15-main",
        &["work_mem=8MB"],
        ("8MB", "runuser -u postgres -- psql -XAtc 'show work_mem'"),
        ("max_connections", "runuser -u postgres -- psql -XAtc 'show max_connections'"),
    ),
    case(
        "redis",
        "/usr/bin/redis-server",
        "systemctl start redis-server",
        &["maxclients=5000"],
        ("5000", "redis-cli config get maxclients"),
        ("databases", "redis-cli config get databases | sed -n 2p"),
    ),
    case(
        "php-fpm",
        "/usr/sbin/php-fpm8.2",
        "systemctl start php8.2-fpm",
        &["memory_limit=256M"],
        ("256M", "php-fpm8.2 -i | grep ^memory_limit"),
        ("max_input_time", "php-fpm8.2 -i | sed -n 's/^max_input_time => \\(.*\\) =>.*/\\1/p'"),
    ),
    case(
        "haproxy",
        "/usr/sbin/haproxy",
        "systemctl start haproxy",
        &["global..maxconn=1000"],
        ("maxconn 1000", "cat /etc/haproxy/haproxy.cfg"),
        ("global..user", "ps -o user= -C haproxy | grep -v root | head -1"),
    ),
    case(
        "unbound",
        "/usr/sbin/unbound",
        "systemctl start unbound; sleep 1",
        &["--add", "server", "server..verbosity=2"],
        ("2", "unbound-checkconf -o verbosity"),
        ("auto-trust-anchor-file", "unbound-checkconf -o auto-trust-anchor-file"),
    ),
    case(
        "chrony",
        "/usr/sbin/chronyd",
        "sed -i 's/^DAEMON_OPTS=.*/DAEMON_OPTS=\"-F 1 -x\"/' /etc/default/chrony; systemctl start chrony",
        &["maxupdateskew=50"],
        ("maxupdateskew 50", "chronyd -p"),
        ("makestep", "chronyd -p | sed -n 's/^makestep //p'"),
    ),
    case(
        "postfix",
        "/usr/sbin/postfix",
        "systemctl start postfix@-; systemctl start postfix",
        &["message_size_limit=20480000"],
        ("20480000", "postconf message_size_limit"),
        ("smtpd_banner", "postconf -h smtpd_banner"),
    ),
    case(
        "rsyslog",
        "/usr/sbin/rsyslogd",
        "systemctl start rsyslog",
        &["$FileCreateMode=0600"],
        ("FileCreateMode 0600", "cat /etc/rsyslog.conf"),
        ("$WorkDirectory", "sed -n 's/^$WorkDirectory //p' /etc/rsyslog.conf"),
    ),
    case(
        "dnsmasq",
        "/usr/sbin/dnsmasq",
        "systemctl start dnsmasq",
        &["cache-size=500"],
        ("cache-size=500", "cat /etc/dnsmasq.conf"),
        ("cache-size", "echo 500"),
    ),
    case(
        "pulseaudio",
        "/usr/bin/pulseaudio",
        "useradd -u 1500 -m au; rm -f /run/nologin; systemctl start user@1500.service; runuser -u au -- env XDG_RUNTIME_DIR=/run/user/1500 systemctl --user start pulseaudio.service; sleep 1",
        &["default-sample-rate=48000"],
        ("48000", "runuser -u au -- pulseaudio --dump-conf"),
        (
            "default-sample-rate",
            "runuser -u au -- pulseaudio --dump-conf | sed -n 's/^default-sample-rate = //p'",
        ),
    ),
    case(
        "dovecot",
        "/usr/sbin/dovecot",
        "systemctl start dovecot; sleep 1",
        &["first_valid_uid=1000"],
        ("1000", "doveconf -h first_valid_uid"),
        ("mail_privileged_group", "doveconf -h mail_privileged_group"),
    ),
    case(
        "samba",
        "/usr/sbin/smbd",
        "systemctl start smbd",
        &["global..max log size=2000"],
        ("2000", "testparm -s --parameter-name='max log size' 2>/dev/null"),
        ("workgroup", "testparm -s --parameter-name=workgroup 2>/dev/null"),
    ),
    case(
        "tomcat",
        "/usr/share/tomcat10/bin/catalina.sh",
        "systemctl start tomcat10; sleep 6",
        &["JAVA_OPTS=-Djava.awt.headless=true -Xmx96m"],
        ("-Xmx96m", "cat /proc/$(systemctl show -p MainPID --value tomcat10)/cmdline | tr '\\0' ' '"),
        ("JAVA_OPTS", "sed -n 's/^JAVA_OPTS=\"\\(.*\\)\"/\\1/p' /etc/default/tomcat10"),
    ),
    case(
        "gunicorn",
        "/usr/bin/gunicorn",
        "mkdir -p /etc/gunicorn /srv/app; printf 'bind = \"127.0.0.1:8000\"\\nworkers = 1\\n' >/etc/gunicorn/gunicorn.conf.py; printf 'def app(environ, start):\\n    start(\"200 OK\", [])\\n    return [b\"boards\"]\\n' >/srv/app/boards.py; printf '[Service]\\nWorkingDirectory=/srv/app\\nExecStart=/usr/bin/gunicorn -c /etc/gunicorn/gunicorn.conf.py boards:app\\nExecReload=/bin/kill -HUP $MAINPID\\n' >/etc/systemd/system/gunicorn.service; systemctl start gunicorn; sleep 1",
        &["workers=2"],
        (
            "2",
            "gunicorn --print-config -c /etc/gunicorn/gunicorn.conf.py --chdir /srv/app boards:app | grep ^workers",
        ),
        (
            "bind",
            "gunicorn --print-config -c /etc/gunicorn/gunicorn.conf.py --chdir /srv/app boards:app | sed -n \"s/^bind *= \\['\\(.*\\)'\\]/\\1/p\"",
        ),
    ),
    case(
        "unit:nginx",
        "/usr/sbin/nginx",
        "systemctl start nginx",
        &["Nice=5"],
        ("5", "systemctl show -p Nice --value nginx"),
        ("Service..Type", "systemctl show -p Type --value nginx"),
    ),
];

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn every_built_in_profile_on_its_real_package() {
    every_profile(&|programs| boot(programs), &str::to_owned, &|_| false);
}

/// The same daemons as the next release ships them, under its systemd. GYPSUM_TREE names another tree, such as one of sid.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn every_built_in_profile_on_the_next_release() {
    let tree = next_release();
    let php = version_in(&tree, "etc/php");
    let postgresql = format!("postgresql@{}", version_in(&tree, "etc/postgresql"));
    let versions = |text: &str| text.replace("8.2", &php).replace("postgresql@15", &postgresql);
    // A suite that is not released yet lacks some for a while.
    let lacks = |program: &str| {
        tree.join(".missing").exists() && !tree.join(program.trim_start_matches('/')).exists()
    };
    every_profile(&|programs| boot_tree(&tree, programs), &versions, &lacks);
}

/// The version that a folder of a tree is named for.
fn version_in(tree: &Path, folder: &str) -> String {
    let found = std::fs::read_dir(tree.join(folder)).unwrap().next().unwrap().unwrap();
    found.file_name().to_string_lossy().into_owned()
}

/// An edit of each daemon that must not be kept: refused before it is live, or taken back.
const BAD: [(&str, &[&str]); 21] = [
    ("sshd", &["Ciphers=tide"]),
    ("nginx", &["http..sendfile=perhaps"]),
    ("apache2", &["LogLevel=shouting"]),
    ("named", &["options..recursion=perhaps"]),
    ("squid", &["http_access=allow nobodys_list"]),
    ("mariadb", &["max_connections=many"]),
    ("postgresql", &["work_mem=lots"]),
    ("redis", &["maxclients=many"]),
    ("php-fpm", &["max_execution_time=soon"]),
    ("haproxy", &["global..maxconn=many"]),
    ("unbound", &["server..verbosity=loud"]),
    ("chrony", &["maxupdateskew=wide"]),
    ("postfix", &["message_size_limit=huge"]),
    ("rsyslog", &["$FileCreateMode=none"]),
    ("dnsmasq", &["cache-size=big"]),
    ("pulseaudio", &["default-sample-rate=loud"]),
    ("dovecot", &["first_valid_uid=tide"]),
    ("samba", &["global..max log size=big"]),
    ("tomcat", &["JAVA_OPTS=-Xmxmany"]),
    ("gunicorn", &["workers=many"]),
    ("unit:nginx", &["Nice=90"]),
];

fn every_profile(
    boot: &dyn Fn(&[&str]) -> Lab,
    versions: &dyn Fn(&str) -> String,
    lacks: &dyn Fn(&str) -> bool,
) {
    let wanted = std::env::var("GYPSUM_PROFILE").unwrap_or_default();
    let mut amiss = Vec::new();
    for case in CASES.iter().filter(|case| case.daemon.contains(&wanted)) {
        let mut tried = Vec::new();
        if lacks(&versions(case.program)) {
            println!("{}: not in this tree", case.daemon);
            continue;
        }
        // Many hosts boot side by side here: what is amiss counts if it is amiss on a second one, too.
        for _ in 0..2 {
            tried.clear();
            let lab = boot(&[&versions(case.program)]);
            lab.run(&["sh", "-c", &versions(case.start)]);
            try_case(&lab, case, versions, &mut tried);
            if tried.is_empty() {
                break;
            }
            println!("{}", tried.join("\n\n"));
        }
        amiss.append(&mut tried);
    }
    assert!(amiss.is_empty(), "{}", amiss.join("\n\n"));
}

fn try_case(lab: &Lab, case: &Case, versions: &dyn Fn(&str) -> String, amiss: &mut Vec<String>) {
    let (_, checked) = lab.gypsum(&["check", case.daemon]);
    let faults: Vec<_> =
        checked["findings"].as_array().unwrap().iter().filter(|one| one["severity"] == "fault").collect();
    if !faults.is_empty() {
        amiss.push(format!("{}: as shipped: {faults:?}", case.daemon));
    }
    let mut words = vec!["change", case.daemon];
    words.extend(case.edit);
    let (status, report) = lab.gypsum(&words);
    // Nothing that samba says or does shows whether it read its file again.
    let unproven = case.daemon == "samba" && status == 7;
    if status != 0 && !unproven || report["verdict"] != "kept" {
        amiss.push(format!("{}: a good change: {report:#}", case.daemon));
        return;
    }
    let asked = lab.run(&["sh", "-c", &versions(case.says.1)]);
    let said = String::from_utf8_lossy(&asked.stdout).into_owned();
    if !said.contains(case.says.0) {
        amiss.push(format!("{}: says {said:?}, not {:?}", case.daemon, case.says.0));
    }
    let bad = BAD.iter().find(|(daemon, _)| *daemon == case.daemon).unwrap().1;
    let (status, report) = lab.gypsum(&[&["change", case.daemon], bad].concat());
    let (healthy, _) = lab.gypsum(&["health", case.daemon]);
    let still = lab.run(&["sh", "-c", &versions(case.says.1)]);
    if ![3, 4].contains(&status) || healthy != 0 || still.stdout != asked.stdout {
        amiss.push(format!("{}: a bad change: {healthy}, {still:?}, {report:#}", case.daemon));
    }
    let (name, ask) = case.agrees;
    let told = String::from_utf8_lossy(&lab.run(&["sh", "-c", &versions(ask)]).stdout).trim().to_owned();
    let (_, shown) = lab.gypsum(&["show", case.daemon, name]);
    let places = shown["setting"]["places"].as_array().cloned().unwrap_or_default();
    let ours = places
        .iter()
        .filter(|place| place["in_effect"] == true)
        .map(|place| place["value"].as_str().unwrap());
    let ours: Vec<&str> = ours.collect();
    let same = |value: &&str| value.trim_matches(['"', '\'']).eq_ignore_ascii_case(&told);
    if !ours.iter().any(same) {
        amiss.push(format!("{}: {name} is {told:?} to the daemon, and {ours:?} to us", case.daemon));
    }
}
