//! What dpkg keeps of the configuration files of packages: `Conffiles` in its status file (deb-conffiles(5), dpkg(1)).

use super::{Record, Standing, record_text};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

const STATUS: &str = "/var/lib/dpkg/status";
const INFO: &str = "/var/lib/dpkg/info";

/// The status file.
pub(super) struct Status(String);

impl Status {
    pub(super) fn read() -> io::Result<Self> {
        record_text(Path::new(STATUS)).map(Self)
    }

    /// How a file is recorded; `None` if no package has it.
    pub(super) fn standing(&self, path: &Path) -> Option<Standing> {
        standing_in(&self.0, path)
    }

    /// The version of an installed package.
    pub(super) fn version_of(&self, package: &str) -> Option<String> {
        version_in(&self.0, package)
    }
}

fn field(package: &str, name: &str) -> Option<String> {
    package.lines().find_map(|line| line.strip_prefix(name)).map(|text| text.trim().to_owned())
}

fn version_in(status: &str, package: &str) -> Option<String> {
    // The file is long, and the name of a package is one line of it.
    let line = format!("Package: {package}\n");
    let is_line = |at: &usize| *at == 0 || status.as_bytes()[*at - 1] == b'\n';
    let found = memchr::memmem::find_iter(status.as_bytes(), line.as_bytes()).find(is_line)?;
    field(package_at(status, found), "Version:")
}

fn standing_in(status: &str, path: &Path) -> Option<Standing> {
    let path = path.to_str()?;
    // The file is long, and few packages have the path.
    let line = format!("\n {path} ");
    let found =
        memchr::memmem::find_iter(status.as_bytes(), line.as_bytes()).map(|at| package_at(status, at));
    found.collect::<Vec<_>>().into_iter().find_map(|package| {
        // Each is a line with a blank before it: path, digest, and a word where it is not shipped any more.
        let (digest, word) = package.lines().filter_map(|line| line.strip_prefix(' ')).find_map(|line| {
            let (file, rest) = line.split_once(' ').filter(|(file, _)| *file == path)?;
            let (digest, word) = rest.split_once(' ').unwrap_or((rest, ""));
            (!file.is_empty() && digest.len() == 32).then(|| (digest.to_owned(), word.trim()))
        })?;
        let status = field(package, "Status:").unwrap_or_default();
        Some(Standing {
            record: Record {
                package: field(package, "Package:"),
                version: field(package, "Version:"),
                digest,
                by: "dpkg",
            },
            is_obsolete: !word.is_empty(),
            is_installed: status.ends_with(" installed"),
        })
    })
}

/// The record of a package that has this place in it; an empty line is between two.
fn package_at(status: &str, at: usize) -> &str {
    const BETWEEN: &[u8] = b"\n\n";
    let (before, behind) = status.as_bytes().split_at(at);
    let begin = memchr::memmem::rfind(before, BETWEEN).map_or(0, |begin| begin + BETWEEN.len());
    let end = memchr::memmem::find(behind, BETWEEN).map_or(status.len(), |end| at + end);
    // Both places are beside a line feed, so no character is cut.
    status.get(begin..end).unwrap_or_default()
}

/// Digests that dpkg recorded for a file earlier: from before its last run, and from the last days.
pub(super) fn earlier_digests(path: &Path) -> Vec<String> {
    let mut found = Vec::new();
    for file in ["/var/lib/dpkg/status-old", "/var/backups/dpkg.status.0", "/var/backups/dpkg.status.1.gz"] {
        let text = super::text_of(Path::new(file)).map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
        let digest = text.and_then(|text| standing_in(&text, path)).map(|standing| standing.record.digest);
        found.extend(digest);
    }
    found.dedup();
    found
}

/// Files of a package that may be copies of one of its configuration files: those whose name has the same stem.
pub(super) fn copies(package: &str, path: &Path) -> Vec<PathBuf> {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let is_plain = |name: &str| !name.is_empty() && !name.contains('/');
    let lists = [format!("{INFO}/{package}.list"), format!("{INFO}/{package}:{}.list", architecture())];
    let text = lists.iter().filter(|_| is_plain(package)).find_map(|list| fs::read_to_string(list).ok());
    let files = text.unwrap_or_default();
    let may_be = |file: &&str| {
        let name = file.rsplit('/').next().unwrap_or_default();
        file.starts_with("/usr/") && !stem.is_empty() && name.contains(&stem)
    };
    files.lines().filter(may_be).map(PathBuf::from).collect()
}

/// What dpkg calls the architecture that this program was built for.
fn architecture() -> &'static str {
    match std::env::consts::ARCH {
        "x86_64" => "amd64",
        "aarch64" => "arm64",
        other => other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_record_of_a_file_is_found_in_its_package() {
        let status = "Package: tide\nVersion: 1.2-3\nConffiles:\n /etc/tide.conf 0123456789abcdef0123456789abcdef\n /etc/tide.conf.d/a ffffffffffffffffffffffffffffffff obsolete\nDescription: tides\n\nPackage: quay\nVersion: 2\nConffiles:\n /etc/quay newconffile\n";
        let found = |path: &str| {
            standing_in(status, Path::new(path))
                .map(|standing| standing.record)
                .map(|record| (record.package.unwrap(), record.version.unwrap(), record.digest))
        };
        let tide =
            |digest: char| Some(("tide".to_owned(), "1.2-3".to_owned(), digest.to_string().repeat(32)));
        assert_eq!(found("/etc/tide.conf").unwrap().2, "0123456789abcdef0123456789abcdef");
        assert_eq!(found("/etc/tide.conf.d/a"), tide('f'));
        assert_eq!(found("/etc/quay"), None, "it has no digest yet");
        assert_eq!(found("/etc/tide"), None);
        let versions = ["tide", "quay", "tid", "uay"].map(|package| version_in(status, package));
        assert_eq!(versions, [Some("1.2-3".to_owned()), Some("2".to_owned()), None, None]);
    }
}
