//! Every rule broken once, by the built program: what it says is kept beside this file, to be read aloud.

use assert_cmd::Command;
use gypsum_core::rules::OWN;
use std::fmt::Write;
use std::fs;
use std::net::TcpListener;

/// One way to break a rule: the family, what the profile says beside where its file is, and the file before and after.
/// `{DIR}` is the folder of the test, `{TAKEN}` a port that somebody holds.
struct Case(&'static str, &'static str, &'static str, &'static str);

const CASES: [Case; 50] = [
    Case("keyword", "[setting]\nrows = { kind = \"integer\", min = 1, max = 40 }", "rows 8\n", "rows 80\n"),
    Case(
        "keyword",
        "[setting]\nclock = { kind = \"choice\", choices = [\"12h\", \"24h\"] }",
        "clock 24h\n",
        "clock 24\n",
    ),
    Case(
        "keyword",
        "[setting]\ncache = { kind = \"size\", least = \"1M\", usual = \"64M\" }",
        "cache 64M\n",
        "cache 64\n",
    ),
    Case(
        "keyword",
        "[setting]\ncache = { kind = \"size\", most = \"memory\" }",
        "cache 64M\n",
        "cache 900T\n",
    ),
    Case("keyword", "[setting]\nallow = { kind = \"network\" }", "", "allow 10.0.0.5/8\n"),
    Case("sections", "", "[board]\nrows = 8 ; wide\n", "[board]\nrows = 9\n"),
    Case("json", "", "{\"board\": {\"rows\": 8}}\n", "{\"board\": {\"rows\": 8}, \"board.quay\": 1}\n"),
    Case(
        "keyword",
        "[setting]\ntimetable = { kind = \"path\", path = \"file\" }",
        "",
        "timetable {DIR}/nowhere.csv\n",
    ),
    Case(
        "keyword",
        "[setting]\nlog = { kind = \"path\", path = \"parent\" }",
        "",
        "log {DIR}/logs/boards.log\n",
    ),
    Case("keyword", "[setting]\nlog = { kind = \"path\", path = \"file\" }", "", "log {DIR}\n"),
    Case("keyword", "[setting]\naccount = { kind = \"user\" }", "", "account ferrymen\n"),
    Case("keyword", "[setting]\nzone = { kind = \"zone\" }", "", "zone Europe/Saltmarsh\n"),
    Case(
        "keyword",
        "[setting]\nfeed = { kind = \"endpoint\", role = \"connect\" }",
        "",
        "feed 127.0.0.1:1\n",
    ),
    Case(
        "keyword",
        "[setting]\nfeed = { kind = \"endpoint\", role = \"connect\" }",
        "",
        "feed unix:{DIR}/feed.sock\n",
    ),
    Case(
        "keyword",
        "version = [\"/usr/bin/echo\", \"boards 2.1\"]\n[setting]\nfog = { since = \"3.0\" }",
        "",
        "fog on\n",
    ),
    Case(
        "keyword",
        "version = [\"/usr/bin/echo\", \"boards 2.1\"]\n[setting]\ntide = { until = \"2.0\" }",
        "",
        "tide on\n",
    ),
    Case(
        "sections",
        "[setting]\nrows = { within = [\"board\"] }",
        "[board]\nrows = 8\n[quay]\nname = east\n",
        "[board]\n[quay]\nname = east\nrows = 8\n",
    ),
    Case("keyword", "complete = true\n[setting]\nharbour = {}", "harbour Saltmarsh\n", "harbor Saltmarsh\n"),
    Case(
        "keyword",
        "[[rule]]\nname = \"unreachable\"\nsays = \"this is never reached\"\nhelp = \"move it above\"\ndead-behind = { of = [\"access\"], ends = [\"access deny all\"] }\n[setting]\naccess = { repeats = true }",
        "access deny all\n",
        "access deny all\naccess allow quay\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"open-after-all\"\nsays = \"without a last `access deny all`, all other clients are allowed\"\nwants-end = { has = [\"access allow *\"], ends = [\"access deny all\"] }\n[setting]\naccess = { repeats = true }",
        "",
        "access allow quay\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"unreachable\"\nsays = \"this has no effect\"\ndead-in-list = { of = [\"ask\"], ends = [\"any\"] }\n[setting]\nask = { list = \" \" }",
        "",
        "ask any 10.0.0.0/8\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"no-way-in\"\nsays = \"neither keys nor passwords are accepted\"\nhelp = \"leave one of them on\"\none-of = [\"keys=yes\", \"passwords=yes\"]\n[setting]\nkeys = { kind = \"flag\", default = \"yes\" }\npasswords = { kind = \"flag\", default = \"yes\" }",
        "",
        "keys no\npasswords no\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"limits\"\nsays = \"more is admitted in front than the application takes\"\nnot-above = [\"front\", \"application\"]\n[setting]\nfront = { kind = \"size\" }\napplication = { kind = \"size\" }",
        "",
        "front 64M\napplication 8M\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"two-names\"\nsays = \"the host has two names\"\nsame = [\"name\", \"announce\"]\n[setting]\nname = {}\nannounce = {}",
        "",
        "name east.saltmarsh.example\nannounce west.saltmarsh.example\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"needs-key\"\nsays = \"TLS is switched on, and no key is named\"\nneeds = [\"tls=yes\", \"key\"]\n[setting]\ntls = { kind = \"flag\" }\nkey = {}",
        "",
        "tls yes\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"open-relay\"\nsays = \"the whole world is let in\"\nnever = [\"allow *0.0.0.0/0*\"]\n[setting]\nallow = {}",
        "",
        "allow 0.0.0.0/0\n",
    ),
    Case(
        "braces",
        "[[rule]]\nname = \"slash\"\nsays = \"the path and its block do not both end with a slash\"\nends-alike = { block = \"location\", setting = \"alias\" }\n[setting]\nalias = {}",
        "",
        "location /map/ {\n    alias /srv/map;\n}\n",
    ),
    Case(
        "tags",
        "[[rule]]\nname = \"same-name\"\nsays = \"another host has that name already\"\ntwins = { block = \"Host\", setting = \"Name\" }\n[setting]\nName = {}",
        "",
        "<Host 80>\nName east\n</Host>\n<Host 80>\nName east\n</Host>\n",
    ),
    Case(
        "tags",
        "[[rule]]\nname = \"either-or\"\nsays = \"the old way and the new one do not go together\"\nnot-beside = { each = [[\"Allow *\"], [\"Require *\"]] }\n[setting]\nAllow = {}\nRequire = {}",
        "",
        "<Quay east>\nAllow all\nRequire login\n</Quay>\n",
    ),
    Case(
        "keyword",
        "[[rule]]\nname = \"serves-no-more\"\nsays = \"it is shown no more\"\nseverity = \"warning\"\nkeeps = [\"quay\"]\n[setting]\nquay = { repeats = true }",
        "quay north\nquay east\n",
        "quay nroth\nquay east\n",
    ),
    Case(
        "keyword",
        "[[listen]]\naddress = \"address\"\nport = \"port\"\nusual = 7000\nalways = true\n[setting]\naddress = { kind = \"address\", role = \"listen\" }\nport = { kind = \"port\" }",
        "address 127.0.0.1\nport 7000\n",
        "address 192.0.2.7\nport 7000\n",
    ),
    Case(
        "keyword",
        "[[listen]]\naddress = \"address\"\nport = \"port\"\n[setting]\naddress = { kind = \"address\", default = \"127.0.0.1\" }\nport = { kind = \"port\" }",
        "port 7000\n",
        "port {TAKEN}\n",
    ),
    Case(
        "keyword",
        "[[listen]]\naddress = \"address\"\nport = \"port\"\n[setting]\naddress = { kind = \"address\" }\nport = { kind = \"port\" }",
        "address 127.0.0.1\nport 7000\n",
        "address *\nport 7000\n",
    ),
    Case("keyword", "[setting]\nrows = { kind = \"integer\" }", "rows 8\n", "rows 8\nrows 9\n"),
    Case(
        "keyword",
        "[dialect]\nwins = \"first\"\n[setting]\nrows = { kind = \"integer\" }",
        "rows 8\n",
        "rows 8\nrows 9\n",
    ),
    Case(
        "keyword",
        "[setting]\nshow = { kind = \"flag\", side-effects = { no = \"the boards stay dark\" } }",
        "",
        "show no\n",
    ),
    Case(
        "keyword",
        "[setting]\nstore = { data = \"departures in the old place are not shown any more\" }",
        "store {DIR}/a\n",
        "store {DIR}/b\n",
    ),
    Case("keyword", "", "quay all\n", "quay “north”\n"),
    Case("keyword", "", "quay all\n", "quay östlich\n"),
    Case("keyword", "", "quay all\n", "\u{feff}quay all\n"),
    Case(
        "keyword",
        "[dialect]\nincludes = [\"include\"]\n[setting]\nrows = {}",
        "include {DIR}/more.conf\n",
        "include {DIR}/mroe.conf\n",
    ),
    Case("sections", "[setting]\nrows = {}", "[board]\n", "[board\nrows = 8\n"),
    Case(
        "keyword",
        "[setting]\nunits = { kind = \"unit\" }\nhost = { kind = \"host\" }",
        "",
        "host 10.0.0.300\n",
    ),
    Case(
        "keyword",
        "[login]\nallow-users = \"allow\"\n[setting]\nallow = { repeats = true }",
        "",
        "allow nobody-of-this-name\n",
    ),
    // Nothing is known of the settings.
    Case("keyword", "", "rows 8\n", "rows many\n"),
    Case("keyword", "", "page {DIR}\n", "page {DIR}/nowhere\n"),
    Case("keyword", "", "timetable a\n", "timetable a\ntimetabel b\n"),
    Case("keyword", "", "allow north south\n", "allow \"\"\n"),
    Case("keyword", "", "allow 10.0.0.0/8\n", "allow 0.0.0.0/0\n"),
    Case("keyword", "", "feed 127.0.0.1:{TAKEN}\n", "feed 127.0.0.1:1\n"),
];

