//! Who is typing: the login, not only root.

use std::fs;

/// The login name of the session, and the account in effect where that is another: `ida (root)`.
pub fn login_name() -> String {
    let effective = rustix::process::geteuid().as_raw();
    let name = |uid: u32| {
        uzers::get_user_by_uid(uid)
            .map_or_else(|| uid.to_string(), |user| user.name().to_string_lossy().into_owned())
    };
    // The kernel keeps the account of the login across su and sudo; 4294967295 means none.
    let login =
        fs::read_to_string("/proc/self/loginuid").ok().and_then(|text| text.trim().parse::<u32>().ok());
    let login = login.filter(|uid| *uid != u32::MAX).map(name).or_else(|| std::env::var("SUDO_USER").ok());
    let account = name(effective);
    match login {
        Some(login) if login != account => format!("{login} ({account})"),
        _ => account,
    }
}
