//! Rules that look at the host: other daemons, units, owners, and what the running service has taken up.

use crate::host::{Lab, boot};
use crate::services::boards;
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
    // A certificate that ends soon, and a key of another one: by what the files say, whatever is known of the daemon.
    lab.sh("cd /root; new() { openssl req -x509 -newkey rsa:2048 -nodes $2 -subj /CN=$1 -keyout $1.key -out $1.pem 2>/dev/null; }
         new quay.example '-days 3'
         printf 'certificate /root/quay.example.pem\\nkey /root/quay.example.key\\n' > tide.conf");
    let tide = |edit: &str| {
        ["change", "tide", "--file", "/root/tide.conf", "--format", "keyword", edit, "-n"].map(str::to_owned)
    };
    let said = |edit: &str| {
        let words = tide(edit);
        found(&lab, &words.each_ref().map(String::as_str), "certificate")["message"]
            .as_str()
            .unwrap()
            .to_owned()
    };
    lab.sh("cp /root/quay.example.pem /root/copy.pem; openssl genrsa -out /root/other.key 2048 2>/dev/null");
    assert!(said("certificate=/root/copy.pem").contains("ends in "), "a certificate that ends soon");
    lab.sh("sed -i s/quay.example.key/other.key/ /root/tide.conf");
    let (_, report) = lab.gypsum(&tide("certificate=/root/copy.pem").each_ref().map(String::as_str));
    assert!(report.to_string().contains("does not belong to the certificate"), "{report:#}");
    // A certificate of another site, whichever of the two is changed.
    lab.sh("printf 'server-name quay.example\\ncertificate /root/quay.example.pem\\n' > /root/tide.conf; openssl req -x509 -newkey rsa:2048 -nodes -days 90 -subj /CN=x -addext 'subjectAltName=DNS:*.tide.example' -keyout /root/wide.key -out /root/wide.pem 2>/dev/null");
    assert!(said("certificate=/root/wide.pem").contains("is for *.tide.example, and not for quay.example"));
    assert!(said("server-name=berth.example").contains("is for quay.example, and not for berth.example"));
    lab.sh("sed -i s/quay.example.pem/wide.pem/ /root/tide.conf");
    let (_, report) = lab.gypsum(&tide("server-name=north.tide.example").each_ref().map(String::as_str));
    assert!(!report.to_string().contains("and not for"), "{report:#}");
    // The daemon's account can no longer read its file.
    lab.sh("chown root:root /etc/redis/redis.conf; chmod 600 /etc/redis/redis.conf");
    assert_eq!(found(&lab, &["check", "redis"], "unreadable")["severity"], "fault");
}

