//! Rules that look at the host: other daemons, units, owners, and what the running service has taken up.

use crate::host::{Lab, boot};
use serde_json::Value;

/// The finding of this rule in a dry run.
fn found(lab: &Lab, words: &[&str], rule: &str) -> Value {
    let (_, report) = lab.gypsum(words);
    let findings = report["findings"].as_array().unwrap();
    let one = findings.iter().find(|finding| finding["rule"] == rule);
    one.unwrap_or_else(|| panic!("{words:?} says nothing of {rule}: {report:#}")).clone()
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_the_host_has_to_say() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/sbin/sshd", "/usr/sbin/php-fpm8.2", "/usr/bin/redis-server"]);
    lab.sh("systemctl start ssh nginx redis-server");
    // Somebody else has the port.
    lab.sh("printf 'server {\\n    listen 127.0.0.1:22;\\n}\\n' >/root/site");
    let held = found(
        &lab,
        &["change", "nginx", "--whole", "/root/site", "--in", "/etc/nginx/sites-enabled/default", "-n"],
        "port-taken",
    );
    assert!(
        held["message"].as_str().unwrap().contains("sshd (process ")
            && held["message"].as_str().unwrap().ends_with("of ssh.service"),
        "{held:#}"
    );
    // PHP behind it takes less.
    lab.sh("printf 'server {\\n    listen 80;\\n    client_max_body_size 64m;\\n    location ~ .php$ {\\n        fastcgi_pass unix:/run/php/php8.2-fpm.sock;\\n    }\\n}\\n' >/root/site");
    let more = found(
        &lab,
        &["change", "nginx", "--whole", "/root/site", "--in", "/etc/nginx/sites-enabled/default", "-n"],
        "admits-more",
    );
    assert!(more["message"].as_str().unwrap().ends_with("post_max_size of php-fpm is 8M"), "{more:#}");
    // Somebody changed a file and told nobody.
    lab.sh("sleep 2.1; echo '# by hand' >>/etc/nginx/sites-available/default");
    let edit = ["change", "nginx", "http..keepalive_timeout=70", "-n"];
    let loaded = found(&lab, &edit, "never-loaded");
    assert_eq!(loaded["file"], "/etc/nginx/sites-enabled/default");
    lab.sh("systemctl reload nginx");
    let (_, report) = lab.gypsum(&edit);
    assert!(!report.to_string().contains("never-loaded"), "{report:#}");
    // A whole copy of a unit file, and the package's has moved on.
    lab.sh("cp /usr/lib/systemd/system/nginx.service /etc/systemd/system/; touch -d 2020-01-01 /etc/systemd/system/nginx.service; systemctl daemon-reload");
    assert_eq!(found(&lab, &["change", "unit:nginx", "Nice=5", "-n"], "private-copy")["severity"], "warning");
    // The daemon's account can no longer read its file.
    lab.sh("chown root:root /etc/redis/redis.conf; chmod 600 /etc/redis/redis.conf");
    assert_eq!(found(&lab, &["check", "redis"], "unreadable")["severity"], "fault");
}
