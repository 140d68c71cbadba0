//! Trial starts: real daemons, their good and bad files, and what of a trial can be seen afterwards.

use crate::complaints::CASES;
use crate::host::{Lab, boot, boot_tree, next_release, side_by_side};
use gypsum_core::profile::{TrialWhen, built_in, read};
use serde_json::Value;
use std::collections::BTreeSet;

/// What a host shows of itself, a fact a line: files with their owner, mode, times and content, sockets, processes, mounts,
/// control groups, shared memory. Without what Gypsum, the journal and this look change; named writes its managed keys when
/// it likes.
const SNAPSHOT: &str = r#"
find /etc /var /run /dev/shm /tmp /usr/local /srv /root /opt -xdev \
    -not -path '/var/lib/gypsum*' -not -path '/run/gypsum*' -not -path '/var/log*' -not -path '/var/cache/bind*' -not -path '/run/log*' -not -path '/tmp/sort*' \
    -not -path '/run/systemd*' -not -path '/run/dbus*' -not -path '/tmp' -not -path '/var/tmp' -not -path '/run' \
    -printf 'file %p %y %m %U:%G %s %T@ %C@\n' 2>/dev/null | sort
find /etc /run /dev/shm /var/lib /var/spool /srv -xdev -type f -size -300k -not -path '/var/lib/gypsum*' \
    -not -path '/run/systemd*' -not -path '/run/log*' -print0 2>/dev/null | sort -z | xargs -0 sha256sum 2>/dev/null
(find /var/lib/mysql /var/lib/postgresql /var/lib/redis /var/lib/samba /var/lib/chrony /var/lib/postfix -type f -print0 2>/dev/null \
    | sort -z | xargs -0 sha256sum 2>/dev/null | sed 's/^/data /'
ss -Hlntup; ss -Hlx | grep -v u_dgr) | awk '{print "socket", $1, $5, $NF}' | sort
ps -eo pid=,ppid=,comm= | grep -v -E ' (ps|sh|find|sort|xargs|sha256sum|ss|awk|grep|cat|sed)$' | sed 's/^/process /'
sed 's/^/mount /' /proc/1/mountinfo
find /sys/fs/cgroup/systemd /sys/fs/cgroup/unified -type d 2>/dev/null | sed 's/^/group /' | sort
ipcs -a | sed 's/^/ipc /'
ip -o addr | sed 's/^/net /; s/valid_lft.*//'
"#;

fn snapshot(lab: &Lab) -> BTreeSet<String> {
    lab.sh(SNAPSHOT).lines().map(str::to_owned).collect()
}

/// How many lines the journal and all log files have. The daemon is asked how it is by every change, and some log that.
fn logged(lab: &Lab) -> usize {
    let count = "(journalctl -q _TRANSPORT=syslog _TRANSPORT=journal _TRANSPORT=stdout; find /var/log -type f -not -path '/var/log/journal*' -print0 | xargs -0 cat) | wc -l";
    lab.sh(count).parse().unwrap()
}

/// The messages of all findings of a rule, with what the daemon says.
fn findings(document: &Value, rule: &str) -> Vec<String> {
    let all = document["findings"].as_array().unwrap().iter();
    let of_rule = all.filter(|finding| finding["rule"] == rule);
    of_rule.map(|finding| format!("{}; {}", finding["message"].as_str().unwrap(), finding["said"])).collect()
}

fn was_tried(document: &Value) -> bool {
    let all = document["checked_by"].as_array().unwrap().iter();
    all.into_iter().any(|run| run["name"].as_str().unwrap().starts_with("a trial start"))
}

/// How long after its start some daemons go on writing by themselves, in seconds: a first checkpoint.
const SETTLED: [(&str, u64); 1] = [("postgresql", 20)];
/// A start of it takes seconds, and it holds its log back: good files are tried, and nothing else.
const SLOW: &str = "tomcat";