/// The files of a case, in a folder.
struct Place {
    folder: tempfile::TempDir,
}

impl Place {
    fn of(case: &Case, taken: u16) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let dir = folder.path().display().to_string();
        let file = folder.path().join("boards.conf");
        let fill = |text: &str| text.replace("{DIR}", &dir).replace("{TAKEN}", &taken.to_string());
        fs::write(folder.path().join("more.conf"), "rows 8\n").unwrap();
        fs::write(&file, fill(case.2)).unwrap();
        fs::write(folder.path().join("after"), fill(case.3)).unwrap();
        let path = file.display();
        // Tables come behind single keys.
        let at =
            if case.1.starts_with('[') { 0 } else { case.1.find("\n[").map_or(case.1.len(), |at| at + 1) };
        let (alone, tables) = case.1.split_at(at);
        let profile = format!(
            "daemon = \"boards\"\ntitle = \"departure boards\"\n{alone}\n[files]\nread = [\"{path}\"]\nhome = \"{path}\"\nformat = \"{}\"\n{}",
            case.0,
            fill(tables)
        );
        fs::write(folder.path().join("boards.toml"), profile).unwrap();
        Self { folder }
    }

    fn gypsum(&self, words: &[&str]) -> std::process::Output {
        Command::new(assert_cmd::cargo::cargo_bin!("gypsum"))
            .args(words)
            .arg("--profile")
            .arg(self.folder.path().join("boards.toml"))
            .arg("--state")
            .arg(self.folder.path().join("state"))
            .output()
            .unwrap()
    }

    /// What the change to the other version of the file would find.
    fn change(&self, more: &[&str]) -> std::process::Output {
        let after = self.folder.path().join("after").display().to_string();
        self.gypsum(&[&["change", "boards", "-n", "--whole", &after], more].concat())
    }
}

