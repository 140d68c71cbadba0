//! Edits: each case in its file's own style, and the laws that hold for all of them.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use gypsum_core::address::Address;
use gypsum_core::doc::{Dialect, Document, Family, Kind};
use gypsum_core::edit::{Edit, File, Guide, Proposal, propose};
use gypsum_core::finding::Finding;
use gypsum_core::layers::{EffectiveConfig, Order};
use gypsum_core::listing::list;
use gypsum_core::profile::{Profile, built_in, read};
use gypsum_core::value::edit_error_of_any;
use proptest::prelude::*;
use proptest::test_runner::{TestCaseError, TestRunner};
use std::cell::Cell;

fn sshd() -> Profile {
    read(built_in("sshd").unwrap().text).unwrap()
}

fn file(source: &str, family: Family, dialect: &Dialect) -> File {
    File { path: "/etc/x.conf".into(), doc: Document::read(source.into(), family, dialect.clone()).unwrap() }
}

fn edit_with(files: &[File], profile: &Profile, edits: &[Edit]) -> Result<Proposal, Vec<Finding>> {
    let plausible = |name: &str, value: &str| {
        profile
            .setting(name)
            .is_some_and(|(_, known)| edit_error_of_any(known, &profile.values, value).is_none())
    };
    let spelling = |name: &str| profile.spelling(name).map(str::to_owned);
    let block = |name: &str| profile.home_block(name);
    propose(
        files,
        edits,
        &Guide { block: &block, spelling: &spelling, plausible: &plausible, ..Guide::default() },
    )
}

/// `=X` sets, `+X` enables, `-X` disables, `!X` deletes.
fn parse(text: &str) -> Edit {
    let address = |text: &str| Address::parse(text).unwrap();
    match (text.get(..1), text.get(1..)) {
        (Some("+"), Some(rest)) => Edit::Enable(address(rest)),
        (Some("-"), Some(rest)) => Edit::Disable(address(rest)),
        (Some("!"), Some(rest)) => Edit::Delete(address(rest)),
        _ => Edit::parse_set(text).unwrap(),
    }
}

fn edited(profile: &Profile, source: &str, edits: &[&str]) -> Result<String, String> {
    let files = [file(source, profile.files.format, &profile.dialect)];
    let edits: Vec<Edit> = edits.iter().map(|text| parse(text)).collect();
    match edit_with(&files, profile, &edits) {
        Ok(proposal) => {
            let after = proposal.files.into_iter().next().map(|file| file.after().to_vec());
            Ok(after.map_or_else(|| source.to_owned(), |after| String::from_utf8(after).unwrap()))
        }
        Err(findings) => Err(findings.iter().map(|one| one.rule.as_str()).collect::<Vec<_>>().join(" ")),
    }
}

#[test]
fn keyword_files_are_edited_in_their_own_style() {
    let profile = sshd();
    let table: [(&str, &[&str], Result<&str, &str>); 24] = [
        ("Port 22\nMaxAuthTries 6\n", &["MaxAuthTries=4"], Ok("Port 22\nMaxAuthTries 4\n")),
        ("maxauthtries\t6 # few\n", &["MaxAuthTries=4"], Ok("maxauthtries\t4 # few\n")),
        ("MaxAuthTries=6\r\nPort 22\r\n", &["MaxAuthTries=4"], Ok("MaxAuthTries=4\r\nPort 22\r\n")),
        ("Banner \"/etc/a\"\n", &["Banner=/etc/b"], Ok("Banner \"/etc/b\"\n")),
        // Uncommented, not doubled; prose and the body of a sleeping block stay commented out.
        (
            "# MaxAuthTries of 6.\n#MaxAuthTries 6\n",
            &["MaxAuthTries=4"],
            Ok("# MaxAuthTries of 6.\nMaxAuthTries 4\n"),
        ),
        ("# MaxAuthTries 6\n", &["MaxAuthTries=4"], Ok("MaxAuthTries 4\n")),
        (
            "#Match User a\n#\tX11Forwarding no\n",
            &["X11Forwarding=yes"],
            Ok("#Match User a\n#\tX11Forwarding no\nX11Forwarding yes\n"),
        ),
        ("#Port 22\n#Port 23\n", &["Port=24"], Ok("Port 24\n#Port 23\n")),
        // New ones go before the first conditional group, and look like their neighbours.
        (
            "Port 22\nMatch User a\n  X11Forwarding no\n",
            &["X11Forwarding=yes"],
            Ok("Port 22\nX11Forwarding yes\nMatch User a\n  X11Forwarding no\n"),
        ),
        ("Match User a\n", &["UseDNS=no"], Ok("UseDNS no\nMatch User a\n")),
        ("# For a:\nMatch User a\n", &["UseDNS=no"], Ok("UseDNS no\n# For a:\nMatch User a\n")),
        ("Port 22", &["usedns=no"], Ok("Port 22\nUseDNS no")),
        ("", &["UseDNS=no"], Ok("UseDNS no\n")),
        ("Port 22\n", &["Banner=a # b"], Ok("Port 22\nBanner \"a # b\"\n")),
        // In a group, by its address.
        (
            "Match User a\n  PermitTTY no\n",
            &["Match User a..X11Forwarding=no"],
            Ok("Match User a\n  PermitTTY no\n  X11Forwarding no\n"),
        ),
        (
            "Match User a\n  PermitTTY no\n",
            &["match User a..PermitTTY=yes"],
            Ok("Match User a\n  PermitTTY yes\n"),
        ),
        // Several at once, and none if one does not fit.
        ("Port 22\n#UseDNS no\n", &["Port=23", "+UseDNS"], Ok("Port 23\nUseDNS no\n")),
        ("Port 22\n", &["Port=23", "!UseDNS"], Err("not-there")),
        ("Port 22\n", &["Port=23", "-Port"], Err("twice")),
        ("Port 22\nPort 23\n", &["Port=24"], Err("ambiguous")),
        ("Port 22\nPort 23\n", &["Port#2=24"], Ok("Port 22\nPort 24\n")),
        ("Port 22\n", &["-Port"], Ok("#Port 22\n")),
        ("A 1\nPort 22\nB 2\n", &["!Port"], Ok("A 1\nB 2\n")),
        ("Port 22\n", &["Port=2\n3"], Err("control-character")),
    ];
    for (source, edits, wanted) in table {
        let got = edited(&profile, source, edits);
        assert_eq!(got.as_deref().map_err(String::as_str), wanted, "{source:?} {edits:?}");
    }
}

