//! The ways in that an SSH server offers.

use super::answer::{Answer, Aspect, Grade};
use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// What is looked at of an SSH server, through the host's own client.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ssh {
    /// The server.
    pub at: String,
    /// Who wants in.
    pub user: String,
    /// A way in that must be offered.
    pub offers: Option<String>,
    /// A way in that must not be offered.
    pub withholds: Option<String>,
    /// The file of a key that must let the user in.
    pub key: Option<String>,
    /// Whether the user must not get in: not by the key, where one is named, and by no password.
    pub refused: bool,
    /// The file of a public key that the server must take of the user; nothing is signed with it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub accepts: Option<String>,
    /// The file of a public key that the server must not take of the user.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rejects: Option<String>,
    /// The file with a password that must let the user in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub password_file: Option<String>,
    /// Whether the password that must let the user in is asked for at the terminal.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub asks_password: bool,
}

/// The ways in that an SSH server offers.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The server: `HOST:PORT`.
    ssh: String,
    /// The account that wants in.
    user: Option<String>,
    /// A way in that must be offered.
    offers: Option<String>,
    /// A way in that must not be offered.
    withholds: Option<String>,
    /// The file of a private key: it must let the account in.
    key: Option<String>,
    /// The account must not get in: not by the key, where one is named, and by no password.
    #[serde(default)]
    refused: bool,
    /// The file of a public key that the server must take of the account. Nothing is signed, so nobody logs in.
    accepts: Option<String>,
    /// The file of a public key that the server must not take of the account.
    rejects: Option<String>,
    /// The file with a password that must let the account in, readable by its owner alone. Each look is a login.
    password_file: Option<String>,
    /// The password that must let the account in is asked for at the terminal; with `gypsum health` alone, since a change
    /// goes on without a terminal. Each look is a login.
    #[serde(default)]
    asks_password: bool,
}

impl Kind for Written {
    const WORD: &'static str = "ssh";
    const EXAMPLE: &'static str = "ssh 127.0.0.1:22 user porter withholds password";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self {
            ssh: at,
            user,
            offers,
            withholds,
            key,
            refused,
            accepts,
            rejects,
            password_file,
            asks_password,
        } = self;
        let user = user.ok_or("ssh needs the account: user NAME")?;
        // One look is one connection: a server shuts out who comes too often.
        let tries = [&key, &accepts, &rejects, &password_file].into_iter().flatten().count();
        if tries + usize::from(asks_password) > 1 {
            return Err(
                "an ssh check has one of key, accepts, rejects, password-file and asks-password".into()
            );
        }
        let title = format!("ssh {user} at {at}");
        let ssh =
            Ssh { at, user, offers, withholds, key, refused, accepts, rejects, password_file, asks_password };
        Ok((title, Probe::Ssh(ssh)))
    }
}

/// What a server offers to whoever knows no secret.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SshAnswer {
    /// The ways in that are open to the account.
    pub ways: Vec<String>,
    /// The key by which clients know the server: its type and its fingerprint.
    pub host_key: Option<String>,
    /// The algorithms, each behind what it is for.
    pub algorithms: Vec<String>,
}

impl Ssh {
    /// An answer, as far as it is compared.
    pub fn compared(&self, seen: SshAnswer) -> Answer {
        let mut answer = Answer::new(format!("a login of {}", self.user), Grade::Served, seen.ways.join(","));
        answer.ways.extend(seen.ways);
        answer.offers.extend(seen.algorithms);
        answer.about.extend(seen.host_key.map(|key| (Aspect::HostKey, key)));
        answer
    }

    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        let Self { at, user, key, accepts, rejects, password_file, .. } = self;
        [at, user].into_iter().chain([key, accepts, rejects, password_file].into_iter().flatten()).collect()
    }
}
