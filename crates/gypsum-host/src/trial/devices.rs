//! The devices of a trial: those that hold nothing.

use rustix::mount::{MountFlags, mount, mount_bind, mount_bind_recursive};
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;

const DEVICES: [&str; 6] = ["null", "zero", "full", "random", "urandom", "tty"];
const LINKS: [(&str, &str); 5] = [
    ("fd", "/proc/self/fd"),
    ("stdin", "/proc/self/fd/0"),
    ("stdout", "/proc/self/fd/1"),
    ("stderr", "/proc/self/fd/2"),
    ("ptmx", "pts/ptmx"),
];

/// Puts them in the place of the host's `/dev`.
///
/// # Errors
///
/// If the kernel refuses one.
pub fn arrange(base: &Path) -> io::Result<()> {
    let made = base.join("dev");
    fs::create_dir(&made)?;
    for name in DEVICES {
        let (of, at) = (Path::new("/dev").join(name), made.join(name));
        if of.exists() {
            File::create(&at)?;
            // The host's own node: a container may not make one.
            mount_bind(&of, &at)?;
        }
    }
    for (name, to) in LINKS {
        symlink(to, made.join(name))?;
    }
    for (name, mode) in [("shm", 0o1777), ("mqueue", 0o1777), ("pts", 0o755)] {
        fs::create_dir(made.join(name))?;
        fs::set_permissions(made.join(name), fs::Permissions::from_mode(mode))?;
    }
    let plain = MountFlags::NOSUID | MountFlags::NODEV;
    mount("mqueue", made.join("mqueue"), "mqueue", plain | MountFlags::NOEXEC, None)?;
    let options = c"newinstance,ptmxmode=0666,mode=620,gid=5";
    mount("devpts", made.join("pts"), "devpts", MountFlags::NOSUID | MountFlags::NOEXEC, Some(options))?;
    mount("tmpfs", made.join("shm"), "tmpfs", plain, Some(c"mode=1777,size=128m"))?;
    Ok(mount_bind_recursive(&made, "/dev")?)
}
