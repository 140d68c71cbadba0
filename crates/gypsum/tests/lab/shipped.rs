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
