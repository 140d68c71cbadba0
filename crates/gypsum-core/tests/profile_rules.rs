//! The rules of the built-in profiles: each fires on a change that does what it warns of, and is silent on the change
//! back.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::version::Version;
use gypsum_core::check::CheckingChange;
use gypsum_core::profile::{BUILT_IN, built_in};
use gypsum_core::rules::read_profile as read;
use gypsum_core::rules::{as_if_new, changed_statements};
use gypsum_core::survey::Survey;

/// Daemon, its rule, a configuration without the fault, one with it. The second name of a daemon is that of a file with
/// another format.
const RULES: [(&str, &str, &str, &str); 61] = [
    (
        "apache2",
        "no-tls",
        "<VirtualHost *:443>\nSSLCertificateFile /c\nSSLEngine on\n</VirtualHost>\n",
        "<VirtualHost *:443>\nSSLCertificateFile /c\n</VirtualHost>\n",
    ),
    (
        "apache2",
        "not-granted",
        "DocumentRoot /srv/quay\n<Directory /srv/quay>\nRequire all granted\n</Directory>\n",
        "DocumentRoot /srv/quay\n<Directory /srv/other>\nRequire all granted\n</Directory>\n",
    ),
    ("chrony", "no-source", "pool ntp.saltmarsh.example iburst\n", "makestep 1 3\n"),
    (
        "chrony",
        "keys-without-file",
        "server ntp.saltmarsh.example key 3\nauthselectmode require\nkeyfile /k\n",
        "server ntp.saltmarsh.example key 3\nauthselectmode require\n",
    ),
    (
        "dnsmasq",
        "range-without-lease",
        "dhcp-range=192.0.2.5,192.0.2.9\ndhcp-host=aa:bb:cc:dd:ee:ff,192.0.2.7\n",
        "dhcp-host=aa:bb:cc:dd:ee:ff,192.0.2.7\n",
    ),
    (
        "dnsmasq",
        "answers-no-more",
        "address=/quay.example/192.0.2.7\naddress=/pier.example/192.0.2.8\n",
        "address=/quay.example/192.0.2.7\n",
    ),
    (
        "gunicorn",
        "hangs-up-first",
        "timeout = 30\ngraceful_timeout = 30\n",
        "timeout = 30\ngraceful_timeout = 60\n",
    ),
    (
        "haproxy",
        "goes-nowhere",
        "frontend quay\n  bind :80\n  use_backend a if { path /a }\n  default_backend b\n",
        "frontend quay\n  bind :80\n  use_backend a if { path /a }\n",
    ),
    (
        "haproxy",
        "unreachable",
        "frontend quay\n  http-request deny if { path /a }\n  http-request set-header X-Quay 1\n",
        "frontend quay\n  http-request deny\n  http-request set-header X-Quay 1\n",
    ),
    (
        "mariadb",
        "limits-apart",
        "[mysqld]\ntmp_table_size = 16M\nmax_heap_table_size = 32M\n",
        "[mysqld]\ntmp_table_size = 64M\nmax_heap_table_size = 32M\n",
    ),
    ("mariadb", "moved-socket", "[mysqld]\nsocket = /run/a.sock\n", "[mysqld]\nmax_connections = 9\n"),
    (
        "nginx",
        "catches-all",
        "http {\n server {\n location ~ \\.php$ {\n }\n }\n}\n",
        "http {\n server {\n location ~ / {\n }\n }\n}\n",
    ),
    (
        "php-fpm",
        "for-one-host",
        "[PHP]\nmemory_limit = 128M\n",
        "[PHP]\nmemory_limit = 128M\n[HOST=quay.example]\nmemory_limit = 64M\n",
    ),
    (
        "php-fpm",
        "spare-above-most",
        "[www]\npm.max_children = 5\npm.max_spare_servers = 3\n",
        "[www]\npm.max_children = 5\npm.max_spare_servers = 9\n",
    ),
    (
        "php-fpm",
        "upload-above-post",
        "[PHP]\nupload_max_filesize = 2M\npost_max_size = 8M\n",
        "[PHP]\nupload_max_filesize = 20M\npost_max_size = 8M\n",
    ),
    (
        "php-fpm",
        "post-above-memory",
        "[PHP]\npost_max_size = 8M\nmemory_limit = 128M\n",
        "[PHP]\npost_max_size = 800M\nmemory_limit = 128M\n",
    ),
    ("php-fpm", "moved-socket", "[www]\nlisten = /run/php/a.sock\n", "[www]\npm = static\n"),
    (
        "postfix",
        "swallows-comment",
        "mydestination = localhost\nmynetworks = 127.0.0.0/8\n",
        "mydestination = localhost\n mynetworks = 127.0.0.0/8\n",
    ),
    ("postfix", "trusts-no-more", "mynetworks = 127.0.0.0/8 192.0.2.0/24\n", "mynetworks = 127.0.0.0/8\n"),
    (
        "postfix",
        "same-limit",
        "message_size_limit = 10240000\nvirtual_mailbox_limit = 51200000\n",
        "message_size_limit = 60240000\nvirtual_mailbox_limit = 51200000\n",
    ),
    (
        "postgresql/records",
        "unreachable-host",
        "host quay porter 192.0.2.0/24 md5\nhost all all all reject\n",
        "host all all all reject\nhost quay porter 192.0.2.0/24 md5\n",
    ),
    ("postgresql/records", "unknown-method", "local all all peer\n", "local all all pear\n"),
    (
        "postgresql/records",
        "logs-in-no-more",
        "local all all peer\nhost quay porter 192.0.2.0/24 md5\n",
        "local all all peer\n",
    ),
    ("postgresql/records", "allows-anyone", "host all all 0.0.0.0/0 md5\n", "host all all 0.0.0.0/0 trust\n"),
    (
        "postgresql",
        "all-kept",
        "max_connections = 100\nsuperuser_reserved_connections = 3\n",
        "max_connections = 100\nsuperuser_reserved_connections = 200\n",
    ),
    (
        "redis",
        "never-frees",
        "maxmemory 64mb\nmaxmemory-policy allkeys-lru\n",
        "maxmemory 64mb\nmaxmemory-policy noeviction\n",
    ),
    ("rsyslog", "loses-rights", "*.* /var/log/quay\n", "*.* /var/log/quay\n$PrivDropToUser syslog\n"),
    ("rsyslog", "logs-no-more", "*.* /var/log/quay\nmail.* /var/log/post\n", "mail.* /var/log/post\n"),
    (
        "squid",
        "unreachable-reply",
        "http_reply_access allow quay\nhttp_reply_access deny all\n",
        "http_reply_access deny all\nhttp_reply_access allow quay\n",
    ),
    (
        "squid",
        "narrower-port",
        "acl Safe_ports port 80\nacl Safe_ports port 443\n",
        "acl Safe_ports port 80\n",
    ),
    (
        "sshd",
        "no-key-nowhere",
        "PasswordAuthentication no\nAuthorizedKeysFile .ssh/authorized_keys\n",
        "PasswordAuthentication no\nAuthorizedKeysFile none\n",
    ),
    ("sshd", "empty-passwords", "PermitEmptyPasswords no\n", "PermitEmptyPasswords yes\n"),
    ("sshd", "offers-no-more", "Subsystem sftp /usr/lib/sftp\n", "# nothing\n"),
    ("unbound", "no-replies", "server:\n do-ip4: yes\n do-ip6: no\n", "server:\n do-ip4: no\n do-ip6: no\n"),
    (
        "unbound",
        "answers-no-more",
        "server:\n local-data: \"quay.example. A 192.0.2.7\"\n",
        "server:\n do-ip4: yes\n",
    ),
    (
        "named/records",
        "final-dot",
        "quay IN CNAME pier.saltmarsh.example.\n",
        "quay IN CNAME pier.saltmarsh.example\n",
    ),
    ("sshd", "value", "MaxAuthTries 4\n", "MaxAuthTries many\n"),
    (
        "sshd",
        "no-way-in",
        "PubkeyAuthentication yes\nPasswordAuthentication no\nKbdInteractiveAuthentication no\n",
        "PubkeyAuthentication no\nPasswordAuthentication no\nKbdInteractiveAuthentication no\n",
    ),
    (
        "apache2",
        "either-or",
        "<Directory /a>\nRequire all granted\n</Directory>\n",
        "<Directory /a>\nOrder allow,deny\nRequire all granted\n</Directory>\n",
    ),
    (
        "apache2",
        "open-after-all",
        "<Directory /a>\nRequire ip 192.0.2.0/24\n</Directory>\n",
        "<Directory /a>\nRequire all granted\nRequire ip 192.0.2.0/24\n</Directory>\n",
    ),
    (
        "apache2",
        "serves-no-more",
        "<VirtualHost *:80>\nServerName quay.example\n</VirtualHost>\n",
        "<VirtualHost *:80>\n</VirtualHost>\n",
    ),
    (
        "apache2",
        "same-name",
        "<VirtualHost *:80>\nServerName quay.example\n</VirtualHost>\n<VirtualHost *:80>\nServerName pier.example\n</VirtualHost>\n",
        "<VirtualHost *:80>\nServerName quay.example\n</VirtualHost>\n<VirtualHost *:80>\nServerName quay.example\n</VirtualHost>\n",
    ),
    ("dovecot", "serves-no-more", "protocols = imap pop3\n", "protocols = imap\n"),
    (
        "haproxy",
        "serves-no-more",
        "frontend quay\n  bind :80\n  default_backend a\nbackend a\n  server s 127.0.0.1:8080\nbackend b\n  server s 127.0.0.1:8081\n",
        "frontend quay\n  bind :80\n  default_backend a\nbackend a\n  server s 127.0.0.1:8080\n",
    ),
    (
        "named",
        "unreachable",
        "options {\n allow-query { 192.0.2.0/24; any; };\n};\n",
        "options {\n allow-query { any; 192.0.2.0/24; };\n};\n",
    ),
    (
        "named",
        "serves-no-more",
        "zone \"quay.example\" {\n type primary;\n file \"/z\";\n};\n",
        "options {\n recursion no;\n};\n",
    ),
    (
        "nginx",
        "open-after-all",
        "http {\n server {\n allow 192.0.2.0/24;\n deny all;\n }\n}\n",
        "http {\n server {\n allow 192.0.2.0/24;\n }\n}\n",
    ),
    (
        "nginx",
        "unreachable",
        "http {\n server {\n allow 192.0.2.0/24;\n deny all;\n }\n}\n",
        "http {\n server {\n deny all;\n allow 192.0.2.0/24;\n }\n}\n",
    ),
    (
        "nginx",
        "serves-no-more",
        "http {\n server {\n listen 80;\n server_name quay.example pier.example;\n }\n}\n",
        "http {\n server {\n listen 80;\n server_name quay.example;\n }\n}\n",
    ),
    (
        "nginx",
        "loops",
        "http {\n server {\n return 301 https://$host$request_uri;\n }\n}\n",
        "http {\n server {\n return 301 http://$host$request_uri;\n }\n}\n",
    ),
    (
        "nginx",
        "slash",
        "http {\n server {\n location /a/ {\n alias /srv/a/;\n }\n }\n}\n",
        "http {\n server {\n location /a/ {\n alias /srv/a;\n }\n }\n}\n",
    ),
    ("postfix", "open-relay", "mynetworks = 127.0.0.0/8\n", "mynetworks = 127.0.0.0/8 0.0.0.0/0\n"),
    (
        "postfix",
        "unreachable",
        "smtpd_recipient_restrictions = permit_mynetworks, reject\n",
        "smtpd_recipient_restrictions = reject, permit_mynetworks\n",
    ),
    ("postfix", "quoted", "myhostname = quay.example\n", "myhostname = \"quay.example\"\n"),
    (
        "postgresql/records",
        "unreachable",
        "local quay porter md5\nlocal all all peer\n",
        "local all all peer\nlocal quay porter md5\n",
    ),
    ("redis", "open-to-all", "protected-mode yes\n", "protected-mode no\n"),
    ("rsyslog", "unreachable", "mail.* stop\n", "*.* stop\n"),
    (
        "samba",
        "serves-no-more",
        "[maps]\npath = /srv/maps\n[boards]\npath = /srv/boards\n",
        "[maps]\npath = /srv/maps\n",
    ),
    (
        "squid",
        "unreachable",
        "http_access allow quay\nhttp_access deny all\n",
        "http_access deny all\nhttp_access allow quay\n",
    ),
    ("squid", "open-after-all", "http_access allow quay\nhttp_access deny all\n", "http_access allow quay\n"),
    ("squid", "open-to-all", "http_access deny all\n", "http_access allow all\n"),
];