#[test]
fn sections_are_edited_in_their_own_style() {
    let profile = read(built_in("mariadb").unwrap().text).unwrap();
    let table: [(&str, &[&str], Result<&str, &str>); 10] = [
        ("[mysqld]\nport   = 1\n", &["port=2"], Ok("[mysqld]\nport   = 2\n")),
        (
            "[mysqld]\n#max_connections        = 100\n",
            &["max-connections=200"],
            Ok("[mysqld]\nmax_connections        = 200\n"),
        ),
        (
            "[mysqld]\nport        = 1\n[client]\nport=3\n",
            &["mysqld..tmpdir=/x"],
            Ok("[mysqld]\nport        = 1\ntmpdir      = /x\n[client]\nport=3\n"),
        ),
        ("[mysqld]\nport=1\n[client]\nport=3\n", &["port=2"], Err("ambiguous")),
        (
            "[mysqld]\nport=1\n[client]\nport=3\n",
            &["client..port=2"],
            Ok("[mysqld]\nport=1\n[client]\nport=2\n"),
        ),
        ("[mysqld]\n\n[client]\n", &["tmpdir=/x"], Ok("[mysqld]\ntmpdir = /x\n\n[client]\n")),
        ("[mysqld]\n#skip-name-resolve\n", &["+skip-name-resolve"], Ok("[mysqld]\nskip-name-resolve\n")),
        ("[client]\nport=3\n", &["mysql..tmpdir=/x"], Err("no-such-block")),
        ("[mysqld]\nport =\n", &["port=2"], Ok("[mysqld]\nport = 2\n")),
        ("[mysqld]\nskip-networking\n", &["skip-networking=0"], Ok("[mysqld]\nskip-networking = 0\n")),
    ];
    for (source, edits, wanted) in table {
        let got = edited(&profile, source, edits);
        assert_eq!(got.as_deref().map_err(String::as_str), wanted, "{source:?} {edits:?}");
    }
}

fn line() -> impl Strategy<Value = String> {
    prop_oneof![
        "#?(Port|MaxAuthTries|UseDNS|Banner) [a-z0-9]{1,5}( # [a-z ]{0,5})?",
        "[ \t]{0,3}(Port|MaxAuthTries|X11Forwarding)[ \t=]{1,2}[a-z0-9\"]{1,6}",
        "# [A-Za-z =:]{0,20}",
        "Match User (a|b)",
        "",
        "[^\n\r\\x00]{0,12}",
    ]
}

fn source() -> impl Strategy<Value = String> {
    (prop::collection::vec(line(), 0..12), prop::sample::select(vec!["\n", "\r\n"]), any::<bool>())
        .prop_map(|(lines, eol, ended)| lines.join(eol) + if ended { eol } else { "" })
}

/// All active settings with their blocks: what a daemon would see.
fn settings(source: &str, profile: &Profile) -> Vec<(String, String)> {
    let files = [file(source, profile.files.format, &profile.dialect)];
    let order = Order { roots: vec![0], inclusions: Vec::new() };
    let rows = list(&files, &EffectiveConfig::of(&files, &order, profile), profile);
    rows.into_iter().filter(|row| !row.commented_out).map(|row| (row.address, row.value)).collect()
}

