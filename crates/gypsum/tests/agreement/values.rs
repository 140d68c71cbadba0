//! Any value that is set is what the daemon itself then reads, or it is refused: by us with the reason, or by the
//! daemon aloud. What must not be is another value, read without a word.

use crate::needs;
use gypsum_core::doc::Document;
use gypsum_core::edit::{Edit, File, Guide, propose};
use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

/// Values that readers are known to trip over.
const VALUES: [&str; 50] = [
    "8080",
    "quay",
    "a b",
    "a#b",
    "a # b",
    "#x",
    "it's",
    "say \"ah\"",
    "\\",
    "a\\b",
    "a\\nb",
    "a\\",
    "a;b",
    "; c",
    "a ; b",
    "a:b",
    "a: b",
    "[x]",
    "{y}",
    "%",
    "50%",
    "$HOME",
    "${x}",
    "`id`",
    "<b>",
    "a & b",
    "a|b",
    "a=b",
    "a, b",
    "~",
    "1:30",
    "10.0.0.2",
    "2026-11-24",
    "1_000",
    "0x1f",
    "007",
    "1e3",
    ".5",
    "é",
    "*x",
    "!x",
    "\"q\"",
    "a\"b",
    "a'b\"c",
    " lead",
    "trail ",
    "a(b)",
    "a^b",
    "x\\",
    "a\\\\b",
];

/// A file of a daemon, a setting in it, and how the daemon is asked what it is.
struct Asked<'a> {
    profile: &'a str,
    source: &'a str,
    address: &'a str,
    /// The words before a value that belong to it, and are no part of what is compared.
    lead: &'a str,
    /// What the daemon reads from the file; `None` where it refuses it aloud.
    reads: &'a dyn Fn(&Path) -> Option<String>,
    /// Values of which it makes something else by design: variables, switches.
    but: &'a [&'a str],
}

impl Asked<'_> {
    fn try_all(&self) {
        let profile = gypsum_core::profile::built_in(self.profile).unwrap();
        let profile = gypsum_core::profile::read(profile.text).unwrap();
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("main.cf");
        let (mut same, mut refused, mut aloud, mut wrong) = (0, 0, 0, Vec::new());
        for value in VALUES {
            let doc =
                Document::read(self.source.into(), profile.files.format, profile.dialect.clone()).unwrap();
            let files = [File { path: "file".into(), doc }];
            let edit = Edit::parse_set(&format!("{}={}{value}", self.address, self.lead)).unwrap();
            let Ok(proposal) = propose(&files, &[edit], &Guide::default()) else {
                refused += 1;
                continue;
            };
            let after = proposal.files.first().map_or(self.source.as_bytes(), |file| file.after());
            fs::write(&file, after).unwrap();
            // Quotes of one's own say how it is written.
            let own = value.len() > 2 && value.starts_with('"') && value.ends_with('"');
            let meant = if own { &value[1..value.len() - 1] } else { value };
            match (self.reads)(&file) {
                None => aloud += 1,
                Some(read) if read == value || read == meant => same += 1,
                Some(_) if self.but.contains(&value) => aloud += 1,
                Some(read) => {
                    wrong.push(format!("{value:?} is read as {read:?}: {}", String::from_utf8_lossy(after)));
                }
            }
        }
        println!(
            "{}: {same} values are read as they were set, {refused} refused here, {aloud} by the daemon",
            self.profile
        );
        assert!(wrong.is_empty(), "{}: {wrong:#?}", self.profile);
        assert!(same >= 20, "{}: only {same} values", self.profile);
    }
}

/// What a command prints, where it ends well.
fn printed(command: &mut Command) -> Option<String> {
    let output = command.stdin(Stdio::null()).output().unwrap();
    output.status.success().then(|| String::from_utf8_lossy(&output.stdout).into_owned())
}

