//! How a daemon lets people in.

use super::argv::Argv;
use serde::Deserialize;
use std::net::IpAddr;

/// The port of SSH (RFC 4253, section 4.2).
const USUAL_PORT: u16 = 22;

/// The settings of a daemon that lets people in.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Login {
    /// The command by which the daemon tells what it asks of one account: `{user}` is its name, and `{connection}` is
    /// `connection`, where the person who types came over the network.
    pub report: Option<Argv>,
    /// How a connection is told to that command, with `{address}`, `{local-address}` and `{local-port}`.
    #[serde(default)]
    pub connection: String,
    /// The setting that lists the accounts that may.
    pub allow_users: Option<String>,
    /// The setting that lists the groups whose members may.
    pub allow_groups: Option<String>,
    /// The setting that lists the accounts that may not.
    pub deny_users: Option<String>,
    /// The setting that lists the groups whose members may not.
    pub deny_groups: Option<String>,
    /// The condition under which root may.
    pub root: Option<String>,
    /// The condition under which a key is enough.
    pub keys: Option<String>,
    /// The setting that says where an account's keys are.
    pub key_files: Option<String>,
    /// The conditions under any of which keys come from elsewhere, too.
    #[serde(default)]
    pub other_keys: Vec<String>,
    /// The conditions under any of which a password is enough.
    #[serde(default)]
    pub passwords: Vec<String>,
    /// The condition under which root may use a password.
    pub root_passwords: Option<String>,
    /// The conditions under any of which there is another way.
    #[serde(default)]
    pub others: Vec<String>,
    /// The setting that says what must be shown together: words with commas, alternatives with blanks.
    pub methods: Option<String>,
}

impl Login {
    /// The command by which the daemon tells what it asks of `user`, who comes from the first address to the second one
    /// and its port, where that is known.
    pub fn command(&self, user: &str, came_by: Option<(IpAddr, IpAddr, Option<u16>)>) -> Option<Vec<String>> {
        let came_by = came_by.map_or(String::new(), |(from, to, port)| {
            self.connection
                .replace("{address}", &from.to_string())
                .replace("{local-address}", &to.to_string())
                .replace("{local-port}", &port.unwrap_or(USUAL_PORT).to_string())
        });
        let fill = |word: &String| word.replace("{user}", user).replace("{connection}", &came_by);
        Some(self.report.as_ref()?.iter().map(fill).collect())
    }

    /// The names of all settings that it is about.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        let settings = [&self.allow_users, &self.allow_groups, &self.deny_users, &self.deny_groups];
        let settings = settings.into_iter().chain([&self.key_files, &self.methods]).flatten();
        let conditions = [&self.root, &self.keys, &self.root_passwords].into_iter().flatten();
        let conditions = conditions.chain(&self.passwords).chain(&self.others).chain(&self.other_keys);
        let name = |condition: &str| condition.find(['=', '!']).unwrap_or(condition.len());
        settings.map(String::as_str).chain(conditions.map(move |condition| &condition[..name(condition)]))
    }
}
