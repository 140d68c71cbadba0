//! What differs: from another file, from how a change left it, from what was shipped.

use crate::boards::{command, config, gypsum, host, json, said, status};
use std::fs;
use std::process::Output;

fn differences(output: &Output) -> Vec<(String, String, String)> {
    let text = |value: &serde_json::Value| value.as_str().unwrap_or("-").to_owned();
    let one = |one: &serde_json::Value| (text(&one["address"]), text(&one["other"]), text(&one["this"]));
    json(output)["files"][0]["differences"].as_array().unwrap().iter().map(one).collect()
}

/// A file that no package has: that is said, and is no difference.
#[test]
fn what_no_package_has_is_not_compared() {
    let host = host();
    let output = gypsum(&host, &["diff", "departures"]);
    let text = said(&host, &output);
    assert_eq!(status(&output), 0, "{text}");
    assert!(text.contains("no package has a record of it"), "{text}");
    let document = json(&gypsum(&host, &["diff", "departures", "--json"]));
    assert_eq!(document["files"][0]["state"], "unrecorded", "{document}");
}

#[test]
fn another_file_is_compared_by_settings_or_by_lines() {
    let host = host();
    let other = host.root().join("other.conf");
    let diff = |more: &[&str]| {
        let mut diff = command(&host, &["diff", "departures", "--file", other.to_str().unwrap()]);
        diff.arg("--profile").arg(host.profile()).args(more).output().unwrap()
    };
    fs::write(&other, config(&host)).unwrap();
    assert_eq!(status(&diff(&[])), 0, "{}", said(&host, &diff(&[])));
    let text = config(&host).replace("rows 8", "rows 9") + "api_password tidewater\n";
    fs::write(&other, text).unwrap();
    let wanted = [("rows", "9", "8"), ("api_password", "(hidden)", "-")];
    let wanted = wanted.map(|(address, other, this)| (address.to_owned(), other.to_owned(), this.to_owned()));
    assert_eq!(differences(&diff(&["--json"])), wanted);
    for more in [&[][..], &["--lines"], &["--json"]] {
        let output = diff(more);
        let text = said(&host, &output);
        assert_eq!(status(&output), 3, "{text}");
        assert!(text.contains("rows") && !text.contains("tidewater"), "{text}");
    }
    assert!(said(&host, &diff(&["--lines"])).contains("-rows 9"), "{}", said(&host, &diff(&["--lines"])));
    // A remark is no setting.
    fs::write(&other, config(&host) + "# a remark\n").unwrap();
    assert!(said(&host, &diff(&[])).contains("no setting differs"), "{}", said(&host, &diff(&[])));
    assert_eq!(status(&diff(&[])), 3);
    fs::remove_file(&other).unwrap();
    assert_eq!(status(&diff(&[])), 1, "{}", said(&host, &diff(&[])));
}

#[test]
fn what_came_after_a_change_is_shown_with_who_did_it() {
    let host = host();
    for edit in ["rows=5", "rows=6"] {
        assert_eq!(status(&gypsum(&host, &["change", "departures", edit])), 0);
    }
    let since = |change: &str| gypsum(&host, &["diff", "departures", "--change", change, "--json"]);
    assert_eq!(differences(&since("1")), [("rows".to_owned(), "5".to_owned(), "6".to_owned())]);
    assert_eq!((status(&since("1")), status(&since("2"))), (3, 0));
    let text = said(&host, &gypsum(&host, &["diff", "departures", "--change", "1"]));
    let me = gypsum_host::who::login_name();
    assert!(
        text.contains("1 setting is not as change 1 left it") && text.contains(&format!("change 2: {me}")),
        "{text}"
    );
    assert_eq!(status(&gypsum(&host, &["diff", "departures", "--change", "9"])), 2);
}
