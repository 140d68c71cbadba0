//! A message that reaches a log.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// A message that reaches a log. It writes one line, so nobody asks like this but whoever wrote the check.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Logged {
    /// The file of the log.
    pub file: String,
    /// The facility and the severity of the message as one number (RFC 5424, section 6.2.1).
    pub priority: u16,
    /// Both in words.
    pub of: String,
}

/// A message that reaches a log: one line is written to it.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The file of the log: an absolute path.
    logged: String,
    /// The facility and the severity of the message, as in a selector of syslog: `auth.info`. It is `user.info` where
    /// nothing is said.
    of: Option<String>,
}

/// The facilities, by their numbers (RFC 5424, table 1; syslog(3) for their names).
const FACILITIES: [&str; 24] = [
    "kern",
    "user",
    "mail",
    "daemon",
    "auth",
    "syslog",
    "lpr",
    "news",
    "uucp",
    "cron",
    "authpriv",
    "ftp",
    "ntp",
    "security",
    "console",
    "solaris-cron",
    "local0",
    "local1",
    "local2",
    "local3",
    "local4",
    "local5",
    "local6",
    "local7",
];
/// The severities, by their numbers (RFC 5424, table 2; syslog(3) for their names).
const SEVERITIES: [&str; 8] = ["emerg", "alert", "crit", "err", "warning", "notice", "info", "debug"];

impl Kind for Written {
    const WORD: &'static str = "logged";
    const EXAMPLE: &'static str = "logged /var/log/boards.log of local3.info";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { logged: file, of } = self;
        if !file.starts_with('/') {
            return Err(BadWords(format!("the file of a log must be an absolute path, not {file:?}")));
        }
        let of = of.unwrap_or_else(|| "user.info".to_owned());
        let priority = priority(&of).ok_or_else(|| {
            BadWords(format!("{of:?} is no facility and severity of syslog, such as auth.info"))
        })?;
        Ok((format!("{of} in {file}"), Probe::Logged(Logged { file, priority, of })))
    }
}

/// The number of a facility and a severity. Nobody but the kernel writes as the kernel.
fn priority(of: &str) -> Option<u16> {
    let (facility, severity) = of.split_once('.')?;
    let number = |names: &[&str], name: &str| names.iter().position(|known| *known == name);
    let facility = number(&FACILITIES, facility).filter(|number| *number > 0)?;
    u16::try_from(facility * SEVERITIES.len() + number(&SEVERITIES, severity)?).ok()
}

impl Logged {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        vec![&mut self.file]
    }
}

#[cfg(test)]
mod tests {
    use super::priority;

    #[test]
    fn priorities_are_numbers_as_the_standard_has_them() {
        for (of, number) in [
            ("user.info", Some(14)),
            ("auth.err", Some(35)),
            ("local7.debug", Some(191)),
            ("local4.notice", Some(165)),
        ] {
            assert_eq!(priority(of), number, "{of}");
        }
        for of in ["kern.info", "auth", "auth.*", "quay.info", "auth.loud", ""] {
            assert_eq!(priority(of), None, "{of}");
        }
    }
}