/// What a client of another maker asks the running daemon while trials are made.
const CLIENTS: [(&str, &str); 15] = [
    ("nginx", "curl -sf -m 5 http://127.0.0.1/"),
    ("apache2", "curl -sf -m 5 http://127.0.0.1/"),
    ("haproxy", "curl -sf -m 5 http://127.0.0.1/"),
    ("squid", "curl -sf -m 5 http://127.0.0.1:3128/squid-internal-static/icons/SN.png"),
    ("named", "dig +time=5 +tries=1 @127.0.0.1 localhost"),
    ("unbound", "dig +time=5 +tries=1 @127.0.0.1 localhost"),
    ("dnsmasq", "dig +time=5 +tries=1 @127.0.0.1 localhost"),
    ("postfix", "bash -c 'exec 3<>/dev/tcp/127.0.0.1/25; read -t 5 -r answer <&3; [[ $answer == 220* ]]'"),
    ("dovecot", "bash -c 'exec 3<>/dev/tcp/127.0.0.1/143; read -t 5 -r answer <&3; [[ $answer == *OK* ]]'"),
    ("mariadb", "mysqladmin ping"),
    ("postgresql", "pg_isready -h 127.0.0.1"),
    ("redis", "redis-cli ping"),
    ("chrony", "chronyc tracking"),
    ("tomcat", "curl -sf -m 5 http://127.0.0.1:8080/"),
    ("gunicorn", "curl -sf -m 5 http://127.0.0.1:8000/"),
];

/// What a running daemon counts itself. The question counts, too, the same each time.
const COUNTERS: [(&str, &str); 8] = [
    ("apache2", "curl -s 'http://127.0.0.1/server-status?auto' | sed -n 's/^Total Accesses: //p'"),
    (
        "haproxy",
        "perl -MIO::Socket::UNIX -e '$s = IO::Socket::UNIX->new(q(/run/haproxy/admin.sock)) or die;
         print $s qq(show info\\n); $s->flush; while (<$s>) { print $1 if /^CumConns: (\\d+)/ }'",
    ),
    (
        "squid",
        "curl -s http://127.0.0.1:3128/squid-internal-mgr/counters | sed -n 's/^client_http.requests = //p'",
    ),
    ("unbound", "unbound-control stats_noreset | sed -n 's/^total.num.queries=//p'"),
    ("dnsmasq", "dig +short @127.0.0.1 chaos txt misses.bind | tr -d '\"'"),
    ("redis", "redis-cli info stats | tr -d '\\r' | sed -n 's/^total_connections_received://p'"),
    ("mariadb", "mysqladmin extended-status | awk '$2 == \"Connections\" { print $4 }'"),
    ("chrony", "chronyc -c serverstats | cut -d, -f1"),
];

/// A client's answers while `work` is done: how each ended, and how long it took in milliseconds.
fn asked_meanwhile(lab: &Lab, client: &str, work: impl FnOnce()) -> Vec<(String, u64)> {
    let ask = format!(
        "rm -f /root/over; while ! [ -e /root/over ]; do begun=$(date +%s%N); {client} > /dev/null 2>&1
         echo $? $(( ($(date +%s%N) - begun) / 1000000 )); sleep 0.05; done > /root/answers"
    );
    let mut clients = lab.command(&["sh", "-c", &ask]).spawn().unwrap();
    work();
    lab.sh("touch /root/over");
    clients.wait().unwrap();
    let answers = lab.sh("cat /root/answers");
    let pairs = answers.lines().filter_map(|line| line.split_once(' '));
    pairs.map(|(status, ms)| (status.to_owned(), ms.parse().unwrap())).collect()
}

