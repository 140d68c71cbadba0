//! A real upgrade of edited daemons from one release of Debian to the next, in a host without a network: what waits is
//! noticed and merged, and every service is up on its merged configuration.

use crate::host::{Lab, boot};
use std::path::PathBuf;

/// The daemons, each with what was edited, what the new version brings, and the unit.
const DAEMONS: [(&str, &str, &str, &str, &str); 6] = [
    ("sshd", "ssh", "/etc/ssh/sshd_config", "LoginGraceTime 30", "AcceptEnv LANG LC_* COLORTERM"),
    ("nginx", "nginx", "/etc/nginx/nginx.conf", "worker_connections 4096;", "worker_cpu_affinity auto;"),
    ("redis", "redis-server", "/etc/redis/redis.conf", "maxmemory 64mb", "locale-collate"),
    ("squid", "squid", "/etc/squid/squid.conf", "cache_mem 64 MB", "WELCOME TO SQUID 6"),
    ("mariadb", "mariadb", "/etc/mysql/mariadb.conf.d/50-server.cnf", "= 300", "[mariadbd]"),
    ("named", "named", "/etc/bind/named.conf.options", "dnssec-validation no;", ""),
];

/// The packages, as `fetch-upgrade.sh` makes them; `GYPSUM_UPGRADE` is another place of them.
fn packages() -> PathBuf {
    let folder = std::env::var_os("GYPSUM_UPGRADE").unwrap_or_else(|| "/var/tmp/gypsum-trees/upgrade".into());
    let folder = PathBuf::from(folder);
    assert!(
        folder.join(".complete").exists(),
        "make it: crates/gypsum/tests/lab/fetch-upgrade.sh trixie {}",
        folder.display()
    );
    folder
}

fn host() -> Lab {
    let lab = boot(&[
        "/usr/sbin/sshd",
        "/usr/sbin/nginx",
        "/usr/bin/redis-server",
        "/usr/sbin/squid",
        "/usr/sbin/mariadbd",
        "/usr/sbin/named",
    ]);
    // As on a real host, packages restart their services.
    lab.sh("rm -f /usr/sbin/policy-rc.d; systemctl start ssh nginx redis-server squid mariadb named");
    lab
}

fn upgrade(lab: &Lab) -> String {
    let apt = packages().join("apt-get");
    lab.sh(&format!(
        "DEBIAN_FRONTEND=noninteractive {} install --no-download -y -o Dpkg::Options::=--force-confdef -o Dpkg::Options::=--force-confold \
         openssh-server nginx-light redis-server squid mariadb-server bind9 2>&1; cat /etc/debian_version",
        apt.display()
    ))
}

/// All that waits is merged, and every service is up with its own settings and with what the new version brings.
fn merge_all(lab: &Lab) {
    for (daemon, unit, file, own, new) in DAEMONS {
        let (status, document) = lab.gypsum(&["daemons"]);
        let of_it =
            document["daemons"].as_array().unwrap().iter().find(|one| one["daemon"] == daemon).unwrap();
        let waits = of_it["waits"].to_string();
        assert!(status == 0 && waits.contains("a new version, from"), "{daemon}: {waits}");
        let show = lab.sh(&format!("gypsum show {daemon} | tail -n 4"));
        assert!(show.contains(&format!("gypsum merge {daemon}")), "{show}");
        let (status, document) = lab.gypsum(&["merge", daemon, "--take", "mine", "--steady", "500ms"]);
        assert_eq!(status, 0, "{daemon}: {document:#}");
        let text = lab.sh(&format!("cat {file}"));
        assert!(text.contains(own) && text.contains(new), "{daemon}: {text}");
        assert!(lab.is_active(unit), "{daemon}");
        assert_eq!(
            lab.sh(&format!("ls {file}.* 2>/dev/null || true")),
            "",
            "{daemon}: nothing waits any more"
        );
        let folder = document["change"]["folder"].as_str().unwrap_or_else(|| panic!("{document:#}"));
        assert_ne!(lab.sh(&format!("ls {folder}/siblings")), "", "{daemon}: it is kept");
        // What differs from the new version is what was edited, and nothing else.
        let (_, document) = lab.gypsum(&["diff", daemon, "--in", file]);
        let differs =
            document["files"][0]["differences"].as_array().unwrap_or_else(|| panic!("{document:#}"));
        assert!((1..=2).contains(&differs.len()), "{daemon}: {document:#}");
    }
    // The witness: dpkg itself sees the edited files, and no other.
    assert_eq!(
        lab.sh("systemctl is-failed ssh nginx redis-server squid mariadb named | grep -c ^failed || true"),
        "0"
    );
}

