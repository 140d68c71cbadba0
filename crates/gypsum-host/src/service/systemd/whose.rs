//! Which of systemd's managers a service is with: that of the system, or a user's own.

use super::bus::SystemBus;
use crate::children;
use crate::service::ASKING;
use gypsum_core::profile::Service;
use uzers::os::unix::UserExt;

/// A command as an account runs it that is logged in.
pub fn as_user(name: &str, uid: u32, argv: &[String]) -> Vec<String> {
    let folder = format!("XDG_RUNTIME_DIR=/run/user/{uid}");
    let home = uzers::get_user_by_uid(uid).and_then(|user| user.home_dir().to_str().map(str::to_owned));
    let home = home.map(|home| format!("HOME={home}"));
    let lead = ["runuser", "-u", name, "--", "env", &folder].map(str::to_owned);
    lead.into_iter().chain(home).chain(argv.iter().cloned()).collect()
}

/// A manager.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ManagerScope {
    /// That of the system.
    System,
    /// Our own account's.
    Own,
    /// Another account's, by its name and number.
    Of(String, u32),
}

impl ManagerScope {
    /// `systemctl` with these words, for this manager.
    pub fn argv(&self, words: &[&str]) -> Vec<String> {
        self.ask_by("systemctl", words)
    }

    /// `busctl` with these words, for this manager.
    pub fn busctl(&self, words: &[&str]) -> Vec<String> {
        self.ask_by("busctl", words)
    }

    /// Its line on the bus; none where its programs are to be asked.
    pub fn bus(&self) -> Option<&'static SystemBus> {
        match self {
            Self::System => SystemBus::get(),
            Self::Own | Self::Of(..) => None,
        }
    }

    fn ask_by(&self, program: &str, words: &[&str]) -> Vec<String> {
        let of_manager = |lead: &[&str]| lead.iter().chain(words).map(|word| (*word).to_owned()).collect();
        match self {
            Self::System => of_manager(&[program]),
            Self::Own => of_manager(&[program, "--user"]),
            Self::Of(name, uid) => as_user(name, *uid, &of_manager(&[program, "--user"])),
        }
    }

    /// The one that a service of this profile is with. A user's service is our own one's; for root, that of the first
    /// user whose manager runs it.
    pub fn of(service: &Service) -> Self {
        if !service.user {
            return Self::System;
        }
        if !rustix::process::geteuid().is_root() {
            return Self::Own;
        }
        let unit = service.name();
        let running = |manager: &Self| {
            let asked = children::run(&manager.argv(&["is-active", "-q", "--", unit]), ASKING);
            asked.is_ok_and(|ran| ran.ok())
        };
        let folders = std::fs::read_dir("/run/user").into_iter().flatten().flatten();
        let users = folders.filter_map(|entry| {
            let uid: u32 = entry.file_name().to_str()?.parse().ok()?;
            let user = uzers::get_user_by_uid(uid)?;
            Some(Self::Of(user.name().to_str()?.to_owned(), uid))
        });
        let users: Vec<Self> = users.collect();
        let first = users.first().cloned();
        users.into_iter().find(running).or(first).unwrap_or(Self::Own)
    }
}
