//! The hook by which dpkg has the shipped texts kept before each upgrade, and what waits told after it.
//!
//! dpkg runs these commands by a shell, with or without apt (dpkg(1), `--pre-invoke`), and fails if one of them fails: so
//! each is a guard that ends with 0, whatever becomes of the program, within a time.

use crate::error::Error;
use crate::installing::{own_program, remove_whole, write_whole};
use std::path::{Path, PathBuf};

/// The file of dpkg that has the hook.
pub const FILE: &str = "/etc/dpkg/dpkg.cfg.d/gypsum";
/// How long the program may take, in seconds.
const SECONDS: u32 = 20;

const HEAD: &str = "# Written by `gypsum setup packages`; `gypsum setup packages --remove` takes it away.\n";

/// The file as a package has it, for a program at this path.
pub fn packaged(program: &str) -> String {
    text(program).replace(HEAD, "")
}

/// What the file holds for the program at `program`.
fn text(program: &str) -> String {
    let guard = |when: &str, what: &str, told: &str| {
        format!(
            "if [ -x {program} ]; then case \"$DPKG_HOOK_ACTION\" in {when}) timeout -k 1 {SECONDS} {program} setup packages {what} </dev/null {told} || : ;; esac; fi; exit 0"
        )
    };
    let before = guard("install|unpack", "--keep", ">/dev/null 2>&1");
    let after = guard("install|configure", "--tell", "2>/dev/null");
    format!(
        "{HEAD}# It keeps the shipped text of edited files before an upgrade, and says afterwards what waits.\npre-invoke={before}\npost-invoke={after}\n"
    )
}

/// Installs the hook for the program that runs; where it was written. A hook that is there is replaced.
///
/// # Errors
///
/// If dpkg has no such folder, if others than root can change the program, or if the file cannot be written.
pub fn install() -> Result<PathBuf, Error> {
    let file = Path::new(FILE);
    let folder = file.parent().unwrap_or(file);
    if !folder.is_dir() {
        return Err(Error::cannot(format!("{} does not exist: this host has no dpkg", folder.display())));
    }
    let program = own_program()?;
    write_whole(file, &text(&program), 0o644)?;
    Ok(file.to_owned())
}

/// Removes the hook; whether there was one.
///
/// # Errors
///
/// If it cannot be removed.
pub fn remove() -> Result<bool, Error> {
    remove_whole(Path::new(FILE))
}

#[cfg(test)]
mod tests {
    use super::text;
    use std::fs;
    use std::os::unix::fs::PermissionsExt;
    use std::process::Command;
    use std::time::{Duration, Instant};

    /// What the shell makes of both guards with a program in this state.
    fn statuses(program: &str) -> Vec<Option<i32>> {
        let text = text(program).replace("timeout -k 1 20", "timeout -k 1 1");
        let commands = text
            .lines()
            .filter_map(|line| line.split_once("-invoke="))
            .map(|(_, command)| command.to_owned());
        let run = |command: String| {
            let mut shell = Command::new("/bin/sh");
            shell.args(["-c", &command]).env("DPKG_HOOK_ACTION", "install").status().unwrap().code()
        };
        commands.map(run).collect()
    }

    #[test]
    fn the_guard_ends_with_0_whatever_the_program_does() {
        let folder = tempfile::tempdir().unwrap();
        let program = folder.path().join("gypsum");
        let path = program.to_str().unwrap();
        assert_eq!(statuses(path), [Some(0), Some(0)], "it is removed");
        for (what, script) in [
            ("fails", "exit 1"),
            ("is killed", "kill -9 $$"),
            ("hangs, and ignores the end", "trap '' TERM; while :; do sleep 0.2; done"),
            ("is no program", "\x7fELF"),
            ("cannot write", "exec >/dev/full; echo x || exit 9"),
        ] {
            fs::write(&program, format!("#!/bin/sh\n{script}\n")).unwrap();
            fs::set_permissions(&program, fs::Permissions::from_mode(0o755)).unwrap();
            let begun = Instant::now();
            assert_eq!(statuses(path), [Some(0), Some(0)], "it {what}");
            assert!(begun.elapsed() < Duration::from_secs(10), "it {what}");
        }
        // Not a program at all: a folder, and a file without the right to run.
        fs::remove_file(&program).unwrap();
        fs::create_dir(&program).unwrap();
        assert_eq!(statuses(path), [Some(0), Some(0)], "it is a folder");
    }
}
