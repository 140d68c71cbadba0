//! A disposable host, and the program run on it.

use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// Where the program is in the host.
pub const PROGRAM: &str = "/usr/local/bin/gypsum";

/// A booted host; ended when it is dropped.
pub struct Lab {
    folder: tempfile::TempDir,
}

fn script() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/lab/lab.sh")
}

/// Boots a host on which `programs` are installed.
pub fn boot(programs: &[&str]) -> Lab {
    boot_tree(Path::new("/"), programs)
}

/// Boots a host of another release, whose root tree this is.
pub fn boot_tree(tree: &Path, programs: &[&str]) -> Lab {
    let variables: &[(&str, &Path)] = if tree == Path::new("/") { &[] } else { &[("LAB_TREE", tree)] };
    boot_with(tree, programs, variables)
}

/// An empty image for such a host.
pub fn new_image(path: &Path) {
    let made = Command::new("truncate").args(["-s", "64M"]).arg(path).status().unwrap().success()
        && Command::new("mkfs.ext4").arg("-q").arg(path).status().unwrap().success();
    assert!(made, "an image cannot be made");
}

/// Boots a host that keeps what it changes on this ext4 image, up to this unit.
pub fn boot_image(image: &Path, unit: &str, programs: &[&str]) -> Lab {
    boot_with(Path::new("/"), programs, &[("LAB_IMAGE", image), ("LAB_TARGET", Path::new(unit))])
}

fn boot_with(tree: &Path, programs: &[&str], variables: &[(&str, &Path)]) -> Lab {
    let needed = ["/lib/systemd/systemd", "/usr/bin/unshare", "/usr/bin/nsenter"];
    // A link of another tree leads into that tree.
    let there = |path: &str| tree.join(path.trim_start_matches('/')).symlink_metadata().is_ok();
    let missing = needed.iter().chain(programs).find(|path| !there(path));
    assert_eq!(missing, None, "this is not installed");
    let owner = std::os::unix::fs::MetadataExt::uid(&std::fs::metadata("/proc/self").unwrap());
    assert_eq!(owner, 0, "the lab needs root");
    let folder = tempfile::Builder::new().prefix("gypsum-lab-").tempdir().unwrap();
    let lab = Lab { folder };
    let boards = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/lab/boards.pl");
    let mut booting = Command::new(script());
    booting.arg("boot").arg(lab.folder.path()).arg(assert_cmd::cargo::cargo_bin!("gypsum")).arg(boards);
    booting.envs(variables.iter().copied());
    let booted = booting.output().unwrap();
    assert!(booted.status.success(), "{}", String::from_utf8_lossy(&booted.stderr));
    lab
}

/// The root tree of the release after the one of this machine, which `release.sh` makes; `GYPSUM_TREE` is another place
/// of it.
pub fn next_release() -> PathBuf {
    let tree = std::env::var_os("GYPSUM_TREE").unwrap_or_else(|| "/var/tmp/gypsum-trees/trixie".into());
    let tree = PathBuf::from(tree);
    assert!(
        tree.join(".complete").exists(),
        "make it: crates/gypsum/tests/lab/release.sh trixie {}",
        tree.display()
    );
    tree
}

impl Drop for Lab {
    fn drop(&mut self) {
        let _ = Command::new(script()).arg("end").arg(self.folder.path()).status();
    }
}

impl Lab {
    /// Waits until a piece of shell ends well, so many seconds at most.
    pub fn until(&self, seconds: u64, test: &str, otherwise: &dyn Fn() -> String) {
        let begun = Instant::now();
        while !self.run(&["sh", "-c", test]).status.success() {
            assert!(begun.elapsed() < Duration::from_secs(seconds), "{}", otherwise());
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// Cuts its power: its image, as it is then, is copied to `image`.
    pub fn cut(self, image: &Path) {
        let cut = Command::new(script()).arg("cut").arg(self.folder.path()).arg(image).status().unwrap();
        assert!(cut.success());
    }

    /// Runs a command in the host.
    pub fn run(&self, words: &[&str]) -> Output {
        self.command(words).output().unwrap()
    }

    /// A command in the host, to be started.
    pub fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::new(script());
        command.arg("in").arg(self.folder.path()).args(words);
        command
    }

    /// Runs a piece of shell in the host, which must succeed, and returns what it prints.
    pub fn sh(&self, text: &str) -> String {
        let ran = self.run(&["sh", "-c", text]);
        assert!(ran.status.success(), "{text}: {ran:?}");
        String::from_utf8_lossy(&ran.stdout).trim().to_owned()
    }

    /// Runs the program; its exit status and its JSON document.
    pub fn gypsum(&self, words: &[&str]) -> (i32, Value) {
        let mut all = vec![PROGRAM, "--json"];
        all.extend(words);
        let ran = self.run(&all);
        let document =
            serde_json::from_slice(&ran.stdout).unwrap_or_else(|error| panic!("{words:?}: {error}: {ran:?}"));
        crate::schema::assert_schema(&document);
        (ran.status.code().unwrap(), document)
    }

    /// The bytes of a file in the host, and what `stat` says of its owner, mode, ACL and attributes.
    pub fn file(&self, path: &str) -> (String, String) {
        let bytes = self.sh(&format!("cat {path}; echo ."));
        let meta = self.sh(&format!(
            "stat -L -c '%u:%g %a' {path}; getfacl -cp {path}; getfattr -d --absolute-names {path} | sed '/^# file/d'"
        ));
        (bytes, meta)
    }

    pub fn is_active(&self, unit: &str) -> bool {
        self.run(&["systemctl", "is-active", "-q", unit]).status.success()
    }
}

/// Plays all of them, so many hosts side by side.
pub fn side_by_side<T: Sync>(hosts: usize, all: &[T], play: impl Fn(&T) + Sync) {
    let next = AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for _ in 0..hosts {
            scope.spawn(|| {
                while let Some(one) = all.get(next.fetch_add(1, Ordering::Relaxed)) {
                    play(one);
                }
            });
        }
    });
}

/// What was done to services, by the events of a change: the action and its target.
pub fn actions(events: &str) -> Vec<String> {
    let action = |line: &str| {
        let event: Value = serde_json::from_str(line).unwrap();
        Some(format!("{} {}", event["action"].as_str()?, event["target"].as_str()?))
    };
    events.lines().filter_map(action).collect()
}