/// Runs a property over so many cases; of these at least `least` must have been edits that were made, since a refusal
/// proves nothing.
fn over<S: Strategy>(
    strategy: &S,
    least: u32,
    property: impl Fn(S::Value, &Cell<u32>) -> Result<(), TestCaseError>,
) {
    let effective = Cell::new(0);
    let mut runner = TestRunner::new(ProptestConfig::with_cases(400));
    runner.run(strategy, |value| property(value, &effective)).unwrap();
    assert!(effective.get() >= least, "only {} cases were edits that were made", effective.get());
}

#[test]
fn a_set_value_reads_back_and_nothing_else_changes() {
    over(&(source(), "[a-z0-9/][a-z0-9 #\"/]{0,8}"), 200, |(source, value), effective| {
        let profile = sshd();
        let after = edited(&profile, &source, &[&format!("MaxAuthTries={value}")]);
        if let Ok(after) = after {
            effective.set(effective.get() + 1);
            let bare = value.trim_matches('"').to_owned();
            let rest = |text: &str| -> Vec<(String, String)> {
                let all = settings(text, &profile);
                all.into_iter()
                    .filter(|(address, _)| !address.to_lowercase().starts_with("maxauthtries"))
                    .collect()
            };
            prop_assert_eq!(rest(&source), rest(&after));
            let now = settings(&after, &profile);
            prop_assert!(
                now.iter().any(|(_, now)| *now == value || *now == bare),
                "{:?} in {:?}",
                value,
                after
            );
            // Asked again, it is there.
            prop_assert_eq!(
                edited(
                    &profile,
                    &after,
                    &[&format!(
                        "MaxAuthTries={}",
                        now.iter()
                            .find(|(address, _)| address.to_lowercase().starts_with("maxauthtries"))
                            .map_or("", |(_, value)| value)
                    )]
                ),
                Ok(after.clone())
            );
        }
        Ok(())
    });
}

#[test]
fn disabled_and_enabled_again_is_the_same_bytes() {
    over(&source(), 20, |source, effective| {
        let profile = sshd();
        let once = settings(&source, &profile);
        for (address, _) in once.iter().filter(|(address, _)| !address.contains('#')).take(3) {
            let commented_out = edited(&profile, &source, &[&format!("-{address}")]);
            // A name that is commented out somewhere already would be uncommented there.
            let alone = !source.lines().any(|line| line.trim_start().starts_with('#'));
            if let (Ok(commented_out), true) = (commented_out, alone && profile.spelling(address).is_some()) {
                effective.set(effective.get() + 1);
                prop_assert_eq!(
                    edited(&profile, &commented_out, &[&format!("+{address}")]),
                    Ok(source.clone())
                );
            }
        }
        Ok(())
    });
}

#[test]
fn every_listed_address_can_be_pasted_back() {
    over(&source(), 200, |source, effective| {
        let profile = sshd();
        for (address, value) in settings(&source, &profile) {
            if value.contains(['"', '\0'])
                || address.starts_with(['+', '-', '!'])
                || Address::parse(&address).is_err()
            {
                continue;
            }
            let same = edited(&profile, &source, &[&format!("{address}={value}")]);
            if !value.is_empty() {
                effective.set(effective.get() + 1);
                prop_assert_eq!(same.as_deref(), Ok(source.as_str()), "{}", address);
            }
        }
        Ok(())
    });
}

#[test]
fn broken_parts_stay_while_the_rest_is_edited() {
    let profile = read(built_in("mariadb").unwrap().text).unwrap();
    let source = "[mysqld\nport = 1\n[mysqld]\nport = 2\n";
    let files = [file(source, Family::Sections, &profile.dialect)];
    assert_eq!(files[0].doc.tree().kind(0), Kind::Broken);
    let got = edited(&profile, source, &["mysqld..port=3"]);
    assert_eq!(got.as_deref(), Ok("[mysqld\nport = 1\n[mysqld]\nport = 3\n"));
}

#[test]
fn what_stands_nowhere_yet_goes_where_its_daemon_takes_it() {
    let profile = read(built_in("nginx").unwrap().text).unwrap();
    let source = "user www;\nevents {\n    worker_connections 64;\n}\nhttp {\n    sendfile on;\n}\n";
    let table = [
        ("keepalive_timeout=70", source.replace("on;\n", "on;\n    keepalive_timeout 70;\n")),
        ("multi_accept=on", source.replace("64;\n", "64;\n    multi_accept on;\n")),
        ("worker_priority=5", source.replace("www;\n", "www;\nworker_priority 5;\n")),
    ];
    for (edit, wanted) in table {
        assert_eq!(edited(&profile, source, &[edit]), Ok(wanted), "{edit}");
    }
    // A file that is read inside of that block has none of its own.
    let included = "sendfile on;\n";
    let wanted = "sendfile on;\nkeepalive_timeout 70;\n".to_owned();
    assert_eq!(edited(&profile, included, &["keepalive_timeout=70"]), Ok(wanted));
}
