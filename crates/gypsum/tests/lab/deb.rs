//! The package for Debian: installed, upgraded over open changes, removed and purged. `GYPSUM_DEB` names it, as
//! `packaging/build` makes it, and `GYPSUM_EARLIER` the program of an earlier build.

use crate::host::{Lab, boot};
use crate::own_upgrade::put;

/// The program of the package: in the lab there is another one.
const OWN: &str = "/usr/bin/gypsum";

/// An older package: the same files, an earlier program.
const REPACK: &str = "dpkg-deb -R /root/new.deb /root/older; cp /root/earlier /root/older/usr/bin/gypsum
    sed -i 's/^Version: .*/Version: 0.0.9-1/' /root/older/DEBIAN/control
    dpkg-deb --root-owner-group -b /root/older /root/old.deb >/dev/null";

fn verdict(lab: &Lab) -> String {
    lab.sh(&format!("{OWN} changes nginx --json | jq -r .changes[0].verdict"))
}

#[test]
#[ignore = "needs root, daemons, GYPSUM_DEB and GYPSUM_EARLIER"]
fn deb_is_installed_upgraded_over_open_changes_removed_and_purged() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/dpkg-deb", "/usr/bin/jq"]);
    for (variable, path) in [("GYPSUM_DEB", "/root/new.deb"), ("GYPSUM_EARLIER", "/root/earlier")] {
        put(&lab, &std::env::var_os(variable).expect("it names a file"), path);
    }
    lab.sh(REPACK);
    lab.sh("systemctl start nginx; dpkg -i /root/old.deb");
    let enabled = "systemctl is-enabled gypsum-boot-early gypsum-boot-late | sort -u";
    assert_eq!(lab.sh(enabled), "enabled");
    assert_eq!(lab.sh("stat -c %a /var/lib/gypsum /etc/gypsum/profiles"), "700\n755");
    lab.sh("man -w gypsum-change gypsum-profile gypsum-checks; test -s /etc/dpkg/dpkg.cfg.d/gypsum");
    lab.sh("test -s /usr/share/bash-completion/completions/gypsum; systemd-analyze verify gypsum-boot-early.service");
    let status = |words: &str| lab.run(&["sh", "-c", &format!("{OWN} {words}")]).status.code();

    // On probation while its program is replaced; and cut off, while it is replaced again.
    assert_eq!(status("change nginx http..keepalive_timeout=61 --probation 10m"), Some(8));
    lab.sh("dpkg -i /root/new.deb");
    assert_eq!((status("keep nginx"), verdict(&lab)), (Some(0), "kept".to_owned()));
    lab.sh(&format!("({OWN} change nginx http..keepalive_timeout=62 --steady 60s >/dev/null 2>&1 &); sleep 3; pkill -KILL -x gypsum; sleep 0.5"));
    lab.sh("grep -q 'keepalive_timeout 62' /etc/nginx/nginx.conf; dpkg -i /root/old.deb /root/new.deb");
    let said = lab.sh(&format!("{OWN} check nginx 2>&1 || :"));
    assert!(said.contains("was interrupted"), "{said}");
    assert_eq!((status("recover nginx"), verdict(&lab)), (Some(4), "restored".to_owned()));
    assert_eq!(
        status("change nginx http..keepalive_timeout=63 --watch 1h 'http http://127.0.0.1/ 200'"),
        Some(0)
    );

    // Its records stay until they are purged, and nothing runs any more.
    lab.sh("dpkg -r gypsum");
    lab.sh(&format!("test ! -e {OWN} && ls -d /var/lib/gypsum/nginx/*-0001/before"));
    let left = "systemctl list-units --state=active,activating --plain --no-legend 'gypsum*'";
    lab.until(20, &format!("[ -z \"$({left})\" ]"), &|| lab.sh(left));
    lab.sh("dpkg -P gypsum");
    let gone = "find /etc /usr /var/lib /var/cache /run -xdev -name '*gypsum*' -not -path '/var/lib/dpkg/*' -not -path '/usr/local/*' 2>/dev/null | grep -v cargo || :";
    assert_eq!(lab.sh(gone), "");
    assert_eq!(
        lab.sh("grep -c 'keepalive_timeout 63' /etc/nginx/nginx.conf"),
        "1",
        "a daemon's file is not its own"
    );
}
