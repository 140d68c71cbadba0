//! The built-in profiles. Only the one that is asked for is parsed.

/// A built-in profile, unparsed.
#[derive(Clone, Copy, Debug)]
pub struct BuiltIn {
    /// The daemon's name.
    pub name: &'static str,
    /// Its other names.
    pub also: &'static [&'static str],
    /// The TOML text.
    pub text: &'static str,
}

/// All of them.
pub const BUILT_IN: [BuiltIn; 3] = [
    BuiltIn { name: "departures", also: &[], text: include_str!("../../../../profiles/departures.toml") },
    BuiltIn {
        name: "mariadb",
        also: &["mysql", "mysqld", "mariadbd"],
        text: include_str!("../../../../profiles/mariadb.toml"),
    },
    BuiltIn { name: "sshd", also: &["ssh"], text: include_str!("../../../../profiles/sshd.toml") },
];

/// The one for the daemon called `name`.
pub fn built_in(name: &str) -> Option<&'static BuiltIn> {
    BUILT_IN.iter().find(|one| one.name == name || one.also.contains(&name))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::read;

    #[test]
    fn every_built_in_profile_is_read_and_known_by_its_names() {
        for one in &BUILT_IN {
            let profile = read(one.text).unwrap_or_else(|error| panic!("{}: {error}", one.name));
            assert_eq!(profile.daemon, one.name);
            assert_eq!(profile.also, one.also);
            for (name, setting) in &profile.setting {
                if let Some(default) = &setting.default {
                    assert_eq!(
                        crate::value::misfit(setting, default),
                        None,
                        "{}: default of {name}",
                        one.name
                    );
                }
            }
        }
    }
}
