//! Every file under `/etc` and every example of Debian's server packages is read by a family without a broken
//! statement, or is none of ours for a reason that is named here. `gather` beside this file fetches them.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_macros)]

mod addresses;

use addresses::{Tally, give_back};
use gypsum_core::doc::{Dialect, Document, Family, Kind};
use gypsum_core::edit::{File, Guide};
use gypsum_core::explain::explain;
use gypsum_core::listing::list;
use gypsum_core::rules::ConfigView;
use gypsum_core::survey::Survey;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

enum Is {
    Read(Family),
    Not(&'static str),
}
use Family as F;
use Is::{Not, Read};

/// The first pattern that fits `PACKAGE/path` says what a file is.
const FILES: &[(&str, Is)] = &[
    ("*/README*", Not("prose")),
    ("*.html", Not("prose")),
    ("*.gz", Not("packed")),
    ("*.png", Not("a picture")),
    ("*.css", Not("a style sheet")),
    ("*.xsl", Not("a program")),
    ("*.pem", Not("data")),
    ("*.dat", Not("data")),
    ("*/moduli", Not("data")),
    ("*.ldif", Not("data")),
    ("*.schema", Not("data")),
    ("*/slapd.backup", Not("data")),
    ("*.http", Not("a page")),
    ("*/.meta/installed", Not("a mark")),
    ("*/minor_versions", Not("a list of another program")),
    ("*/logcheck/*", Not("patterns of another program")),
    ("*/apparmor.d/*", Not("a policy of the kernel's, with rules that are paths")),
    ("*/logrotate.d/*", Not("blocks in braces with a setting a line: no daemon's format")),
    ("*/keepalived.conf*", Not("blocks in braces with a setting a line: no family yet")),
    ("keepalived/*/samples/*", Not("blocks in braces with a setting a line: no family yet")),
    ("lighttpd/*/conf-*/*", Not("expressions around settings: no family yet")),
    ("lighttpd/*/lighttpd.conf", Not("expressions around settings: no family yet")),
    ("rsyslog/*.conf", Read(F::Keyword)),
    ("*/rsyslog.d/*", Read(F::Keyword)),
    ("*.vcl", Not("a program")),
    ("*.policy", Not("a program of its own kind")),
    ("*/init.d/*", Not("a program")),
    ("*/sv/*", Not("a program")),
    ("*-hooks.d/*", Not("a program")),
    ("*.ws", Not("a page")),
    ("*.pl", Not("a program")),
    ("*.py", Not("a program")),
    ("*.ru", Not("a program")),
    ("*.lua", Not("a program")),
    ("*.js", Read(F::Json)),
    ("*/debian-start", Not("a program")),
    ("*/gdbcommands", Not("a program")),
    ("*/postfix-script", Not("a program")),
    ("*/post-install", Not("a program")),
    ("*/postfix-files", Not("a list of another program")),
    ("*/ufw/applications.d/*", Read(F::Sections)),
    ("*/cron*", Read(F::Records)),
    ("*/pam.d/*", Read(F::Records)),
    ("*/insserv.conf.d/*", Read(F::Records)),
    ("*/ftpusers", Read(F::Records)),
    ("*.pam", Read(F::Records)),
    ("*/hosts*", Read(F::Records)),
    ("*/logins.txt", Read(F::Records)),
    ("*/pskfile*", Read(F::Records)),
    ("*/pwfile*", Read(F::Records)),
    ("*/aclfile*", Read(F::Keyword)),
    ("*/user_map.conf", Read(F::Records)),
    ("*/dbus-1/*", Read(F::Xml)),
    ("avahi-daemon/*.service", Read(F::Xml)),
    ("*.xml", Read(F::Xml)),
    ("uwsgi-core/*.yml", Not("indented by tabs, which YAML forbids")),
    ("*.yml", Read(F::Yaml)),
    ("*.properties", Read(F::Properties)),
    ("*/tmpfiles.d/*", Read(F::Records)),
    ("*/default/*", Read(F::Assignments)),
    ("*.default.example", Read(F::Assignments)),
    ("*/envvars", Read(F::Assignments)),
    ("*.desktop", Read(F::Sections)),
    ("*.service", Read(F::Sections)),
    ("*.socket", Read(F::Sections)),
    ("*/systemd/*.conf", Read(F::Sections)),
    ("*.ini", Read(F::Sections)),
    ("php*/*.conf", Read(F::Sections)),
    ("*.cnf", Read(F::Sections)),
    ("*/smb.conf*", Read(F::Sections)),
    ("*/stunnel.conf*", Read(F::Sections)),
    ("avahi-daemon/*.conf", Read(F::Sections)),
    ("pulseaudio/*.conf", Read(F::Equals)),
    ("pulseaudio/*.pa", Read(F::Keyword)),
    ("*/apache2/conf-available/*", Read(F::Tags)),
    ("apache2/*", Read(F::Tags)),
    ("proftpd-core/*.conf", Read(F::Tags)),
    ("cups-daemon/*", Read(F::Tags)),
    ("nginx-common/*", Read(F::Braces)),
    ("bind9/*/db.*", Not("a zone: records whose first column may be left out")),
    ("bind9/*/zones.rfc1918", Read(F::Braces)),
    ("bind9/*", Read(F::Braces)),
    ("unbound/*", Read(F::Stanzas)),
    ("haproxy/*.cfg", Read(F::Stanzas)),
    ("haproxy/*.map", Read(F::Records)),
    ("haproxy/*", Not("no configuration")),
    ("vsftpd/*.xinetd", Not("blocks in braces with a setting a line: no daemon's format")),
    ("vsftpd/*", Read(F::Equals)),
    ("dnsmasq*/*.conf*", Read(F::Equals)),
    ("*/mongrel2-uwsgi.conf", Not("a program")),
    ("varnish/*.conf", Read(F::Sections)),
    ("chrony/*", Read(F::Keyword)),
    ("squid/*.conf", Read(F::Keyword)),
    ("redis-server/*.conf", Read(F::Keyword)),
    ("mosquitto/*.conf", Read(F::Keyword)),
    ("ntpsec/*.conf", Read(F::Keyword)),
    ("snmpd/*.conf", Read(F::Keyword)),
    ("slapd/*.conf", Read(F::Keyword)),
    ("postfix/*.cf*", Read(F::Equals)),
];

fn dialect(name: &str, family: Family) -> Dialect {
    let plain = family.plain_dialect();
    let words = |text: &str| text.split(' ').map(str::to_owned).collect();
    match family {
        Family::Stanzas if name.starts_with("haproxy") => Dialect {
            groups: words(
                "global defaults frontend backend listen cache userlist peers resolvers mailers program http-errors ring",
            ),
            ..plain
        },
        _ => plain,
    }
}

fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        let kind = entry.file_type().unwrap();
        if kind.is_dir() {
            files(&path, found);
        } else if kind.is_file() {
            found.push(path);
        }
    }
}

