//! What looks after open changes when the host starts: two units of systemd, or one script of another manager.

use super::ENTRY;
use crate::children;
use crate::error::Error;
use crate::installing::{own_program, write_whole};
use crate::marks::{CORE_SERVICES, FOLDER, Marks, SCRIPT, STATE, UNIT_FOLDERS, UNITS, in_core_services};
use crate::state::State;
use crate::watching::WATCHES;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long the early part may hold a start up, in seconds.
const SECONDS: u32 = 10;
/// How long a manager may take to take up what was installed.
const LIMIT: Duration = Duration::from_secs(20);

/// Installs it for the service manager that runs; the files that were written. Changes that are open now are looked after, too.
///
/// # Errors
///
/// If no manager is known, others than root can change the program, or something cannot be written or enabled.
pub fn install(state: &State) -> Result<Vec<PathBuf>, Error> {
    let program = own_program()?;
    let mut files = Vec::new();
    let mut write = |path: PathBuf, text: &str, mode| {
        write_whole(&path, text, mode)?;
        files.push(path);
        Ok::<(), Error>(())
    };
    if Path::new("/run/systemd/system").is_dir() {
        let folder = Path::new(UNIT_FOLDERS[0]);
        write(folder.join(UNITS[0]), &early_unit(&program), 0o644)?;
        write(folder.join(UNITS[1]), &late_unit(&program), 0o644)?;
        enable(&["systemctl", "enable", UNITS[0], UNITS[1]])?;
    } else if Path::new(CORE_SERVICES).is_dir() {
        write(in_core_services(), &script(&program), 0o644)?;
    } else if Path::new("/etc/init.d").is_dir() {
        write(SCRIPT.into(), &script(&program), 0o755)?;
        if Path::new("/run/openrc").is_dir() {
            enable(&["rc-update", "add", "gypsum-boot", "boot"])?;
        } else {
            enable(&["update-rc.d", "gypsum-boot", "defaults"])?;
        }
    } else {
        return Err(Error::cannot("no service manager is known here that starts this host")
            .help("systemd, OpenRC, runit and System V init scripts are"));
    }
    if let Some(marks) = Marks::of(state) {
        marks.set_all(state)?;
    }
    Ok(files)
}

/// Removes it; the files that were there.
///
/// # Errors
///
/// If a file cannot be removed. What a manager says about it is no error: its files are gone.
pub fn remove() -> Result<Vec<PathBuf>, Error> {
    let (folder, script) = (Path::new(UNIT_FOLDERS[0]), PathBuf::from(SCRIPT));
    let own = UNITS.iter().map(|unit| folder.join(unit)).chain([script.clone(), in_core_services()]);
    let files: Vec<PathBuf> = own.filter(|file| file.exists()).collect();
    let (has_units, has_script) =
        (files.iter().any(|file| file.starts_with(folder)), files.contains(&script));
    if has_units {
        quietly(&["systemctl", "disable", UNITS[0], UNITS[1]]);
    }
    if has_script && Path::new("/run/openrc").is_dir() {
        quietly(&["rc-update", "delete", "gypsum-boot", "boot"]);
    }
    for file in &files {
        fs::remove_file(file).map_err(|error| Error::file("remove", file, error))?;
    }
    if has_script {
        quietly(&["update-rc.d", "gypsum-boot", "remove"]);
    }
    if has_units {
        quietly(&["systemctl", "daemon-reload"]);
    }
    Ok(files)
}

