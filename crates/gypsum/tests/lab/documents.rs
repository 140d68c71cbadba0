//! Every command of the README and of the documents, as it is written there, on a stock host: it ends as the text says.

use crate::host::{Lab, boot};
use std::path::Path;

/// The documents whose commands are run, each on a host of its own.
const DOCUMENTS: [&str; 9] = [
    "README.md",
    "docs/addresses.md",
    "docs/edits.md",
    "docs/checks.md",
    "docs/formats.md",
    "docs/daemons.md",
    "docs/after.md",
    "docs/scripting.md",
    "docs/upgrades.md",
];

/// What the texts take for granted: daemons that run, a daemon of one's own, and what a person prepared.
const PREPARE: &str = r#"
mkdir -p /run/sshd /etc/boards /root/here
systemctl start ssh nginx redis-server mariadb squid tomcat10
printf 'rows 8\nquay north\n' > /etc/boards/boards.conf
printf 'JVM_OPTS="-Xss512k -Xmx1g"\n' > /etc/default/boards
printf '[Unit]\nDescription=Departure boards\n[Service]\nExecStart=/usr/bin/sleep infinity\nExecReload=/bin/true\n' > /etc/systemd/system/boards.service
printf '[Unit]\nDescription=Tides\n[Service]\nExecStart=/usr/bin/sleep infinity\n' > /etc/systemd/system/tides.service
openssl req -x509 -newkey rsa:2048 -nodes -days 90 -subj /CN=localhost -keyout /etc/nginx/k.pem -out /etc/nginx/c.pem 2>/dev/null
printf 'server { listen 443 ssl; server_name localhost; ssl_certificate c.pem; ssl_certificate_key k.pem; location /map { return 200 map; } }\n' > /etc/nginx/conf.d/boards.conf
systemctl daemon-reload; systemctl reload nginx; systemctl start boards tides
cp /etc/ssh/sshd_config /root/here/sshd_config; printf 'MaxAuthTries 5\n' >> /root/here/sshd_config
printf '#!/bin/sh\nshift\nexec sh -c "$*"\n' > /usr/local/bin/ssh; chmod +x /usr/local/bin/ssh
sleep 5
"#;

/// What an upgrade leaves of an edited file whose shipped text was kept: the new version beside it, with its digest in
/// ucf's record.
const UPGRADED: &str = r#"
cp /usr/share/openssh/sshd_config /etc/ssh/sshd_config; gypsum setup packages
sed -i 's/^#MaxAuthTries .*/MaxAuthTries 4/' /etc/ssh/sshd_config
sed 's/^#LoginGraceTime .*/LoginGraceTime 1m/' /usr/share/openssh/sshd_config > /etc/ssh/sshd_config.ucf-dist
digest=$(md5sum < /etc/ssh/sshd_config.ucf-dist | cut -d' ' -f1)
sed -i "\\,/etc/ssh/sshd_config$,s/^[0-9a-f]*/$digest/" /var/lib/ucf/hashfile
"#;

fn text_of(document: &str) -> String {
    std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(document)).unwrap()
}

/// The blocks of code in a document, each a list of lines.
fn blocks(text: &str) -> Vec<Vec<String>> {
    let mut blocks = vec![Vec::new()];
    for line in text.lines() {
        match line.strip_prefix("    ") {
            Some(code) => blocks.last_mut().unwrap().push(code.to_owned()),
            None if !blocks.last().unwrap().is_empty() => blocks.push(Vec::new()),
            None => {}
        }
    }
    blocks
}

/// The commands of a block: lines that go on are one, a remark behind it is none of it, and the times of cron neither.
fn commands(block: &[String]) -> Vec<String> {
    if block.iter().any(|line| line == "set -e") {
        return vec![block.join("\n")];
    }
    let whole = block.join("\n").replace("\\\n", " ");
    let plain = whole.lines().map(|line| line.split(" # ").next().unwrap_or(line));
    let from = plain.filter_map(|line| line.find("gypsum ").map(|at| (line, at)));
    let is_command = |line: &str, at: usize| {
        let before = &line[..at];
        before.is_empty() || before.ends_with(" root ")
    };
    from.filter(|(line, at)| is_command(line, *at)).map(|(line, at)| line[at..].trim().to_owned()).collect()
}

