//! What clients see: a daemon that runs, listens, passes its checker and answers every client with an error is restored. What
//! was asked for, and what no client needs, is kept. A client of another maker is the witness.

use crate::host::{boot, side_by_side};

/// One daemon, what a client of another maker sees of it, and changes.
struct Service {
    name: &'static str,
    programs: &'static [&'static str],
    start: &'static str,
    /// A client, as a piece of shell, and what it prints while all is well.
    client: &'static str,
    well: &'static str,
    /// Changes that break clients, and what is said of why they were taken back.
    broken: &'static [(&'static [&'static str], &'static str)],
    /// Changes that are kept, and what is said of the answers.
    kept: &'static [(&'static [&'static str], &'static str)],
}

const RECIPIENT: &str = "exec 3<>/dev/tcp/127.0.0.1/25; for line in '' 'EHLO quay' 'MAIL FROM:<>' 'RCPT TO:<root>'; do
    [ -z \"$line\" ] || printf '%s\\r\\n' \"$line\" >&3
    while read -r -t 20 answer <&3 && [[ $answer == ???-* ]]; do :; done; done; printf 'QUIT\\r\\n' >&3; echo \"${answer:0:3}\"";

const SERVICES: [Service; 5] = [
    Service {
        name: "postfix",
        programs: &["/usr/sbin/postfix"],
        start: "systemctl start postfix; sleep 2",
        client: RECIPIENT,
        well: "250",
        broken: &[
            (
                &["virtual_alias_maps=hash:/etc/postfix/nowhere", "--accept", "missing-file"],
                "answers 451 to RCPT TO:<root>, and answered 250 before",
            ),
            (
                &["smtpd_milters=inet:127.0.0.1:9", "milter_default_action=tempfail"],
                "answers 451 to MAIL FROM:<>, and answered 250 before",
            ),
        ],
        kept: &[
            (&["smtpd_banner=quay ready"], ", as before"),
            (
                &["smtpd_recipient_restrictions=reject"],
                "answers 554 to RCPT TO:<root>, and answered 250 before",
            ),
        ],
    },
    Service {
        name: "named",
        programs: &["/usr/sbin/named", "/usr/bin/dig"],
        start: "printf '$TTL 60\\n@ SOA ns porter 1 60 60 60 60\\n@ NS ns\\nns A 127.0.0.1\\n' > /etc/bind/saltmarsh.zone
            echo 'zone \"saltmarsh.example\" { type primary; file \"/etc/bind/saltmarsh.zone\"; };
            acl quays { 127.0.0.0/8; };' >> /etc/bind/named.conf.local
            sed -i 's,^options {,options {\\n\\tallow-query { quays; };,' /etc/bind/named.conf.options
            systemctl start named; sleep 0.5",
        client: "dig +short +time=2 @127.0.0.1 ns.saltmarsh.example",
        well: "127.0.0.1",
        broken: &[(&["--add", "acl quays..192.0.2.0/24", "--delete", "acl quays..127.0.0.0/8"], "answers REFUSED to SOA saltmarsh.example, and answered ")],
        kept: &[
            (&["options..recursion=no"], ", as before"),
            (&["--add", "options..allow-query..none", "--delete", "options..allow-query..quays"], "answers REFUSED to SOA saltmarsh.example, and answered "),
        ],
    },
    Service {
        name: "unbound",
        programs: &["/usr/sbin/unbound", "/usr/bin/dig"],
        start: "printf 'server:\\n  local-data: \"quay.saltmarsh.example. A 192.0.2.7\"\\n' > /etc/unbound/unbound.conf.d/quay.conf
            systemctl start unbound; sleep 0.5",
        client: "dig +short +time=2 @127.0.0.1 quay.saltmarsh.example",
        well: "192.0.2.7",
        broken: &[],
        kept: &[(&["server..num-threads=2"], ", as before")],
    },
    Service {
        name: "redis",
        programs: &["/usr/bin/redis-server", "/usr/bin/redis-cli"],
        start: "systemctl start redis-server",
        client: "redis-cli setex quay 5 x",
        well: "OK",
        broken: &[(
            &["maxmemory=1", "--accept", "unlikely-value"],
            "answers -OOM to SETEX gypsum 0 x, and answered -ERR before",
        )],
        kept: &[
            (&["timeout=300"], ", as before"),
            (&["requirepass=kelp77harbour"], "answers -NOAUTH to PING, and answered +PONG before"),
        ],
    },
    Service {
        name: "dovecot",
        programs: &["/usr/sbin/dovecot"],
        start: "systemctl start dovecot; sleep 1",
        client: "exec 3<>/dev/tcp/127.0.0.1/143; set -f; read -r -t 10 answer <&3; set -- $answer; echo \"$2\"",
        well: "OK",
        broken: &[],
        kept: &[
            (&["mail_max_userip_connections=5"], ", as before"),
            (&["ssl=no"], "no longer offers STARTTLS, which it offered before"),
        ],
    },
];

#[test]
#[ignore = "needs root and daemons"]
fn what_breaks_clients_is_restored_and_what_was_asked_for_is_kept() {
    side_by_side(2, &SERVICES, |service| {
        let lab = boot(service.programs);
        lab.sh(service.start);
        let seen =
            || lab.sh(&format!("bash -c '{}'", service.client.replace('\'', "'\\''"))).trim().to_owned();
        assert_eq!(seen(), service.well, "{}", service.name);
        let change = |edits: &[&str]| {
            let words = [&["change", service.name, "-y"], edits].concat();
            let (status, document) = lab.gypsum(&words);
            (status, document.to_string())
        };
        for (edits, why) in service.broken {
            let (status, said) = change(edits);
            assert_eq!(status, 4, "{} {edits:?}: {said}", service.name);
            assert!(said.contains(why), "{} {edits:?}: {said}", service.name);
            assert_eq!(seen(), service.well, "{} {edits:?}", service.name);
        }
        for (edits, answers) in service.kept {
            let (status, said) = change(edits);
            assert_eq!(status, 0, "{} {edits:?}: {said}", service.name);
            assert!(said.contains(answers), "{} {edits:?}: {said}", service.name);
        }
    });
}
