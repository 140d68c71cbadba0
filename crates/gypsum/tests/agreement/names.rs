//! Which names exist is what the installed daemon says, and not what a profile lists.

use crate::{gypsum, needs, needs_root};
use gypsum_core::profile::NameAnswer;
use gypsum_host::survey::asked_anew;
use serde_json::Value;

/// Daemon, edit, the finding about the name, and words of it. The daemons are those of Debian 12.
const CASES: [(&str, &str, &str, &str); 34] = [
    // Known and described.
    ("sshd", "MaxAuthTries=5", "", ""),
    ("redis", "maxclients=500", "", ""),
    ("postgresql", "work_mem=8MB", "", ""),
    ("mariadb", "max-connections=200", "", ""),
    ("postfix", "smtpd_recipient_limit=900", "", ""),
    ("unit:ssh", "Restart=no", "", ""),
    // Typing errors, in the daemon's own words, with what it knows instead.
    ("sshd", "MaxAuthTriez=5", "unknown-name", "it says: Bad configuration option: MaxAuthTriez"),
    ("redis", "maxclientz=5", "unknown-name", "it says: Bad directive or wrong number of arguments"),
    (
        "postgresql",
        "work_men=8MB",
        "unknown-name",
        "it says: unrecognized configuration parameter \"work_men\"",
    ),
    ("mariadb", "max-connectionz=200", "unknown-name", "it says: unknown variable 'max-connectionz=1'"),
    ("pulseaudio", "daemonise=no", "unknown-name", "it says: Unknown lvalue 'daemonise'"),
    ("unit:ssh", "Service..Restartt=no", "unknown-name", "no setting called Restartt"),
    // New in a later version.
    ("sshd", "RefuseConnection=yes", "unknown-name", "it says: Bad configuration option"),
    ("sshd", "PerSourcePenalties=yes", "unknown-name", "it says: Bad configuration option"),
    ("redis", "hide-user-data-from-log=yes", "unknown-name", "it says: Bad directive"),
    ("postgresql", "transaction_timeout=5s", "unknown-name", "it says: unrecognized"),
    ("postgresql", "summarize_wal=on", "unknown-name", "it says: unrecognized"),
    ("mariadb", "max-tmp-session-space-usage=1G", "unknown-name", "it says: unknown variable"),
    ("unit:ssh", "Service..RestartSteps=3", "unknown-name", "no setting called RestartSteps"),
    ("unit:ssh", "Service..PrivatePIDs=yes", "unknown-name", "no setting called PrivatePIDs"),
    // Described, and not in this version.
    ("redis", "locale-collate=C", "unknown-name", "no setting called locale-collate"),
    ("pulseaudio", "rlimit-cpu=5", "unknown-name", "it says: Unknown lvalue 'rlimit-cpu'"),
    // Known to the daemon alone, an old spelling among them.
    ("redis", "list-max-ziplist-entries=12", "not-described", "redis knows list-max-ziplist-entries"),
    ("postgresql", "sort_mem=8MB", "not-described", "postgresql knows sort_mem"),
    ("pulseaudio", "fail=yes", "not-described", "pulseaudio knows fail"),
    ("mariadb", "ansi=1", "not-described", "mariadb knows ansi"),
    // A number of arguments that the name does not take is not the name's fault.
    ("redis", "client-output-buffer-limit=normal 0 0 0", "", ""),
    ("redis", "rename-command=FLUSHALL \"\"", "", ""),
    // Taken by the daemon whatever they are.
    ("postgresql", "my_extension.own=5", "", ""),
    ("mariadb", "loose-my-own=5", "", ""),
    ("unit:ssh", "Unit..X-Berth=north", "", ""),
    ("php-fpm", "PHP..my_own=5", "", ""),
    // Taken, and likely a typing error.
    ("php-fpm", "PHP..memory_limitt=5M", "unknown-name", "looks like one that it knows"),
    ("postfix", "myhostnam=x.example", "unknown-name", "it says: myhostnam: unknown parameter"),
];

/// Those that the daemon itself takes, and that only look wrong.
const ONLY_WARNED: [&str; 2] = ["php-fpm", "postfix"];

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_installed_daemon_decides_which_names_exist() {
    needs_root("a checker runs in a private view");
    needs(&[
        "/usr/sbin/sshd",
        "/usr/bin/redis-server",
        "/usr/sbin/mariadbd",
        "/usr/sbin/postconf",
        "/usr/bin/pulseaudio",
    ]);
    let state = tempfile::tempdir().unwrap();
    // It has no service here.
    let pulseaudio = gypsum_core::profile::built_in("pulseaudio").unwrap().text;
    let (head, rest) = pulseaudio.split_once("[service]").unwrap();
    let without = state.path().join("pulseaudio.toml");
    std::fs::write(&without, format!("{head}[[ask]]{}", rest.split_once("[[ask]]").unwrap().1)).unwrap();
    for (daemon, edit, rule, says) in CASES {
        let mut words = vec!["change", daemon, edit, "--dry-run", "--json"];
        if daemon == "pulseaudio" {
            words.extend(["--profile", without.to_str().unwrap()]);
        }
        let output = gypsum(state.path(), &words);
        let report: Value = serde_json::from_slice(&output.stdout)
            .unwrap_or_else(|error| panic!("{daemon} {edit}: {error}: {output:?}"));
        let findings = report["findings"].as_array().unwrap();
        let about =
            |finding: &&Value| ["unknown-name", "not-described"].contains(&finding["rule"].as_str().unwrap());
        let found = findings.iter().find(about);
        let is = found.map_or("", |finding| finding["rule"].as_str().unwrap());
        assert_eq!(is, rule, "{daemon} {edit}: {report:#}");
        let Some(finding) = found else { continue };
        assert!(finding["message"].as_str().unwrap().contains(says), "{daemon} {edit}: {finding:#}");
        let severity = match (rule, ONLY_WARNED.contains(&daemon)) {
            ("not-described", _) => "hint",
            (_, true) => "warning",
            _ => "fault",
        };
        assert_eq!(finding["severity"], severity, "{daemon} {edit}");
    }
}

