//! Users and groups of this host, by name or by number.

use std::ffi::OsStr;
use std::io;
use std::path::{Path, PathBuf};
use uzers::os::unix::{GroupExt, UserExt};

/// Gypsum's folder of this account: in the one that `variable` names, else in `usual` of its home folder (XDG Base
/// Directory Specification); `None` if it has no home folder.
pub fn own_folder(variable: &str, usual: &str) -> Option<PathBuf> {
    let named = std::env::var_os(variable).map(PathBuf::from).filter(|path| path.is_absolute());
    let at_home = || std::env::var_os("HOME").map(|home| Path::new(&home).join(usual));
    Some(named.or_else(at_home)?.join("gypsum"))
}

/// The folder with the account's own settings of Gypsum: in the home folder that it has, also where `sudo` or `su` left the
/// environment of somebody else.
pub fn settings_folder() -> Option<PathBuf> {
    const VARIABLE: &str = "XDG_CONFIG_HOME";
    if std::env::var_os(VARIABLE).is_some() {
        return own_folder(VARIABLE, ".config");
    }
    let account = uzers::get_user_by_uid(rustix::process::geteuid().as_raw())?;
    Some(account.home_dir().join(".config/gypsum"))
}

/// The number of the user called `name`, or written as a number.
pub fn user(name: &str) -> Option<u32> {
    name.parse().ok().or_else(|| uzers::get_user_by_name(name).map(|user| user.uid()))
}

/// The number of the group called `name`, or written as a number.
pub fn group(name: &str) -> Option<u32> {
    name.parse().ok().or_else(|| uzers::get_group_by_name(name).map(|group| group.gid()))
}

/// The number of the main group of the user called `name`.
pub fn main_group(name: &str) -> Option<u32> {
    uzers::get_user_by_name(name).map(|user| user.primary_group_id())
}

/// The name of a user, or its number where it has none.
pub fn user_name(uid: u32) -> String {
    uzers::get_user_by_uid(uid)
        .map_or_else(|| uid.to_string(), |user| user.name().to_string_lossy().into_owned())
}

/// The name of a group, or its number where it has none.
pub fn group_name(gid: u32) -> String {
    uzers::get_group_by_gid(gid)
        .map_or_else(|| gid.to_string(), |group| group.name().to_string_lossy().into_owned())
}

/// The account that is a group's only member besides root: the one whose main group it is, and whose name it has.
/// `None` if there are others, or none, or that cannot be seen.
pub fn only_member(gid: u32) -> Option<u32> {
    let group = uzers::get_group_by_gid(gid)?;
    let owner = uzers::get_user_by_name(group.name()).filter(|user| user.primary_group_id() == gid)?;
    let is_alone = !has_others(&group, owner.uid(), owner.name());
    is_alone.then(|| owner.uid())
}

/// Whether the group of root has members besides root.
pub fn roots_group_has_others() -> bool {
    let group = uzers::get_group_by_gid(0);
    group.map_or_else(|| is_main_group_of_others(0, 0), |group| has_others(&group, 0, "root".as_ref()))
}

/// Whether a group has members besides this account and root: those that it lists, and those whose main group it is.
fn has_others(group: &uzers::Group, uid: u32, name: &OsStr) -> bool {
    let is_listed = group.members().iter().any(|member| member != name && member != "root");
    is_listed || is_main_group_of_others(group.gid(), uid)
}

/// Whether a group is the main group of an account besides this one and root: the group itself does not list those.
fn is_main_group_of_others(gid: u32, uid: u32) -> bool {
    match std::fs::read_to_string("/etc/passwd") {
        Ok(text) => main_group_of_others(&text, gid, uid),
        Err(error) => {
            tracing::warn!(%error, "/etc/passwd cannot be read");
            true
        }
    }
}

/// The same in the text of passwd(5): name, password, number, main group, and more.
fn main_group_of_others(passwd: &str, gid: u32, uid: u32) -> bool {
    passwd.lines().any(|line| {
        let mut numbers = line.split(':').skip(2).map(str::parse::<u32>);
        let (Some(Ok(its)), Some(Ok(main))) = (numbers.next(), numbers.next()) else { return false };
        main == gid && its != uid && its != 0
    })
}

/// An account, as which something is done.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// Its number.
    pub uid: u32,
    gid: u32,
    groups: Vec<u32>,
}

impl Account {
    /// The account of this number. One that the host does not know has no group to speak of.
    pub fn of(uid: u32) -> Self {
        let Some(user) = uzers::get_user_by_uid(uid) else {
            return Self { uid, gid: uid, groups: Vec::new() };
        };
        let gid = user.primary_group_id();
        let groups = uzers::get_user_groups(user.name(), gid).unwrap_or_default();
        Self { uid, gid, groups: groups.iter().map(uzers::Group::gid).collect() }
    }

    /// Does something as this account, in a thread of its own: the kernel then judges each step by what the account may
    /// do, and not by what root may. Real and saved numbers stay root's, so that the account cannot signal us.
    ///
    /// # Errors
    ///
    /// If there is no thread, the account cannot be taken on, or what is done fails.
    pub fn does<T: Send>(&self, act: impl FnOnce() -> io::Result<T> + Send) -> io::Result<T> {
        use rustix::process::{Gid, Uid};
        use rustix::thread::{set_thread_groups, set_thread_res_gid, set_thread_res_uid};
        let become_it = || -> io::Result<()> {
            let groups: Vec<Gid> = self.groups.iter().copied().map(Gid::from_raw).collect();
            set_thread_groups(&groups)?;
            set_thread_res_gid(None, Some(Gid::from_raw(self.gid)), None)?;
            Ok(set_thread_res_uid(None, Some(Uid::from_raw(self.uid)), None)?)
        };
        std::thread::scope(|scope| {
            let thread = std::thread::Builder::new().spawn_scoped(scope, || {
                become_it()?;
                act()
            })?;
            thread.join().unwrap_or_else(|_| Err(io::Error::other("the thread that did it broke off")))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::main_group_of_others;

    #[test]
    fn a_main_group_may_be_that_of_several() {
        let passwd = "root:x:0:0:root:/root:/bin/bash\nmate:x:1717:1717::/home/mate:/bin/sh\nbroken\n";
        assert!(!main_group_of_others(passwd, 1717, 1717) && !main_group_of_others(passwd, 0, 0));
        let more =
            format!("{passwd}pilot:x:1718:1717::/home/pilot:/bin/sh\noperator:x:11:0::/root:/bin/sh\n");
        assert!(main_group_of_others(&more, 1717, 1717) && main_group_of_others(&more, 0, 0));
    }
}