/// A daemon, what is installed, how it is started, a setting, and three good values of it.
type Good = (&'static str, &'static str, &'static str, &'static str, [&'static str; 3]);

/// Further daemons with good changes.
const OTHERS: [Good; 4] = [
    ("samba", "/usr/sbin/smbd", "systemctl start smbd", "global..max log size", ["61", "62", "63"]),
    (
        "gunicorn",
        "/usr/bin/gunicorn",
        "mkdir -p /etc/gunicorn /srv/app; printf 'bind = \"127.0.0.1:8000\"\\nworkers = 1\\n' >/etc/gunicorn/gunicorn.conf.py
         printf 'def app(environ, start):\\n    start(\"200 OK\", [])\\n    return [b\"boards\"]\\n' >/srv/app/boards.py
         printf '[Service]\\nWorkingDirectory=/srv/app\\nExecStart=/usr/bin/gunicorn -c /etc/gunicorn/gunicorn.conf.py boards:app\\n' >/etc/systemd/system/gunicorn.service
         systemctl daemon-reload; systemctl start gunicorn; sleep 1",
        "workers",
        ["2", "3", "4"],
    ),
    (
        "php-fpm",
        "/usr/sbin/php-fpm8.2",
        "systemctl start php8.2-fpm",
        "www..pm.max_children",
        ["6", "7", "8"],
    ),
    (
        "tomcat",
        "/usr/share/tomcat10",
        "systemctl start tomcat10; sleep 8",
        "JAVA_OPTS",
        ["-Xmx200m", "-Xmx201m", "-Xmx202m"],
    ),
];

/// All daemons of which a trial start can be made.
fn all() -> Vec<Good> {
    let of_cases = CASES.iter().map(|case| {
        let (setting, [one, two, three, ..]) = case.good;
        (case.name, case.program, case.start, setting, [one, two, three])
    });
    let may_be_tried =
        |good: &Good| read(built_in(good.0).unwrap().text).unwrap().trial.when != TrialWhen::Never;
    of_cases.chain(OTHERS).filter(may_be_tried).collect()
}

#[test]
#[ignore = "needs root and daemons"]
fn good_files_pass_and_nothing_of_a_trial_remains() {
    side_by_side(2, &all(), |(daemon, program, start, setting, values)| {
        let lab = boot(&[program]);
        lab.sh(start);
        let settled = SETTLED.iter().find(|(name, _)| name == daemon).map_or(0, |(_, seconds)| *seconds);
        std::thread::sleep(std::time::Duration::from_secs(settled));
        good_files_pass(&lab, daemon, setting, values);
    });
}

fn good_files_pass(lab: &Lab, daemon: &str, setting: &str, values: &[&str; 3]) {
    let change = |value: &str, trial: &str| {
        let edit = format!("{setting}={value}");
        let (status, document) = lab.gypsum(&["change", daemon, "-n", trial, &edit]);
        assert_eq!(status, 0, "{daemon} {edit}: {document:#}");
        assert_eq!(was_tried(&document), trial == "--trial", "{daemon} {edit}: {document:#}");
        for rule in ["trial", "after-boot"] {
            assert_eq!(findings(&document, rule), Vec::<String>::new(), "{daemon} {edit}");
        }
    };
    // The first one makes folders of Gypsum's own, and warms up what the host makes at a first look.
    change(values[0], "--trial");
    if daemon == SLOW {
        return;
    }
    // A trace is there each time. What a daemon does by itself now and then is not.
    let mut traces = traces_of(lab, &change, values);
    for _ in 0..2 {
        if !traces.is_empty() {
            traces = traces_of(lab, &change, values);
        }
    }
    assert_eq!(traces, Vec::<String>::new(), "{daemon}: {}", lab.sh("journalctl --no-pager -n 20"));
    if let Some((_, counter)) = COUNTERS.iter().find(|(name, _)| *name == daemon) {
        let count = || lab.sh(counter).parse::<u64>().unwrap();
        let grows = |how: &str| {
            let before = count();
            change(values[1], how);
            count() - before
        };
        let (by_asking, by_trial) = (grows("--no-trial"), grows("--trial"));
        assert_eq!(by_trial, by_asking, "{daemon} counts a trial");
    }
    if let Some((_, client)) = CLIENTS.iter().find(|(name, _)| *name == daemon) {
        let answers =
            asked_meanwhile(lab, client, || values.iter().for_each(|value| change(value, "--trial")));
        assert!(answers.len() > 1, "{daemon}: {answers:?}");
        let is_served = |(status, ms): &(String, u64)| status == "0" && *ms < 5_000;
        assert!(answers.iter().all(is_served), "{daemon}: {answers:?}");
    }
}

/// What is other after trials, and stays as it is where the same is done without: in the host, and in its logs.
fn traces_of(lab: &Lab, change: &dyn Fn(&str, &str), values: &[&str; 3]) -> Vec<String> {
    let first = snapshot(lab);
    change(values[0], "--no-trial");
    lab.sh("sleep 1");
    let before = snapshot(lab);
    let by_itself: BTreeSet<&str> = first.symmetric_difference(&before).map(|line| subject(line)).collect();
    let logs = logged(lab);
    values[1..].iter().for_each(|value| change(value, "--trial"));
    let by_trials = logged(lab) - logs;
    let after = snapshot(lab);
    let other = before.symmetric_difference(&after).filter(|line| !by_itself.contains(subject(line)));
    let mut traces: Vec<String> = other.cloned().collect();
    // Of a cache that every client may have made anew, its folder has the time.
    let is_cache = |subject: &str| subject.ends_with("/pg_internal.init");
    let folders: Vec<String> = traces
        .iter()
        .filter(|line| is_cache(subject(line)))
        .filter_map(|line| subject(line).rsplit_once('/').map(|(folder, _)| folder.to_owned()))
        .collect();
    traces.retain(|line| !is_cache(subject(line)) && !folders.iter().any(|folder| folder == subject(line)));
    let logs = logged(lab);
    values[1..].iter().for_each(|value| change(value, "--no-trial"));
    let by_asking = logged(lab) - logs;
    if by_trials != by_asking {
        traces.push(format!("{by_trials} lines in the logs, and {by_asking} without a trial"));
    }
    traces
}

/// The same on the next release, whose daemons and service manager are others.
#[test]
#[ignore = "needs root, daemons, and a tree of the next release"]
fn good_files_pass_on_the_next_release() {
    side_by_side(1, &all(), |(daemon, _, start, setting, values)| {
        let lab = boot_tree(&next_release(), &[]);
        lab.sh(&start.replace("php8.2", "php8.4").replace("@15-", "@17-"));
        let setting = setting.replace("mysqld", "mariadbd");
        for value in &values[..if *daemon == SLOW { 1 } else { 3 }] {
            let (status, document) =
                lab.gypsum(&["change", daemon, "-n", "--trial", &format!("{setting}={value}")]);
            assert_eq!((status, was_tried(&document)), (0, true), "{daemon}: {document:#}");
            assert_eq!(findings(&document, "trial"), Vec::<String>::new(), "{daemon}");
        }
    });
}

/// What a line of a snapshot is about.
fn subject(line: &str) -> &str {
    match line.split_once(' ') {
        Some(("file", rest)) => rest.split(' ').next().unwrap_or(rest),
        Some((_, rest)) => rest,
        None => line,
    }
}

/// A fault that the daemon's own checker lets through: the daemon, what is installed and started, the edits, and what the
/// trial start says.
struct Fault {
    daemon: &'static str,
    program: &'static str,
    start: &'static str,
    edits: &'static [&'static str],
    rule: &'static str,
    says: &'static str,
}

const FAULTS: [Fault; 9] = [
    Fault {
        daemon: "apache2",
        program: "/usr/sbin/apache2",
        start: "systemctl start apache2",
        edits: &["--add", "ThreadStackSize=99999999999", "--accept", "value"],
        rule: "trial",
        says: "unable to create worker thread",
    },
    Fault {
        daemon: "apache2",
        program: "/usr/sbin/apache2",
        start: "systemctl start apache2; mkdir /var/www/html/east; echo east > /var/www/html/east/index.html
            for n in 1 2 3; do curl -s -A Mozilla -o /dev/null http://127.0.0.1/east/; done",
        edits: &["--add", "VirtualHost *:80..Redirect=gone /east/"],
        rule: "trial",
        says: "what clients asked: http://127.0.0.1/east/: 410 now, 200 before",
    },
    Fault {
        daemon: "dovecot",
        program: "/usr/sbin/dovecot",
        start: "systemctl start dovecot; sleep 1",
        edits: &["listen=127.0.0.2"],
        rule: "trial",
        says: "connection refused",
    },
    Fault {
        daemon: "unbound",
        program: "/usr/sbin/unbound",
        start: "systemctl start unbound",
        edits: &["server..do-udp=no"],
        rule: "trial",
        says: "no process listens there",
    },
    Fault {
        daemon: "sshd",
        program: "/usr/sbin/sshd",
        start: "systemctl start ssh",
        edits: &["KexAlgorithms=diffie-hellman-group1-sha1"],
        rule: "trial",
        says: "no matching key exchange method",
    },
    Fault {
        daemon: "haproxy",
        program: "/usr/sbin/haproxy",
        start: PROXY,
        edits: &["frontend boards..default_backend=spare"],
        rule: "trial",
        says: "http://127.0.0.1/: 503 now, 200 before",
    },
    Fault {
        daemon: "nginx",
        program: "/usr/sbin/nginx",
        start: "systemctl start nginx; mkdir /run/quays",
        edits: &["pid=/run/quays/nginx.pid"],
        rule: "after-boot",
        says: "nginx starts now, but after the next boot it does not start",
    },
    Fault {
        daemon: "redis",
        program: "/usr/bin/redis-server",
        start: "systemctl start redis-server; mkdir /etc/boards; echo 'mode good' > /etc/boards/boards.conf
            setsid perl /usr/local/lib/boards.pl > /dev/null 2>&1 & sleep 0.5",
        edits: &["port=8571", "--accept", "port-taken"],
        rule: "trial",
        says: "would listen on 127.0.0.1:8571 (TCP), where another process listens",
    },
    Fault {
        daemon: "mariadb",
        program: "/usr/sbin/mariadbd",
        start: "systemctl start mariadb",
        edits: &["mysqld..bind-address=192.0.2.9", "--accept", "foreign-address", "--trial"],
        rule: "trial",
        says: "answers clients",
    },
];

/// A balancer before a web server on this host.
const PROXY: &str = "printf 'server { listen 8081; root /var/www/html; }' > /etc/nginx/sites-enabled/default; systemctl start nginx
    printf 'frontend boards\\n\\tbind 127.0.0.1:80\\n\\tmode http\\n\\tdefault_backend tides\\nbackend tides\\n\\tmode http\\n\\tserver a 127.0.0.1:8081\\nbackend spare\\n\\tmode http\\n' \
    >> /etc/haproxy/haproxy.cfg; systemctl start haproxy; sleep 0.5";

#[test]
#[ignore = "needs root and daemons"]
fn what_would_fail_is_refused_before_it_is_live() {
    side_by_side(1, &FAULTS, |fault| {
        let lab = boot(&[fault.program]);
        lab.sh(fault.start);
        let (status, document) = lab.gypsum(&[&["change", fault.daemon, "-n"], fault.edits].concat());
        let told = findings(&document, fault.rule);
        assert!(
            told.iter().any(|line| line.contains(fault.says)),
            "{} {:?}: {document:#}",
            fault.daemon,
            fault.edits
        );
        assert_eq!(status, if fault.rule == "trial" { 3 } else { 0 }, "{document:#}");
    });
}

#[test]
#[ignore = "needs root and daemons"]
fn what_a_proposal_reaches_on_this_host_is_reached_from_a_trial() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/sbin/dnsmasq", "/usr/sbin/php-fpm8.2"]);
    // A name that only the host's own name server knows, a socket, and a port.
    lab.sh("printf 'address=/tides.saltmarsh.example/127.0.0.1\\n' > /etc/dnsmasq.d/tides.conf; systemctl start dnsmasq
        echo 'nameserver 127.0.0.1' > /etc/resolv.conf
        printf 'server { listen 8081; root /var/www/html; }' > /etc/nginx/conf.d/tides.conf; systemctl start nginx php8.2-fpm; sleep 0.5
        printf 'server {\\n listen 127.0.0.1:8082;\\n server_name boards.saltmarsh.example;\\n location / { proxy_pass http://tides.saltmarsh.example:8081; }\\n}\\n' > /root/by-name
        printf 'server {\\n listen 127.0.0.1:8083;\\n server_name boards.saltmarsh.example;\\n location / { include fastcgi.conf; fastcgi_pass unix:/run/php/php8.2-fpm.sock; }\\n}\\n' > /root/by-socket");
    for whole in ["by-name", "by-socket"] {
        let at = format!("/etc/nginx/conf.d/{whole}.conf");
        let (status, document) = lab.gypsum(&[
            "change",
            "nginx",
            "-n",
            "--whole",
            &format!("/root/{whole}"),
            "--in",
            &at,
            "--new",
        ]);
        assert_eq!(status, 0, "{document:#}");
        assert!(was_tried(&document), "{document:#}");
        assert_eq!(findings(&document, "trial"), Vec::<String>::new());
    }
    let lab = boot(&["/usr/sbin/haproxy"]);
    lab.sh(PROXY);
    let (status, document) = lab.gypsum(&["change", "haproxy", "-n", "frontend boards..maxconn=61"]);
    assert_eq!((status, was_tried(&document)), (0, true), "{document:#}");
}

#[test]
#[ignore = "needs root and daemons"]
fn nothing_of_a_trial_outlives_gypsum() {
    let lab = boot(&["/usr/sbin/mariadbd"]);
    lab.sh("systemctl start mariadb");
    let seen = "ps -eo args= | grep -c -E '^(gypsum|/usr/sbin/mariadbd|mariadbd)' ; wc -l < /proc/1/mountinfo; ls /proc/*/ns/net | wc -l > /dev/null";
    let before = lab.sh(seen);
    for delay in ["0.05", "0.1", "0.15", "0.2", "0.3", "0.4"] {
        lab.sh(&format!(
            "gypsum change mariadb -n --trial mysqld..max_connections=61 > /dev/null 2>&1 & sleep {delay}; kill -KILL $!"
        ));
        // The kernel ends what was in its namespaces, as soon as it comes to that.
        let is_over = || (0..30).any(|_| lab.sh(&format!("sleep 0.1; {seen}")) == before);
        assert!(is_over(), "killed after {delay} s: {} instead of {before}", lab.sh(seen));
    }
}

#[test]
#[ignore = "needs root and daemons"]
fn why_there_is_no_trial_is_said_and_the_change_goes_on() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/sbin/rsyslogd"]);
    lab.sh("systemctl start nginx rsyslog");
    for (words, why) in [
        (
            "gypsum change rsyslog -n --trial '$FileCreateMode=0644'",
            "no trial start of rsyslog was made: syslog.socket holds its socket",
        ),
        (
            "setpriv --bounding-set -sys_admin gypsum change nginx -n --accept rehearsal http..keepalive_timeout=61",
            "does not allow it namespaces",
        ),
        (
            "mkdir /tmp/own; echo 'mode good' > /tmp/own/x; chown -R nobody /tmp/own; setpriv --reuid nobody --regid nogroup --clear-groups \
             gypsum change boards -n --trial --state /tmp/own --file /tmp/own/x --format keyword --unit nginx.service mode=bad",
            "it needs root",
        ),
        (
            "gypsum change unit:nginx.service -n --trial Service..Nice=5",
            "no trial start of unit:nginx.service was made",
        ),
    ] {
        let ran = lab.run(&["sh", "-c", &format!("cd /; {words} 2>&1")]);
        let said = String::from_utf8_lossy(&ran.stdout).replace('\n', " ");
        let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(said.contains(why), "{words}: {said}");
        assert!(said.contains("Dry run: nothing was touched"), "{words}: {said}");
    }
}

