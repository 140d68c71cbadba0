//! What a daemon says at an activation and did not say before: what is only logged is shown, and a good change is not held
//! against what the log says anyway. The journal and the log files of real daemons are the witness.

use crate::host::{Lab, boot, side_by_side};

/// A daemon, with good changes (a setting that takes all of these values) and such as only its log complains about.
pub struct Case {
    pub name: &'static str,
    pub program: &'static str,
    pub start: &'static str,
    pub good: (&'static str, [&'static str; 7]),
    pub bad: &'static [(&'static [&'static str], &'static str)],
}

const NUMBERS: [&str; 7] = ["61", "62", "63", "64", "65", "66", "67"];

pub const CASES: [Case; 15] = [
    Case {
        name: "nginx",
        program: "/usr/sbin/nginx",
        start: "systemctl start nginx",
        good: ("http..keepalive_timeout", NUMBERS),
        bad: &[(&["worker_rlimit_nofile=99999999", "--accept", "value"], "setrlimit(RLIMIT_NOFILE, 99999999) failed")],
    },
    Case {
        name: "apache2",
        program: "/usr/sbin/apache2",
        start: "systemctl start apache2",
        good: ("Timeout", NUMBERS),
        bad: &[],
    },
    Case {
        name: "haproxy",
        program: "/usr/sbin/haproxy",
        start: "printf 'frontend boards\\n\\tbind 127.0.0.1:80\\n\\tmode http\\n\\thttp-request return status 200\\n' >> /etc/haproxy/haproxy.cfg
            systemctl start haproxy",
        good: ("frontend boards..maxconn", NUMBERS),
        bad: &[],
    },
    Case {
        name: "squid",
        program: "/usr/sbin/squid",
        start: "systemctl start squid; sleep 2",
        good: ("shutdown_lifetime", ["1 second", "2 seconds", "3 seconds", "1 second", "2 seconds", "3 seconds", "1 second"]),
        bad: &[],
    },
    Case {
        name: "sshd",
        program: "/usr/sbin/sshd",
        start: "systemctl start ssh",
        good: ("ClientAliveInterval", NUMBERS),
        bad: &[
            (&["HostCertificate=/etc/ssh/nowhere", "--accept", "missing-file"], "Could not load host certificate"),
            (&["PidFile=/nowhere/pid", "--accept", "missing-folder"], "Couldn't create pid file"),
        ],
    },
    Case {
        name: "named",
        program: "/usr/sbin/named",
        start: "printf 'zone \"pier.example\" { type secondary; primaries { 127.0.0.3; }; file \"pier\"; };\n' > /root/piece; systemctl start named",
        good: ("options..tcp-clients", ["161", "162", "163", "164", "165", "166", "167"]),
        bad: &[
            (
                &["--piece", "/root/piece", "--in", "/etc/bind/named.conf.local", "--accept", "missing-file"],
                "failure trying primary 127.0.0.3#53",
            ),
        ],
    },
    Case {
        name: "unbound",
        program: "/usr/sbin/unbound",
        start: "systemctl start unbound",
        good: ("server..cache-min-ttl", NUMBERS),
        bad: &[
            (&["server..outgoing-range=60000"], "cannot increase max open fds"),
        ],
    },
    Case {
        name: "dnsmasq",
        program: "/usr/sbin/dnsmasq",
        start: "systemctl start dnsmasq",
        good: ("local-ttl", NUMBERS),
        bad: &[
            (&["cache-size=200000"], "cache size greater than 10000"),
            (&["addn-hosts=/etc/nowhere", "--accept", "missing-file"], "failed to load names from /etc/nowhere"),
            (&["--add", "server=127.0.0.1"], "ignoring nameserver 127.0.0.1"),
        ],
    },
    Case {
        name: "postfix",
        program: "/usr/sbin/postfix",
        start: "systemctl start postfix; sleep 2",
        good: ("smtpd_timeout", ["61s", "62s", "63s", "64s", "65s", "66s", "67s"]),
        bad: &[
            (&["smtpd_milters=inet:127.0.0.1:9", "milter_default_action=accept"], "connect to Milter service inet:127.0.0.1:9"),
        ],
    },
    Case {
        name: "dovecot",
        program: "/usr/sbin/dovecot",
        start: "systemctl start dovecot; sleep 1",
        good: ("mail_max_userip_connections", NUMBERS),
        bad: &[(&["default_client_limit=90000"], "is lower than required")],
    },
    Case {
        name: "mariadb",
        program: "/usr/sbin/mariadbd",
        start: "systemctl start mariadb",
        good: ("mysqld..max_connections", NUMBERS),
        bad: &[
            (&["mysqld..log_slave_updates=1"], "You need to use --log-bin to make --log-slave-updates work"),
            (&["mysqld..general_log=1", "mysqld..general_log_file=/nowhere/log", "--accept", "missing-folder"], "Could not use /nowhere/log for logging"),
            (&["mysqld..slow_query_log=1", "mysqld..slow_query_log_file=/nowhere/slow", "--accept", "missing-folder"], "Could not use /nowhere/slow for logging"),
        ],
    },
    Case {
        name: "postgresql",
        program: "/usr/bin/psql",
        start: "systemctl start postgresql@15-main; sleep 1",
        good: ("work_mem", ["5MB", "6MB", "7MB", "8MB", "9MB", "10MB", "11MB"]),
        bad: &[],
    },
    Case {
        name: "redis",
        program: "/usr/bin/redis-server",
        start: "systemctl start redis-server",
        good: ("timeout", NUMBERS),
        bad: &[
            (&["tcp-backlog=65000"], "The TCP backlog setting of 65000 cannot be enforced"),
            (&["maxclients=900000", "--accept", "value"], "maximum open files"),
        ],
    },
    Case {
        name: "chrony",
        program: "/usr/sbin/chronyd",
        start: "systemctl start chrony",
        good: ("maxchange", ["1000 1 2", "1000 1 3", "1000 1 4", "1000 1 5", "1000 1 6", "1000 1 7", "1000 1 8"]),
        bad: &[
            (&["keyfile=/etc/chrony/nowhere", "--accept", "missing-file"], "Could not open keyfile"),
            (&["leapsectz=right/Nowhere"], "failed leap second check"),
            (&["logdir=/nowhere", "log=tracking measurements", "--accept", "missing-folder"], "Could not open /nowhere/tracking.log"),
        ],
    },
    Case {
        name: "rsyslog",
        program: "/usr/sbin/rsyslogd",
        start: "systemctl start rsyslog",
        good: ("$FileCreateMode", ["0644", "0640", "0644", "0640", "0644", "0640", "0644"]),
        bad: &[
            (&["--add", "*.*=@@127.0.0.1:9"], "cannot connect to 127.0.0.1:9"),
            (&["--add", "*.*=|/nowhere/pipe"], "Could not open output pipe"),
        ],
    },
];