/// A daemon whose words are not those of the profile is believed nothing: its name is not refused.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_daemon_that_is_not_understood_refuses_nothing() {
    needs(&["/usr/sbin/sshd"]);
    let folder = tempfile::tempdir().unwrap();
    let config = folder.path().join("sshd_config");
    std::fs::write(&config, "MaxAuthTries 5\n").unwrap();
    let profile = |run: &str, unknown: &str| {
        let path = folder.path().join("own.toml");
        let file = config.display();
        let text = format!(
            "daemon = \"own\"\ntitle = \"a daemon\"\n[files]\nread = [\"{file}\"]\nhome = \"{file}\"\nformat = \"keyword\"\n\
             [[ask]]\nrun = [{run}]\nholds = [\"{{name}} x\\n\"]\nunknown = [\"{unknown}\"]\n[setting]\nMaxAuthTries = {{}}\n"
        );
        std::fs::write(&path, text).unwrap();
        path
    };
    let sshd = "\"/usr/sbin/sshd\", \"-t\", \"-f\", \"{file}\"";
    let cases = [
        (sshd, "Bad configuration option: {name}", 3, "no setting called Berths"),
        (sshd, "Another sentence about {name}", 0, "could not be asked"),
        ("\"/usr/sbin/gone\"", "Bad configuration option: {name}", 0, "could not be asked"),
        ("\"/bin/sleep\", \"60\"", "Bad configuration option: {name}", 0, "could not be asked"),
    ];
    for (run, unknown, status, says) in cases {
        let profile = profile(run, unknown).display().to_string();
        let words = ["change", "own", "Berths=5", "--profile", &profile, "--dry-run"];
        let output = gypsum(folder.path(), &words);
        let text =
            format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert_eq!(output.status.code(), Some(status), "{run} {unknown}: {text}");
        assert!(
            text.split_whitespace().collect::<Vec<_>>().join(" ").contains(says),
            "{run} {unknown}: {text}"
        );
    }
}

/// No profile lists a name that the installed daemon does not know.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn no_profile_lists_a_name_that_the_daemon_refuses() {
    let mut surplus = Vec::new();
    let (mut asked, mut unanswered) = (0, 0);
    for name in ["sshd", "redis", "postgresql", "mariadb", "php-fpm", "pulseaudio", "unit:ssh.service"] {
        let profile = gypsum_host::profiles::load(name, None).unwrap_or_else(|_| panic!("{name}"));
        let questions: Vec<(usize, String, String)> = profile
            .known_names()
            .filter(|known| !known.contains('*'))
            .filter_map(|known| {
                let (block, bare) = known.rsplit_once("..").unwrap_or(("", known));
                let within = profile.setting(known).and_then(|(_, setting)| setting.within.first());
                let block = within.map_or(block, String::as_str);
                let way = profile
                    .ask
                    .iter()
                    .position(|ask| ask.is_for(&profile.files.home, block) && !ask.takes(bare))?;
                Some((way, bare.to_owned(), block.to_owned()))
            })
            .collect();
        let part = |questions: &[(usize, String, String)]| -> Vec<(String, Option<NameAnswer>)> {
            let asked = questions.iter().map(|(way, bare, block)| {
                (bare.clone(), asked_anew(&profile.ask[*way], bare, block).unwrap())
            });
            asked.collect()
        };
        let (first, second) = questions.split_at(questions.len() / 2);
        let answers = std::thread::scope(|scope| {
            let other = scope.spawn(|| part(first));
            let mut answers = part(second);
            answers.extend(other.join().unwrap());
            answers
        });
        asked += answers.len();
        for (bare, answer) in answers {
            match answer {
                Some(NameAnswer::Known) => {}
                // A later version has it.
                Some(_) if (name, bare.as_str()) == ("redis", "locale-collate") => {}
                Some(_) if profile.dialect.is_include(bare.as_bytes()) => {}
                Some(_) => surplus.push(format!("{name} {bare}")),
                None => unanswered += 1,
            }
        }
    }
    println!("{asked} names asked, {unanswered} without an answer, {} refused", surplus.len());
    assert_eq!(surplus, [""; 0]);
    assert!(asked > 1_200 && unanswered * 50 < asked, "{asked} {unanswered}");
}