fn run(case: &Case, taken: u16) -> String {
    let place = Place::of(case, taken);
    let dir = place.folder.path().display().to_string();
    let output = place.change(&[]);
    let text =
        format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    let mut out = String::new();
    let begin = |line: &&str| ["fault:", "warning:", "hint:"].iter().any(|word| line.starts_with(word));
    let lines: Vec<&str> = text.lines().collect();
    let first = lines.iter().position(begin).unwrap_or(lines.len());
    let last = lines.iter().rposition(|line| {
        line.trim_start().starts_with("rule: ")
            || line.contains("--accept")
            || line.trim_start().starts_with("to accept it")
    });
    for line in &lines[first..last.map_or(first, |last| last + 1)] {
        let line = line.replace(&dir, "/etc/boards").replace(&taken.to_string(), "7001");
        let line = match line.split_once("is taken by ") {
            Some((before, _)) => format!("{before}is taken by PROGRAM (process N)"),
            None => line,
        };
        let line = match line.split_once("than the ").filter(|_| line.contains(" GB")) {
            Some((before, after)) => format!("{before}than the N GB{}", after.split_once(" GB").unwrap().1),
            None => line,
        };
        writeln!(out, "{line}").unwrap();
    }
    out
}

#[test]
fn every_rule_says_what_is_wrong_where_and_what_to_do() {
    let held = TcpListener::bind("127.0.0.1:0").unwrap();
    let taken = held.local_addr().unwrap().port();
    let mut all = String::new();
    let help =
        Command::new(assert_cmd::cargo::cargo_bin!("gypsum")).args(["change", "--help"]).output().unwrap();
    let help = String::from_utf8(help.stdout).unwrap();
    for (n, case) in CASES.iter().enumerate() {
        let told = run(case, taken);
        assert!(
            told.contains("rule: ") || told.contains("--accept"),
            "case {n} says nothing: {:?} {told}",
            case.3
        );
        // What it says to type can be typed.
        for option in told.split([' ', '`']).filter(|word| word.starts_with("--") && word.len() > 2) {
            assert!(
                help.contains(option.trim_end_matches([':', ';', ',', '.'])),
                "there is no {option}: {told}"
            );
        }
        let refuses = told.lines().filter_map(|line| line.trim().strip_prefix("to accept it: --accept "));
        for rule in refuses {
            // Completion knows it: as a rule of the profile, or as one for every daemon.
            let is_known =
                OWN.iter().any(|(name, _)| *name == rule) || case.1.contains(&format!("\"{rule}\""));
            assert!(is_known, "{rule} cannot be completed");
        }
        writeln!(all, "{told}").unwrap();
    }
    snapbox::assert_data_eq!(all, snapbox::file!["findings.txt"].raw());
}