/// What is noted of its log.
fn said(lab: &Lab) -> Vec<String> {
    let events = lab.sh("cat $(ls -d /var/lib/gypsum/*/2*/ | tail -n 1)events.jsonl");
    let noted = events.lines().filter(|line| line.contains("\"noted\"") && line.contains("its log "));
    noted.map(str::to_owned).collect()
}

#[test]
#[ignore = "needs root and daemons"]
fn what_is_only_logged_is_shown_and_nothing_else_is() {
    side_by_side(2, &CASES, |case| {
        let lab = boot(&[case.program]);
        lab.sh(case.start);
        let change = |edits: &[&str]| {
            let words = [&["change", case.name, "-y", "--steady", "700ms"], edits].concat();
            let (status, document) = lab.gypsum(&words);
            assert_eq!(status, 0, "{} {edits:?}: {document:#}", case.name);
        };
        let (setting, values) = case.good;
        for value in values {
            change(&[&format!("{setting}={value}")]);
            assert_eq!(said(&lab), Vec::<String>::new(), "{} {setting}={value}", case.name);
        }
        for (edits, complaint) in case.bad {
            change(edits);
            let said = said(&lab);
            assert!(said.iter().any(|line| line.contains(complaint)), "{} {edits:?}: {said:?}", case.name);
        }
    });
}
