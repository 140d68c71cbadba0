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
    while read -r -t 20 answer <&3 && [[ $answer == ???-* ]]; do :; done; done; printf 'QUIT\\r\\n' >&3; echo \"${answer:0:3}\"
    openssl s_client -connect 127.0.0.1:25 -starttls smtp </dev/null 2>/dev/null | grep -c 'BEGIN CERTIFICATE'";

const SERVICES: [Service; 13] = [
    Service {
        name: "postfix",
        programs: &["/usr/sbin/postfix", "/usr/bin/openssl"],
        start: "openssl req -x509 -newkey rsa:2048 -nodes -keyout /root/quay.key -out /etc/ssl/certs/quay.pem -days 3 -subj /CN=quay
            postconf -e virtual_alias_domains=quay.example 'virtual_alias_maps=inline:{root@quay.example=root}'
            systemctl start postfix; sleep 2",
        client: RECIPIENT,
        well: "250\n1",
        broken: &[
            (&["smtpd_tls_protocols=!TLSv1.2, !TLSv1.3"], "does not speak TLS"),
            // Its key is the other one's.
            (&["smtpd_tls_cert_file=/etc/ssl/certs/quay.pem"], "TLS is not offered, and was offered before"),
            (
                &["virtual_alias_maps=hash:/etc/postfix/nowhere", "--accept", "missing-file"],
                "RCPT TO:<root>: 451 now, 250 before",
            ),
            // Only of one domain nobody is known any more.
            (&["virtual_alias_maps="], "RCPT TO:<root@quay.example>: 550 now, 250 before"),
            // Both kinds of clients see it, and one of them first: a sender gets 451, and TLS is not offered.
            (&["smtpd_milters=inet:127.0.0.1:9", "milter_default_action=tempfail"], "answers clients"),
        ],
        kept: &[
            (&["smtpd_banner=quay ready"], ", as before"),
            (
                &["smtpd_recipient_restrictions=reject"],
                "RCPT TO:<root>: 554 now, 250 before",
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
        broken: &[(&["--add", "acl quays..192.0.2.0/24", "--delete", "acl quays..127.0.0.0/8"], "SOA saltmarsh.example: REFUSED now, ")],
        kept: &[
            (&["options..recursion=no"], ", as before"),
            (&["--add", "options..allow-query..none", "--delete", "options..allow-query..quays"], "SOA saltmarsh.example: REFUSED now, "),
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
            "SETEX gypsum 0 x: -OOM now, -ERR before",
        )],
        kept: &[
            (&["timeout=300"], ", as before"),
            (&["requirepass=kelp77harbour"], "PING: -NOAUTH now, +PONG before"),
        ],
    },
    Service {
        name: "nginx",
        programs: &["/usr/sbin/nginx", "/usr/bin/curl"],
        start: "echo 'server { listen 8080; server_name boards.saltmarsh.example pier.saltmarsh.example; root /var/www/html; \
            location / { try_files $uri $uri/ =404; } location /x { return 200; } }' > /etc/nginx/sites-enabled/boards; systemctl start nginx",
        client: "curl -s -o /dev/null -w %{http_code} -H Host:pier.saltmarsh.example http://127.0.0.1:8080/",
        well: "200",
        broken: &[
            (
                &["--in", "/etc/nginx/sites-enabled/boards", "server..location /..try_files=/nowhere =404"],
                "http://boards.saltmarsh.example:8080/: 404 now, 200 before",
            ),
            (
                &["--in", "/etc/nginx/sites-enabled/boards", "--add", "server..return=302 http://pier.saltmarsh.example:8080/"],
                "http://boards.saltmarsh.example:8080/: redirects without an end now, 200 before",
            ),
        ],
        kept: &[(&["http..keepalive_timeout=70"], ", as before")],
    },
    Service {
        name: "haproxy",
        programs: &["/usr/sbin/haproxy", "/usr/bin/curl"],
        start: "printf 'frontend boards\n\tbind 127.0.0.1:80\n\tmode http\n\tacl pier hdr(host) -i pier.saltmarsh.example\n\t\
            http-request return status 200 if pier\n\thttp-request return status 204\n' >> /etc/haproxy/haproxy.cfg; systemctl start haproxy",
        client: "curl -s -o /dev/null -w %{http_code} -H Host:pier.saltmarsh.example http://127.0.0.1/",
        well: "200",
        broken: &[(
            &["--add", "frontend boards..http-request=deny if { hdr(host) -i pier.saltmarsh.example }", "--first"],
            "http://pier.saltmarsh.example/: 403 now, 200 before",
        )],
        kept: &[(&["frontend boards..maxconn=200"], ", as before")],
    },
    Service {
        name: "haproxy",
        programs: &["/usr/sbin/haproxy", "/usr/bin/curl"],
        start: "printf 'frontend boards\n\tbind 127.0.0.1:80\n\tmode http\n\tdefault_backend quays\nbackend quays\n\tmode http\n\t\
            server east 127.0.0.1:8099 check inter 100ms\n\tserver west 127.0.0.1:8099\nlisten pier\n\tbind 127.0.0.1:8099\n\t\
            mode http\n\thttp-request return status 200\n' >> /etc/haproxy/haproxy.cfg; systemctl start haproxy; sleep 1",
        client: "curl -s -o /dev/null -w %{http_code} http://127.0.0.1/",
        well: "200",
        broken: &[(
            &["backend quays..server#1=east 127.0.0.1:8098 check inter 100ms"],
            "server quays/east is DOWN, and was UP before",
        )],
        kept: &[(&["backend quays..server#2=west 127.0.0.1:8099 weight 2"], "server quays/east is UP, server quays/west is not checked, as before")],
    },
    Service {
        name: "samba",
        programs: &["/usr/sbin/smbd", "/usr/bin/smbclient"],
        start: "printf '\n[boards]\n path = /srv\n guest ok = yes\n' >> /etc/samba/smb.conf; systemctl start smbd; sleep 1",
        client: "smbclient -N //127.0.0.1/boards -c exit >/dev/null 2>&1; echo $?",
        well: "0",
        broken: &[(
            &["boards..path=/nowhere", "--accept", "missing-file"],
            "the share boards is not there, and was open before",
        )],
        kept: &[
            (&["boards..comment=departures"], "the share boards is open, as before"),
            (&["global..server min protocol=SMB3_11"], "the protocol is SMB 3.1.1, "),
        ],
    },
    Service {
        name: "sshd",
        programs: &["/usr/sbin/sshd", "/usr/bin/ssh"],
        start: "systemctl start ssh; sleep 0.5",
        client: "ssh -F none -o BatchMode=yes -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o PreferredAuthentications=none \
            -o LogLevel=ERROR root@127.0.0.1 2>&1 | grep -o publickey,password",
        well: "publickey,password",
        broken: &[(&["Ciphers=aes128-cbc"], "no matching cipher found")],
        kept: &[
            (&["X11Forwarding=no"], "answers publickey,password, as before"),
            (&["PasswordAuthentication=no", "--accept", "locks-out"], "no longer offers password, which it offered before"),
        ],
    },
    Service {
        name: "php-fpm",
        programs: &["/usr/sbin/php-fpm8.2"],
        start: "systemctl start php8.2-fpm; sleep 0.5",
        client: "perl -MIO::Socket::UNIX -e 'print 1 if IO::Socket::UNIX->new(q(/run/php/php8.2-fpm.sock))'",
        well: "1",
        broken: &[],
        kept: &[(&["www..pm.max_children=6"], "answers 404, as before")],
    },
    Service {
        name: "chrony",
        programs: &["/usr/sbin/chronyd", "/usr/bin/chronyc"],
        start: "printf 'allow 127.0.0.0/8\nlocal stratum 8\n' >> /etc/chrony/chrony.conf; systemctl start chrony; sleep 0.5",
        client: "chronyc -n serverstats | sed -n 's/^NTP packets dropped *: //p'",
        well: "0",
        broken: &[],
        kept: &[
            (&["makestep=1 5"], "answers the time, as before"),
            (&["allow=192.0.2.0/24"], "a question: nothing now, the time before"),
        ],
    },
    Service {
        name: "postgresql",
        programs: &["/usr/bin/psql"],
        start: "systemctl start postgresql@15-main; sleep 1",
        client: "psql -w -h 127.0.0.1 -U postgres -c x 2>&1 | grep -c 'no password supplied'",
        well: "1",
        broken: &[
            // The old rules go on, and the reload says that all is well.
            (
                &["--add", "host=all all 192.0.2.0/33 scram-sha-256", "--in", "/etc/postgresql/15/main/pg_hba.conf"],
                "pg_hba.conf was not reloaded",
            ),
            (
                &["ssl_key_file=/etc/ssl/private/nowhere.key", "--accept", "missing-file"],
                "SSL configuration was not reloaded",
            ),
        ],
        kept: &[(&["work_mem=8MB"], "answers SASL, as before")],
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

/// A daemon that lets this host in and turns others away is asked as others reach it, too.
#[test]
#[ignore = "needs root and daemons"]
fn what_breaks_clients_elsewhere_is_seen_at_an_address_that_they_reach() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/curl"]);
    lab.sh("ip address add 192.0.2.9/24 dev lo; ip route add default dev lo src 192.0.2.9
        echo 'geo $guest { default 0; } map $guest $no { 0 \"\"; 1 1; }' > /etc/nginx/conf.d/guests.conf
        echo 'server { listen 8080; root /var/www/html; if ($no) { return 503; } }' > /etc/nginx/sites-enabled/boards
        systemctl start nginx; sleep 0.3");
    let seen = || lab.sh("curl -s -o /dev/null -w %{http_code} http://192.0.2.9:8080/");
    assert_eq!(seen(), "200");
    let (status, document) =
        lab.gypsum(&["change", "nginx", "-y", "--no-trial", "--add", "geo $guest..192.0.2.0/24=1"]);
    let said = document.to_string();
    assert_eq!(status, 4, "{said}");
    let why = "http://192.0.2.9:8080/: 503 now, 200 before";
    assert!(said.contains(why), "{said}");
    assert_eq!(seen(), "200");
}

#[test]
#[ignore = "needs root and daemons"]
fn what_breaks_clients_is_restored_and_what_was_asked_for_is_kept() {
    side_by_side(1, &SERVICES, |service| {
        let lab = boot(service.programs);
        lab.sh(service.start);
        let seen =
            || lab.sh(&format!("bash -c '{}'", service.client.replace('\'', "'\\''"))).trim().to_owned();
        assert_eq!(seen(), service.well, "{}", service.name);
        let change = |edits: &[&str]| {
            let words = [&["change", service.name, "-y", "--no-trial"], edits].concat();
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
