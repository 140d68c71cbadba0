//! Whether somebody can log in to this host, by what its SSH server says that it asks of them.

use super::people;
use crate::children;
use gypsum_core::effective::Reported;
use gypsum_core::rules::login;
use gypsum_core::survey::{Question, Survey};
use std::net::IpAddr;
use std::time::Duration;

/// The daemon that lets people in.
const DAEMON: &str = "sshd";
/// How long it may take to tell.
const LIMIT: Duration = Duration::from_secs(5);

/// Whether `user` can log in from `address` by a password, as the daemon reports its configuration and the host its
/// accounts; `None` where that is not known.
pub fn password_lets_in(user: &str, address: IpAddr) -> Option<bool> {
    let profile = crate::profiles::load(DAEMON, None)
        .inspect_err(|error| tracing::warn!(?error, "nothing is known of {DAEMON}"))
        .ok()?;
    let login = profile.login.as_ref()?;
    let argv = login.command(user, Some((address, address, None)))?;
    let told = children::run_interruptible(&argv, LIMIT)
        .inspect_err(|error| tracing::warn!(%error, "{DAEMON} cannot be asked"))
        .ok()
        .filter(children::Ran::ok)?;
    let mut survey = Survey::default();
    let question = Question::Password(user.to_owned());
    survey.tell(question, people::password(user));
    login::password_lets_in(&profile, &Reported::pairs(&told.out), user, &survey)
}
