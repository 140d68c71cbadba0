//! What packages shipped, found on a real host by their own records.

use crate::host::{Lab, boot};
use serde_json::Value;

fn state(lab: &Lab, daemon: &str, file: &str) -> (i32, Value) {
    let (status, document) = lab.gypsum(&["diff", daemon]);
    let files = document["files"].as_array().unwrap_or_else(|| panic!("{document:#}"));
    let one = files.iter().find(|one| one["file"] == file).unwrap_or_else(|| panic!("{document:#}"));
    (status, one.clone())
}

/// dpkg's record tells what was edited; the backup of the first change is the text that it is a record of.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_dpkg_shipped_is_found_in_the_first_backup() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx; sleep 0.3");
    let file = "/etc/nginx/nginx.conf";
    assert_eq!(lab.sh("dpkg -V nginx-common | grep nginx.conf || true"), "", "dpkg is the witness");
    let (_, one) = state(&lab, "nginx", file);
    assert_eq!(one["state"], "unedited", "{one:#}");
    // By hand, and without a copy of what was there.
    lab.sh("cp /etc/nginx/nginx.conf /root/shipped; sed -i 's/types_hash_max_size 2048/types_hash_max_size 4096/' /etc/nginx/nginx.conf");
    let (status, one) = state(&lab, "nginx", file);
    assert_eq!((status, one["state"].as_str()), (3, Some("edited")), "{one:#}");
    let said = lab.sh("gypsum diff nginx --in /etc/nginx/nginx.conf || true");
    assert!(
        said.contains("the shipped text is not on this host")
            && said.contains("apt-get download nginx-common="),
        "{said}"
    );
    // Through Gypsum the backup is that text.
    lab.sh("cp /root/shipped /etc/nginx/nginx.conf");
    let (status, report) =
        lab.gypsum(&["change", "nginx", "http..keepalive_timeout=70", "--steady", "200ms"]);
    assert_eq!(status, 0, "{report:#}");
    let (status, one) = state(&lab, "nginx", file);
    assert_eq!((status, one["state"].as_str()), (3, Some("differs")), "{one:#}");
    assert_eq!(one["differences"][0]["address"], "http..keepalive_timeout", "{one:#}");
    assert_eq!(one["differences"].as_array().unwrap().len(), 1, "{one:#}");
}

/// ucf keeps the text of small files itself.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_ucf_shipped_is_in_its_cache() {
    let lab = boot(&["/usr/sbin/chronyd", "/usr/bin/ucf"]);
    lab.sh("cat /var/lib/ucf/cache/:etc:chrony:chrony.conf > /etc/chrony/chrony.conf");
    let file = "/etc/chrony/chrony.conf";
    let (_, one) = state(&lab, "chrony", file);
    assert_eq!(one["state"], "unedited", "{one:#}");
    lab.sh("sed -i 's/^maxupdateskew.*/maxupdateskew 50/' /etc/chrony/chrony.conf; echo 'port 0' >> /etc/chrony/chrony.conf");
    let (status, one) = state(&lab, "chrony", file);
    assert_eq!((status, one["state"].as_str()), (3, Some("differs")), "{one:#}");
    let found: Vec<_> = one["differences"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["address"].as_str().unwrap(), one["this"].as_str().unwrap()))
        .collect();
    assert_eq!(found, [("maxupdateskew", "50"), ("port", "0")]);
    assert!(one["against"].as_str().unwrap().contains("as chrony 4"), "{one:#}");
    // A sibling that was put aside is the shipped text as well, if it has the recorded digest.
    lab.sh("mv /var/lib/ucf/cache/:etc:chrony:chrony.conf /etc/chrony/chrony.conf.ucf-dist");
    let (_, one) = state(&lab, "chrony", file);
    assert!(one["against"].as_str().unwrap().contains("chrony.conf.ucf-dist"), "{one:#}");
}

/// What was set in the running server and in no file, and what was written and not read.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_running_daemon_is_compared_with_its_files() {
    let lab = boot(&["/usr/sbin/mariadbd", "/usr/sbin/nginx"]);
    lab.sh("systemctl start mariadb nginx; sleep 0.5");
    let running = |daemon: &str| {
        let (status, document) = lab.gypsum(&["diff", daemon, "--running"]);
        (status, document["running"].clone())
    };
    let (status, before) = running("mariadb");
    assert_eq!((status, before["tells"].as_bool()), (0, Some(true)), "{before:#}");
    assert!(before["told"].as_u64() > Some(20), "{before:#}");
    lab.sh("mariadb -e 'set global max_connections = 77'");
    let (status, document) = running("mariadb");
    let settings = document["settings"].as_array().unwrap();
    assert!(status == 3 && settings.len() == 1, "{document:#}");
    assert_eq!(
        (settings[0]["name"].as_str(), settings[0]["running"].as_str()),
        (Some("max-connections"), Some("77"))
    );
    // A file that was written after the service read it; a reload makes it read.
    assert_eq!(running("nginx").0, 0);
    lab.sh("sleep 2; sed -i 's/keepalive_timeout 65/keepalive_timeout 70/; s/worker_connections 768/worker_connections 800/' /etc/nginx/nginx.conf");
    let (status, document) = running("nginx");
    assert_eq!(
        (status, document["unread"][0]["file"].as_str()),
        (3, Some("/etc/nginx/nginx.conf")),
        "{document:#}"
    );
    lab.sh("sleep 1.2; systemctl restart nginx");
    assert_eq!(running("nginx").0, 0);
    lab.sh("systemctl stop nginx");
    let (status, _) = lab.gypsum(&["diff", "nginx", "--running"]);
    assert_eq!(status, 1);
}
