//! Root works in a folder of another account, which swaps everything in it meanwhile. The kernel says what was touched.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, missing_docs)]

mod bait;

use bait::Bait;
use gypsum_core::change::{Ownership, Plan, PlannedFile, ReplaceBy};
use gypsum_core::profile::{Activation, Profile, Service, read};
use gypsum_host::disk::{Disk, RealDisk, content_of};
use gypsum_host::files;
use gypsum_host::transaction::Transaction;
use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::{PermissionsExt, chown};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// The account that owns the folder: nobody.
const ACCOUNT: u32 = 65534;
/// So many changes are made and taken back.
const ROUNDS: usize = 4_000;

const BEFORE: &[u8] = b"rows 8\n";
const AFTER: &[u8] = b"rows 5\n";

struct Harbour {
    folder: tempfile::TempDir,
    racer: Child,
}

impl Harbour {
    fn new() -> (Self, Bait) {
        let folder = tempfile::Builder::new().prefix("gypsum-hostile-").tempdir_in("/dev/shm").unwrap();
        fs::set_permissions(folder.path(), fs::Permissions::from_mode(0o755)).unwrap();
        let names =
            ["boards.conf", ".boards.conf.gypsum-0001~", "more.conf", "new.conf", ".new.conf.gypsum-0001~"];
        let bait = Bait::lay(&folder.path().join("bait"), &names);
        let harbour = folder.path().join("harbour");
        let conf = harbour.join("conf");
        fs::create_dir_all(&conf).unwrap();
        for name in ["boards.conf", "more.conf"] {
            fs::write(conf.join(name), BEFORE).unwrap();
            chown(conf.join(name), Some(ACCOUNT), Some(ACCOUNT)).unwrap();
        }
        chown(&conf, Some(ACCOUNT), Some(ACCOUNT)).unwrap();
        chown(&harbour, Some(ACCOUNT), Some(ACCOUNT)).unwrap();
        let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/hostile/racer.pl");
        // The account may not be able to reach the project.
        let copy = folder.path().join("racer.pl");
        fs::copy(script, &copy).unwrap();
        let mut racer = Command::new("setpriv");
        racer.args(["--reuid=65534", "--regid=65534", "--clear-groups", "perl"]);
        racer.arg(copy).arg(&harbour).arg(folder.path().join("bait")).stdin(Stdio::null());
        let racer = racer.spawn().unwrap();
        (Self { folder, racer }, bait)
    }

    fn conf(&self) -> PathBuf {
        self.folder.path().join("harbour/conf")
    }

    fn profile(&self) -> Profile {
        let conf = self.conf().display().to_string();
        read(&format!(
            "daemon = \"boards\"\ntitle = \"Boards\"\n[files]\nhome = \"{conf}/boards.conf\"\nread = [\"{conf}/*.conf\"]\nformat = \"keyword\"\n"
        ))
        .unwrap()
    }

    /// The folder of the change, which only root can write.
    fn change(&self) -> PathBuf {
        self.folder.path().join("state")
    }
}

impl Drop for Harbour {
    fn drop(&mut self) {
        let _ = self.racer.kill();
        let _ = self.racer.wait();
    }
}

fn plan(harbour: &Harbour) -> Plan {
    let file = |name: &str, how: ReplaceBy| {
        let path = harbour.conf().join(name);
        let is_new = how == ReplaceBy::Create;
        PlannedFile {
            before: content_of((!is_new).then_some(BEFORE)),
            after: content_of((how != ReplaceBy::Remove).then_some(AFTER)),
            aside: path.with_file_name(format!(".{name}.gypsum-0001~")),
            backup: (!is_new).then(|| harbour.change().join(name)),
            ownership: is_new.then_some(Ownership { mode: Some(0o644), owner: None, group: None }),
            how,
            path,
        }
    };
    Plan {
        daemon: "boards".into(),
        change: "20261123T060122Z-0001".into(),
        files: vec![
            file("new.conf", ReplaceBy::Create),
            file("boards.conf", ReplaceBy::Exchange),
            file("more.conf", ReplaceBy::Remove),
        ],
        folders: Vec::new(),
        prune: Vec::new(),
        service: Service::default(),
        activation: Activation::None,
        touch_service: false,
        same_settings: false,
        probation_ms: None,
        watches: Vec::new(),
        limit_ms: 1000,
        steady_ms: 0,
        related: Vec::new(),
        taken_along: Vec::new(),
        callers: Vec::new(),
        hooks: Vec::new(),
        checks_before: Vec::new(),
        checks_after: Vec::new(),
        baseline: Vec::new(),
        service_before: None,
        readings: Vec::new(),
        readings_before: Vec::new(),
        moved: Vec::new(),
        draft: None,
        takes_live: Vec::new(),
    }
}

/// G1: what another account swaps while root reads, changes, restores and tidies leads root nowhere else, and keeps it
/// waiting for nothing.
#[test]
#[ignore = "needs root: another account works against it"]
fn nothing_outside_the_folder_is_touched_whatever_is_swapped() {
    let (harbour, bait) = Harbour::new();
    let (plan, change, profile) = (plan(&harbour), harbour.change(), harbour.profile());
    fs::create_dir(&change).unwrap();
    for name in ["boards.conf", "more.conf"] {
        fs::write(change.join(name), BEFORE).unwrap();
        chown(change.join(name), Some(ACCOUNT), Some(ACCOUNT)).unwrap();
    }
    let files = Transaction::new(&RealDisk, &plan, &change);
    let contents = [Some(AFTER.to_vec().into()), Some(AFTER.to_vec().into()), None];
    let (mut read, mut live, mut back, mut longest) = (0, 0, 0, Duration::ZERO);
    let mut failed = BTreeMap::<String, usize>::new();
    for _ in 0..ROUNDS {
        let begun = Instant::now();
        read += usize::from(files::load(&profile, None).is_ok());
        let done = files.stage(&contents).and_then(|_| files.replace());
        let is_live = done.is_ok();
        if let Err(error) = done {
            *failed.entry(error.to_string()).or_insert(0) += 1;
        }
        live += usize::from(is_live);
        back += usize::from(files.put_back().is_ok());
        // What a change does not expect it leaves; the next one is to begin all the same.
        for planned in &plan.files {
            let _ = RealDisk.remove(&planned.aside);
        }
        longest = longest.max(begun.elapsed());
    }
    let touched = bait.touched();
    assert!(touched.is_empty(), "{} events: {:?}", touched.len(), &touched[..touched.len().min(9)]);
    // Not all of them failed at once, and not all went as if nobody were there.
    eprintln!(
        "{ROUNDS} rounds: {read} read, {live} live, {back} restored, the longest {longest:?}; {failed:#?}"
    );
    assert!(read > ROUNDS / 20 && live > 0 && live < ROUNDS && back > 0);
    assert!(longest < Duration::from_secs(5), "{longest:?}");
}

/// The witness sees what a program does that believes in names.
#[test]
#[ignore = "needs root: another account works against it"]
fn who_believes_in_names_is_led_away() {
    let (harbour, bait) = Harbour::new();
    let path = harbour.conf().join("boards.conf");
    let begun = Instant::now();
    while bait.touched().is_empty() {
        // Without waiting for a pipe.
        if path.symlink_metadata().is_ok_and(|meta| meta.is_file()) {
            let _ = fs::metadata(&path)
                .and_then(|meta| if meta.is_file() { fs::read(&path) } else { Ok(vec![]) });
        }
        assert!(begun.elapsed() < Duration::from_secs(60), "nothing was seen");
    }
}