/// G16, B4: who can still get in, by what they have: nobody left, or not who is typing, is a fault; others are named.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn who_can_still_get_in() {
    let lab = boot(&["/usr/sbin/sshd"]);
    lab.sh("systemctl start ssh; for name in $(awk -F: '$3 >= 1000 && $3 < 65534 { print $1 }' /etc/passwd); do usermod -s /usr/sbin/nologin $name; done
         passwd -l root >/dev/null; rm -rf /root/.ssh; useradd -m -s /bin/sh mate; useradd -m -s /bin/sh pilot
         printf 'mate:fog\\npilot:fog\\n' | chpasswd; printf 'KbdInteractiveAuthentication no\\nPasswordAuthentication yes\\n' > /etc/ssh/sshd_config");
    let tried = |edits: &[&str], who: &str| {
        let from = if who == "root" { "" } else { "SSH_CONNECTION='192.0.2.1 1 192.0.2.2 22'" };
        let words: Vec<String> = edits.iter().map(|edit| format!("'{edit}'")).collect();
        let line = format!("env SUDO_USER={who} {from} gypsum --json change sshd {} -n", words.join(" "));
        let ran = lab.run(&["sh", "-c", &line]);
        let report: Value = serde_json::from_slice(&ran.stdout).unwrap_or_else(|_| panic!("{line}: {ran:?}"));
        (ran.status.code().unwrap(), report)
    };
    let faults = |edits: &[&str], who: &str, says: &str| {
        let (status, report) = tried(edits, who);
        assert_eq!(status, 3, "{edits:?}: {report:#}");
        assert!(report.to_string().contains(says), "{edits:?} does not say {says:?}: {report:#}");
    };
    let nobody = "after this change no account of this host can log in";
    faults(&["PasswordAuthentication=no"], "root", nobody);
    faults(&["AuthenticationMethods=publickey,password"], "root", nobody);
    faults(&["AllowUsers=nobody"], "root", nobody);
    // A key of one of them: the other is named, and is told if it is typing.
    lab.sh("mkdir -p /home/pilot/.ssh; echo 'ssh-ed25519 AAAA pilot' > /home/pilot/.ssh/authorized_keys; chown -R pilot: /home/pilot/.ssh");
    let (status, report) = tried(&["PasswordAuthentication=no"], "root");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("these accounts can no longer log in: mate"), "{report:#}");
    faults(
        &["PasswordAuthentication=no"],
        "mate",
        "mate, who is typing this, could not log in any more: it has no key, and passwords are off",
    );
    assert_eq!(tried(&["PasswordAuthentication=no"], "pilot").0, 0);
    // Two that must both succeed: who has both gets in.
    let (status, report) = tried(&["AuthenticationMethods=publickey,password"], "root");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("can no longer log in: mate"), "{report:#}");
    faults(
        &["AuthenticationMethods=publickey,password"],
        "mate",
        "it has no key, and its password alone is not enough",
    );
    // Keys off: who has a password gets in.
    assert_eq!(tried(&["PubkeyAuthentication=no"], "pilot").0, 0);
    faults(&["PubkeyAuthentication=no", "PasswordAuthentication=no"], "root", nobody);
    // What is not known shuts nobody out: a program that tells keys, groups with a condition of their own.
    lab.sh("printf 'AuthorizedKeysCommand /bin/true\\nAuthorizedKeysCommandUser nobody\\n' >> /etc/ssh/sshd_config");
    assert_eq!(tried(&["PasswordAuthentication=no"], "mate").0, 0);
    lab.sh("printf 'PasswordAuthentication yes\\nMatch User mate\\n    PasswordAuthentication yes\\n' > /etc/ssh/sshd_config");
    assert_eq!(tried(&["PasswordAuthentication=no"], "mate").0, 0);
    lab.sh("sed -i '1i KbdInteractiveAuthentication no' /etc/ssh/sshd_config");
    // Such groups the daemon itself is asked about, for each account, from where the person comes.
    let off = "it has no key, and passwords are off";
    faults(&["Match User mate..PasswordAuthentication=no"], "mate", off);
    let (status, report) = tried(&["Match User mate..PasswordAuthentication=no"], "pilot");
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("these accounts can no longer log in: mate"), "{report:#}");
    assert!(report.to_string().contains("who can log in, as the daemon reports it"), "{report:#}");
    let by_address = |network: &str| {
        let text = format!(
            "KbdInteractiveAuthentication no\\nPasswordAuthentication yes\\nMatch Address {network}\\n    PasswordAuthentication yes\\n"
        );
        lab.sh(&format!("printf '{text}' > /etc/ssh/sshd_config"));
        vec![format!("Match Address {network}..PasswordAuthentication=no")]
    };
    let from_here = by_address("192.0.2.0/24");
    faults(&from_here.iter().map(String::as_str).collect::<Vec<_>>(), "mate", off);
    let from_elsewhere = by_address("198.51.100.0/24");
    let (status, report) = tried(&from_elsewhere.iter().map(String::as_str).collect::<Vec<_>>(), "mate");
    assert_eq!(status, 0, "{report:#}");
    // A list may say where somebody may come from.
    faults(&["AllowUsers=pilot mate@198.51.100.*"], "mate", "it is not among those that are let in");
    assert_eq!(tried(&["AllowUsers=pilot mate@192.0.2.*"], "mate").0, 0);
    faults(&["DenyUsers=mate@192.0.2.0/24"], "mate", "it is not among those that are let in");
    assert_eq!(tried(&["DenyUsers=mate@198.51.100.7"], "mate").0, 0);
    // One connection at a time is told.
    let (_, report) = tried(&["MaxStartups=1"], "root");
    assert!(report.to_string().contains("a second connection at the same time is refused"), "{report:#}");
}

