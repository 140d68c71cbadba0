//! The configuration file of a daemon: on its command line, in the commands of its unit, named in its program, among the
//! configuration files of its package.

use super::Seen;
use super::package::Package;
use memchr::memmem;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// More of a program than this is not searched, in bytes.
const MOST_PROGRAM: u64 = 64 << 20;
/// Folders of /etc whose files are about a daemon, and are not its configuration.
const OTHERS: [&str; 25] = [
    "apparmor.d",
    "dbus-1",
    "insserv.conf.d",
    "logcheck",
    "modprobe.d",
    "ppp",
    "resolvconf",
    "security",
    "sudoers.d",
    "sysctl.d",
    "tmpfiles.d",
    "udev",
    "bash_completion.d",
    "cron.d",
    "cron.daily",
    "cron.weekly",
    "default",
    "dhcp",
    "init",
    "init.d",
    "logrotate.d",
    "network",
    "pam.d",
    "systemd",
    "ufw",
];

/// What the names of configuration files end with.
const ENDS: [&str; 9] = ["conf", "cfg", "cnf", "ini", "json", "toml", "xml", "yaml", "yml"];

/// The file that most speaks for, and what does, in words.
pub(super) fn find(daemon: &str, unit: Seen<'_>, package: &Package) -> Option<(PathBuf, String)> {
    let names = Names::of(daemon, unit, package);
    let mut found: BTreeMap<PathBuf, (u32, Vec<&str>)> = BTreeMap::new();
    let mut speaks = |path: PathBuf, weight: u32, why: &'static str| {
        if is_configuration(&path) {
            let (sum, reasons) = found.entry(path).or_default();
            *sum += weight;
            reasons.push(why);
        }
    };
    if let Some(unit) = unit {
        paths_in(&unit.words).into_iter().for_each(|path| speaks(path, 100, "its command line names it"));
        for words in unit.before.iter().chain(&unit.reloads) {
            paths_in(words).into_iter().for_each(|path| speaks(path, 60, "a command of its unit names it"));
        }
        for path in unit.program.as_deref().map(paths_of_program).unwrap_or_default() {
            let weight = names.weight(&path);
            speaks(path, weight, "its program names it");
        }
    }
    for path in &package.configuration {
        speaks(path.clone(), names.weight(path), "its package has it");
    }
    // Where there is nothing else, the variables that its commands are made of.
    let variables = unit.iter().flat_map(|unit| &unit.variables).find(|path| path.is_file());
    if let Some(path) = variables.filter(|_| found.is_empty()) {
        return Some((path.clone(), "its unit reads variables from it".to_owned()));
    }
    // Of equals the one with the shorter path: what it includes lies deeper.
    let best = found.into_iter().max_by_key(|(path, (sum, _))| {
        (*sum, std::cmp::Reverse(path.components().count()), std::cmp::Reverse(path.as_os_str().len()))
    });
    best.map(|(path, (_, mut reasons))| {
        reasons.dedup();
        (path, reasons.join(", and "))
    })
}

/// Whether a file may be the daemon's configuration: a text, and no program.
fn is_configuration(path: &Path) -> bool {
    use std::os::unix::fs::PermissionsExt;
    let other = path.strip_prefix("/etc").ok().and_then(|rest| rest.components().next());
    let other = other.is_some_and(|first| OTHERS.iter().any(|folder| first.as_os_str() == *folder));
    let is_text = |path: &Path| {
        let meta = fs::metadata(path).ok()?;
        let is_plain = meta.is_file() && meta.permissions().mode() & 0o111 == 0 && meta.len() < MOST_PROGRAM;
        Some(is_plain && !fs::read(path).ok()?.contains(&0))
    };
    let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default().to_lowercase();
    // What a daemon writes itself is there, and what is made anew at each boot.
    let of_running = ["/run", "/var/run", "/var/log", "/var/lib", "/proc", "/sys", "/dev", "/tmp"];
    let is_elsewhere = of_running.iter().any(|folder| path.starts_with(folder));
    !other && !is_elsewhere && !name.starts_with("readme") && is_text(path) == Some(true)
}

/// The names that a file may be called by.
struct Names {
    /// Of the daemon, its unit and its program.
    own: Vec<String>,
    /// Of its program, as it is written.
    program: String,
    /// Of its package, which may hold several daemons.
    package: String,
}

impl Names {
    fn of(daemon: &str, unit: Seen<'_>, package: &Package) -> Self {
        let program = unit.and_then(|unit| unit.program.as_deref()?.file_name()?.to_str());
        let own = [Some(daemon), unit.map(|unit| unit.name.as_str()), program].into_iter().flatten();
        let program = program.unwrap_or_default().to_owned();
        Self { own: own.map(plain).collect(), program, package: plain(&package.name) }
    }

    /// How much the name of a file speaks for it.
    fn weight(&self, path: &Path) -> u32 {
        let text = |part: Option<&std::ffi::OsStr>| {
            part.and_then(|part| part.to_str()).unwrap_or_default().to_owned()
        };
        let (whole, end) = (text(path.file_stem()), text(path.extension()));
        let whole = whole.trim_end_matches("_config").trim_end_matches("-config");
        let stem = plain(whole);
        let of_name = match () {
            () if stem.is_empty() => 1,
            () if whole == self.program => 60,
            () if self.own.contains(&stem) => 50,
            () if stem == self.package => 25,
            () => 5,
        };
        of_name + if ENDS.contains(&end.as_str()) { 10 } else { 0 }
    }
}

/// A name without what daemons, their units and packages add to it; a `d` at its end says that it is a daemon.
fn plain(name: &str) -> String {
    let name = name.trim_end_matches(".service").trim_end_matches("-server").trim_end_matches("-daemon");
    name.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches('d').to_owned()
}

/// The absolute paths in the words of a command, the program itself left out.
fn paths_in(words: &[String]) -> Vec<PathBuf> {
    let path = |word: &String| {
        let at = word.find('/')?;
        // As in `--config=/etc/x` and `-c/etc/x`; not a part of a URL.
        let is_option = at == 0 || word.starts_with('-') || word[..at].ends_with('=');
        (is_option && !word[at..].starts_with("//")).then(|| PathBuf::from(&word[at..]))
    };
    words.iter().skip(1).filter_map(path).collect()
}

/// The files below /etc that a program names in its text.
fn paths_of_program(program: &Path) -> Vec<PathBuf> {
    let is_small = fs::metadata(program).is_ok_and(|meta| meta.len() < MOST_PROGRAM);
    let Some(bytes) = is_small.then(|| fs::read(program).ok()).flatten() else { return Vec::new() };
    let is_part = |byte: &u8| byte.is_ascii_alphanumeric() || b"/._-+@".contains(byte);
    let mut paths: Vec<PathBuf> = Vec::new();
    for at in memmem::find_iter(&bytes, b"/etc/") {
        let end = bytes[at..].iter().position(|byte| !is_part(byte)).unwrap_or(bytes.len() - at);
        if let Ok(text) = std::str::from_utf8(&bytes[at..at + end]) {
            paths.push(text.into());
        }
    }
    paths.sort();
    paths.dedup();
    paths
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_found_in_words() {
        let words =
            ["/usr/sbin/tide", "--config=/etc/tide.conf", "-p/run/tide.pid", "http://quay.example/", "x"];
        let words: Vec<String> = words.into_iter().map(str::to_owned).collect();
        assert_eq!(paths_in(&words), [PathBuf::from("/etc/tide.conf"), PathBuf::from("/run/tide.pid")]);
    }
}
