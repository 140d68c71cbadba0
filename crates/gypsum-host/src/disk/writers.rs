//! Who may give a name in a folder to something else, as the kernel has it: owner, mode and access list.

use crate::accounts;
use rustix::fs::{FileType, Stat};
use std::os::fd::{AsFd, AsRawFd};

/// The bit of a mode that lets only the owner of an entry remove or rename it (inode(7)).
const STICKY: u32 = 0o1000;
const GROUP_WRITES: u32 = 0o020;
const OTHERS_WRITE: u32 = 0o002;

/// Who may write, beside root and the account that we run as.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Writers {
    /// Nobody.
    Nobody,
    /// One account, by its number.
    Account(u32),
    /// More than one, in words.
    Several(String),
}

/// Who may make `entry` of `folder` something else; `None` is a name that does not exist.
pub fn of_folder(fd: impl AsFd, folder: &Stat, entry: Option<&Stat>) -> Writers {
    // In a sticky folder a name can be given to something else by its owner and the folder's alone. A name that is
    // free may be taken by anybody; we only ever make one with O_EXCL.
    let is_sticky = folder.st_mode & STICKY != 0;
    let writers = of(fd, folder);
    match (is_sticky, writers, entry) {
        (true, Writers::Several(_), None) if is_ours(folder.st_uid) => Writers::Nobody,
        (true, Writers::Several(_), Some(entry)) if is_ours(folder.st_uid) => owner(entry.st_uid),
        (_, writers, _) => writers,
    }
}

/// Who may write to this file or folder.
pub fn of(fd: impl AsFd, meta: &Stat) -> Writers {
    if meta.st_mode & OTHERS_WRITE != 0 {
        return Writers::Several("every account".to_owned());
    }
    let owner = owner(meta.st_uid);
    if meta.st_mode & GROUP_WRITES == 0 {
        return owner;
    }
    // With an access list the group's bits are its mask (acl(5)): without one of them nobody in it may write.
    if FileType::from_raw_mode(meta.st_mode) != FileType::Symlink && has_named_writers(fd) {
        return Writers::Several("accounts that its access list names".to_owned());
    }
    match (owner, of_group(meta.st_gid)) {
        (Writers::Nobody, group) => group,
        (owner, Writers::Nobody) => owner,
        (owner, group) if owner == group => owner,
        _ => Writers::Several(format!("the group {}", accounts::group_name(meta.st_gid))),
    }
}

fn owner(uid: u32) -> Writers {
    if is_ours(uid) { Writers::Nobody } else { Writers::Account(uid) }
}

/// Whether what belongs to this account is in our own hands.
fn is_ours(uid: u32) -> bool {
    uid == 0 || uid == rustix::process::geteuid().as_raw()
}

/// A group whose only member is the account of the same name, as distributions make one for each account, is that
/// account.
fn of_group(gid: u32) -> Writers {
    if gid == 0 && !accounts::roots_group_has_others() {
        return Writers::Nobody;
    }
    let several = || Writers::Several(format!("the group {}", accounts::group_name(gid)));
    match accounts::only_member(gid) {
        Some(uid) => owner(uid),
        None => several(),
    }
}

/// Whether the access list of a file names an account or a group that may write. One that cannot be read is taken for
/// such a list.
fn has_named_writers(fd: impl AsFd) -> bool {
    // A descriptor that only names a file has no attributes of its own; this name of it does.
    let path = format!("/proc/self/fd/{}", fd.as_fd().as_raw_fd());
    let mut list = vec![0; 64 << 10];
    match rustix::fs::getxattr(path, "system.posix_acl_access", list.as_mut_slice()) {
        Ok(length) => names_writers(&list[..length]),
        Err(rustix::io::Errno::NODATA | rustix::io::Errno::OPNOTSUPP) => false,
        Err(error) => {
            tracing::warn!(%error, "an access list cannot be read");
            true
        }
    }
}

/// The form of linux/posix_acl_xattr.h: a version of four bytes, then entries of eight: tag, permissions, number.
fn names_writers(list: &[u8]) -> bool {
    const USER: u16 = 0x02;
    const GROUP: u16 = 0x08;
    const WRITE: u16 = 0x02;
    list.get(4..).unwrap_or_default().chunks_exact(8).any(|entry| {
        let number = |at: usize| u16::from_le_bytes([entry[at], entry[at + 1]]);
        matches!(number(0), USER | GROUP) && number(2) & WRITE != 0
    })
}
