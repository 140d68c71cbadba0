//! Who is typing: the login, not only root.

use crate::accounts;
use std::fs;
use std::path::PathBuf;
use uzers::os::unix::UserExt;

/// What the kernel says where nobody logged in (audit(7)).
const NO_LOGIN: u32 = u32::MAX;

/// The login name of the session, and the account in effect where that is another: `ida (root)`. Where the kernel knows
/// no login, a name that sudo left in the environment is only claimed: `ida (claimed, root)`.
pub fn login_name() -> String {
    let account = accounts::user_name(rustix::process::geteuid().as_raw());
    // The kernel keeps the account of the login across su and sudo.
    let login =
        fs::read_to_string("/proc/self/loginuid").ok().and_then(|text| text.trim().parse::<u32>().ok());
    let claimed = || std::env::var("SUDO_USER").ok().filter(|name| *name != account);
    match login.filter(|uid| *uid != NO_LOGIN).map(accounts::user_name) {
        Some(login) if login != account => format!("{login} ({account})"),
        Some(_) => account,
        None => claimed().map_or_else(|| account.clone(), |name| format!("{name} (claimed, {account})")),
    }
}

/// The person who called by sudo.
#[derive(Clone, Debug)]
pub struct Caller {
    /// Their number.
    pub uid: u32,
    /// The number of their main group.
    pub gid: u32,
    /// Their name.
    pub name: String,
    /// Their home folder.
    pub home: PathBuf,
}

/// Who called by sudo as another account than root; `None` where nobody did. What sudo says of it is claimed, and is
/// only ever used to do less than root may.
pub fn caller() -> Option<Caller> {
    if !rustix::process::geteuid().is_root() {
        return None;
    }
    let uid: u32 = std::env::var("SUDO_UID").ok()?.parse().ok().filter(|uid| *uid != 0)?;
    let user = uzers::get_user_by_uid(uid)?;
    Some(Caller {
        uid,
        gid: user.primary_group_id(),
        name: user.name().to_string_lossy().into_owned(),
        home: user.home_dir().to_owned(),
    })
}
