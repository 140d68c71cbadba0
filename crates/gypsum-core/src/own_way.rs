//! The files that decide whether the person who types over the network still gets in: the SSH server, who can log in, names,
//! packet filters, the network itself.

use crate::text::glob_match;

/// sshd_config(5), pam.d(5), passwd(5), nsswitch.conf(5), resolv.conf(5), hosts_access(5), nft(8), interfaces(5),
/// systemd.network(5), and the units of these.
const FILES: [&str; 22] = [
    "/etc/ssh/sshd_config",
    "/etc/ssh/sshd_config.d/*",
    "/etc/pam.conf",
    "/etc/pam.d/*",
    "/etc/security/*.conf",
    "/etc/passwd",
    "/etc/shadow",
    "/etc/nsswitch.conf",
    "/etc/resolv.conf",
    "/etc/systemd/resolved.conf",
    "/etc/systemd/resolved.conf.d/*",
    "/etc/hosts.allow",
    "/etc/hosts.deny",
    "/etc/nftables.conf",
    "/etc/iptables/*",
    "/etc/network/interfaces",
    "/etc/network/interfaces.d/*",
    "/etc/systemd/network/*",
    "/etc/systemd/system/ssh*.d/*",
    "/etc/systemd/system/systemd-networkd.service.d/*",
    "/etc/systemd/system/systemd-resolved.service.d/*",
    "/etc/systemd/system/nftables.service.d/*",
];

/// Whether a change of the file at `path` can cut the connection of the person who makes it, or keep them from the next
/// one.
pub fn is_own_way(path: &str) -> bool {
    FILES.iter().any(|pattern| glob_match(pattern, path))
}

#[cfg(test)]
mod tests {
    use super::is_own_way;

    #[test]
    fn the_way_in_is_told_from_other_files() {
        for path in
            ["/etc/ssh/sshd_config", "/etc/pam.d/sshd", "/etc/systemd/system/ssh.service.d/boards.conf"]
        {
            assert!(is_own_way(path), "{path}");
        }
        for path in
            ["/etc/nginx/nginx.conf", "/etc/ssh/ssh_config", "/etc/systemd/system/redis.service.d/x.conf"]
        {
            assert!(!is_own_way(path), "{path}");
        }
    }
}
