//! Bad input: a clear message with what to do, the right status, and nothing touched.

use crate::boards::{beside, command, config, gypsum, host, said, status};
use std::fs;

#[test]
fn wrong_words_are_refused_with_the_nearest_right_ones() {
    let host = host();
    let before = config(&host);
    let conf = host.config().display().to_string();
    let table: [(&[&str], i32, &str); 25] = [
        (&["change", "departurs", "rows=5"], 2, "not of departurs"),
        (&["change", "sshdd", "rows=5", "--file", "/x"], 1, "name it: --format FAMILY"),
        (&["daemons", "--forget", "sshdd"], 2, "nothing is remembered of sshdd"),
        (&["change", "x", "rows=5", "--file", &conf, "--format", "keywrd"], 2, "did you mean keyword?"),
        (
            &["change", "x", "rows=5", "--file", &conf, "--format", "keyword", "--health", "nine"],
            2,
            "can be looked at",
        ),
        (
            &["change", "x", "rows=5", "--file", &conf, "--format", "keyword", "--unit", "no such"],
            2,
            "cannot be the name of a",
        ),
        (&["change", "departures", "row=5"], 3, "did you mean rows?"),
        (&["change", "departures", "rows=50"], 3, "from 1 to 40"),
        (&["change", "departures", "rows=“5”"], 3, "the typographic quote"),
        (&["change", "departures", "rows"], 2, "there is no = in it"),
        (&["change", "departures", "quay+=2"], 3, "nothing says that it is a quantity"),
        (&["change", "departures", "rows=5", "--must", "htp http://localhost/"], 2, "did you mean http?"),
        (&["change", "departures", "rows=5", "--must", "http http://x/ statsu 200"], 2, "you mean status?"),
        (&["change", "departures", "rows=5", "--expect", "nicenes=5"], 2, "is read of departures"),
        (&["change", "departures", "rows=5", "--expect", "five"], 2, "is not NAME=VALUE"),
        (&["change", "departures", "rows=5", "--reading", "process nicenes"], 2, "did you mean niceness?"),
        (&["change", "departures", "rows=5", "--steady", "soon"], 2, "is no time"),
        (
            &["change", "departures", "rows=5", "--activation", "signal"],
            2,
            "has no signal for its activation",
        ),
        (&["change", "departures"], 2, "no edit was given"),
        (&["change", "departures", "--delete", "notice"], 3, "is not set"),
        (&["change", "departures", "--enable", "notice"], 3, "is not commented out anywhere"),
        (&["change", "departures", "rows=5", "--in", "/etc/passwd"], 2, "none of this daemon's files"),
        (&["restore", "departures"], 2, "no change of departures is live"),
        (&["restore", "departures", "7"], 2, "has no change 7"),
        (&["change", "departures", "quay=\"a", "--accept", "value"], 4, "board"),
    ];
    for (words, wanted, text) in table {
        let output = gypsum(&host, words);
        let said = said(&host, &output);
        assert_eq!(status(&output), wanted, "{words:?}: {said}");
        assert!(said.contains(text), "{words:?} does not say {text:?}: {said}");
        assert_eq!(config(&host), before, "{words:?}");
        assert_eq!(beside(&host.config()), ["departures.conf"], "{words:?}");
    }
    let output =
        std::process::Command::new(crate::boards::program()).args(["show", "sshdd"]).output().unwrap();
    assert!(String::from_utf8_lossy(&output.stderr).contains("did you mean sshd?"), "{output:?}");
    assert_eq!(status(&output), 2);
}

#[test]
fn files_that_are_no_configuration_are_left_alone() {
    let host = host();
    let path = |name: &str| host.root().join(name).display().to_string();
    fs::write(path("nul.conf"), b"rows 8\nquay\0all\n").unwrap();
    let table = [
        (path("missing.conf"), "does not exist"),
        (path("etc"), "is a folder"),
        (path("nul.conf"), "NUL byte in line 2"),
        ("/dev/null".to_owned(), "is a device"),
    ];
    for (file, text) in table {
        let output = gypsum(&host, &["change", "x", "rows=5", "--file", &file, "--format", "keyword"]);
        let said = said(&host, &output);
        assert_eq!(status(&output), 1, "{file}: {said}");
        assert!(said.contains(text), "{file}: {said}");
    }
    let unit = gypsum(
        &host,
        &[
            "change",
            "x",
            "rows=5",
            "--file",
            &host.config().display().to_string(),
            "--format",
            "keyword",
            "--unit",
            "gypsum-no-such-unit",
        ],
    );
    assert_eq!(status(&unit), 1, "{}", said(&host, &unit));
}

#[test]
fn what_cannot_be_read_is_not_told_as_nothing() {
    let host = host();
    for (name, text, reason) in [
        ("tide.yaml", "hall: [1\nrows: 2\n", "Nothing of this file is in this list"),
        ("tide.json", "# quays\n{\"rows\": 2}\n", "expected value"),
        ("tide.xml", "<hall><rows></hall>", "<rows> is closed by </hall>"),
        ("tide.toml", "rows = 2\nhall = [\n", "line 2: this line cannot be read"),
    ] {
        let file = host.root().join(name);
        fs::write(&file, text).unwrap();
        let path = file.to_str().unwrap();
        let shown = gypsum(&host, &["show", "tide", "--file", path]);
        let shown_text = said(&host, &shown).split_whitespace().collect::<Vec<_>>().join(" ");
        assert_eq!(status(&shown), 0, "{shown_text}");
        assert!(
            shown_text.contains(reason) && shown_text.contains("no settings that can be read"),
            "{shown_text}"
        );
        let listed = gypsum(&host, &["show", "tide", "--file", path, "--json"]);
        let listed: serde_json::Value = serde_json::from_slice(&listed.stdout).unwrap();
        assert_eq!(listed["findings"][0]["rule"], "broken", "{listed}");
        let edited = gypsum(&host, &["change", "tide", "rows=3", "--file", path]);
        assert_eq!(status(&edited), 3, "{}", said(&host, &edited));
        assert_eq!(fs::read_to_string(&file).unwrap(), text);
    }
}

