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

/// Where the person who types comes from, and by which address and port of this host: as the SSH server told the first
/// process of their session (ssh(1), SSH_CONNECTION). sudo and su take the variable away, so the processes that led here
/// are looked at, too. `None` where nobody came over the network, or that cannot be seen.
pub fn connection() -> Option<Vec<String>> {
    const NAME: &str = "SSH_CONNECTION";
    let read = |value: &str| {
        let words: Vec<String> = value.split_whitespace().map(str::to_owned).collect();
        // The port of the other end says nothing.
        let [address, _, local_address, local_port] = words.as_slice() else { return None };
        Some(vec![address.clone(), local_address.clone(), local_port.clone()])
    };
    if let Ok(value) = std::env::var(NAME) {
        return read(&value);
    }
    let mut process = procfs::process::Process::myself().ok()?;
    while process.pid > 1 {
        process = procfs::process::Process::new(process.stat().ok()?.ppid).ok()?;
        if let Some(value) = process.environ().ok()?.get(std::ffi::OsStr::new(NAME)) {
            return read(value.to_str()?);
        }
    }
    None
}

/// The account of the person who types: of the login, else that in effect.
pub fn account() -> String {
    match caller() {
        Some(caller) => caller.name,
        None => accounts::user_name(rustix::process::geteuid().as_raw()),
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