/// The units as a package has them, for a program at this path: their names, and their texts.
pub fn packaged_units(program: &str) -> [(&'static str, String); 2] {
    let texts = [early_unit(program), late_unit(program)].map(|text| text.replace(HEAD, ""));
    let [early, late] = texts;
    [(UNITS[0], early), (UNITS[1], late)]
}

fn enable(words: &[&str]) -> Result<(), Error> {
    let argv: Vec<String> = words.iter().map(|word| (*word).to_owned()).collect();
    let line = argv.join(" ");
    let ran = children::run(&argv, LIMIT)
        .map_err(|error| Error::cannot(format!("{line} cannot be run: {}", crate::error::plain(&error))))?;
    match ran.ok() {
        true => Ok(()),
        false => Err(Error::cannot(format!("{line} failed: {}", ran.last_words()))
            .help("the files are written: enable them by hand, or remove them: gypsum setup boot --remove")),
    }
}

fn quietly(words: &[&str]) {
    if let Err(error) = enable(words) {
        tracing::debug!(message = error.to_string(), "a manager was not told");
    }
}

const HEAD: &str = "# Written by `gypsum setup boot`; `gypsum setup boot --remove` takes it away.\n";

/// Before everything that may be concerned, and behind the file systems. Where no change is open it is skipped by its
/// condition, and where it fails nothing needs it.
fn early_unit(program: &str) -> String {
    format!(
        "{HEAD}[Unit]
Description=Put back the files of a change that was open when this host went down
DefaultDependencies=no
RequiresMountsFor={STATE}
After=local-fs.target systemd-remount-fs.service
Before=sysinit.target network-pre.target shutdown.target
Conflicts=shutdown.target
ConditionPathExistsGlob={STATE}/{FOLDER}/*

[Service]
Type=oneshot
ExecStart={program} {ENTRY} early
TimeoutStartSec={SECONDS}s

[Install]
WantedBy=sysinit.target
"
    )
}

/// Behind all daemons; without the usual dependencies, by which the target would wait for it.
fn late_unit(program: &str) -> String {
    format!(
        "{HEAD}[Unit]
Description=Finish a change that was open when this host went down
DefaultDependencies=no
RequiresMountsFor={STATE}
After=sysinit.target basic.target multi-user.target {early}
Before=shutdown.target
Conflicts=shutdown.target
ConditionPathExistsGlob=|{STATE}/{FOLDER}/*
ConditionPathExistsGlob=|{STATE}/{WATCHES}/*

[Service]
Type=oneshot
ExecStart={program} {ENTRY} late
TimeoutStartSec=infinity
KillMode=process

[Install]
WantedBy=multi-user.target
",
        early = UNITS[0]
    )
}

/// The early part at once, where a change is open; the late one waits in the background until the services are up, and
/// starts what was watched.
fn script(program: &str) -> String {
    format!(
        "#!/bin/sh
{HEAD}### BEGIN INIT INFO
# Provides:          gypsum-boot
# Required-Start:    $local_fs
# Required-Stop:
# X-Start-Before:    $network networking
# Default-Start:     S
# Default-Stop:
# Short-Description: Put back the files of a change that was open when this host went down
### END INIT INFO
case \"${{1:-start}}\" in
start)
    open= watched=
    for mark in {STATE}/{FOLDER}/*; do
        [ ! -e \"$mark\" ] || open=yes
    done
    for mark in {STATE}/{WATCHES}/*; do
        [ ! -e \"$mark\" ] || watched=yes
    done
    if [ -x {program} ] && [ \"$open$watched\" ]; then
        [ -z \"$open\" ] || timeout -k 1 {SECONDS} {program} {ENTRY} early </dev/null || :
        setsid {program} {ENTRY} late </dev/null >/dev/null 2>&1 &
    fi
    ;;
esac
:
"
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt;
    use std::process::Command;

    /// The script is read by whichever shell, in a process of its own or in another one's, and never fails.
    #[test]
    fn the_script_ends_well_whatever_the_program_does() {
        let folder = tempfile::tempdir().unwrap();
        let state = folder.path().join("state");
        fs::create_dir_all(state.join(FOLDER)).unwrap();
        let program = folder.path().join("gypsum");
        let text = script(program.to_str().unwrap()).replace(STATE, state.to_str().unwrap());
        let path = folder.path().join("script");
        fs::write(&path, text.replace("-k 1 10", "-k 1 1")).unwrap();
        let told = folder.path().join("told");
        let run = |word: &str| Command::new("/bin/sh").arg(&path).arg(word).status().unwrap().code();
        // The late part of a run before may be reading the program: it is replaced, and not written to.
        let put = |text: &str| {
            let new = folder.path().join("new");
            fs::write(&new, text).unwrap();
            fs::set_permissions(&new, PermissionsExt::from_mode(0o755)).unwrap();
            fs::rename(&new, &program).unwrap();
        };
        let says = format!("#!/bin/sh\necho \"$2\" >> {}\n", told.display());
        for (what, text) in
            [("works", says.as_str()), ("fails", "#!/bin/sh\nexit 3\n"), ("hangs", "#!/bin/sh\nsleep 20\n")]
        {
            put(text);
            // Without a mark nothing is run.
            assert_eq!((run("start"), told.exists()), (Some(0), false), "it {what}");
            fs::write(state.join(FOLDER).join("boards"), "").unwrap();
            for word in ["start", "stop", "status"] {
                assert_eq!(run(word), Some(0), "it {what}: {word}");
            }
            if what == "works" {
                std::thread::sleep(Duration::from_millis(300));
                assert_eq!(fs::read_to_string(&told).unwrap(), "early\nlate\n");
            }
            fs::remove_file(state.join(FOLDER).join("boards")).unwrap();
            let _ = fs::remove_file(&told);
        }
        // What is watched goes on, and no file is put back.
        put(&says);
        fs::create_dir(state.join(WATCHES)).unwrap();
        fs::write(state.join(WATCHES).join("1.json"), "").unwrap();
        assert_eq!(run("start"), Some(0));
        std::thread::sleep(Duration::from_millis(300));
        // The late part of a run before may be slow, and tell it once more.
        let said = fs::read_to_string(&told).unwrap();
        assert!(said.contains("late") && !said.contains("early"), "{said}");
        fs::remove_file(&program).unwrap();
        fs::write(state.join(FOLDER).join("boards"), "").unwrap();
        assert_eq!(run("start"), Some(0), "it is gone");
    }
}