/// The rules that a change breaks.
fn found(name: &str, before: &str, after: &str) -> Vec<String> {
    let (name, other) = name.split_once('/').map_or((name, false), |(name, _)| (name, true));
    let profile = read(built_in(name).unwrap().text).unwrap();
    let (before, after) = (Version::of(&profile, other, before), Version::of(&profile, other, after));
    let survey = Survey::default();
    let old = before.view(&profile, &survey);
    let new = after.view(&profile, &survey);
    let findings = CheckingChange::of(old, new, &changed_statements(&old, &new)).round(&survey);
    findings.into_iter().map(|finding| finding.rule).collect()
}

#[test]
fn every_rule_fires_and_is_silent_on_the_way_back() {
    let mut wrong = Vec::new();
    for (name, rule, good, bad) in RULES {
        let (there, back) = (found(name, good, bad), found(name, bad, good));
        if !there.iter().any(|found| found == rule) {
            wrong.push(format!("{name}: {rule} does not fire, only {there:?}"));
        }
        if back.iter().any(|found| found == rule) {
            wrong.push(format!("{name}: {rule} fires on the way back"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// A setting holds nowhere in a block whose module is not loaded, and not in blocks that have one of their own.
#[test]
fn settings_that_hold_nowhere_are_said() {
    let block = |inside: &str| format!("<IfModule mod_quay.c>\n{inside}</IfModule>\n");
    let has = |name: &str, before: &str, after: &str, rule: &str| {
        found(name, before, after).iter().any(|found| found == rule)
    };
    assert!(has("apache2", &block(""), &block("Timeout 60\n"), "no-effect"));
    let loaded = |inside: &str| format!("LoadModule quay_module /quay.so\n{}", block(inside));
    assert!(!has("apache2", &loaded(""), &loaded("Timeout 60\n"), "no-effect"));
    let site = |around: &str, inside: &str| {
        format!("http {{\nserver {{\n{around}location /a {{\n{inside}}}\n}}\n}}\n")
    };
    let header = "add_header X-Quay 3;\n";
    assert!(has("nginx", &site("", header), &site(header, header), "no-effect"));
    assert!(has("nginx", &site(header, ""), &site(header, header), "not-inherited"));
    for rule in ["no-effect", "not-inherited"] {
        assert!(!has("nginx", &site("", ""), &site("", header), rule), "{rule}");
        assert!(!has("nginx", &site("", ""), &site(header, ""), rule), "{rule}");
        // One more beside others of the block itself takes nothing away.
        let two = format!("{header}add_header X-Pier 4;\n");
        assert!(!has("nginx", &site(header, header), &site(header, &two), rule), "{rule}");
        // A type of content is taken over whatever is inside.
        assert!(!has("nginx", &site("", "root /a;\n"), &site("root /b;\n", "root /a;\n"), rule), "{rule}");
    }
}

/// These ask the health checks of the change, or another daemon: the lab has them on real daemons.
const IN_THE_LAB: [&str; 2] = ["not-asked", "admits-more"];

/// A profile's rule that no test has met is a rule that nobody knows to work.
#[test]
fn every_rule_of_a_profile_is_in_a_table_of_tests() {
    let mut missing = Vec::new();
    for built_in in BUILT_IN {
        for rule in read(built_in.text).unwrap().rule {
            let of = |name: &str| name.split('/').next() == Some(built_in.name);
            let met = RULES.iter().any(|(name, met, ..)| of(name) && *met == rule.name);
            if !met && !IN_THE_LAB.contains(&rule.name.as_str()) {
                missing.push(format!("{}: {}", built_in.name, rule.name));
            }
        }
    }
    assert!(missing.is_empty(), "{}", missing.join("\n"));
}

/// What a change touched is what it has and the version before has not, as often as it has it; lines may have moved.
#[test]
fn a_changed_statement_is_one_that_was_not_there() {
    let profile = read(built_in("sshd").unwrap().text).unwrap();
    let survey = Survey::default();
    let before = "Port 22\nMaxAuthTries 6\nUsePAM yes\nAcceptEnv LANG\n";
    for (after, wanted) in [
        (before.to_owned(), 0),
        (before.replace("Tries 6", "Tries 4"), 1),
        (before.replace("Tries 6", "Tries 4").replace("Port 22", "Port 2222"), 2),
        (format!("# a remark\n\n{before}"), 0),
        (format!("{before}AcceptEnv LANG\n"), 1),
        (before.replace("MaxAuthTries 6\n", ""), 0),
        (before.replace("MaxAuthTries 6\nUsePAM yes\n", "UsePAM yes\nMaxAuthTries 6\n"), 0),
        (format!("Match User porter\n{before}"), 5),
    ] {
        let (old, new) = (Version::of(&profile, false, before), Version::of(&profile, false, &after));
        let found = changed_statements(&old.view(&profile, &survey), &new.view(&profile, &survey));
        assert_eq!(found.len(), wanted, "{after:?}: {found:?}");
    }
}

/// `gypsum check` judges what is there as if it were new.
#[test]
fn what_stands_is_judged_as_if_it_were_new() {
    let profile = read(built_in("sshd").unwrap().text).unwrap();
    let survey = Survey::default();
    let rules = |text: &str| -> Vec<String> {
        let version = Version::of(&profile, false, text);
        as_if_new(&version.view(&profile, &survey)).into_iter().map(|finding| finding.rule).collect()
    };
    assert_eq!(rules("MaxAuthTries 4\n"), Vec::<String>::new());
    assert!(!rules("Banner \u{201c}/etc/issue\u{201d}\n").is_empty());
}
