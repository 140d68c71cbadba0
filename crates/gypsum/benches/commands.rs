//! Whole commands, as a person waits for them, on a disk. `cargo bench -p gypsum`

// A benchmark that cannot be set up should say so at once.
#![allow(clippy::expect_used)]

use divan::Bencher;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

fn gypsum(words: &[&str]) -> bool {
    let mut command = Command::new(env!("CARGO_BIN_EXE_gypsum"));
    command
        .args(words)
        .stdout(Stdio::null())
        .status()
        .is_ok_and(|status| status.code().is_some_and(|code| code < 8))
}

/// A folder on the disk that the build is on; the folder for temporary files may be in memory.
fn folder() -> tempfile::TempDir {
    tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR")).expect("a folder on the disk")
}

fn config(folder: &Path) -> PathBuf {
    let path = folder.join("boards.conf");
    std::fs::write(&path, "# boards\nrows 8\nquay all\n").expect("a file on the disk");
    path
}

/// An own profile of a built-in daemon's size, on files of this folder.
fn sshd_like(folder: &Path) -> (PathBuf, PathBuf) {
    let text = gypsum_core::profile::built_in("sshd").expect("it is built in").text;
    let etc = folder.join("etc/ssh");
    std::fs::create_dir_all(&etc).expect("a folder");
    let defaults = "#Port 22\n#MaxAuthTries 6\nUsePAM yes\n# a remark\n".repeat(30);
    std::fs::write(etc.join("sshd_config"), defaults).expect("a file");
    let profile = folder.join("sshd.toml");
    std::fs::write(&profile, text.replace("/etc/ssh", &etc.display().to_string())).expect("a profile");
    (profile, etc)
}

#[divan::bench(sample_count = 60, sample_size = 1)]
fn show_a_built_in_daemon(bencher: Bencher<'_, '_>) {
    let folder = folder();
    let (profile, _) = sshd_like(folder.path());
    let profile = profile.display().to_string();
    bencher.bench(|| assert!(gypsum(&["show", "sshd", "--profile", &profile])));
}

/// The last fifty of very many changes, as a host has them that nobody pruned.
#[divan::bench(sample_count = 60, sample_size = 1)]
fn the_last_50_of_100_000_changes(bencher: Bencher<'_, '_>) {
    let folder = folder();
    let config = config(folder.path()).display().to_string();
    let state = folder.path().join("state");
    let words = ["--file", &config, "--format", "keyword", "--state", &state.display().to_string()];
    assert!(gypsum(&[&["change", "boards", "rows=9"], &words[..]].concat()));
    let changes = state.join("boards");
    let first = std::fs::read_dir(&changes).expect("it is there").next().expect("one").expect("read").path();
    let record = std::fs::read(first.join("change.json")).expect("its record");
    for number in 2..=100_000 {
        let folder = changes.join(format!("20261123T060122Z-{number:04}"));
        std::fs::create_dir(&folder).expect("a folder");
        std::fs::write(folder.join("change.json"), &record).expect("a record");
    }
    // The names are kept once the folder is left alone for a moment.
    std::thread::sleep(std::time::Duration::from_secs(3));
    let state = state.display().to_string();
    let list = ["changes", "boards", "--last", "50", "--state", &state];
    assert!(gypsum(&list));
    bencher.bench(|| assert!(gypsum(&list)));
}

/// No checker, no service, no health check: all that is left is Gypsum's own time, durable writes
/// included.
#[divan::bench(sample_count = 60, sample_size = 1)]
fn a_whole_change_of_a_fake_daemon(bencher: Bencher<'_, '_>) {
    let folder = folder();
    let config = config(folder.path()).display().to_string();
    let state = folder.path().join("state").display().to_string();
    let mut rows = 8;
    bencher.bench_local(|| {
        rows += 1;
        let edit = format!("rows={rows}");
        assert!(gypsum(&[
            "change", "boards", &edit, "--file", &config, "--format", "keyword", "--state", &state
        ]));
    });
}

/// What is compared with: one durable replacement of that file, by hand.
#[divan::bench(sample_count = 60, sample_size = 1)]
fn one_durable_replacement(bencher: Bencher<'_, '_>) {
    let folder = folder();
    let path = config(folder.path());
    bencher.bench_local(|| {
        let next = folder.path().join("next");
        std::fs::write(&next, "rows 9\n").expect("written");
        std::fs::File::open(&next).and_then(|file| file.sync_all()).expect("synced");
        std::fs::rename(&next, &path).expect("renamed");
        std::fs::File::open(folder.path()).and_then(|folder| folder.sync_all()).expect("synced");
    });
}

/// A file of 100 MB on the disk, of which one line is to change.
fn large(folder: &Path) -> PathBuf {
    let mut text = String::with_capacity(101_000_000);
    for n in 0.. {
        if text.len() > 100_000_000 {
            break;
        }
        text += &format!(
            "# What the boards of this quay are called.\n#BoardAlias no\nBoardName{n} north quay {n}\n"
        );
    }
    text += "MaxBoards 8\n";
    let path = folder.join("large.conf");
    std::fs::write(&path, text).expect("a file on the disk");
    path
}

/// Read, one edit, its proof, and a durable write of a file of 100 MB.
#[divan::bench(sample_count = 10, sample_size = 1)]
fn large_edit_and_durable_write(bencher: Bencher<'_, '_>) {
    use gypsum_core::doc::{Document, Family};
    use gypsum_core::edit::{Edit, File, Guide, propose};
    use gypsum_host::disk::{Disk, RealDisk};
    let folder = folder();
    let path = large(folder.path());
    let edits = [Edit::parse_set("MaxBoards=9").expect("an edit")];
    bencher.bench_local(|| {
        let bytes = RealDisk.read(&path).expect("it is there").expect("it is there");
        let doc = Document::read(bytes, Family::Keyword, Family::Keyword.plain_dialect())
            .expect("it is small enough");
        let files = [File { path: "large.conf".into(), doc }];
        let done = propose(&files, &edits, &Guide::default()).expect("it fits");
        let next = folder.path().join("next");
        RealDisk.remove(&next).expect("removed");
        RealDisk.create(&next, done.files[0].after(), Some(&path)).expect("written");
        RealDisk.sync_file(&next).expect("synced");
        RealDisk.sync_folder(folder.path()).expect("synced");
    });
}

/// What that is compared with.
#[divan::bench(sample_count = 10, sample_size = 1)]
fn large_cp_and_sync(bencher: Bencher<'_, '_>) {
    let folder = folder();
    let path = large(folder.path());
    let copy = folder.path().join("copy");
    bencher.bench_local(|| {
        let _ = std::fs::remove_file(&copy);
        assert!(Command::new("cp").arg(&path).arg(&copy).status().expect("cp").success());
        assert!(Command::new("sync").arg(&copy).arg(folder.path()).status().expect("sync").success());
    });
}

/// The same as a whole change: backup, both proposals, plan, record.
#[divan::bench(sample_count = 5, sample_size = 1)]
fn large_whole_change(bencher: Bencher<'_, '_>) {
    let folder = folder();
    let config = large(folder.path()).display().to_string();
    let state = folder.path().join("state").display().to_string();
    let mut boards = 8;
    bencher.bench_local(|| {
        boards += 1;
        let edit = format!("MaxBoards={boards}");
        assert!(gypsum(&[
            "change", "boards", &edit, "--file", &config, "--format", "keyword", "--state", &state
        ]));
    });
}

fn main() {
    divan::main();
}
