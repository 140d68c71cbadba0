//! The names that the installed daemons list, and what their manual says, as `show` gives them back.

use crate::{gypsum, needs};
use gypsum_core::profile::{BUILT_IN, NameAnswer, built_in};
use gypsum_host::profiles::load;
use gypsum_host::survey::{asked_anew, listed};
use serde_json::Value;

/// So many names of each list are asked for; the lists have up to 1,300.
const ASKED: usize = 12;

#[test]
#[ignore = "needs daemons of Debian: see docs/testing.md"]
fn what_a_daemon_lists_it_knows() {
    let mut lists = 0;
    for built_in in BUILT_IN {
        let Ok(profile) = load(built_in.name, None) else { continue };
        let Some((list, names)) = listed(&profile) else { continue };
        lists += 1;
        assert!(names.len() > 50, "{}: {} names", profile.daemon, names.len());
        assert!(!list.run.is_empty());
        // A second command is the witness. A list has some facts of the build, which are no settings.
        let mut unknown = Vec::new();
        for one in names.iter().step_by(names.len().div_ceil(ASKED)) {
            let Some(way) = profile.ask.iter().find(|way| way.is_for(&profile.files.home, &one.block)) else {
                continue;
            };
            if let Some(NameAnswer::Unknown(said)) = asked_anew(way, &one.name, &one.block).unwrap() {
                unknown.push((&one.name, said));
            }
        }
        assert!(unknown.len() < 2, "{}: {unknown:?}", profile.daemon);
    }
    assert!(lists >= 6, "{lists} daemons list their names");
}

fn shown(daemon: &str, setting: &str) -> Value {
    let state = tempfile::tempdir().unwrap();
    let out = gypsum(state.path(), &["show", daemon, setting, "--json"]);
    serde_json::from_slice::<Value>(&out.stdout).unwrap()["setting"].clone()
}

#[test]
#[ignore = "needs daemons and manuals of Debian: see docs/testing.md"]
fn show_says_what_list_and_manual_have() {
    needs(&["/usr/sbin/sshd", "/usr/bin/man", "/usr/sbin/postconf", "/usr/sbin/mariadbd"]);
    let tries = shown("sshd", "MaxAuthTries");
    let text = tries["manual"][0].as_str().unwrap();
    assert!(text.starts_with("Specifies the maximum number of authentication attempts permitted"), "{text}");

    // The daemon decides what the default is.
    let slots = shown("mariadb", "table-open-cache-instances");
    assert_eq!(slots["default"], slots["reported"], "{slots}");
    assert!(slots["known_from"].to_string().contains("the daemon's own list, by mariadbd"), "{slots}");

    // A name without its block means the block that has it; what its list says of the need of a restart holds.
    let access = shown("unit:ssh", "NotifyAccess");
    assert_eq!((&access["name"], &access["listed"]), (&"Service..NotifyAccess".into(), &"ACCESS".into()));
    assert!(access["manual"].to_string().contains("sd_notify"), "{access}");
    let level = shown("postgresql", "wal_level");
    assert_eq!(level["takes_effect"], "with a restart", "{level}");

    // A name that the profile does not have is known to the daemon.
    let old = shown("postgresql", "sort_mem");
    assert!(old["known_from"][0].as_str().unwrap().contains("the installed postgresql"), "{old}");
    let state = tempfile::tempdir().unwrap();
    let out = gypsum(state.path(), &["show", "sshd", "--all"]);
    assert!(String::from_utf8_lossy(&out.stdout).contains("known, and set nowhere"));
    let out = gypsum(state.path(), &["show", "mariadb", "--all"]);
    assert!(String::from_utf8_lossy(&out.stdout).contains("known to the installed mariadb only"));
}

#[test]
#[ignore = "needs daemons of Debian: see docs/testing.md"]
fn a_name_of_the_daemons_list_is_proposed() {
    needs(&["/usr/sbin/mariadbd"]);
    let state = tempfile::tempdir().unwrap();
    // A profile that lacks a name.
    let text = built_in("mariadb").unwrap().text.replace("table-open-cache-instances", "no-such-name");
    let lacking = state.path().join("mariadb.toml");
    std::fs::write(&lacking, text).unwrap();
    let lacking = lacking.to_string_lossy();
    let edit = "table-open-cache-instancez=4";
    let out =
        gypsum(state.path(), &["change", "mariadb", edit, "--profile", &lacking, "--dry-run", "--json"]);
    let document: Value = serde_json::from_slice(&out.stdout).unwrap();
    let help = document["findings"][0]["help"].as_str().unwrap_or_default();
    assert!(help.contains("table-open-cache-instances"), "{document:#}");
}
