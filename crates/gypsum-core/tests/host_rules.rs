//! The rules that look at the host: paths, accounts, ports, names, logins, certificates. Each row is a host, a change on
//! it, and what is found, with its line.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::host::Host;
use common::version::Version;
use gypsum_core::check::{CheckingChange, CheckingFiles};
use gypsum_core::effective::Reported;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::layers::{Inclusion, Order};
use gypsum_core::profile::{Profile, built_in};
use gypsum_core::rules::login::{ReportedLogins, accounts, by_report, is_touched, password_lets_in};
use gypsum_core::rules::{changed_statements, read_profile};
use gypsum_core::survey::Survey;

fn profile(name: &str) -> Profile {
    read_profile(built_in(name).map_or(BOARDS, |built_in| built_in.text)).unwrap()
}

/// A daemon with every kind of setting that the host has a say in.
const BOARDS: &str = r##"
daemon = "boards"
title = "boards"
account = "{user}"
[files]
read = ["/etc/boards.conf"]
home = "/etc/boards.conf"
format = "keyword"
reader = "porter"
[dialect]
comments = ["#"]
quotes = "\""
includes = ["include"]
wins = "last"
[values]
flags = [["on", "off"], ["yes", "no"]]
[service]
unit = ["boards.service"]
[[listen]]
endpoint = "listen"
usual = 8571
[[listen]]
address = "answer"
port = "query"
usual = 8600
udp = true
always = true
when = "udp=on"
[setting]
user = { kind = "user" }
group = { kind = "group" }
listen = { kind = "endpoint", role = "listen", repeats = true }
answer = { kind = "address" }
query = { kind = "port" }
udp = { kind = "flag", default = "off" }
upstream = { kind = "endpoint", role = "connect" }
follows = { kind = "host" }
table = { kind = "path", path = "file" }
theme = { kind = "path", path = "file", base = "{themes}" }
themes = { kind = "path", path = "folder" }
picture = { kind = "path", path = "file", base = "/srv", optional = true }
log = { kind = "path", path = "parent" }
cache = { kind = "path", path = "new-folder" }
helper = { kind = "path", path = "program" }
control = { kind = "path", path = "socket" }
after = { kind = "unit" }
rows = { kind = "integer", since = "2.4", about = "rows on a board" }
columns = { kind = "integer", until = "3.0" }
memory = { kind = "size", most = "memory / 2" }
wait = { kind = "duration", least = "2s", most = "5m", default = "30s" }
buffer = { kind = "size", least = "64k" }
lines = { kind = "integer", most = "100", usual = "12" }
motto = { kind = "text" }
"##;

/// The findings of a change, in the order in which they are shown.
fn findings(daemon: &str, host: &Host<'_>, before: &str, after: &str) -> Vec<Finding> {
    let profile = profile(daemon);
    let version = |text: &str| Version::of(&profile, false, text);
    findings_between(&profile, host, &version(before), &version(after))
}

fn findings_between(profile: &Profile, host: &Host<'_>, before: &Version, after: &Version) -> Vec<Finding> {
    let survey = Survey::default();
    let (old, new) = (before.view(profile, &survey), after.view(profile, &survey));
    let changed = changed_statements(&old, &new);
    let mut checking = CheckingChange::of(old, new, &changed);
    host.settle(|survey| checking.round(survey))
}

/// The same in short: `severity rule@line`.
fn found(daemon: &str, host: &Host<'_>, before: &str, after: &str) -> Vec<String> {
    brief(&findings(daemon, host, before, after))
}

fn brief(findings: &[Finding]) -> Vec<String> {
    let brief = |finding: &Finding| {
        let line = finding.line.map_or(String::new(), |line| format!("@{line}"));
        format!("{} {}{line}", finding.severity.word(), finding.rule)
    };
    findings.iter().map(brief).collect()
}

/// Daemon, host, before, after, findings.
type Row<'a> = (&'a str, &'a [&'a str], &'a str, &'a str, &'a [&'a str]);