/// What is known of a setting says where it is from; the daemon is asked for its value, and for a name that is unknown.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_is_known_of_a_setting_says_where_it_is_from() {
    let lab = boot(&["/usr/sbin/sshd"]);
    lab.sh("systemctl start ssh");
    let (_, shown) = lab.gypsum(&["show", "sshd", "MaxAuthTries"]);
    let setting = &shown["setting"];
    assert_eq!((&setting["reported"], &setting["default"]), (&"6".into(), &"6".into()), "{shown:#}");
    let known_from = [
        "what it does and takes: the profile",
        "its paragraph: the manual page sshd_config(5)",
        "its value: the daemon itself, by sshd",
    ];
    assert_eq!(setting["known_from"], serde_json::json!(known_from), "{shown:#}");
    // The profile of somebody else's version: what the installed daemon says of itself comes first.
    lab.sh("mkdir -p /etc/gypsum/profiles; cat > /etc/gypsum/profiles/doors.toml <<'END'
daemon = \"doors\"
title = \"doors\"
[files]
read = [\"/etc/ssh/sshd_config\"]
home = \"/etc/ssh/sshd_config\"
format = \"keyword\"
[effective]
run = [\"/usr/sbin/sshd\", \"-T\"]
[setting]
MaxAuthTries = { kind = \"integer\", default = \"9\" }
END");
    let (_, shown) = lab.gypsum(&["show", "doors", "MaxAuthTries"]);
    assert_eq!(shown["setting"]["default"], "6", "{shown:#}");
    assert!(shown.to_string().contains("The profile gives 9 as the default"), "{shown:#}");
    let said = lab.sh("gypsum show sshd PermitTides");
    assert!(
        said.contains("The installed sshd does not know it: Bad configuration option: PermitTides"),
        "{said}"
    );
}

/// Where a daemon cannot be asked: the program that runs is looked into, then its manual page is read; then it is a warning.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_name_that_cannot_be_asked_for_has_other_witnesses() {
    let lab = boards("restart", "200ms", "");
    lab.sh("printf '\\n[setting.rows]\\nkind = \"integer\"\\n' >> /etc/gypsum/profiles/boards.toml; sed -i '/^title/a manual = [\"boards.conf(5)\"]' /etc/gypsum/profiles/boards.toml
         mkdir -p /usr/local/share/man/man5; printf '.TH BOARDS 5\\n.SH SETTINGS\\n.TP\\n.B lamps\\nHow many lamps a board has.\\n' > /usr/local/share/man/man5/boards.conf.5");
    let said = |edit: &str| {
        let (status, report) = lab.gypsum(&["change", "boards", edit, "-n"]);
        assert_eq!(status, 0, "{report:#}");
        let finding = &report["findings"][0];
        format!("{}: {}", finding["rule"].as_str().unwrap(), finding["message"].as_str().unwrap())
    };
    // The program is that of Perl, which knows this word.
    let held = "not-described: the program of boards holds the word PERL5LIB; Gypsum does not describe it, and could not ask";
    assert_eq!(said("PERL5LIB=x"), held);
    let written =
        "not-described: the manual of boards describes lamps; Gypsum does not describe it, and could not ask";
    assert_eq!(said("lamps=4"), written);
    assert!(
        said("lamqs=4").starts_with("unknown-name: lamqs is not among the settings"),
        "{}",
        said("lamqs=4")
    );
}