/// A change that the text does not say to be live is tried only.
fn as_run(document: &str, command: &str) -> String {
    let is_real = ["README.md", "docs/daemons.md", "docs/upgrades.md"].contains(&document)
        || [" -n", "--hold", "--ready", "--probation", "--watch", "--print-edits", "--activation"]
            .iter()
            .any(|word| command.contains(word));
    if command.starts_with("gypsum change ") && !is_real {
        format!("{command} -n")
    } else {
        command.to_owned()
    }
}

fn ends_as_told(lab: &Lab, document: &str, command: &str) -> Result<(), String> {
    let line = as_run(document, command);
    let ran = lab.run(&["sh", "-c", &format!("cd /root/here; export EDITOR=true; {line}")]);
    let wanted = if command.contains("--probation") { 8 } else { 0 };
    match ran.status.code() {
        Some(status) if status == wanted => Ok(()),
        status => Err(format!(
            "{document}: {line}\n=> {status:?}, not {wanted}\n{}{}",
            String::from_utf8_lossy(&ran.stdout),
            String::from_utf8_lossy(&ran.stderr)
        )),
    }
}

#[test]
#[ignore = "needs root and daemons"]
fn every_command_of_the_documents_ends_as_the_text_says() {
    let mut failed = Vec::new();
    let mut count = 0;
    for document in DOCUMENTS {
        let lab = boot(&[
            "/usr/sbin/nginx",
            "/usr/sbin/sshd",
            "/usr/sbin/mariadbd",
            "/usr/sbin/squid",
            "/usr/bin/jq",
        ]);
        lab.sh(PREPARE);
        if document == "docs/upgrades.md" {
            lab.sh(UPGRADED);
        }
        for command in blocks(&text_of(document)).iter().flat_map(|block| commands(block)) {
            count += 1;
            failed.extend(ends_as_told(&lab, document, &command).err());
        }
    }
    assert!(failed.is_empty(), "{} of {count}:\n{}", failed.len(), failed.join("\n"));
    assert!(count > 40, "{count}");
}

/// Each step of the worked example is a profile that can be used, and the rule of the last one refuses in its own words.
#[test]
#[ignore = "needs root"]
fn the_profile_of_the_document_grows_as_it_says() {
    let text = text_of("docs/profiles.md");
    let steps: Vec<&str> =
        text.split("```toml\n").skip(1).filter_map(|rest| rest.split("\n```").next()).collect();
    assert!(steps.len() > 3, "{steps:?}");
    let lab = boot(&["/usr/bin/perl"]);
    lab.sh("mkdir -p /etc/boards /etc/gypsum/profiles
        printf 'rows 8\nquay south\nrefresh 30s\nlisten 127.0.0.1:8571\n' > /etc/boards/boards.conf
        printf '[Service]\nExecStart=/usr/bin/sleep infinity\n' > /etc/systemd/system/boards.service; systemctl daemon-reload");
    let profile = "/etc/gypsum/profiles/boards.toml";
    for step in &steps {
        lab.sh(&format!("cat > {profile} <<'END'\n{step}\nEND"));
        let (status, document) = lab.gypsum(&["daemons", "--check", profile]);
        assert_eq!(status, 0, "{step}: {document:#}");
    }
    // Nothing is restarted, so nothing is proven.
    assert_eq!(lab.gypsum(&["change", "boards", "rows=12"]).0, 7);
    let (status, document) = lab.gypsum(&["change", "boards", "quay=north"]);
    assert_eq!(status, 3, "{document:#}");
    assert!(document.to_string().contains("the boards of the north quay show eight rows"), "{document:#}");
}
