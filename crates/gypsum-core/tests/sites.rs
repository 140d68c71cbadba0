//! What clients can ask a web server for, by its configuration: every name at every address where it is served.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::version::Version;
use gypsum_core::profile::built_in;
use gypsum_core::rules::{read_profile, sites};
use gypsum_core::survey::Survey;

/// The sites of a configuration, `URL at ADDRESS`.
fn found(daemon: &str, text: &str) -> Vec<String> {
    let profile = read_profile(built_in(daemon).unwrap().text).unwrap();
    let (version, survey) = (Version::of(&profile, false, text), Survey::default());
    let found = sites(&version.view(&profile, &survey), profile.sites.as_ref().unwrap());
    found.into_iter().map(|site| format!("{} at {}", site.url, site.at)).collect()
}

#[test]
fn each_name_is_asked_at_each_address() {
    let table: &[(&str, &str, &[&str])] = &[
        ("nginx", "http { server { listen 80; } }", &["http://127.0.0.1/ at 127.0.0.1:80"]),
        (
            "nginx",
            "http { server { listen 8080; listen 443 ssl; server_name quay.example hall.example; } }",
            &[
                "http://quay.example:8080/ at 127.0.0.1:8080",
                "http://hall.example:8080/ at 127.0.0.1:8080",
                "https://quay.example/ at 127.0.0.1:443",
                "https://hall.example/ at 127.0.0.1:443",
            ],
        ),
        // The usual port of the other scheme is named.
        ("nginx", "http { server { listen 80 ssl; } }", &["https://127.0.0.1:80/ at 127.0.0.1:80"]),
        ("nginx", "http { server { listen [::1]:81; } }", &["http://[::1]:81/ at [::1]:81"]),
        ("nginx", "http { server { listen 192.0.2.7; } }", &["http://192.0.2.7/ at 192.0.2.7:80"]),
        // Not plain HTTP, and no socket of this host's network.
        ("nginx", "http { server { listen 80 proxy_protocol; listen unix:/run/a; } }", &[]),
        // Two names of one block that are the same, and one name of two blocks at two addresses.
        (
            "nginx",
            "http { server { listen 80; server_name a.example a.example; } server { listen 81; server_name a.example; } }",
            &["http://a.example/ at 127.0.0.1:80", "http://a.example:81/ at 127.0.0.1:81"],
        ),
        // At the same port of two addresses.
        (
            "nginx",
            "http { server { listen 192.0.2.7:80; listen 192.0.2.8:80; server_name a.example; } }",
            &["http://a.example/ at 192.0.2.7:80", "http://a.example/ at 192.0.2.8:80"],
        ),
        // Patterns and what stands for all others are no names.
        (
            "nginx",
            "http { server { listen 80; server_name _ *.quay.example .hall.example ~^tide localhost -x.example; } }",
            &["http://localhost/ at 127.0.0.1:80"],
        ),
        (
            "apache2",
            "<VirtualHost _default_:80>\nServerName https://quay.example:443\nServerAlias \"pier.example\" hall\n</VirtualHost>\n",
            &["http://quay.example/ at 127.0.0.1:80", "http://pier.example/ at 127.0.0.1:80"],
        ),
        (
            "apache2",
            "<VirtualHost *:443>\nSSLEngine On\n</VirtualHost>\n<VirtualHost 192.0.2.7>\nSSLEngine off\n</VirtualHost>\n",
            &["https://127.0.0.1/ at 127.0.0.1:443", "http://192.0.2.7/ at 192.0.2.7:80"],
        ),
        // What speaks HTTP says so itself, or its defaults do.
        (
            "haproxy",
            "defaults\n    mode http\nfrontend a\n    bind :8080\nfrontend b\n    bind :8081\n    mode tcp\n",
            &["http://127.0.0.1:8080/ at 127.0.0.1:8080"],
        ),
        ("haproxy", "frontend a\n    bind :8080\n", &[]),
        (
            "haproxy",
            "listen a\n    bind 192.0.2.7:443 ssl\n    mode http\n    acl quay hdr(host) -i quay.example\n    acl wide src 192.0.2.0/24\n",
            &["https://quay.example/ at 192.0.2.7:443"],
        ),
        ("tomcat", "JAVA_OPTS=\"\"\n", &["http://127.0.0.1:8080/ at 127.0.0.1:8080"]),
    ];
    for (daemon, text, wanted) in table {
        assert_eq!(found(daemon, text), *wanted, "{daemon}: {text}");
    }
}