fn line_after<'a>(text: &'a str, lead: &str) -> Option<&'a str> {
    text.lines().find_map(|line| line.trim_start().strip_prefix(lead))
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn mariadb_reads_what_was_set() {
    needs(&["/usr/bin/my_print_defaults"]);
    let reads = |file: &Path| {
        let file = format!("--defaults-file={}", file.display());
        let said = printed(Command::new("/usr/bin/my_print_defaults").args([&file, "client"]))?;
        Some(said.strip_prefix("--user=")?.strip_suffix('\n')?.to_owned())
    };
    let source = "[client]\nuser = old\n";
    Asked { profile: "mariadb", source, address: "client..user", lead: "", reads: &reads, but: &[] }
        .try_all();
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn php_reads_what_was_set() {
    needs(&["/usr/bin/php"]);
    let reads = |file: &Path| {
        let said = printed(Command::new("/usr/bin/php").arg("-c").arg(file).arg("-i"))?;
        let row = line_after(&said, "mail.log => ")?;
        let value = row.split(" => ").next()?;
        (!said.contains("syntax error")).then(|| value.to_owned())
    };
    Asked {
        profile: "php-fpm",
        source: "mail.log = old\n",
        address: "mail.log",
        lead: "",
        reads: &reads,
        but: &[],
    }
    .try_all();
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn postfix_reads_what_was_set() {
    needs(&["/usr/sbin/postconf"]);
    let reads = |file: &Path| {
        let folder = file.parent()?;
        // It wants to see this one, too, and waits where it is missing.
        fs::write(folder.join("master.cf"), "").ok()?;
        // Of files that were just written it waits for the end.
        let before = std::time::SystemTime::now() - std::time::Duration::from_secs(60);
        for name in ["main.cf", "master.cf"] {
            fs::File::options().write(true).open(folder.join(name)).ok()?.set_modified(before).ok()?;
        }
        let said =
            printed(Command::new("/usr/sbin/postconf").arg("-c").arg(folder).args(["-h", "mail_name"]))?;
        Some(said.strip_suffix('\n')?.to_owned())
    };
    // Else it asks for its host's name.
    let source = "mail_name = old\nmyhostname = mail.saltmarsh.example\n";
    Asked { profile: "postfix", source, address: "mail_name", lead: "", reads: &reads, but: &[] }.try_all();
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn named_reads_what_was_set() {
    needs(&["/usr/bin/named-checkconf"]);
    let reads = |file: &Path| {
        let said = printed(Command::new("/usr/bin/named-checkconf").arg("-p").arg(file))?;
        let text = line_after(&said, "version \"")?.strip_suffix("\";")?;
        Some(text.replace("\\\"", "\"").replace("\\\\", "\\"))
    };
    let source = "options {\n\tversion \"old\";\n};\n";
    // Between its quotes a backslash is before any character.
    let but = ["a\\b", "a\\nb", "a\\\\b"];
    Asked { profile: "named", source, address: "options..version", lead: "", reads: &reads, but: &but }
        .try_all();
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn dovecot_reads_what_was_set() {
    needs(&["/usr/bin/doveconf"]);
    let reads = |file: &Path| {
        let said = printed(
            Command::new("/usr/bin/doveconf").arg("-c").arg(file).args(["-h", "postmaster_address"]),
        )?;
        Some(said.strip_suffix('\n')?.to_owned())
    };
    let source = "postmaster_address = old\n";
    // What begins with a dollar sign is a variable.
    let but = ["$HOME", "${x}"];
    Asked { profile: "dovecot", source, address: "postmaster_address", lead: "", reads: &reads, but: &but }
        .try_all();
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn unbound_reads_what_was_set() {
    needs(&["/usr/sbin/unbound-checkconf"]);
    let reads = |file: &Path| {
        let mut command = Command::new("/usr/sbin/unbound-checkconf");
        let said = printed(command.args(["-o", "identity"]).arg(file))?;
        Some(said.strip_suffix('\n')?.to_owned())
    };
    let source = "server:\n  identity: \"old\"\n  chroot: \"\"\n";
    Asked { profile: "unbound", source, address: "server..identity", lead: "", reads: &reads, but: &[] }
        .try_all();
}

#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn samba_reads_what_was_set() {
    needs(&["/usr/bin/testparm"]);
    let reads = |file: &Path| {
        let mut command = Command::new("/usr/bin/testparm");
        let said = printed(command.args(["-s", "--parameter-name=server string"]).arg(file))?;
        Some(said.strip_suffix('\n')?.to_owned())
    };
    let source = "[global]\n  server string = old\n";
    Asked { profile: "samba", source, address: "global..server string", lead: "", reads: &reads, but: &[] }
        .try_all();
}

/// A request with the password that was set is let through by the balancer.
#[test]
#[ignore = "needs daemons and readers of Debian: see docs/testing.md"]
fn the_balancer_takes_the_password_that_was_set() {
    needs(&["/usr/sbin/haproxy", "/usr/bin/curl"]);
    let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let source = format!(
        "defaults\n  mode http\n  timeout client 2s\n  timeout server 2s\n  timeout connect 2s\nuserlist u\n  user a insecure-password old\nfrontend f\n  bind 127.0.0.1:{port}\n  http-request auth unless {{ http_auth(u) }}\n  http-request return status 200\n"
    );
    let reads = |file: &Path| {
        let good = Command::new("/usr/sbin/haproxy")
            .args(["-c", "-q", "-f"])
            .arg(file)
            .stderr(Stdio::null())
            .status();
        good.unwrap().success().then_some(())?;
        let mut server = Command::new("/usr/sbin/haproxy")
            .arg("-f")
            .arg(file)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let begun = std::time::Instant::now();
        while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() && begun.elapsed().as_secs() < 5 {
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        // Which of the passwords it takes is what it has read.
        let takes = |value: &&&str| {
            let user = format!("a:{value}");
            let url = format!("http://127.0.0.1:{port}/");
            let mut command = Command::new("/usr/bin/curl");
            command.args(["-s", "-o", "/dev/null", "-w", "%{http_code}", "-u", &user, &url]);
            printed(&mut command).as_deref() == Some("200")
        };
        let text = fs::read_to_string(file).unwrap();
        let written = |value: &&&str| text.contains(**value);
        let taken = VALUES.iter().filter(written).find(takes).map(|value| (*value).to_owned());
        let _ = server.kill();
        let _ = server.wait();
        Some(taken.unwrap_or_else(|| "another password".into()))
    };
    // Words with blanks between are several words, and a backslash is before any character.
    let but =
        VALUES.iter().copied().filter(|value| value.contains([' ', '\\', '$', '"'])).collect::<Vec<_>>();
    let address = "userlist u..user";
    Asked {
        profile: "haproxy",
        source: &source,
        address,
        lead: "a insecure-password ",
        reads: &reads,
        but: &but,
    }
    .try_all();
}