#[test]
fn an_accepted_rule_is_kept_with_its_reason() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("boards.conf");
    fs::write(&file, "quay all\n").unwrap();
    let output = Command::new(assert_cmd::cargo::cargo_bin!("gypsum"))
        .args([
            "change",
            "boards",
            "quay=“north”",
            "--accept",
            "curly-quotes=as painted",
            "--format",
            "keyword",
            "--json",
        ])
        .arg("--file")
        .arg(&file)
        .arg("--state")
        .arg(folder.path().join("state"))
        .output()
        .unwrap();
    let report = crate::boards::json(&output);
    let finding = &report["findings"][0];
    assert_eq!(
        (&report["verdict"], &finding["rule"]),
        (&"kept".into(), &"curly-quotes".into()),
        "{report:#}"
    );
    assert_eq!((&finding["accepted"], &finding["reason"]), (&true.into(), &"as painted".into()));
}

/// C10: of several settings that a rule is about, a finding points at the one that was edited.
#[test]
fn findings_point_at_what_was_edited() {
    let sizes = "not-above = [\"front\", \"behind\"]\n[setting]\nfront = { kind = \"size\" }\nbehind = { kind = \"size\" }";
    let modes = "not-all = [\"fog=on\", \"lamp=off\"]\n[setting]\nfog = { kind = \"flag\" }\nlamp = { kind = \"flag\" }";
    let beside = "not-beside = { each = [[\"tide *\"], [\"ebb *\"]] }\n[setting]\ntide = {}\nebb = {}";
    let dead =
        "dead-behind = { of = [\"allow\"], ends = [\"allow all\"] }\n[setting]\nallow = { repeats = true }";
    let cases = [
        (sizes, "front 1\nx 1\nbehind 8\n", &["front=9"][..], 1),
        (sizes, "front 1\nx 1\nbehind 8\n", &["behind=0"], 3),
        (modes, "fog off\nlamp off\n", &["fog=on"], 1),
        (modes, "fog on\nlamp on\n", &["lamp=off"], 2),
        (beside, "ebb 2\n", &["--add", "tide=1"], 2),
        (beside, "tide 2\nx 1\n", &["--add", "ebb=1"], 3),
        (dead, "allow ida\nallow olav\nallow per\n", &["allow#1=all"], 1),
        (dead, "allow all\n", &["--add", "allow=per"], 2),
    ];
    for (rule, before, edit, line) in cases {
        let folder = tempfile::tempdir().unwrap();
        let (file, profile) = (folder.path().join("boards.conf"), folder.path().join("boards.toml"));
        fs::write(&file, before).unwrap();
        let home = file.display();
        let rule = format!("[[rule]]\nname = \"ours\"\nsays = \"that does not fit\"\n{rule}\n");
        let text = format!(
            "daemon = \"boards\"\ntitle = \"boards\"\n[files]\nread = [\"{home}\"]\nhome = \"{home}\"\nformat = \"keyword\"\n[dialect]\nignore-case = true\n[values]\nflags = [[\"on\", \"off\"]]\nsizes = {{ k = 1024 }}\n{rule}"
        );
        fs::write(&profile, text).unwrap();
        let output = Command::new(assert_cmd::cargo::cargo_bin!("gypsum"))
            .args(["change", "boards", "-n", "--json"])
            .args(edit)
            .arg("--profile")
            .arg(&profile)
            .arg("--state")
            .arg(folder.path().join("state"))
            .output()
            .unwrap();
        let report = crate::boards::json(&output);
        let found = report["findings"].as_array().unwrap().iter().find(|finding| finding["rule"] == "ours");
        assert_eq!(found.map(|finding| finding["line"].clone()), Some(line.into()), "{edit:?}: {report:#}");
    }
}