#[test]
#[ignore = "needs files of packages: see docs/testing.md"]
fn shipped_files_are_read_without_a_broken_statement() {
    let corpus = std::env::var_os("GYPSUM_CORPUS").expect("GYPSUM_CORPUS names the folder of the files");
    let mut all = Vec::new();
    files(Path::new(&corpus), &mut all);
    all.sort();
    let mut counts: BTreeMap<&str, (usize, usize, usize)> = BTreeMap::new();
    let mut reasons: BTreeMap<&str, usize> = BTreeMap::new();
    let mut wrong = Vec::new();
    let mut packages = std::collections::BTreeSet::new();
    let mut tally = Tally::default();
    for path in all {
        let name = path.strip_prefix(&corpus).unwrap().display().to_string();
        if !(name.contains("/etc/") || name.contains("/examples/")) {
            continue;
        }
        let bytes = fs::read(&path).unwrap();
        let fits = |pattern: &str| glob::Pattern::new(pattern).unwrap().matches(&name);
        let known = FILES.iter().find(|(pattern, _)| fits(pattern));
        let family = match known {
            _ if bytes.starts_with(b"#!") => {
                *reasons.entry("a program").or_default() += 1;
                continue;
            }
            Some((_, Not(reason))) => {
                *reasons.entry(reason).or_default() += 1;
                continue;
            }
            Some((_, Read(family))) => *family,
            None => {
                wrong.push(format!("{name}: nothing is said of it"));
                continue;
            }
        };
        packages.insert(name.split('/').next().unwrap().to_owned());
        let doc = Document::read(bytes, family, dialect(&name, family)).unwrap();
        let count = counts.entry(family.name()).or_default();
        count.0 += 1;
        count.1 += doc.source().len();
        for (leaf, kind, _) in doc.tree().leaves() {
            count.2 += usize::from(kind == Kind::Setting);
            if kind == Kind::Broken {
                wrong.push(format!("{name}:{}: broken as {}", doc.place(leaf).line, family.name()));
            }
        }
        let guide = Guide { plausible: &|_, _| true, ..Guide::default() };
        give_back(&[File { path: name, doc }], 0, &guide, &mut tally);
    }
    println!("{} packages", packages.len());
    counts.iter().for_each(|(family, (files, bytes, settings))| {
        println!("{family}: {files} files, {bytes} bytes, {settings} settings");
    });
    reasons.iter().for_each(|(reason, files)| println!("not read, {reason}: {files} files"));
    assert!(packages.len() >= 25, "{} packages were found", packages.len());
    assert!(wrong.is_empty(), "{} files:\n{}", wrong.len(), wrong.join("\n"));
    tally.finish("shipped files");
}