/// With the hook: the files are edited by hand, and their base is what was kept when the hook was installed.
#[test]
#[ignore = "needs root, daemons of Debian and the packages of the next release: see docs/testing.md"]
fn files_edited_by_hand_are_merged_where_the_hook_kept_their_base() {
    let lab = host();
    let (status, document) = lab.gypsum(&["setup", "packages"]);
    assert_eq!(status, 0, "{document:#}");
    lab.sh("sed -i 's/^#LoginGraceTime 2m/LoginGraceTime 30/' /etc/ssh/sshd_config
         sed -i 's/worker_connections 768/worker_connections 4096/' /etc/nginx/nginx.conf
         printf '\\n# the boards ask a lot\\nmaxmemory 64mb\\n' >>/etc/redis/redis.conf
         sed -i 's/^# cache_mem 256 MB/cache_mem 64 MB/' /etc/squid/squid.conf
         sed -i 's/^#max_connections .*/max_connections = 300/' /etc/mysql/mariadb.conf.d/50-server.cnf
         sed -i 's/dnssec-validation auto/dnssec-validation no/' /etc/bind/named.conf.options");
    let said = upgrade(&lab);
    assert!(
        said.ends_with("13.8") || said.rsplit('\n').next().is_some_and(|last| last.starts_with("13")),
        "{said}"
    );
    assert!(said.contains("waits in nginx.conf.dpkg-dist: gypsum merge nginx"), "the hook says it: {said}");
    merge_all(&lab);
    assert!(lab.sh("cat /etc/redis/redis.conf").contains("# the boards ask a lot"));
    let (status, _) = lab.gypsum(&["setup", "packages", "--remove"]);
    assert_eq!(
        (status, lab.sh("ls /etc/dpkg/dpkg.cfg.d/gypsum 2>&1 || true").contains("No such file")),
        (0, true)
    );
}

/// Without the hook: the files are changed by Gypsum, and their base is what was kept with the first backup.
#[test]
#[ignore = "needs root, daemons of Debian and the packages of the next release: see docs/testing.md"]
fn files_changed_by_gypsum_are_merged_without_a_hook() {
    let lab = host();
    for (daemon, edit) in [
        ("sshd", "LoginGraceTime=30"),
        ("nginx", "events..worker_connections=4096"),
        ("redis", "maxmemory=64mb"),
        ("squid", "cache_mem=64 MB"),
        ("mariadb", "mysqld..max_connections=300"),
        ("named", "options..dnssec-validation=no"),
    ] {
        let (status, document) = lab.gypsum(&["change", daemon, edit, "--steady", "200ms"]);
        assert_eq!(status, 0, "{daemon}: {document:#}");
    }
    upgrade(&lab);
    merge_all(&lab);
}

/// A version that waits is cleared without being taken, and what a package would bring is shown before it is installed.
#[test]
#[ignore = "needs root, daemons of Debian and the packages of the next release: see docs/testing.md"]
fn a_package_is_looked_into_and_a_version_is_cleared() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx");
    let (status, document) =
        lab.gypsum(&["change", "nginx", "events..worker_connections=4096", "--steady", "200ms"]);
    assert_eq!(status, 0, "{document:#}");
    let before = lab.sh("cat /etc/nginx/nginx.conf");
    let package = lab.sh(&format!("ls {}/cache/archives/nginx-common_*.deb", packages().display()));
    let (status, document) = lab.gypsum(&["merge", "nginx", "--against", &package]);
    assert_eq!(status, 0, "{document:#}");
    assert_eq!(document["files"][0]["settled"][0]["address"], "events..worker_connections", "{document:#}");
    assert_eq!(lab.sh("cat /etc/nginx/nginx.conf"), before, "nothing was changed");
    // dpkg's own sibling, as it is after the question.
    lab.sh(&format!(
        "dpkg-deb --fsys-tarfile {package} | tar -xO ./etc/nginx/nginx.conf >/etc/nginx/nginx.conf.dpkg-dist
         new=$(md5sum </etc/nginx/nginx.conf.dpkg-dist | cut -d' ' -f1)
         sed -i \"s|^ /etc/nginx/nginx.conf .*| /etc/nginx/nginx.conf $new|\" /var/lib/dpkg/status"
    ));
    let check = lab.sh("gypsum check nginx || true");
    assert!(check.contains("waits in nginx.conf.dpkg-dist"), "{check}");
    let (status, document) = lab.gypsum(&["merge", "nginx", "--keep-mine"]);
    assert_eq!(status, 0, "{document:#}");
    assert_eq!(document["put_away"].as_array().map(Vec::len), Some(1), "{document:#}");
    assert_eq!(lab.sh("cat /etc/nginx/nginx.conf"), before);
    let (_, document) = lab.gypsum(&["merge", "nginx"]);
    assert_eq!(document["files"].as_array().map(Vec::len), Some(0), "nothing waits: {document:#}");
    // A sibling that an include pattern reads is a fault.
    lab.sh("cp /etc/nginx/sites-available/default /etc/nginx/sites-enabled/default.dpkg-dist");
    let (status, document) = lab.gypsum(&["check", "nginx"]);
    let is_it = |one: &serde_json::Value| {
        one["rule"] == "sibling-read" && one["file"] == "/etc/nginx/sites-enabled/default.dpkg-dist"
    };
    assert!(status == 3 && document["findings"].as_array().unwrap().iter().any(is_it), "{document:#}");
}