#[test]
fn a_state_folder_that_cannot_be_made_stops_before_anything() {
    let host = host();
    let before = config(&host);
    let mut command = command(&host, &["change", "departures", "rows=5"]);
    let output = command.arg("--state").arg(host.config().join("state")).output().unwrap();
    assert_eq!(status(&output), 2, "given twice");
    let output = std::process::Command::new(crate::boards::program())
        .args(["change", "departures", "rows=5", "--profile"])
        .arg(host.profile())
        .arg("--state")
        .arg(host.config().join("state"))
        .output()
        .unwrap();
    assert_eq!((status(&output), config(&host)), (1, before), "{}", said(&host, &output));
    assert!(said(&host, &output).contains("state folder"), "{}", said(&host, &output));
}

#[test]
fn a_malformed_profile_is_shown_with_its_place() {
    let host = host();
    let good = fs::read_to_string(host.profile()).unwrap();
    let table = [
        ("rows = { kind = \"integer\"", "rows = { kind = \"numbers\"", "line 48"),
        ("[service]", "[service]\nreloads = true", "unknown field `reloads`"),
        ("limit = \"5s\"", "limit = \"5\"", "this is no time"),
        ("limit = \"5s\"", "limit = \"5s\"\nlimits = { relaod = \"1s\" }", "did you mean reload?"),
        ("status = 200", "status = 200\ntcp = \"x:1\"", "exactly one of"),
        ("run = [\"/", "run = [\"", "absolute path"),
        ("daemon = ", "daemon = = ", "line 2"),
    ];
    for (from, to, text) in table {
        assert!(good.contains(from), "{from}");
        fs::write(host.profile(), good.replacen(from, to, 1)).unwrap();
        let output = gypsum(&host, &["show", "departures"]);
        let said = said(&host, &output);
        assert_eq!(status(&output), 2, "{to}: {said}");
        assert!(said.contains(text), "{to} does not say {text:?}: {said}");
        assert!(said.contains("departures.toml, line"), "{said}");
    }
}

#[test]
fn a_checker_that_hangs_is_ended_and_refuses() {
    let host = host();
    let profile = fs::read_to_string(host.profile()).unwrap();
    let run = format!(
        "run = [\"{}/bin/departures\", \"--check\", \"{{file}}\"]\nlimit = \"5s\"",
        host.root().display()
    );
    assert!(profile.contains(&run));
    fs::write(
        host.profile(),
        profile.replace(&run, "run = [\"/usr/bin/tail\", \"-f\", \"{file}\"]\nlimit = \"200ms\""),
    )
    .unwrap();
    let before = config(&host);
    let output = gypsum(&host, &["change", "departures", "rows=5"]);
    assert_eq!((status(&output), config(&host)), (3, before), "{}", said(&host, &output));
    assert!(said(&host, &output).contains("did not answer in its time"), "{}", said(&host, &output));
    let output = gypsum(&host, &["change", "departures", "rows=5", "--accept", "checker"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
}

#[test]
fn a_health_check_that_hangs_is_cut_at_its_time() {
    let host = host();
    // It takes connections and never says a word.
    let silent = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("http://{}/", silent.local_addr().unwrap());
    let profile = fs::read_to_string(host.profile()).unwrap();
    let check =
        format!("[[health]]\nhttp = \"{url}{{quay}}\"\nlimit = \"200ms\"\npatience = \"300ms\"\n\n[setting]");
    fs::write(host.profile(), profile.replace("[setting]", &check)).unwrap();
    let output = gypsum(&host, &["health", "departures"]);
    assert_eq!(status(&output), 3, "{}", said(&host, &output));
    assert!(said(&host, &output).contains("no answer within 200 ms"), "{}", said(&host, &output));
}

#[test]
fn a_file_that_somebody_else_changes_meanwhile_is_left_to_them() {
    let host = host();
    let profile = fs::read_to_string(host.profile()).unwrap();
    let run = format!("run = [\"{}/bin/departures\", \"--check\", \"{{file}}\"]", host.root().display());
    let writes = format!(
        "run = [\"/bin/sh\", \"-c\", \"echo '# by somebody else' >> {}\", \"{{file}}\"]",
        host.config().display()
    );
    fs::write(host.profile(), profile.replace(&run, &writes)).unwrap();
    let output = gypsum(&host, &["change", "departures", "rows=5"]);
    assert_eq!(status(&output), 1, "{}", said(&host, &output));
    assert!(said(&host, &output).contains("was changed by another process"), "{}", said(&host, &output));
    assert!(config(&host).ends_with("# by somebody else\n") && config(&host).contains("rows 8"));
    assert_eq!(beside(&host.config()), ["departures.conf"]);
}
