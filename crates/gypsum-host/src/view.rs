//! The private view: a mount namespace of its own in which the proposal is in the real tree, so
//! that the daemon's own checker reads it at the usual place while the live files stay untouched.
//!
//! Nothing of this may happen in our own process, so the own program is executed again with
//! [`ENTRY`] as its first word; [`enter`] is what it then does. Over the parent folder of each file
//! lies an overlay whose upper layer is on a tmpfs: what the checker writes there is gone with it.

use crate::disk::{Disk, RealDisk, walk};
use rustix::fs::{AtFlags, Timespec, Timestamps};
use rustix::mount::{MountFlags, MountPropagationFlags, mount, mount_bind_recursive, mount_change};
use rustix::thread::UnshareFlags;
use serde::{Deserialize, Serialize};
use std::ffi::CString;
use std::fs;
use std::io;
use std::os::fd::AsRawFd;
use std::os::unix::fs::PermissionsExt;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::SystemTime;

/// The first word of the own program's command line that means: enter a view.
pub const ENTRY: &str = "__view";
/// The exit status that means: there is no view, the command was not run.
pub const NO_VIEW: i32 = 121;

/// So old a file is that nobody waits for its end any more, in seconds.
const SETTLED_S: i64 = 60;

/// What a view shows.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ViewSpec {
    /// An empty folder to mount on.
    pub base: PathBuf,
    /// The files, resolved, each with the file that takes its place; none where it is gone.
    pub files: Vec<(PathBuf, Option<PathBuf>)>,
    /// The account as which the command runs, as its number and group; ours where none is named.
    #[serde(default)]
    pub account: Option<(u32, u32)>,
    /// Folders that the command wants to find.
    #[serde(default)]
    pub folders: Vec<PathBuf>,
}

impl ViewSpec {
    /// The empty folder that a command finds in the view.
    pub fn scratch(&self) -> PathBuf {
        self.base.join("scratch")
    }

    /// The command line that runs `argv` in this view.
    pub fn command(&self, argv: &[String]) -> io::Result<Command> {
        let mut command = Command::new("/proc/self/exe");
        command.arg0("gypsum").arg(ENTRY).arg(serde_json::to_string(self)?).args(argv);
        Ok(command)
    }
}

/// Enters the view that the first word describes and becomes the command in the others; returns only
/// if that fails, with a message and [`NO_VIEW`].
pub fn enter(words: &[String]) -> i32 {
    let Err(error) = try_enter(words);
    eprintln!("no private view of the files: {error}");
    NO_VIEW
}

fn try_enter(words: &[String]) -> io::Result<std::convert::Infallible> {
    let [spec, program, arguments @ ..] = words else {
        return Err(io::Error::other("no command"));
    };
    let spec: ViewSpec = serde_json::from_str(spec)?;
    // The safe call is deprecated for what else it can do; a new mount namespace is harmless here,
    // before any thread exists.
    #[allow(deprecated)]
    rustix::thread::unshare(UnshareFlags::NEWNS)?;
    mount_change("/", MountPropagationFlags::REC | MountPropagationFlags::DOWNSTREAM)?;
    mount("tmpfs", &spec.base, "tmpfs", MountFlags::NOSUID | MountFlags::NODEV, Some(c"mode=755"))?;
    fs::create_dir(spec.scratch())?;
    fs::set_permissions(spec.scratch(), fs::Permissions::from_mode(0o1777))?;
    let standing =
        |file: &'_ PathBuf| file.ancestors().skip(1).find(|folder| folder.is_dir()).map(Path::to_owned);
    let mut folders: Vec<PathBuf> = spec.files.iter().filter_map(|(file, _)| standing(file)).collect();
    // What the service manager makes at each start is made in the view alone.
    let wanted: Vec<&PathBuf> = spec.folders.iter().filter(|folder| !folder.exists()).collect();
    folders.extend(wanted.iter().filter_map(|folder| standing(folder)));
    folders.sort();
    folders.dedup();
    let folders = outermost(folders);
    for (n, folder) in folders.into_iter().enumerate() {
        cover(&spec.base, n, &folder)?;
    }
    for (file, stand_in) in &spec.files {
        show(file, stand_in.as_deref())?;
    }
    for folder in wanted {
        let made = walk::place_made(folder, 0o755)?;
        made.act(|at, name| walk::make_folder(at, name, 0o755))?;
    }
    let mut command = Command::new(program);
    if let Some((user, group)) = spec.account {
        command.uid(user).gid(group);
    }
    Err(command.args(arguments).exec())
}

