//! Real edits as they are typed in a shell: the usual ones, and the situations that
//! administrators meet. Each is run on fresh files; what it changes and says is compared with `real/edits.txt`.
//! `SNAPSHOTS=overwrite cargo test --test commands` draws it anew.

use crate::boards::program;
use similar::TextDiff;
use std::collections::BTreeMap;
use std::fmt::Write;
use std::fs;
use std::path::Path;
use std::process::Command;

/// Daemons without a profile here: their file, and its family.
const DAEMONS: [(&str, &str, &str); 19] = [
    ("sshd", "sshd_config", "keyword"),
    ("mariadb", "my.cnf", "sections"),
    ("nginx", "nginx.conf", "braces"),
    ("apache", "httpd.conf", "tags"),
    ("named", "named.conf", "braces"),
    ("squid", "squid.conf", "keyword"),
    ("redis", "redis.conf", "keyword"),
    ("postgresql", "postgresql.conf", "equals"),
    ("postfix", "main.cf", "equals"),
    ("php", "php.ini", "sections"),
    ("boards", "boards.env", "assignments"),
    ("settings", "settings.py", "literals"),
    ("unbound", "unbound.conf", "stanzas"),
    ("hosts", "hosts", "records"),
    ("yaml", "app.yaml", "yaml"),
    ("json", "app.json", "json"),
    ("toml", "app.toml", "toml"),
    ("tomcat", "server.xml", "xml"),
    ("server", "server.xml", "xml"),
];

fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap() {
        let path = entry.unwrap().path();
        let target = to.join(path.file_name().unwrap());
        if path.is_dir() { copy(&path, &target) } else { fs::copy(&path, &target).map(|_| ()).unwrap() }
    }
}

fn files(folder: &Path, found: &mut BTreeMap<String, String>, base: &Path) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files(&path, found, base);
        } else {
            let name = path.strip_prefix(base).unwrap().display().to_string();
            found.insert(name, String::from_utf8_lossy(&fs::read(&path).unwrap()).into_owned());
        }
    }
}

/// The daemon's flags go behind its name, as an administrator would give them.
fn with_flags(line: &str, folder: &Path) -> String {
    let mut words = line.splitn(4, ' ');
    let (_, command, daemon) = (words.next().unwrap(), words.next().unwrap(), words.next().unwrap());
    let rest = words.next().unwrap_or_default();
    let (_, file, family) = DAEMONS.iter().find(|(name, ..)| *name == daemon).unwrap();
    let program = program().display().to_string();
    // A dialect beside the plain one is a profile's; here only the group of sshd is of interest.
    let file = folder.join(file).display().to_string();
    let flags = if daemon == "sshd" {
        format!("--profile {}", folder.join("sshd.profile").display())
    } else {
        format!("--file {file} --format {family}")
    };
    format!("{program} {command} {daemon} {rest} {flags} --state {}", folder.join("../state").display())
}

fn run(line: &str, number: usize) -> String {
    let host = tempfile::tempdir().unwrap();
    let folder = host.path().join("etc");
    copy(&Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/commands/real/files"), &folder);
    let profile = format!(
        "daemon = \"sshd\"\ntitle = \"a door\"\n[files]\nread = [\"{0}\"]\nhome = \"{0}\"\nformat = \"keyword\"\n[dialect]\ngroups = [\"Match\"]\n",
        folder.join("sshd_config").display()
    );
    let (mut before, mut after) = (BTreeMap::new(), BTreeMap::new());
    files(&folder, &mut before, &folder);
    fs::write(folder.join("sshd.profile"), profile).unwrap();
    let output =
        Command::new("bash").args(["-c", &with_flags(line, &folder)]).current_dir(&folder).output().unwrap();
    fs::remove_file(folder.join("sshd.profile")).unwrap();
    files(&folder, &mut after, &folder);
    let mut told = format!("{number}. $ {line}\n");
    for (name, text) in &after {
        let old = before.get(name).map_or("", String::as_str);
        if old != text {
            writeln!(told, "   {name}").unwrap();
            let diff = TextDiff::from_lines(old, text);
            let shown = diff.unified_diff().context_radius(1).to_string();
            for line in shown.lines().filter(|line| !line.starts_with("@@")) {
                writeln!(told, "   {}", line.replace('\r', "<CR>").replace('\t', "<TAB>").trim_end())
                    .unwrap();
            }
        }
    }
    let status = output.status.code().unwrap();
    // Kept without a service to look at: then only warnings are of interest.
    if status == 7 {
        let text = String::from_utf8_lossy(&output.stdout).replace(&folder.display().to_string(), "/etc");
        text.lines()
            .filter(|line| line.starts_with("warning"))
            .for_each(|line| writeln!(told, "   | {line}").unwrap());
    } else {
        let text =
            format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        let text = text.replace(&folder.display().to_string(), "/etc");
        let told_of = text
            .lines()
            .filter(|line| !line.is_empty() && !line.starts_with("note"))
            // How it ended is the same each time.
            .take_while(|line| !line.starts_with("Refused"));
        for line in told_of {
            writeln!(told, "   | {line}").unwrap();
        }
        writeln!(told, "   => {status}").unwrap();
    }
    told
}

/// The usual edits, a line each, some with a remark behind it.
fn usual(folder: &Path) -> Vec<String> {
    let text = fs::read_to_string(folder.join("usual.sh")).unwrap();
    let lines = text.lines().filter(|line| line.starts_with("gypsum "));
    lines.map(|line| line.split("   # ").next().unwrap().trim_end().to_owned()).collect()
}

#[test]
fn real_edits_do_what_they_are_shown_to_do() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/commands/real");
    let usual = usual(&folder);
    assert!(usual.len() >= 25, "{} edits", usual.len());
    let mut told = String::from("Usual edits\n===========\n\n");
    for (n, line) in usual.iter().enumerate() {
        told += &run(line, n + 1);
    }
    told += "\nSituations\n==========\n";
    let situations = fs::read_to_string(folder.join("situations.sh")).unwrap();
    let mut number = 0;
    for line in situations.lines() {
        match line.strip_prefix("# ") {
            Some(title) => writeln!(told, "\n{title}").unwrap(),
            None => {
                number += 1;
                told += &run(line, number);
            }
        }
    }
    let expected = snapbox::Data::read_from(&folder.join("edits.txt"), Some(snapbox::data::DataFormat::Text));
    snapbox::assert_data_eq!(told, expected.raw());
}
