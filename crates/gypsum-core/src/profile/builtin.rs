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
pub const BUILT_IN: [BuiltIn; 22] = [
    BuiltIn {
        name: "apache2",
        also: &["apache", "httpd"],
        text: include_str!("../../../../profiles/apache2.toml"),
    },
    BuiltIn { name: "chrony", also: &["chronyd"], text: include_str!("../../../../profiles/chrony.toml") },
    BuiltIn { name: "departures", also: &[], text: include_str!("../../../../profiles/departures.toml") },
    BuiltIn { name: "dnsmasq", also: &[], text: include_str!("../../../../profiles/dnsmasq.toml") },
    BuiltIn { name: "dovecot", also: &[], text: include_str!("../../../../profiles/dovecot.toml") },
    BuiltIn {
        name: "gunicorn",
        also: &["gunicorn3"],
        text: include_str!("../../../../profiles/gunicorn.toml"),
    },
    BuiltIn { name: "haproxy", also: &[], text: include_str!("../../../../profiles/haproxy.toml") },
    BuiltIn {
        name: "mariadb",
        also: &["mysql", "mysqld", "mariadbd"],
        text: include_str!("../../../../profiles/mariadb.toml"),
    },
    BuiltIn {
        name: "named",
        also: &["bind", "bind9"],
        text: include_str!("../../../../profiles/named.toml"),
    },
    BuiltIn { name: "nginx", also: &[], text: include_str!("../../../../profiles/nginx.toml") },
    BuiltIn {
        name: "php-fpm",
        also: &["php", "php8.2-fpm", "php-fpm8.2"],
        text: include_str!("../../../../profiles/php-fpm.toml"),
    },
    BuiltIn { name: "postfix", also: &[], text: include_str!("../../../../profiles/postfix.toml") },
    BuiltIn {
        name: "postgresql",
        also: &["postgres", "pg"],
        text: include_str!("../../../../profiles/postgresql.toml"),
    },
    BuiltIn {
        name: "pulseaudio",
        also: &["pulse"],
        text: include_str!("../../../../profiles/pulseaudio.toml"),
    },
    BuiltIn { name: "redis", also: &["redis-server"], text: include_str!("../../../../profiles/redis.toml") },
    BuiltIn { name: "rsyslog", also: &["rsyslogd"], text: include_str!("../../../../profiles/rsyslog.toml") },
    BuiltIn { name: "samba", also: &["smb", "smbd"], text: include_str!("../../../../profiles/samba.toml") },
    BuiltIn { name: "squid", also: &["squid3"], text: include_str!("../../../../profiles/squid.toml") },
    BuiltIn { name: "sshd", also: &["ssh"], text: include_str!("../../../../profiles/sshd.toml") },
    BuiltIn {
        name: "tomcat",
        also: &["tomcat10", "tomcat9", "jvm"],
        text: include_str!("../../../../profiles/tomcat.toml"),
    },
    BuiltIn { name: "unbound", also: &[], text: include_str!("../../../../profiles/unbound.toml") },
    BuiltIn { name: "unit", also: &[], text: include_str!("../../../../profiles/unit.toml") },
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
            assert!(profile.daemon == one.name || one.name == "unit", "{}", one.name);
            assert_eq!(profile.also, one.also);
            for (name, setting) in &profile.setting {
                if let Some(default) = &setting.default {
                    assert_eq!(
                        crate::value::edit_error_of_any(setting, &profile.values, default),
                        None,
                        "{}: default of {name}",
                        one.name
                    );
                }
            }
        }
    }
}