/// The folders without those that an overlay over another one covers, too: what is mounted in between it does not. One
/// overlay upon another may be one too many for the kernel.
pub(crate) fn outermost(folders: Vec<PathBuf>) -> Vec<PathBuf> {
    let points = crate::mounts::points();
    let covers = |above: &PathBuf, folder: &PathBuf| {
        let is_between =
            |point: &PathBuf| point != above && point.starts_with(above) && folder.starts_with(point);
        above != folder && folder.starts_with(above) && !points.iter().any(is_between)
    };
    let is_covered = |folder: &&PathBuf| folders.iter().any(|above| covers(above, folder));
    folders.iter().filter(|folder| !is_covered(folder)).cloned().collect()
}

/// Lays an overlay over `folder`, and binds again what is mounted below it.
pub(crate) fn cover(base: &Path, n: usize, folder: &Path) -> io::Result<()> {
    let part = |name: &str| base.join(format!("{name}{n}"));
    let (upper, work) = (part("upper"), part("work"));
    fs::create_dir(&upper)?;
    fs::create_dir(&work)?;
    let mut kept = Vec::new();
    for (m, below) in mounts_below(folder).into_iter().enumerate() {
        let keep = base.join(format!("below{n}-{m}"));
        if below.is_dir() {
            fs::create_dir(&keep)?;
        } else {
            fs::write(&keep, b"")?;
        }
        mount_bind_recursive(&below, &keep)?;
        kept.push((keep, below));
    }
    // By its descriptor: under its name there may be another one in a moment.
    let place = walk::folder(folder)?;
    let meta = rustix::fs::fstat(&place.folder)?;
    // The upper folder stands for the lower one, and a checker may look at its owner and mode.
    fs::set_permissions(&upper, fs::Permissions::from_mode(meta.st_mode & 0o7777))?;
    std::os::unix::fs::chown(&upper, Some(meta.st_uid), Some(meta.st_gid))?;
    let lower = PathBuf::from(format!("/proc/self/fd/{}", place.folder.as_raw_fd()));
    let options =
        format!("lowerdir={},upperdir={},workdir={}", escaped(&lower), escaped(&upper), escaped(&work));
    let options = CString::new(options)?;
    mount("overlay", &lower, "overlay", MountFlags::empty(), Some(options.as_c_str()))?;
    for (keep, below) in kept {
        mount_bind_recursive(&keep, &below)?;
    }
    Ok(())
}

fn mounts_below(folder: &Path) -> Vec<PathBuf> {
    let below = |point: &PathBuf| point != folder && point.starts_with(folder);
    crate::mounts::points().into_iter().filter(below).collect()
}

fn escaped(path: &Path) -> String {
    let text = path.display().to_string();
    text.replace('\\', "\\\\").replace(':', "\\:").replace(',', "\\,")
}

fn now_s() -> io::Result<i64> {
    let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).map_err(io::Error::other)?;
    i64::try_from(now.as_secs()).map_err(io::Error::other)
}

pub(crate) fn show(file: &Path, stand_in: Option<&Path>) -> io::Result<()> {
    let disk = RealDisk;
    let Some(stand_in) = stand_in else {
        return disk.remove(file);
    };
    let place = walk::place_made(file, 0o755)?;
    let bytes = disk.read(stand_in)?.ok_or_else(|| io::Error::other("the proposal is gone"))?;
    let model = if place.look()?.is_some() { file } else { stand_in };
    let aside = file.with_extension("gypsum~");
    let beside = walk::place(&aside)?;
    // As root, whoever may write there: it is seen in this view alone, and goes with it.
    let mut as_root = walk::place(&aside)?;
    as_root.account = None;
    disk.create_at(&as_root, &bytes, Some(model))?;
    // Some readers wait until a file that was just written is finished.
    if beside.look()?.is_some_and(|meta| meta.is_file()) {
        let settled = Timespec { tv_sec: now_s()? - SETTLED_S, tv_nsec: 0 };
        let times = Timestamps { last_access: settled, last_modification: settled };
        rustix::fs::utimensat(&beside.folder, &beside.name, &times, AtFlags::SYMLINK_NOFOLLOW)?;
    }
    beside.act(|at, name| Ok(rustix::fs::renameat(at, name, &place.folder, &place.name)?))
}