#[test]
#[ignore = "needs root and daemons"]
fn a_daemon_without_a_profile_is_tried_where_that_is_asked_for() {
    let lab = boot(&["/usr/bin/perl"]);
    lab.sh("mkdir /etc/boards; echo 'mode good' > /etc/boards/boards.conf
        printf '[Service]\\nExecStart=/usr/bin/perl /usr/local/lib/boards.pl\\nStateDirectory=boards\\nDynamicUser=no\\n' > /etc/systemd/system/boards.service
        systemctl daemon-reload; systemctl start boards");
    let target = ["--file", "/etc/boards/boards.conf", "--format", "keyword", "--unit", "boards.service"];
    let change = |more: &[&str]| lab.gypsum(&[&["change", "boards", "-n"], more, &target].concat());
    let (status, document) = change(&["mode=fails"]);
    assert_eq!((status, was_tried(&document)), (0, false), "{document:#}");
    let (status, document) = change(&["mode=fails", "--trial"]);
    assert_eq!(status, 3, "{document:#}");
    let told = findings(&document, "trial");
    assert!(told[0].contains("cannot work like that"), "{told:?}");
    let (status, document) = change(&["mode=silent", "--trial"]);
    assert_eq!((status, was_tried(&document)), (0, true), "{document:#}");
    lab.sh("sed -i s/no/yes/ /etc/systemd/system/boards.service; systemctl daemon-reload");
    let ran =
        lab.run(&[&["gypsum", "change", "boards", "-n", "mode=fails", "--trial"][..], &target].concat());
    let said = String::from_utf8_lossy(&ran.stdout).split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("its account is made at each start (DynamicUser)"), "{said}");
}

