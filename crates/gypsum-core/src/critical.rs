//! Files that decide who can log in, who may act as root, or how the host starts. No daemon reads them when they are
//! changed, so no health check sees a mistake; they have checkers of their own, or none.

use crate::profile::Checker;
use crate::text::glob_match;

/// Such a file, or several of a pattern.
pub struct CriticalFile {
    /// The pattern of its path.
    path: &'static str,
    /// What it decides, behind the name of the file.
    pub decides: &'static str,
    /// Its own checker, with `{file}` in place of the proposal; none where there is none.
    run: &'static [&'static str],
    /// Texts that make a line of its output a fault.
    faults: &'static [&'static str],
    /// Texts that make a line of its output a warning.
    warnings: &'static [&'static str],
    /// Texts of lines that say nothing of the file.
    chatter: &'static [&'static str],
}

const fn file(path: &'static str, decides: &'static str, run: &'static [&'static str]) -> CriticalFile {
    CriticalFile { path, decides, run, faults: &[], warnings: &[], chatter: &["parsed OK", "^~"] }
}

const ROOT: &str = "decides who may act as root";
const LOGIN: &str = "decides who can log in";
const SUDO: &[&str] = &["/usr/sbin/visudo", "-c", "-f", "{file}"];

/// sudoers(5), fstab(5), pam.conf(5), passwd(5), nsswitch.conf(5), crypttab(5), ld.so(8).
const FILES: [CriticalFile; 14] = [
    file("/etc/sudoers", ROOT, SUDO),
    file("/etc/sudoers.d/*", ROOT, SUDO),
    CriticalFile {
        path: "/etc/fstab",
        decides: "decides whether the host starts",
        run: &["/usr/bin/findmnt", "--verify", "--tab-file", "{file}"],
        faults: &["[E]", "parse error"],
        warnings: &["[W]"],
        chatter: &["warning"],
    },
    file("/etc/passwd", LOGIN, &["/usr/sbin/pwck", "-r", "{file}"]),
    file("/etc/shadow", LOGIN, &["/usr/sbin/pwck", "-r", "/etc/passwd", "{file}"]),
    file("/etc/group", ROOT, &["/usr/sbin/grpck", "-r", "{file}"]),
    file("/etc/gshadow", ROOT, &["/usr/sbin/grpck", "-r", "/etc/group", "{file}"]),
    file("/etc/pam.conf", LOGIN, &[]),
    file("/etc/pam.d/*", LOGIN, &[]),
    file("/etc/security/*.conf", LOGIN, &[]),
    file("/etc/nsswitch.conf", LOGIN, &[]),
    file("/etc/crypttab", "decides whether the host starts", &[]),
    file("/etc/ld.so.preload", "is loaded into every program", &[]),
    file("/etc/ld.so.conf", "decides which libraries every program loads", &[]),
];

/// What is known of the file at `path`; `None` if it is an ordinary one.
pub fn critical_file(path: &str) -> Option<&'static CriticalFile> {
    FILES.iter().find(|file| glob_match(file.path, path))
}

impl CriticalFile {
    /// Its own checker.
    pub fn checker(&self) -> Option<Checker> {
        let texts = |texts: &[&str]| texts.iter().map(|text| (*text).to_owned()).collect();
        (!self.run.is_empty()).then(|| Checker {
            run: texts(self.run),
            faults: texts(self.faults),
            warnings: texts(self.warnings),
            chatter: texts(self.chatter),
            on_stdout: true,
            ..Checker::default()
        })
    }
}

#[cfg(test)]
mod tests {
    use super::critical_file;

    #[test]
    fn files_that_lock_out_are_known() {
        let has_checker = |path: &str| critical_file(path).map(|file| file.checker().is_some());
        assert_eq!(has_checker("/etc/sudoers.d/porters"), Some(true));
        assert_eq!(has_checker("/etc/pam.d/sshd"), Some(false));
        assert_eq!(has_checker("/etc/ssh/sshd_config"), None);
    }
}
