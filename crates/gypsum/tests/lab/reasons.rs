//! A daemon that does not start for a reason that only its log names: the reason is on the screen.

use crate::host::{boot, side_by_side};

struct Case {
    daemon: &'static str,
    program: &'static str,
    start: &'static str,
    /// A change that every checker takes, and with which the daemon does not start.
    edit: &'static [&'static str],
    /// What its log says of it.
    says: &'static str,
}

const fn case(
    daemon: &'static str,
    program: &'static str,
    start: &'static str,
    edit: &'static [&'static str],
    says: &'static str,
) -> Case {
    Case { daemon, program, start, edit, says }
}

/// The port 8099 has another owner.
const CASES: [Case; 14] = [
    case("sshd", "/usr/sbin/sshd", "systemctl start ssh", &["Port=8099"], "Address already in use"),
    case(
        "nginx",
        "/usr/sbin/nginx",
        "systemctl start nginx",
        &["--in", "/etc/nginx/sites-enabled/default", "--add", "server..listen=8099"],
        "bind() to 0.0.0.0:8099 failed",
    ),
    case(
        "apache2",
        "/usr/sbin/apache2",
        "systemctl start apache2",
        &["--in", "/etc/apache2/ports.conf", "Listen=8099"],
        "could not bind to address",
    ),
    case(
        "redis",
        "/usr/bin/redis-server",
        "systemctl start redis-server",
        &["port=8099"],
        "Address already in use",
    ),
    case(
        "mariadb",
        "/usr/sbin/mariadbd",
        "systemctl start mariadb",
        &["mysqld..port=8099"],
        "Address already in use",
    ),
    case(
        "postgresql",
        "/usr/bin/pg_ctlcluster",
        "systemctl start postgresql@15-main",
        &["port=8099"],
        "could not bind",
    ),
    case("squid", "/usr/sbin/squid", "systemctl start squid; sleep 1", &["http_port=8099"], "8099"),
    case("dnsmasq", "/usr/sbin/dnsmasq", "systemctl start dnsmasq", &["port=8099"], "Address already in use"),
    case(
        "unbound",
        "/usr/sbin/unbound",
        "systemctl start unbound; sleep 1",
        &["--add", "server", "server..port=8099"],
        "Address already in use",
    ),
    case(
        "samba",
        "/usr/sbin/smbd",
        "systemctl start smbd",
        &["global..smb ports=8099"],
        "Address already in use",
    ),
    case(
        "haproxy",
        "/usr/sbin/haproxy",
        "printf '\\nfrontend boards\\n\\tbind 127.0.0.1:8080\\n\\tmode http\\n\\thttp-request return status 200\\n' >> /etc/haproxy/haproxy.cfg; systemctl start haproxy",
        &["frontend boards..bind=127.0.0.1:8099"],
        "cannot bind socket",
    ),
    case(
        "php-fpm",
        "/usr/sbin/php-fpm8.2",
        "systemctl start php8.2-fpm",
        &["--in", "/etc/php/8.2/fpm/pool.d/www.conf", "www..listen=127.0.0.1:8099"],
        "Address already in use",
    ),
    case(
        "tomcat",
        "/usr/share/tomcat10/bin/catalina.sh",
        "systemctl start tomcat10; sleep 6",
        &["JAVA_OPTS=-Djava.awt.headless=true -XX:+NoSuchTide"],
        "Unrecognized VM option",
    ),
    case(
        "gunicorn",
        "/usr/bin/gunicorn",
        "mkdir -p /etc/gunicorn /srv/app; printf 'bind = \"127.0.0.1:8000\"\\nworkers = 1\\n' >/etc/gunicorn/gunicorn.conf.py; printf 'def app(environ, start):\\n    start(\"200 OK\", [])\\n    return [b\"boards\"]\\n' >/srv/app/boards.py; printf '[Service]\\nWorkingDirectory=/srv/app\\nExecStart=/usr/bin/gunicorn -c /etc/gunicorn/gunicorn.conf.py boards:app\\n' >/etc/systemd/system/gunicorn.service; systemctl start gunicorn; sleep 1",
        &["bind=127.0.0.1:8099"],
        "Connection in use",
    ),
];

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_reason_that_only_the_log_names_is_on_the_screen() {
    let only = std::env::var("GYPSUM_REASON").ok();
    let cases: Vec<&Case> =
        CASES.iter().filter(|case| only.as_deref().is_none_or(|only| case.daemon == only)).collect();
    side_by_side(2, &cases, |case| {
        let lab = boot(&[case.program, "/usr/bin/socat"]);
        lab.sh(case.start);
        lab.sh("for udp in TCP UDP; do systemd-run -q socat $udp-LISTEN:8099,fork,reuseaddr EXEC:/bin/cat; done; sleep 0.5");
        let words =
            [&["change", case.daemon, "--no-trial"][..], case.edit, &["--accept", "port-taken"]].concat();
        let (status, report) = lab.gypsum(&words);
        let log = report["log"].to_string();
        assert_eq!(
            (status, report["verdict"].as_str()),
            (4, Some("restored")),
            "{}: {report:#}",
            case.daemon
        );
        assert!(log.contains(case.says), "{}: {log}\n{report:#}", case.daemon);
    });
}