/// The rules that a document names.
fn rules(output: &std::process::Output) -> std::collections::BTreeSet<String> {
    let report = crate::boards::json(output);
    let name = |finding: &serde_json::Value| finding["rule"].as_str().unwrap().to_owned();
    report["findings"].as_array().unwrap().iter().map(name).collect()
}

/// What speaks of the difference between two versions cannot be found in one of them.
const OF_THE_DIFFERENCE: [&str; 21] = [
    "lost-remark",
    "one-dot",
    "no-number",
    "no-such-path",
    "near-name",
    "emptied",
    "every-address",
    "no-listener",
    "locks-out",
    "shuts-out",
    "data",
    "side-effect",
    "serves-no-more",
    "drops-file",
    "lost-variable",
    "listens-no-more",
    "listens-wider",
    "byte-order-mark",
    "unlikely-value",
    "unmoved",
    "last-in-block",
];

/// E7: `check` finds what a change to the same file would.
#[test]
fn check_finds_what_a_change_finds() {
    let held = TcpListener::bind("127.0.0.1:0").unwrap();
    let taken = held.local_addr().unwrap().port();
    let mut compared = 0;
    for case in &CASES {
        let place = Place::of(case, taken);
        let changed = rules(&place.change(&["--json"]));
        let after = fs::read(place.folder.path().join("after")).unwrap();
        fs::write(place.folder.path().join("boards.conf"), after).unwrap();
        let mut checked = rules(&place.gypsum(&["check", "boards", "--json"]));
        // Of two lines, the new one overrules the other; by themselves, the other one has no effect.
        if checked.contains("no-effect") {
            checked.insert("repeated".into());
        }
        let missed: Vec<&String> = changed
            .iter()
            .filter(|rule| !checked.contains(*rule) && !OF_THE_DIFFERENCE.contains(&rule.as_str()))
            .collect();
        assert_eq!(missed, [""; 0], "{:?}: {checked:?}", case.3);
        compared += changed.len();
    }
    assert!(compared > 40, "{compared} findings were compared");
}

/// E7: a rule that accepts nothing is said, and a command that accepts nothing does not advise it.
#[test]
fn accepting_is_advised_and_answered_truly() {
    let place = Place::of(&CASES[0], 1);
    let output = place.change(&["--accept", "nosuchrule", "--accept", "value"]);
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    assert_eq!(output.status.code(), Some(0), "{text}");
    let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains("--accept nosuchrule accepts nothing"), "{text}");
    assert!(!flat.contains("--accept value accepts nothing"), "{text}");
    fs::write(place.folder.path().join("boards.conf"), "rows 80\n").unwrap();
    let checked = place.gypsum(&["check", "boards"]);
    let text = String::from_utf8_lossy(&checked.stdout).into_owned();
    assert!(text.contains("too high") && !text.contains("--accept"), "{text}");
}
