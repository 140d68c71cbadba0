//! Where a daemon can print what it understood of its files, ours agrees. Each file is first edited by the built
//! program, so that the edits are proven by their reader, too. The counts are printed:
//! `cargo test -p gypsum --test agreement -- --nocapture`

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_macros)]

mod lists;
mod names;
#[path = "../shared/schema.rs"]
mod schema;
mod values;

use gypsum_core::address::address_of;
use gypsum_core::doc::{Document, Family, Kind};
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::process::{Command, Output, Stdio};

/// These are installed.
fn needs(programs: &[&str]) {
    let missing = programs.iter().find(|program| !Path::new(program).exists());
    assert_eq!(missing, None, "this is not installed");
}

/// This account may read what root keeps for itself, or make a private view.
fn needs_root(why: &str) {
    assert!(rustix::process::geteuid().is_root(), "{why}");
}

fn gypsum(state: &Path, words: &[&str]) -> Output {
    let output =
        Command::new(assert_cmd::cargo::cargo_bin!("gypsum")).args(words).arg("--state").arg(state).output();
    output.unwrap()
}

fn out(command: &mut Command) -> String {
    let output = command.output().unwrap();
    format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))
}

/// What is where: address and value, in order; only what is awake.
fn ours(state: &Path, words: &[&str]) -> Vec<(String, String)> {
    let output = gypsum(state, &[&["show", "it"], words, &["--json"]].concat());
    let shown: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    schema::assert_schema(&shown);
    let rows = shown["settings"].as_array().unwrap().clone();
    let active = rows.into_iter().filter(|row| row["commented_out"] == false && row["shadowed"] == false);
    active
        .map(|row| (row["address"].as_str().unwrap().to_owned(), row["value"].as_str().unwrap().to_owned()))
        .collect()
}

/// Edits one file in place; there is no service, so the change is unproven.
fn edit(state: &Path, words: &[&str]) {
    let output = gypsum(state, &[&["change", "it"], words].concat());
    assert!([0, 7].contains(&output.status.code().unwrap()), "{words:?}: {output:?}");
}

/// Compares, prints the counts, and demands that what does not agree is what is known not to.
fn agree(daemon: &str, pairs: Vec<(String, String, Option<String>)>, known: &[&str]) {
    let compared = pairs.len();
    let odd: Vec<String> = pairs
        .into_iter()
        .filter(|(_, ours, theirs)| theirs.as_deref() != Some(ours))
        .map(|(name, ours, theirs)| format!("{name}: {ours:?} here, {theirs:?} there"))
        .collect();
    println!("{daemon}: {compared} settings compared, {} agree", compared - odd.len());
    odd.iter().for_each(|line| println!("  {line}"));
    let unknown: Vec<_> =
        odd.iter().filter(|line| !known.iter().any(|known| line.starts_with(known))).collect();
    assert!(unknown.is_empty(), "{daemon}: {unknown:?}");
    assert!(compared > known.len() + 3, "{daemon}: only {compared} settings were compared");
}

fn read(source: &str, family: Family) -> Document {
    Document::read(source.into(), family, family.plain_dialect()).unwrap()
}

