//! Reloads that return 0 although the daemon is dead, or goes on as before, or is half new: a port that somebody else
//! holds passes every checker, and where there is none, so does everything.

use crate::host::{boot, side_by_side};

struct Case {
    daemon: &'static str,
    program: &'static str,
    unit: &'static str,
    /// What makes it ready.
    setup: &'static str,
    edits: &'static [&'static str],
    /// Whether it answers, as a piece of shell that succeeds if so.
    answers: &'static str,
}

const HTTP: &str = "curl -s -o /dev/null http://127.0.0.1/";

const CASES: [Case; 8] = [
    Case {
        daemon: "nginx",
        program: "/usr/sbin/nginx",
        unit: "nginx",
        setup: "",
        edits: &["--add", "server..listen=8099"],
        answers: HTTP,
    },
    Case {
        daemon: "sshd",
        program: "/usr/sbin/sshd",
        unit: "ssh",
        setup: "",
        edits: &["Port=8099"],
        answers: "ssh-keyscan -T 2 127.0.0.1 2>/dev/null | grep -q ssh-",
    },
    Case {
        daemon: "squid",
        program: "/usr/sbin/squid",
        unit: "squid",
        setup: "",
        edits: &["http_port=8099"],
        answers: "curl -s -o /dev/null -x http://127.0.0.1:3128 http://127.0.0.1:9/",
    },
    Case {
        daemon: "php-fpm",
        program: "/usr/sbin/php-fpm8.2",
        unit: "php8.2-fpm",
        setup: "sed -i 's,^listen = .*,listen = 127.0.0.1:9000,' /etc/php/8.2/fpm/pool.d/www.conf",
        edits: &["listen=127.0.0.1:8099"],
        answers: "perl -MIO::Socket::INET -e 'exit !IO::Socket::INET->new(\"127.0.0.1:9000\")'",
    },
    // Without a profile nothing is known of them, and nobody refuses the line that they die of.
    Case {
        daemon: "proxy",
        program: "/usr/sbin/squid",
        unit: "squid",
        setup: "",
        edits: &[
            "--add",
            "tide=north",
            "--file",
            "/etc/squid/squid.conf",
            "--format",
            "keyword",
            "--unit",
            "squid",
            "--activation",
            "reload",
        ],
        answers: "curl -s -o /dev/null -x http://127.0.0.1:3128 http://127.0.0.1:9/",
    },
    Case {
        daemon: "pool",
        program: "/usr/sbin/php-fpm8.2",
        unit: "php8.2-fpm",
        setup: "",
        edits: &[
            "--add",
            "www..tide=north",
            "--file",
            "/etc/php/8.2/fpm/pool.d/www.conf",
            "--format",
            "sections",
            "--unit",
            "php8.2-fpm",
            "--activation",
            "reload",
        ],
        answers: "pgrep -f 'php-fpm: pool www'",
    },
    Case {
        daemon: "haproxy",
        program: "/usr/sbin/haproxy",
        unit: "haproxy",
        setup: "printf '\\nfrontend boards\\n\\tbind 127.0.0.1:8080\\n\\tmode http\\n\\thttp-request return status 200\\n' >> /etc/haproxy/haproxy.cfg",
        edits: &["frontend boards..bind=127.0.0.1:8099"],
        answers: "curl -s -o /dev/null http://127.0.0.1:8080/",
    },
    Case {
        daemon: "named",
        program: "/usr/sbin/named",
        unit: "named",
        setup: "echo 'listen-on port 8099 { 127.0.0.1; };' > /root/piece",
        edits: &["--piece", "/root/piece", "--under", "options"],
        answers: "dig +time=2 @127.0.0.1 localhost | grep -q NOERROR",
    },
];

fn play(case: &Case) {
    let needs = [case.program, "/usr/bin/curl", "/usr/bin/perl", "/usr/bin/dig", "/usr/bin/ssh-keyscan"];
    let lab = boot(&needs);
    let (setup, unit) = (case.setup, case.unit);
    lab.sh(&format!(
        "cat > /etc/systemd/system/tide-gauge.service <<'END'
[Service]
ExecStart=/usr/bin/perl -MIO::Socket::INET -e 'my @held = map {{ IO::Socket::INET->new(Listen => 1, LocalPort => 8099, LocalAddr => $_) }} \"0.0.0.0\"; sleep'
END
         {setup}
         systemctl daemon-reload; systemctl start tide-gauge {unit}; sleep 0.5
         {}",
        case.answers
    ));
    let words: Vec<&str> = ["change", case.daemon]
        .into_iter()
        .chain(case.edits.iter().copied())
        .chain(["--accept", "port-taken=for the test", "--no-trial"])
        .collect();
    let (status, report) = lab.gypsum(&words);
    let told = |verdict: &str| report["verdict"] == verdict;
    assert!(status == 4 && told("restored"), "{}: {report:#}", case.daemon);
    assert!(lab.is_active(unit), "{} runs again", case.daemon);
    lab.sh(case.answers);
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_reload_that_says_it_went_well_and_did_not_is_put_back() {
    side_by_side(2, &CASES, play);
}

/// A setting of which the profile says nothing: the daemon's own list says that a reload does not take it up.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_daemons_list_says_which_settings_need_a_restart() {
    let lab = boot(&["/usr/bin/pg_ctlcluster"]);
    lab.sh("systemctl start postgresql@15-main; sleep 1");
    let (status, report) = lab.gypsum(&["change", "postgresql", "max_locks_per_transaction=96"]);
    assert_eq!((status, report["activation"]["restarts"].as_bool()), (0, Some(true)), "{report:#}");
    assert_eq!(lab.sh("runuser -u postgres -- psql -XAtc 'show max_locks_per_transaction'").trim(), "96");
    let (status, report) = lab.gypsum(&["change", "postgresql", "backend_flush_after=128kB"]);
    assert_eq!((status, report["activation"]["restarts"].as_bool()), (0, Some(false)), "{report:#}");
}