/// All that package managers leave beside a file, each told for what it is. What is recorded is dpkg's own.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_packages_leave_is_told_apart() {
    let file = "/etc/nginx/nginx.conf";
    let edit = format!("echo '# mine' >>{file}");
    let obsolete = format!("sed -i 's|^ {file} [0-9a-f]*$|& obsolete|' /var/lib/dpkg/status");
    for (what, prepare, wanted) in [
        ("nothing", String::new(), None),
        ("the same text", format!("cp {file} {file}.dpkg-dist"), None),
        (
            "a version of nobody",
            format!("{edit}; echo old >{file}.dpkg-dist"),
            Some("is left from an earlier version"),
        ),
        (
            "recorded, beside mine",
            format!("cp {file} {file}.dpkg-dist; {edit}"),
            Some("waits in nginx.conf.dpkg-dist"),
        ),
        (
            "a link",
            format!("mv {file} /etc/nginx/own.conf; ln -s own.conf {file}; echo new >{file}.dpkg-new"),
            Some("was not put in place"),
        ),
        (
            "laid over mine",
            format!("cp {file} {file}.dpkg-old; echo '# mine' >>{file}.dpkg-old"),
            Some("is in its place"),
        ),
        ("mine put aside long ago", format!("{edit}; echo older >{file}.dpkg-old"), None),
        ("dropped", obsolete, Some("has no such file any more")),
        ("not finished", format!("echo x >{file}.merge-error"), Some("a merge was not finished")),
        (
            "of another package manager",
            format!("echo x >{file}.rpmnew"),
            Some("may wait in nginx.conf.rpmnew"),
        ),
        (
            "a file that nothing reads any more",
            "echo 'gzip off;' >/etc/nginx/conf.d/tide.conf.dpkg-bak".to_owned(),
            Some("the edited one is in tide.conf.dpkg-bak"),
        ),
    ] {
        let lab = boot(&["/usr/sbin/nginx"]);
        lab.sh(&format!("true; {prepare}"));
        let (_, document) = lab.gypsum(&["check", "nginx"]);
        let findings = document["findings"].as_array().unwrap().iter();
        let said: Vec<&str> = findings
            .filter(|one| one["rule"] == "new-version")
            .map(|one| one["message"].as_str().unwrap())
            .collect();
        match wanted {
            None => assert!(said.is_empty(), "{what}: {said:?}"),
            Some(wanted) => assert!(said.len() == 1 && said[0].contains(wanted), "{what}: {said:?}"),
        }
    }
}