fn told(doc: &Document) -> BTreeMap<String, String> {
    let settings = doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting);
    settings.map(|(leaf, _, parts)| (address_of(doc, leaf).to_string(), doc.value(&parts))).collect()
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn sshd() {
    needs(&["/usr/sbin/sshd"]);
    needs_root("its checker needs a private view, which only root can make");
    // Its checker wants this folder, which its unit makes.
    let _ = fs::create_dir_all("/run/sshd");
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("sshd_config");
    let shipped = fs::read_to_string("/usr/share/openssh/sshd_config").unwrap();
    fs::write(&file, shipped.replace("Include /etc/ssh/sshd_config.d/*.conf\n", "")).unwrap();
    let profile = gypsum_core::profile::built_in("sshd").unwrap().text;
    let profile = profile
        .replace("/etc/ssh/sshd_config.d/*.conf", "/nowhere/*.conf")
        .replace("/etc/ssh/sshd_config", file.to_str().unwrap());
    // There is no service here.
    let profile: String =
        profile.lines().filter(|line| !line.starts_with("unit =")).map(|line| format!("{line}\n")).collect();
    let profile = profile
        .replace("patience = \"5s\"", "patience = \"50ms\"")
        .replace("steady = \"1.5s\"", "steady = \"50ms\"");
    let profile = profile.replace("daemon = \"sshd\"", "daemon = \"it\"");
    // It is asked about the file in the folder.
    let profile = profile.replace("\"-T\"", &format!("\"-T\", \"-f\", \"{}\"", file.display()));
    let path = folder.path().join("profile.toml");
    fs::write(&path, &profile).unwrap();
    let words = ["--profile", path.to_str().unwrap()];
    let (state, run) = (folder.path().join("state"), |words: &[&str]| {
        let output = Command::new(assert_cmd::cargo::cargo_bin!("gypsum"))
            .args(words)
            .arg("--state")
            .arg(folder.path().join("state"))
            .output()
            .unwrap();
        serde_json::from_slice::<serde_json::Value>(&output.stdout).unwrap()
    });
    // Everything that is commented out is uncommented, and some of it changed.
    let shown = run(&["show", "it", words[0], words[1], "--json"]);
    let commented_out: Vec<String> = shown["settings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|row| row["commented_out"] == true)
        .map(|row| row["address"].as_str().unwrap().to_owned())
        .collect();
    let left = ["HostKey", "ListenAddress", "ChrootDirectory", "Banner", "VersionAddendum"];
    let wanted = commented_out.iter().filter(|address| !left.iter().any(|left| address.starts_with(left)));
    let wake: Vec<&str> = wanted.flat_map(|address| ["--enable", address.as_str()]).collect();
    edit(
        &state,
        &[
            wake.as_slice(),
            &words,
            &["--activation", "none", "--accept", "locks-out", "--accept", "no-effect"],
        ]
        .concat(),
    );
    edit(
        &state,
        &[
            "MaxAuthTries=4",
            "LoginGraceTime=90",
            "ClientAliveInterval=30",
            "AllowUsers=ida porter",
            words[0],
            words[1],
            "--activation",
            "none",
            "--accept",
            "locks-out",
        ],
    );
    let said = out(Command::new("/usr/sbin/sshd").args(["-T", "-f"]).arg(&file));
    let mut theirs: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for (name, value) in said.lines().filter_map(|line| line.split_once(' ')) {
        theirs.entry(name.to_lowercase()).or_default().push(value.to_lowercase());
    }
    let pairs = ours(&state, &words).into_iter().map(|(name, value)| {
        let key = name.to_lowercase();
        // A time is printed in seconds, an alias by its other name, a list a line each.
        let value = match value.to_lowercase() {
            value if value.ends_with('m') && value[..value.len() - 1].parse::<u64>().is_ok() => {
                (value[..value.len() - 1].parse::<u64>().unwrap() * 60).to_string()
            }
            value => value,
        };
        let value = value.split_whitespace().collect::<Vec<_>>().join(" ");
        let value = if value == "delayed" {
            "yes".into()
        } else {
            value.replace("prohibit-password", "without-password")
        };
        let theirs = theirs.get(&key).map(|values| values.join(" "));
        (name, value, theirs)
    });
    agree(
        "sshd -T",
        pairs.collect(),
        &[
            "KerberosGetAFSToken",
            "RekeyLimit",
            "AuthorizedPrincipalsFile",
            "AuthorizedKeysCommand",
            "Compression",
            "PermitTunnel",
        ],
    );
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn postfix() {
    needs(&["/usr/sbin/postconf"]);
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("main.cf");
    fs::write(
        &file,
        "# mail for the harbour\nmyhostname = mail.saltmarsh.example\nmydestination = $myhostname,\n  saltmarsh.example,\n# once\n\tharbour.example\nrelayhost =\nsmtpd_banner = $myhostname ESMTP\nmynetworks = 127.0.0.0/8\n  10.1.0.0/16\ninet_protocols=ipv4\nmailbox_size_limit = 51200000\nappend_dot_mydomain = no\nbiff = no\n",
    )
    .unwrap();
    let state = folder.path().join("state");
    let words = ["--file", file.to_str().unwrap(), "--format", "equals"];
    edit(
        &state,
        &[
            "relayhost=[relay.saltmarsh.example]:587",
            "mailbox_size_limit*=2",
            "--delete",
            "biff",
            "message_size_limit=20480000",
            words[0],
            words[1],
            words[2],
            words[3],
        ],
    );
    let said = out(Command::new("/usr/sbin/postconf").arg("-c").arg(folder.path()).arg("-n"));
    let theirs: BTreeMap<String, String> = said
        .lines()
        .filter_map(|line| {
            line.split_once(" = ").map(|(name, value)| (name.trim().into(), value.trim().into()))
        })
        .collect();
    let pairs = ours(&state, &words).into_iter().map(|(name, value)| {
        let theirs = theirs.get(&name).cloned();
        (name, value, theirs)
    });
    agree("postconf -n", pairs.collect(), &[]);
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn named() {
    needs(&["/usr/bin/named-checkconf"]);
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("named.conf");
    fs::write(
        &file,
        "options {\n\tdirectory \"/var/cache/bind\";\n\t// forwarders {\n\t// \t0.0.0.0;\n\t// };\n\tdnssec-validation auto;\n\tlisten-on-v6 { any; };\n\tmax-cache-size 64m;\n};\nzone \"saltmarsh.example\" {\n\ttype primary;\n\tfile \"/etc/bind/db.saltmarsh\";\n};\nzone \"quay.example\" {\n\ttype forward;\n\tforwarders { 10.1.0.53; };\n};\n",
    )
    .unwrap();
    let state = folder.path().join("state");
    let words = ["--file", file.to_str().unwrap(), "--format", "braces"];
    let edits = [
        "--enable",
        "options..forwarders",
        "options..forwarders-=0.0.0.0",
        "options..forwarders+=10.1.0.54",
        "options..max-cache-size*=2",
        "options..recursion=yes",
        "--add",
        "zone \"ferries.example\"",
        "zone \"ferries.example\"..type=hint",
    ];
    let edits: Vec<&str> = edits
        .iter()
        .map(|edit| {
            if edit.starts_with("zone") && edit.contains("..type") {
                "\"zone \"\"ferries.example\"\"\"..type=forward"
            } else if edit.starts_with("zone") {
                "\"zone \"\"ferries.example\"\"\""
            } else {
                edit
            }
        })
        .collect();
    edit(&state, &[edits.as_slice(), &words].concat());
    let said = out(Command::new("/usr/bin/named-checkconf").arg("-p").arg(&file));
    let theirs = told(&read(&said, Family::Braces));
    let plain = |text: &str| text.replace('"', "");
    let theirs: BTreeMap<String, String> =
        theirs.iter().map(|(name, value)| (plain(name), plain(value))).collect();
    let pairs = ours(&state, &words).into_iter().map(|(name, value)| {
        let there = theirs.get(&plain(&name)).cloned();
        (name, value, there)
    });
    agree("named-checkconf -p", pairs.collect(), &["options..max-cache-size"]);
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn nginx() {
    needs(&["/usr/sbin/nginx"]);
    needs_root("it prints its files only where it can write its logs");
    let state = tempfile::tempdir().unwrap();
    let said = out(Command::new("/usr/sbin/nginx").args(["-T", "-q"]));
    let mut theirs: BTreeMap<String, String> = BTreeMap::new();
    let mut file = String::new();
    let mut files: BTreeMap<String, String> = BTreeMap::new();
    for line in said.lines() {
        match line.strip_prefix("# configuration file ") {
            Some(name) => file = name.trim_end_matches(':').to_owned(),
            None if !file.is_empty() => {
                let text = files.entry(file.clone()).or_default();
                text.push_str(line);
                text.push('\n');
            }
            None => {}
        }
    }
    for (file, text) in &files {
        theirs.extend(
            told(&read(text, Family::Braces))
                .into_iter()
                .map(|(name, value)| (format!("{file} {name}"), value)),
        );
    }
    let output = gypsum(
        state.path(),
        &["show", "it", "--file", "/etc/nginx/nginx.conf", "--format", "braces", "--json"],
    );
    let shown: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    schema::assert_schema(&shown);
    let rows = shown["settings"].as_array().unwrap().iter().filter(|row| row["commented_out"] == false);
    let text = |row: &serde_json::Value, name: &str| row[name].as_str().unwrap().to_owned();
    let pairs = rows.map(|row| {
        // nginx names links as they are included.
        let name = format!("{} {}", text(row, "file"), text(row, "address"));
        let there = theirs.get(&name).cloned();
        (name, text(row, "value"), there)
    });
    let pairs: Vec<_> = pairs.collect();
    assert_eq!(pairs.len(), theirs.len(), "the same files are read, and the same settings in them");
    agree("nginx -T", pairs, &[]);
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn mariadb() {
    needs(&["/usr/sbin/mariadbd"]);
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("my.cnf");
    let shipped = fs::read_to_string("/etc/mysql/mariadb.conf.d/50-server.cnf").unwrap();
    fs::write(&file, shipped).unwrap();
    let state = folder.path().join("state");
    let words = ["--file", file.to_str().unwrap(), "--format", "sections"];
    let edits = [
        "mysqld..max_connections=300",
        "mysqld..key_buffer_size=64M",
        "mysqld..bind-address=10.1.0.7",
        "--enable",
        "skip-name-resolve",
        "mysqld..log_error=/var/log/mysql/boards.err",
        "mysqld..table_cache=64",
    ];
    edit(&state, &[&edits[..], &words].concat());
    let said = out(Command::new("/usr/sbin/mariadbd")
        .arg(format!("--defaults-file={}", file.display()))
        .arg("--print-defaults"));
    let line = said.lines().find(|line| line.starts_with("--")).unwrap();
    let theirs: BTreeMap<String, String> = line
        .split(" --")
        .map(|word| word.trim().trim_start_matches("--"))
        .map(|word| {
            word.split_once('=')
                .map_or((word.into(), String::new()), |(name, value)| (name.into(), value.into()))
        })
        .collect();
    let pairs = ours(&state, &words).into_iter().map(|(name, value)| {
        let there = theirs.get(name.rsplit("..").next().unwrap()).cloned();
        (name, value, there)
    });
    agree("mariadbd --print-defaults", pairs.collect(), &[]);
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn php() {
    needs(&["/usr/bin/php", "/usr/lib/php/8.2/php.ini-production"]);
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("php.ini");
    fs::copy("/usr/lib/php/8.2/php.ini-production", &file).unwrap();
    let state = folder.path().join("state");
    let words = ["--file", file.to_str().unwrap(), "--format", "sections"];
    let edits = [
        "PHP..memory_limit=256M",
        "PHP..upload_max_filesize*=4",
        "PHP..post_max_size=16M",
        "PHP..max_execution_time=60",
        "PHP..display_errors=On",
        "Date..date.timezone=UTC",
        "PHP..error_log=/var/log/boards.log",
    ];
    edit(&state, &[&edits[..], &words].concat());
    let said = out(Command::new("/usr/bin/php").arg("-c").arg(&file).arg("-i"));
    let theirs: BTreeMap<String, String> = said
        .lines()
        .filter_map(|line| {
            let mut parts = line.split(" => ");
            let (name, _, value) = (parts.next()?, parts.next()?, parts.next()?);
            Some((name.to_owned(), value.to_owned()))
        })
        .collect();
    // Switches are printed as they are called; what another module owns is not printed at all.
    let switch = |value: &str| match value.to_lowercase().as_str() {
        "on" | "1" | "yes" | "true" => "On".to_owned(),
        "off" | "0" | "no" | "false" => "Off".to_owned(),
        "" | "no value" => "no value".to_owned(),
        _ => value.to_owned(),
    };
    let pairs = ours(&state, &words).into_iter().filter_map(|(name, value)| {
        let there = theirs.get(name.rsplit("..").next()?)?;
        Some((name, switch(&value), Some(switch(there))))
    });
    // The command line's PHP sets these itself; a sum of names is printed as its number.
    agree(
        "php -i",
        pairs.collect(),
        &[
            "PHP..max_execution_time",
            "PHP..max_input_time",
            "PHP..error_reporting",
            "PHP..display_errors",
            "PHP..output_buffering",
            "PHP..html_errors",
            "PHP..implicit_flush",
            "PHP..register_argc_argv",
            "Session..session.cookie_httponly",
        ],
    );
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn redis() {
    let programs = ["/usr/bin/redis-server", "/usr/bin/redis-cli"];
    needs(&programs);
    needs_root("only root and the daemon can read its shipped file");
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("redis.conf");
    fs::copy("/etc/redis/redis.conf", &file).unwrap();
    let state = folder.path().join("state");
    let socket = folder.path().join("socket");
    let words = ["--file", file.to_str().unwrap(), "--format", "keyword"];
    let (dir, log, pid) = (
        format!("dir={}", folder.path().display()),
        format!("logfile={}", folder.path().join("log").display()),
        format!("pidfile={}", folder.path().join("pid").display()),
    );
    let unix = format!("unixsocket={}", socket.display());
    let edits = [
        "port=0",
        "daemonize=no",
        "supervised=no",
        &dir,
        &log,
        &pid,
        &unix,
        "maxmemory=64mb",
        "maxclients=100",
        "timeout=30",
        "maxmemory-policy=allkeys-lru",
        "hz=20",
    ];
    edit(&state, &[&edits[..], &words].concat());
    let mut server = Command::new("/usr/bin/redis-server")
        .arg(&file)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let begun = std::time::Instant::now();
    while !socket.exists() && begun.elapsed().as_secs() < 10 {
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    let said = out(Command::new("/usr/bin/redis-cli").arg("-s").arg(&socket).args(["config", "get", "*"]));
    let _ = server.kill();
    let _ = server.wait();
    let lines: Vec<&str> = said.lines().collect();
    let theirs: BTreeMap<String, String> =
        lines.chunks(2).filter_map(|pair| Some(((*pair.first()?).into(), (*pair.get(1)?).into()))).collect();
    let bytes = |value: &str| {
        let units = [("gb", 1u64 << 30), ("mb", 1 << 20), ("kb", 1 << 10)];
        let found = units
            .iter()
            .find_map(|(unit, size)| Some((value.strip_suffix(unit)?.parse::<u64>().ok()?) * size));
        found.map_or_else(|| value.to_owned(), |bytes| bytes.to_string())
    };
    let pairs = ours(&state, &words).into_iter().map(|(name, value)| {
        let there = theirs.get(&name).map(|value| value.to_owned());
        (name, value.split(' ').map(bytes).collect::<Vec<_>>().join(" "), there)
    });
    // Several of one name are printed as one, with the classes that were not named.
    agree("redis-cli config get", pairs.collect(), &["client-output-buffer-limit"]);
}