#[track_caller]
fn check(rows: &[Row<'_>]) {
    let mut wrong = Vec::new();
    for (daemon, host, before, after, wanted) in rows {
        let found = found(daemon, &Host(host), before, after);
        if found != *wanted {
            wrong.push(format!("{daemon} {host:?} {after:?}: {found:?}, not {wanted:?}"));
        }
    }
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
}

const FILE: &str = "path /etc/boards.conf file";

#[test]
fn paths_are_there_and_of_the_right_sort_for_the_account() {
    let row = |line: &'static str, host: &'static [&'static str], wanted: &'static [&'static str]| {
        (line, host, wanted)
    };
    for (line, host, wanted) in [
        row("table /srv/t", &["path /srv/t file"], &[]),
        row("table /srv/t", &["path /srv/t folder"], &["fault wrong-path@2"]),
        row("table /srv/t", &["path /srv/t file hidden"], &["fault no-access@2"]),
        row("table /srv/t", &[], &["fault missing-file@2"]),
        // What is computed, or a pattern, is not looked for.
        row("table /srv/*", &[], &[]),
        row("table $HOME/t", &[], &[]),
        row("picture ship.png", &["path /srv/ship.png file"], &[]),
        row("picture ship.png", &["path /ship.png file"], &["warning missing-file@2"]),
        row(
            "theme night\nthemes /srv/themes",
            &["path /srv/themes folder", "path /srv/themes/night file"],
            &[],
        ),
        row("theme night\nthemes /srv/themes", &["path /srv/themes folder"], &["fault missing-file@2"]),
        // From where, is not known.
        row("theme night", &[], &[]),
        row("themes /srv/themes", &["path /srv/themes file"], &["fault wrong-path@2"]),
        row("log /var/log/b.log", &["path /var/log folder"], &[]),
        row(
            "log /var/log/b.log",
            &["path /var/log folder", "path /var/log/b.log folder"],
            &["fault wrong-path@2"],
        ),
        row("log /var/log/b.log", &[], &["fault missing-folder@2"]),
        row("log /var/log/b.log", &["path /var/log/b.log file fixed"], &["fault no-access@2"]),
        row("cache /var/cache/b", &["path /var/cache/b folder"], &[]),
        row("cache /var/cache/b", &["path /var/cache folder"], &[]),
        row("cache /var/cache/b", &[], &["fault missing-folder@2"]),
        row("cache /b", &[], &[]),
        row("helper /bin/h --fast", &["path /bin/h program"], &[]),
        row("helper /bin/h", &["path /bin/h file"], &["fault wrong-path@2"]),
        row("helper /bin/h", &[], &["fault missing-file@2"]),
        row("control /run/b", &["path /run/b socket hidden"], &[]),
        row("control /run/b", &["path /run/b file"], &["fault wrong-path@2"]),
        row("user nobody", &["user nobody"], &[]),
        row("user nobody", &[], &["fault unknown-account@2"]),
        row("group nobody", &["group nobody"], &[]),
        row("group nobody", &[], &["fault unknown-account@2"]),
        row("after sea.service", &["unit sea.service"], &[]),
        row("after sea.service", &[], &["warning unknown-unit@2"]),
    ] {
        let host = [host, &[FILE, "user porter"]].concat();
        let before = if line.starts_with("user") { "# quay\n" } else { "user porter\n" };
        let after = format!("{before}{line}\n");
        let found = found("boards", &Host(&host), before, &after);
        assert_eq!(found, wanted, "{line:?} on {host:?}");
    }
}

#[test]
fn ports_are_free_and_addresses_are_those_of_this_host() {
    let here: &[&str] = &[FILE, "own 127.0.0.1", "own 192.0.2.7"];
    let with = |more: &[&'static str]| [here, more].concat();
    let ours = with(&["port 8571 tcp boards ours 127.0.0.1"]);
    let taken = with(&["port 80 tcp quayd other 192.0.2.7 quayd.service"]);
    check(&[
        ("boards", &with(&[]), "# quay\n", "listen 127.0.0.1:80\n", &[]),
        ("boards", &with(&[]), "# quay\n", "listen 198.51.100.9:80\n", &["fault foreign-address@1"]),
        ("boards", &taken, "# quay\n", "listen 192.0.2.7:80\n", &["fault port-taken@1"]),
        ("boards", &taken, "# quay\n", "listen 80\n", &["fault port-taken@1"]),
        // Another address of the same port is free.
        ("boards", &taken, "# quay\n", "listen 127.0.0.1:80\n", &[]),
        ("boards", &with(&["port 80 tcp x unseen"]), "# quay\n", "listen 80\n", &["hint port-taken@1"]),
        ("boards", &with(&["port 80 tcp boards ours"]), "# quay\n", "listen 80\n", &[]),
        // Its port is another one of UDP.
        ("boards", &with(&["port 80 udp x other"]), "# quay\n", "listen 80\n", &[]),
        ("boards", &with(&["port 8600 udp x other"]), "udp off\n", "udp on\n", &["fault port-taken"]),
        ("boards", &with(&["port 8600 udp x other"]), "udp no\n", "udp yes\n", &["fault port-taken"]),
        ("boards", &with(&["port 8600 udp x other"]), "udp on\n", "udp yes\n", &["warning port-taken"]),
        // The port 0 is none.
        ("boards", &with(&["port 8600 udp x other"]), "udp off\n", "udp on\nquery 0\n", &[]),
        (
            "boards",
            &with(&["port 9 udp x other"]),
            "udp on\n",
            "udp on\nquery 9\n",
            &["fault port-taken@2", "warning listens-no-more@2"],
        ),
        (
            "boards",
            &ours,
            "listen 127.0.0.1:8571\n",
            "listen 127.0.0.1:8572\n",
            &["warning listens-no-more@1"],
        ),
        ("boards", &ours, "listen 127.0.0.1:8571\n", "listen 8571\n", &["warning listens-wider@1"]),
        ("boards", &ours, "listen 8571\n", "listen 127.0.0.1:8571\n", &["warning listens-no-more@1"]),
        ("boards", &ours, "listen 8571\n", "listen 8571\nlisten 127.0.0.1:80\n", &[]),
        (
            "sshd",
            &with(&["port 22 tcp sshd ours"]),
            "Port 22\n",
            "Port 22\nListenAddress 203.0.113.4\n",
            &["fault foreign-address@2", "warning listens-no-more@2"],
        ),
    ]);
}

#[test]
fn others_are_known_and_listen() {
    let here: &[&str] = &[FILE, "own 127.0.0.1", "resolves tide.example", "port 90 tcp tide other 127.0.0.1"];
    check(&[
        ("boards", here, "# quay\n", "upstream 127.0.0.1:90\n", &[]),
        ("boards", here, "# quay\n", "upstream localhost:90\n", &[]),
        ("boards", here, "# quay\n", "upstream 127.0.0.1:91\n", &["warning nothing-listens@1"]),
        ("boards", here, "# quay\n", "upstream tide.example:91\n", &[]),
        ("boards", here, "# quay\n", "upstream ebb.example:91\n", &["warning unresolved@1"]),
        // What another host does is not known here.
        ("boards", here, "# quay\n", "upstream 198.51.100.4:91\n", &[]),
        // What this change starts is not there yet.
        ("boards", here, "# quay\n", "listen 91\nupstream 127.0.0.1:91\n", &[]),
        ("boards", here, "# quay\n", "upstream /run/tide\n", &["warning nothing-listens@1"]),
        ("boards", &[FILE, "served /run/tide"], "# quay\n", "upstream /run/tide\n", &[]),
        ("boards", here, "# quay\n", "follows ebb.example\n", &["warning unresolved@1"]),
    ]);
}

#[test]
fn values_and_versions_fit_the_host() {
    let here: &[&str] = &[FILE, "version 2.10.1", "memory 8589934592"];
    check(&[
        ("boards", here, "# quay\n", "rows 4\n", &[]),
        ("boards", &[FILE, "version 2.3.9"], "# quay\n", "rows 4\n", &["fault too-new@1"]),
        ("boards", &[FILE], "# quay\n", "rows 4\n", &[]),
        ("boards", here, "# quay\n", "columns 4\n", &[]),
        ("boards", &[FILE, "version 3.0"], "# quay\n", "columns 4\n", &["fault retired@1"]),
        ("boards", here, "# quay\n", "memory 4G\n", &[]),
        ("boards", here, "# quay\n", "memory 5G\n", &["fault unlikely-value@1"]),
        ("boards", &[FILE], "# quay\n", "memory 5G\n", &[]),
        ("boards", here, "# quay\n", "wait 1s\n", &["fault unlikely-value@1"]),
        ("boards", here, "# quay\n", "wait 2s\n", &[]),
        ("boards", here, "# quay\n", "wait 5m\n", &[]),
        ("boards", here, "# quay\n", "wait 301\n", &["fault unlikely-value@1"]),
        ("boards", here, "# quay\n", "buffer 64\n", &["fault unlikely-value@1"]),
        ("boards", here, "# quay\n", "lines 101\n", &["fault unlikely-value@1"]),
        ("boards", here, "motto 8\n", "motto eight\n", &["warning no-number@1"]),
        // A network behind a wider one of its list.
        ("named", here, "# quay\n", "acl a { 192.0.2.0/24; 192.0.2.7; };\n", &["fault unreachable@1"]),
        ("named", here, "# quay\n", "acl a { 192.0.2.7; 192.0.2.0/24; };\n", &[]),
        ("named", here, "# quay\n", "acl a { 2001:db8::/32; 2001:db8:7::/48; };\n", &["fault unreachable@1"]),
        ("named", here, "# quay\n", "acl a { 192.0.2.0/24; 198.51.100.7; };\n", &[]),
    ]);
}

#[test]
fn the_reader_must_be_able_to_read() {
    let rows: &[Row<'_>] = &[
        ("boards", &["path /etc/boards.conf file hidden"], "lines 2\n", "lines 3\n", &["warning unreadable"]),
        ("boards", &["path /etc/boards.conf file"], "lines 2\n", "lines 3\n", &[]),
        ("boards", &[], "lines 2\n", "lines 3\n", &[]),
    ];
    check(rows);
}

#[test]
fn names_are_known_to_the_daemon_or_to_somebody() {
    let sshd: &[&str] = &["path /etc/ssh/sshd_config file", "strange MaxAuthTrys"];
    let nobody: &[&str] = &["path /etc/ssh/sshd_config file", "unknown names"];
    let holds = [nobody, &["holds TideTable"]].concat();
    let manual = [nobody, &["manual TideTable"]].concat();
    check(&[
        ("sshd", sshd, "Port 22\n", "Port 22\nMaxAuthTries 4\n", &[]),
        ("sshd", sshd, "Port 22\n", "Port 22\nTideTable 4\n", &["hint not-described@2"]),
        ("sshd", sshd, "Port 22\n", "Port 22\nMaxAuthTrys 4\n", &["fault unknown-name@2"]),
        (
            "sshd",
            &["removed TideTable line 2: Deprecated"],
            "Port 22\n",
            "Port 22\nTideTable 4\n",
            &["fault unknown-name@2"],
        ),
        ("sshd", nobody, "Port 22\n", "Port 22\nTideTable 4\n", &["warning unknown-name@2"]),
        ("sshd", &holds, "Port 22\n", "Port 22\nTideTable 4\n", &["hint not-described@2"]),
        ("sshd", &manual, "Port 22\n", "Port 22\nTideTable 4\n", &["hint not-described@2"]),
        // In blocks of which nobody says what is in them.
        ("boards", nobody, "# quay\n", "rows 4\n", &[]),
        ("nginx", nobody, "http {\n}\n", "http {\n types {\n tide/table tide;\n }\n}\n", &[]),
        // In a block that it does not belong in.
        ("nginx", nobody, "http {\n}\n", "http {\n worker_connections 900;\n}\n", &["fault misplaced@2"]),
    ]);
}

/// What else comes of a value that is new.
#[test]
fn side_effects_are_those_of_what_is_new() {
    let here: &[&str] = &["path /etc/nginx/nginx.conf file"];
    let http = |text: &str| format!("http {{\n{text}\n}}\n");
    for (before, after, wanted) in [
        ("", "autoindex on;", &["warning side-effect@2"][..]),
        ("autoindex off;", "autoindex on;", &["warning side-effect@2"]),
        ("autoindex on;", "autoindex ON;", &[]),
        ("", "autoindex off;", &[]),
        ("ssl_protocols TLSv1.2;", "ssl_protocols TLSv1.2 SSLv3;", &["warning side-effect@2"]),
        ("ssl_protocols TLSv1.2;", "ssl_protocols TLSv1.2 TLSv1.3;", &[]),
        // A list of rules: each counts, whatever is there already.
        ("", "deny all;", &["warning side-effect@2"]),
    ] {
        let found = found("nginx", &Host(here), &http(before), &http(after));
        let about: Vec<&String> = found.iter().filter(|one| one.contains("side-effect")).collect();
        assert_eq!(about, wanted, "{before:?} -> {after:?}: {found:?}");
    }
}

/// What a word of a value brings, where a name belongs, and what no longer holds.
#[test]
fn findings_of_blocks_say_where() {
    let said = |daemon: &str, before: &str, after: &str| {
        let findings = findings(daemon, &Host(&["unknown names"]), before, after);
        findings
            .iter()
            .map(|one| format!("{}: {} ({})", one.rule, one.message, one.help.as_deref().unwrap_or("-")))
            .collect::<Vec<_>>()
    };
    let rows = "backend rows\n    server east 127.0.0.1:81 weight 1\n";
    let found = said("haproxy", rows, &rows.replace("weight 1", "weight 0"));
    assert!(
        found.iter().any(|one| one.starts_with("side-effect: ") && one.contains("gets no new requests")),
        "{found:?}"
    );
    let found = said("nginx", "http {\n}\n", "http {\n worker_connections 900;\n}\n");
    assert_eq!(found, ["misplaced: worker_connections has no effect in http (it belongs in events)"]);
    let http = "http {\n add_header A 1;\n server {\n  listen 80;\n }\n}\n";
    let found = said("nginx", http, &http.replace("listen 80;", "listen 80; add_header B 2;"));
    let lost = "not-inherited: with this, server has its own add_header, and no longer those from around it, as at line 2 (repeat here what is to hold on)";
    assert_eq!(found, [lost]);
}

/// A setting that another one of its name decides.
#[test]
fn what_is_overridden_is_said_with_the_one_that_wins() {
    let said = |daemon: &str, before: &str, after: &str| {
        let findings = findings(daemon, &Host(&[]), before, after);
        let of_rule = findings.iter().filter(|one| matches!(one.rule.as_str(), "no-effect" | "repeated"));
        of_rule
            .map(|one| format!("{}@{}: {}", one.rule, one.line.unwrap_or(0), one.message))
            .collect::<Vec<_>>()
    };
    // Of sshd the first one counts, of the other one the last.
    let first =
        "no-effect@2: this has no effect: line 1 of /etc/ssh/sshd_config is used, since the first one wins";
    assert_eq!(said("sshd", "MaxAuthTries 6\n", "MaxAuthTries 6\nMaxAuthTries 4\n"), [first]);
    let last = "no-effect@1: this has no effect: line 2 of /etc/boards.conf is used, since the last one wins";
    assert_eq!(said("boards", "rows 4\n", "rows 5\nrows 4\n"), [last]);
    // Two lines that say the same are no trouble, and neither is what was so before.
    assert_eq!(said("sshd", "MaxAuthTries 6\n", "MaxAuthTries 6\nMaxAuthTries 6\n"), [""; 0]);
    let both = "MaxAuthTries 6\nMaxAuthTries 4\n";
    assert_eq!(said("sshd", both, &format!("{both}Port 22\n")), [""; 0]);
    // The new one wins: the other one is named.
    let found = said("boards", "rows 4\n", "rows 4\nrows 5\n");
    assert!(matches!(&found[..], [one] if one.starts_with("repeated@2: ")), "{found:?}");
}

/// What is said of a change to sshd's logins on a host with these accounts.
#[test]
fn nobody_is_locked_out_unseen() {
    let here: &[&str] = &[
        "people porter:boats keeper:boats:light guest:visitors",
        "typist keeper boats",
        "from 192.0.2.9 192.0.2.7 22",
        "key keeper",
        "password porter",
        "password guest",
        "own 192.0.2.7",
        "group boats",
        "group light",
        "group visitors",
        "user porter",
        "user keeper",
        "user guest",
        "user root",
    ];
    let on = "PasswordAuthentication yes\nKbdInteractiveAuthentication no\nGSSAPIAuthentication no\nHostbasedAuthentication no\nAuthorizedKeysCommand none\nTrustedUserCAKeys none\nAuthorizedKeysFile .ssh/authorized_keys\n";
    let table: &[(&str, &[&str])] = &[
        ("AllowUsers porter keeper guest root\n", &[]),
        ("AllowUsers keeper\n", &["warning shuts-out@8"]),
        ("AllowUsers porter guest\n", &["fault locks-out@8"]),
        ("AllowUsers nobody\n", &["fault locks-out@8"]),
        ("AllowUsers *@192.0.2.0/24\n", &[]),
        ("AllowUsers *@198.51.100.*\n", &["fault locks-out@8"]),
        ("AllowUsers keeper@tide.example porter guest\n", &[]),
        ("AllowGroups light\n", &["warning shuts-out@8"]),
        ("DenyUsers keeper\n", &["fault locks-out@8"]),
        ("DenyGroups boats\n", &["fault locks-out@8", "warning shuts-out@8"]),
        ("DenyUsers ferry*\n", &[]),
        ("PubkeyAuthentication no\n", &["fault locks-out@8"]),
        ("AuthenticationMethods publickey,password\n", &["fault locks-out@8"]),
        ("AuthenticationMethods publickey password\n", &[]),
        ("AuthorizedKeysFile none\n", &[]),
    ];
    for (line, wanted) in table {
        let found = found("sshd", &Host(here), on, &format!("{on}{line}"));
        let about: Vec<&String> =
            found.iter().filter(|one| one.contains("locks-out") || one.contains("shuts-out")).collect();
        assert_eq!(about, *wanted, "{line:?}: {found:?}");
    }
    // Passwords off: those who have a password alone are shut out, who types has a key.
    let off = on.replace("PasswordAuthentication yes", "PasswordAuthentication no");
    assert_eq!(found("sshd", &Host(here), on, &off), ["warning side-effect@1", "warning shuts-out@1"]);
    let none = off.replace(".ssh/authorized_keys", "none");
    assert!(found("sshd", &Host(here), on, &none).contains(&"fault locks-out@7".to_owned()));
    // Who is not known is not shut out.
    assert_eq!(found("sshd", &Host(&["user nobody"]), on, &format!("{on}AllowUsers nobody\n")), [""; 0]);
}

/// What the daemon itself says of each account, before and after.
#[test]
fn logins_are_judged_by_what_the_daemon_says() {
    let profile = profile("sshd");
    let host = Host(&["people porter keeper", "typist keeper", "key keeper", "password porter"]);
    let version = Version::of(&profile, false, "Port 22\nPasswordAuthentication no\n");
    let base = "permitrootlogin no\nkbdinteractiveauthentication no\ngssapiauthentication no\nhostbasedauthentication no\nauthorizedkeyscommand none\ntrustedusercakeys none\nauthorizedkeysfile .ssh/authorized_keys\nauthenticationmethods any\n";
    let told = |keys: &str, passwords: &str| {
        Reported::pairs(&format!("{base}pubkeyauthentication {keys}\npasswordauthentication {passwords}\n"))
    };
    let judged = |keys: &str, passwords: &str| {
        let of = |_: &&str| (told("yes", "yes"), told(keys, passwords));
        let names = ["porter", "keeper", "root"];
        let reported: ReportedLogins = names.iter().map(|name| ((*name).to_owned(), of(name))).collect();
        let findings = host.settle(|survey| by_report(&version.view(&profile, survey), &reported));
        findings
            .into_iter()
            .map(|one| format!("{}: {} ({})", one.rule, one.message, one.help.unwrap_or_default()))
            .collect::<Vec<_>>()
    };
    assert_eq!(judged("yes", "yes"), [""; 0]);
    assert_eq!(
        judged("yes", "no"),
        [
            "shuts-out: these accounts can no longer log in: porter (of the first one: it has no key, and passwords are off)"
        ]
    );
    assert_eq!(
        judged("no", "yes"),
        [
            "locks-out: keeper, who is typing this, could not log in any more: keys are off, and it has no password (give that account what is asked for, or --accept locks-out if that is meant)"
        ]
    );
    assert_eq!(judged("no", "no").len(), 1);
    assert!(
        judged("no", "no")[0].starts_with("locks-out: after this change no account of this host can log in")
    );

    let lets_in = |keys: &str, passwords: &str, user: &str| {
        host.settle(|survey| password_lets_in(&profile, &told(keys, passwords), user, survey))
    };
    assert_eq!(lets_in("yes", "yes", "porter"), Some(true));
    assert_eq!(lets_in("yes", "no", "porter"), Some(false));
    assert_eq!(lets_in("yes", "yes", "keeper"), Some(false));
    assert_eq!(host.settle(accounts), ["keeper", "root", "porter"]);
}

#[test]
fn the_daemon_is_asked_about_logins_where_a_change_may_touch_them() {
    let profile = profile("sshd");
    let before = "Port 22\nPasswordAuthentication yes\n";
    let survey = Survey::default();
    for (after, wanted) in [
        ("Port 22\nPasswordAuthentication no\n", true),
        ("Port 22\n", true),
        ("Port 23\nPasswordAuthentication yes\n", false),
        ("Port 22\nPasswordAuthentication yes\nInclude /etc/ssh/more\n", true),
        ("Port 22\nPasswordAuthentication yes\nMatch User porter\nX11Forwarding no\n", true),
        ("Port 22\npasswordauthentication no\n", true),
    ] {
        let (old, new) = (Version::of(&profile, false, before), Version::of(&profile, false, after));
        let (old, new) = (old.view(&profile, &survey), new.view(&profile, &survey));
        assert_eq!(is_touched(&old, &new, &changed_statements(&old, &new)), wanted, "{after:?}");
    }
}

/// Of a daemon of which nothing is known, a value is held against the one before.
#[test]
fn without_a_profile_a_value_says_what_it_is_about() {
    let here: &[&str] = &[
        "path /srv/a file",
        "own 127.0.0.1",
        "resolves tide.example",
        "resolves pier.example",
        "port 90 tcp tide other 127.0.0.1",
        "holds rows_shown harbour_name quay_colour departure_table upstream allow server_name",
        "valid /c/new.pem 90",
        "valid /c/soon.pem 13",
        "valid /c/old.pem -2",
        "names /c/new.pem quay.example *.pier.example",
        "fits /c/new.pem /c/new.key",
    ];
    let all = "rows_shown 8\nharbour_name x\nquay_colour red\ndeparture_table /srv/a\nupstream 127.0.0.1:90\nfrom tide.example\nallow 192.0.2.0/24\nlist a,b,c\ncert /c/new.pem\n#quay_colours a\n";
    for (old, new, wanted) in [
        ("rows_shown 8", "rows_shown eight", &["warning no-number@1"][..]),
        ("rows_shown 8", "rows_shown auto", &[]),
        ("rows_shown 8", "rows_shown 8x8x8", &["warning no-number@1"]),
        ("rows_shown 8", "rows_shown 12k", &[]),
        ("table /srv/a", "table /srv/b", &["warning no-such-path@4"]),
        ("127.0.0.1:90", "127.0.0.1:91", &["warning no-listener@5"]),
        ("tide.example", "ebb.example", &["warning no-such-host@6"]),
        ("tide.example", "pier.example", &[]),
        ("192.0.2.0/24", "0.0.0.0/0", &["warning every-address@7"]),
        ("192.0.2.0/24", "::/0", &["warning every-address@7"]),
        ("192.0.2.0/24", "192.0.0.0/8", &[]),
        ("list a,b,c", "list \"\"", &["warning emptied@8"]),
        ("/c/new.pem", "/c/soon.pem", &["warning certificate@9"]),
        ("/c/new.pem", "/c/old.pem", &["warning certificate@9"]),
        ("cert /c", "rows_show 9\ncert /c", &["warning near-name@9"]),
        // It was there, commented out.
        ("cert /c", "quay_colours 9\ncert /c", &[]),
        ("cert /c", "timetable_of 9\ncert /c", &["warning not-in-program@9"]),
        ("cert /c", "new 0.0.0.0/0\ncert /c", &["warning every-address@9"]),
        ("cert /c", "key /c/new.key\ncert /c", &[]),
        ("cert /c", "key /c/other.key\ncert /c", &[]),
        ("/c/new.pem", "/c/new.pem\nserver_name quay.example", &[]),
        ("/c/new.pem", "/c/new.pem\nserver_name a.pier.example", &[]),
        ("/c/new.pem", "/c/new.pem\nserver_name sea.example", &["warning certificate@10"]),
    ] {
        let bare = bare();
        let version = |text: &str| Version::of(&bare, false, text);
        let (before, after) = (version(all), version(&all.replacen(old, new, 1)));
        let found = brief(&findings_between(&bare, &Host(here), &before, &after));
        assert_eq!(found, wanted, "{old} -> {new}");
    }
}

fn bare() -> Profile {
    let mut files = gypsum_core::profile::Files::one("/etc/x.conf".into(), gypsum_core::doc::Family::Keyword);
    files.reader = None;
    Profile::bare("x", "x".into(), files)
}

/// A file that was read and is read no more, and one that is not there.
#[test]
fn what_is_read_no_more_is_said() {
    let profile = profile("boards");
    let file = |path: &str, text: &str| gypsum_core::edit::File {
        path: path.into(),
        doc: gypsum_core::doc::Document::read(text.into(), profile.files.format, profile.dialect.clone())
            .unwrap(),
    };
    let version = |main: &str, pattern: &str, read: &[usize]| {
        let files = vec![file("/etc/boards.conf", main), file("/etc/b.d/one.conf", "lines 3\n")];
        let leaf = files[0].doc.tree().leaves().map(|(leaf, ..)| leaf).last().unwrap();
        let inclusion = Inclusion { file: 0, leaf, pattern: pattern.into(), read: read.to_vec() };
        Version::with(&profile, files, Order { roots: vec![0], inclusions: vec![inclusion] })
    };
    let old = version("lines 2\ninclude /etc/b.d/*.conf\n", "/etc/b.d/*.conf", &[1]);
    let none = Version::with(
        &profile,
        vec![file("/etc/boards.conf", "lines 2\n"), file("/etc/b.d/one.conf", "lines 3\n")],
        Order { roots: vec![0], inclusions: Vec::new() },
    );
    let host = Host(&[FILE, "path /etc/b.d/one.conf file"]);
    let said = |new: &Version| brief(&findings_between(&profile, &host, &old, new));
    assert_eq!(said(&version("lines 2\ninclude /etc/b.d/*.conf\n", "/etc/b.d/*.conf", &[1])), [""; 0]);
    assert_eq!(
        said(&version("lines 2\ninclude /etc/c.d/*.conf\n", "/etc/c.d/*.conf", &[])),
        ["fault drops-file@2", "warning leads-nowhere@2"]
    );
    assert_eq!(said(&version("lines 2\ninclude /etc/c.conf\n", "/etc/c.conf", &[])).len(), 2);
    assert_eq!(said(&none), ["warning drops-file"]);
}

/// `gypsum check`: what is there, by itself.
#[test]
fn files_by_themselves_are_checked_without_a_change() {
    let profile = profile("boards");
    let version = Version::of(&profile, false, "table /srv/t\nrows 4\nno such line\n");
    let survey = Survey::default();
    let mut checking = CheckingFiles::of(version.view(&profile, &survey));
    let findings = Host(&["version 2.3"]).settle(|survey| checking.round(survey));
    let found = brief(&findings);
    for wanted in ["fault missing-file@1", "fault too-new@2"] {
        assert!(found.iter().any(|one| one == wanted), "{found:?}");
    }
    assert!(findings.iter().all(|one| one.severity >= Severity::Hint));
}