/// C1: what is asked for by the address that is printed of it is explained, with the value that it has there.
fn explained(config_view: &ConfigView<'_>, tally: &mut Tally) {
    for row in list(config_view.files, config_view.layers, config_view.profile)
        .into_iter()
        .filter(|row| !row.commented_out)
    {
        let explained = explain(config_view, &row.address);
        let places = explained.map(|one| one.places).unwrap_or_default();
        let here = places.iter().find(|place| (&place.file, place.line) == (&row.file, row.line));
        if here.is_none_or(|place| place.value != row.value) {
            tally.wrong.push(format!("{}: {}: show does not explain it", row.file, row.address));
        }
    }
}

/// The addresses of every built-in profile, on the files that its package has laid down here.
#[test]
#[ignore = "needs files of packages: see docs/testing.md"]
fn addresses_of_installed_daemons_are_taken_back() {
    let mut found = 0;
    for built_in in gypsum_core::profile::BUILT_IN {
        // A unit is one of many, and has no file by itself.
        let Ok(profile) = gypsum_host::profiles::load(built_in.name, None) else {
            println!("{}: skipped: it has no files here", built_in.name);
            continue;
        };
        let Ok(loading) = gypsum_host::files::load(&profile, None) else {
            println!("{}: skipped: its files are not here, or not to be read", built_in.name);
            continue;
        };
        let mut tally = Tally::default();
        let spelling = |name: &str| profile.spelling(name).map(str::to_owned);
        let plausible = |name: &str, _: &str| profile.spelling(name).is_some();
        let guide = Guide { spelling: &spelling, plausible: &plausible, ..Guide::default() };
        for n in 0..loading.files.len() {
            give_back(&loading.files, n, &guide, &mut tally);
        }
        let (layers, survey) = (loading.layers(&profile), Survey::default());
        explained(&loading.config_view(&layers, &profile, &survey), &mut tally);
        found += usize::from(tally.addresses > 0);
        tally.finish(built_in.name);
    }
    assert!(found >= 16, "only {found} daemons are installed");
}