/// They do not know of each other, and neither is in the other's way.
#[test]
#[ignore = "needs root and daemons"]
fn two_trials_at_once_are_two() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/redis-server"]);
    lab.sh("systemctl start nginx redis-server");
    let said = lab.sh(
        "gypsum change nginx -n http..keepalive_timeout=61 > /root/one 2>&1 & gypsum change redis -n timeout=61 > /root/two 2>&1 || exit 1
         wait $! || exit 1; cat /root/one /root/two | tr -s ' \\n' ' '",
    );
    assert_eq!(said.matches("a trial start of").count(), 2, "{said}");
    assert!(!said.contains("proves nothing"), "{said}");
}

/// Who restarts a daemon without an edit has nothing to go back to.
#[test]
#[ignore = "needs root and daemons"]
fn a_restart_with_files_that_do_not_start_is_refused() {
    let lab = boot(&["/usr/bin/redis-server"]);
    lab.sh("systemctl start redis-server");
    let restart = ["change", "redis", "--activation", "restart", "--steady", "0"];
    let (status, document) = lab.gypsum(&restart);
    assert_eq!((status, was_tried(&document)), (0, true), "{document:#}");
    let main = lab.sh("systemctl show -P MainPID redis-server");
    lab.sh("sed -i 's/^bind .*/bind 192.0.2.9/' /etc/redis/redis.conf");
    let (status, document) = lab.gypsum(&restart);
    assert_eq!(status, 3, "{document:#}");
    let told = findings(&document, "trial");
    assert!(told[0].contains("with the files as they are redis does not start"), "{told:?}");
    assert_eq!(lab.sh("systemctl show -P MainPID redis-server"), main);
}

/// Data that the settings put elsewhere are hidden, too: a second daemon cannot load these any more.
#[test]
#[ignore = "needs root and daemons"]
fn data_at_a_place_of_their_own_are_hidden() {
    let lab = boot(&["/usr/bin/redis-server"]);
    lab.sh("install -d -o redis /srv/tides; sed -i 's,^dir .*,dir /srv/tides,' /etc/redis/redis.conf
        systemctl start redis-server; sleep 0.5; echo 'no dump' > /srv/tides/dump.rdb");
    let (status, document) = lab.gypsum(&["change", "redis", "-n", "timeout=61"]);
    assert_eq!((status, was_tried(&document)), (0, true), "{document:#}");
    assert_eq!(findings(&document, "trial"), Vec::<String>::new());
}
