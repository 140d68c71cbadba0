//! Every kind of health check, on something that it holds of and something that it does not.

use crate::host::{PROGRAM, boot};
use crate::services::boards;

/// A sentence, whether it holds, and what is said.
const TABLE: [(&str, bool, &str); 45] = [
    ("8571", true, "accepts connections"),
    ("tcp 127.0.0.1:9", false, "connection refused"),
    ("tcp 127.0.0.1:9 refused", true, "as expected"),
    ("tcp 127.0.0.1:8571 refused", false, "expected no listener"),
    ("http http://127.0.0.1:8571/ 200 contains mode", true, "with \"mode\" in it"),
    ("http http://127.0.0.1:8571/ 404", false, "answered 200 (mode good), expected 404"),
    ("http http://127.0.0.1:8571/ lacks good", false, "contains \"good\""),
    ("http http://boards.example/ at 127.0.0.1:8571", true, "answered 200"),
    ("http http://127.0.0.1:8571/ header 'Content-Type: text/plain'", true, "answered 200"),
    ("http http://127.0.0.1:8571/ header X-Tide", false, "there is no header X-Tide"),
    ("http http://127.0.0.1:8571/ times 3", true, "answered 200"),
    ("http https://boards.example/ at 127.0.0.1:8443 ca /root/ca.pem", true, "answered 200"),
    ("http https://127.0.0.1:8443/", false, "certificate"),
    ("http https://127.0.0.1:8443/ unverified", true, "answered 200"),
    ("http https://self.example/ at 127.0.0.1:8444 ca /root/self.pem", true, "answered 200"),
    ("http https://other.example/ at 127.0.0.1:8444 ca /root/self.pem", false, "certificate"),
    ("http https://self.example/ at 127.0.0.1:8444 ca /root/ca.pem", false, "certificate"),
    ("tls 127.0.0.1:8444 certifies self.example ca /root/self.pem", true, "is for self.example"),
    ("tls 127.0.0.1:8444 certifies self.example ca /root/ca.pem", false, "is not signed by"),
    ("tls 127.0.0.1:8443 certifies boards.example days 5", true, "valid for 9 days more"),
    ("tls 127.0.0.1:8443 certifies quay.example", false, "is for boards.example, expected quay.example"),
    ("tls 127.0.0.1:8443 days 14", false, "expected at least 14"),
    ("tls 127.0.0.1:8443 key /root/boards.key", true, "is for boards.example"),
    ("tls 127.0.0.1:8443 key /root/other.key", false, "does not belong to the key"),
    ("tls 127.0.0.1:8443 certifies boards.example ca /root/ca.pem", true, "is for boards.example"),
    ("tls 127.0.0.1:8443 certifies boards.example ca /root/other.pem", false, "is not signed by"),
    ("tls 127.0.0.1:8571", false, "does not speak TLS"),
    ("greeting 127.0.0.1:8025 contains 220", true, "contains \"220\""),
    ("greeting 127.0.0.1:8025 contains 250", false, "does not contain \"250\""),
    ("greeting 127.0.0.1:8571 sends 'GET / HTTP/1.0\\r\\n\\r\\n' contains mode", true, "contains"),
    ("greeting 127.0.0.1:8571 limit 200ms", false, "says nothing within 200 ms"),
    ("dns quay.example at 127.0.0.1:9 limit 1s", false, "refused"),
    ("process niceness is 3", true, "its niceness is 3"),
    ("process command-line contains boards.pl", true, "contains \"boards.pl\""),
    ("process user is nobody", false, "its account is root, expected nobody"),
    ("process open-files-limit at-least 4k", true, "its limit of open files is 5000"),
    ("process memory at-most 1k", false, "expected at most 1k"),
    ("process oom-score is 0", true, "is 0"),
    ("process -Xss is 512k", true, "its option -Xss is 512k"),
    ("process -Xmx is 512m", false, "-Xmx is not among its options"),
    ("file /etc/boards/boards.conf owner root contains mode", true, "contains"),
    ("file /etc/boards/boards.conf mode 0600", false, "has mode 0644, expected 0600"),
    ("file /etc/boards/none absent", true, "as expected"),
    ("file /etc/boards/boards.conf younger 1h", true, "is there as expected"),
    ("run '/bin/sh -c \"echo tide; exit 3\"' status 3 contains tide", true, "contains \"tide\""),
];

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn every_kind_of_health_check_says_what_it_saw() {
    let lab = boards("restart", "300ms", "Type=exec\nNice=3\nLimitNOFILE=5000");
    lab.sh(
        "cd /root; new() { openssl req -x509 -newkey rsa:2048 -nodes -days 10 -subj /CN=$1 -addext subjectAltName=DNS:$1 -addext basicConstraints=critical,CA:FALSE -keyout $2.key -out $2.pem 2>/dev/null; }
         new boards.example boards; cp boards.pem ca.pem; new quay.example other
         # As openssl makes it where nothing else is said: it may sign others, too.
         openssl req -x509 -newkey rsa:2048 -nodes -days 10 -subj /CN=self.example -addext subjectAltName=DNS:self.example -keyout self.key -out self.pem 2>/dev/null
         cat > /etc/systemd/system/self.service <<'END'
[Service]
ExecStart=/usr/bin/openssl s_server -accept 8444 -cert /root/self.pem -key /root/self.key -www -quiet
END
         cat > /etc/systemd/system/tls.service <<'END'
[Service]
ExecStart=/usr/bin/openssl s_server -accept 8443 -cert /root/boards.pem -key /root/boards.key -www -quiet
END
         cat > /etc/systemd/system/post.service <<'END'
[Service]
ExecStart=/usr/bin/perl /root/post.pl
END
         echo 'use IO::Socket::INET; $s = IO::Socket::INET->new(Listen => 5, LocalPort => 8025, ReuseAddr => 1); while ($c = $s->accept) { print $c \"220 quay.example\\r\\n\"; close $c }' > /root/post.pl
         systemctl daemon-reload; systemctl start tls self post; sleep 0.5",
    );
    for (sentence, holds, says) in TABLE {
        let (status, report) = lab.gypsum(&["health", "boards", "--health", sentence]);
        let said = report["health"].as_array().and_then(|all| all.last()).unwrap()["said"].as_str().unwrap();
        assert_eq!(status, if holds { 0 } else { 3 }, "{sentence}: {said}");
        assert!(said.contains(says), "{sentence} does not say {says:?}: {said}");
    }
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn logs_are_read_from_the_activation_on() {
    let lab = boards("restart", "300ms", "Type=exec\nStandardError=journal");
    lab.sh("mkdir -p /var/log/boards; echo 'an old error' > /var/log/boards/boards.log");
    // What is there from before does not count, and what comes does.
    let quiet = ["--must", "log /var/log/boards/boards.log lacks error", "--must", "log journal lacks error"];
    let change = |edit: &str, musts: &[&str]| {
        let words: Vec<&str> = ["change", "boards", edit].iter().chain(musts).copied().collect();
        lab.gypsum(&words)
    };
    let (status, report) = change("note=1", &quiet);
    assert_eq!(status, 0, "{report:#}");
    lab.sh(
        "mkdir -p /etc/systemd/system/boards.service.d
         printf '[Service]\\nExecStartPost=/bin/sh -c \"echo a new error >> /var/log/boards/boards.log; echo ready for the tide\"\\n' > /etc/systemd/system/boards.service.d/log.conf
         systemctl daemon-reload",
    );
    let (status, report) = change("note=2", &["--must", "log journal contains 'ready for the tide'"]);
    assert_eq!(status, 0, "{report:#}");
    // The record gets the journal from the very first line on, that of the service manager; nobody waits for it.
    let first = "grep -q '\"lines\":\\[\"Stopping boards.service.*\"logged\"' $(ls -d /var/lib/gypsum/boards/2*/ | tail -n 1)events.jsonl";
    lab.until(3, first, &|| lab.sh("tail -n 3 $(ls -d /var/lib/gypsum/boards/2*/ | tail -n 1)events.jsonl"));
    let (status, report) = change("note=3", &quiet);
    assert_eq!(status, 4, "{report:#}");
}

/// A sentence about a server that takes passwords and keys, whether it holds, and what is said.
const WAYS_IN: [(&str, bool, &str); 21] = [
    ("user porter offers publickey", true, "offers publickey,password"),
    ("user porter offers hostbased", false, "expected hostbased among them"),
    ("user porter withholds password", false, "offers password, by which porter can log in"),
    ("user porter withholds publickey", false, "expected publickey not among them"),
    ("user porter key /root/porter", true, "lets porter in"),
    ("user porter key /root/porter refused", false, "expected that it does not"),
    ("user porter key /root/other", false, "Permission denied"),
    // The key is refused, and a password lets the account in all the same.
    ("user porter key /root/other refused", false, "offers password, by which porter can log in"),
    ("user porter refused", false, "offers password, by which porter can log in"),
    ("user porter accepts /root/porter.pub", true, "takes this key of porter"),
    ("user porter rejects /root/porter.pub", false, "expected that it does not"),
    ("user porter rejects /root/other.pub", true, "does not take this key"),
    ("user porter accepts /root/other.pub", false, "does not take this key of porter"),
    ("user porter accepts /root/porter", false, "is a private key"),
    ("user porter password-file /root/fog", true, "lets porter in by password"),
    ("user porter password-file /root/tide", false, "Permission denied"),
    ("user porter password-file /root/open", false, "others may read it"),
    // The server offers a password to root, and will take none; nor has the other account one.
    ("user root withholds password", true, "by which root cannot log in"),
    ("user root refused", true, "by which root cannot log in"),
    ("user pilot withholds password", true, "by which pilot cannot log in"),
    (
        "user pilot key /root/other refused",
        true,
        "refuses this key of pilot, as expected, and offers password",
    ),
];

/// B3: what a server offers, and what its own rules and the accounts make of it; a look is one connection, and leaves no
/// failed login but where a password was to be tried.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_ways_in_to_a_server_are_told_by_what_it_offers_and_takes() {
    let lab = boot(&["/usr/sbin/sshd", "/usr/bin/ssh"]);
    lab.sh("useradd -m -s /bin/sh porter; echo porter:fog | chpasswd; useradd -m -s /bin/sh -p '*' pilot; passwd -l root >/dev/null
         cd /root; ssh-keygen -q -t ed25519 -N '' -f porter; ssh-keygen -q -t ed25519 -N '' -f other
         install -d -o porter -m 700 /home/porter/.ssh; install -o porter -m 600 porter.pub /home/porter/.ssh/authorized_keys
         umask 077; printf fog > fog; printf tide > tide; cp fog open; chmod 644 open
         printf 'UsePAM no\nKbdInteractiveAuthentication no\nPermitRootLogin prohibit-password\nMaxStartups 50\n' > /etc/ssh/sshd_config
         rm -f /etc/ssh/sshd_config.d/* /run/nologin; systemctl restart ssh; sleep 0.3");
    let look = |sentence: &str| {
        let check = format!("ssh 127.0.0.1:22 {sentence} patience 10ms");
        let (_, report) = lab.gypsum(&["health", "sshd", "--health", &check]);
        let mut seen = report["health"].as_array().unwrap().iter();
        let one = seen.find(|one| one["name"].as_str().unwrap().starts_with("ssh ")).unwrap();
        (one["healthy"].as_bool().unwrap(), one["said"].as_str().unwrap().to_owned())
    };
    let since = lab.sh("date +%s");
    for (sentence, holds, says) in WAYS_IN {
        let (healthy, said) = look(sentence);
        assert_eq!(healthy, holds, "{sentence}: {said}");
        assert!(said.contains(says), "{sentence}: {said}");
    }
    let failed = lab
        .sh(&format!("journalctl -q -o cat -u ssh --since @{} | grep -c 'Failed p' || true", since.trim()));
    assert_eq!(failed.trim(), "1", "the wrong password that was to be tried");
    // Questions and answers are a password, too (PAM).
    lab.sh("printf 'UsePAM yes\nKbdInteractiveAuthentication yes\nPasswordAuthentication no\nMaxStartups 50\n' > /etc/ssh/sshd_config; systemctl restart ssh; sleep 0.3");
    let (healthy, said) = look("user porter withholds password");
    assert!(!healthy && said.contains("offers keyboard-interactive, by which porter can log in"), "{said}");
    assert_eq!(look("user porter password-file /root/fog"), (true, "lets porter in by password".to_owned()));
    // One that is typed: `health` takes it from standard input where there is no terminal, and leaves nothing behind.
    let typed = "gypsum health sshd --health 'ssh 127.0.0.1:22 user porter asks-password'";
    let said = lab.sh(&format!("{typed} < /root/fog; ls -d /tmp/gypsum-password-* 2>/dev/null || true"));
    assert!(said.contains("lets porter in by password") && !said.contains("/tmp/gypsum-password"), "{said}");
    let (status, report) = lab.gypsum(&[
        "change",
        "sshd",
        "MaxAuthTries=5",
        "--must",
        "ssh 127.0.0.1:22 user porter asks-password",
    ]);
    assert_eq!(status, 2, "{report:#}");
    assert!(report.to_string().contains("a change goes on without a terminal"), "{report:#}");
}

/// Certificates are trusted by what the host trusts, wherever it keeps that (B10).
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_ca_store_at_another_place_is_found() {
    let lab = boards("restart", "300ms", "Type=exec");
    lab.sh("cd /root; openssl req -x509 -newkey rsa:2048 -nodes -days 10 -subj /CN=ca -addext basicConstraints=critical,CA:TRUE -keyout ca.key -out ca.pem 2>/dev/null
        openssl req -newkey rsa:2048 -nodes -subj /CN=boards.example -keyout s.key -out s.csr 2>/dev/null
        printf 'subjectAltName=DNS:boards.example\nbasicConstraints=CA:FALSE\n' > ext; openssl x509 -req -in s.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 9 -extfile ext -out s.pem 2>/dev/null
        systemd-run -q openssl s_server -quiet -www -accept 127.0.0.1:8443 -cert /root/s.pem -key /root/s.key; sleep 0.5");
    // This machine may name its own store in the environment, which would count first.
    let look = || {
        let check = "http https://boards.example/ at 127.0.0.1:8443";
        let words = [
            "env",
            "-u",
            "SSL_CERT_FILE",
            "-u",
            "SSL_CERT_DIR",
            PROGRAM,
            "health",
            "boards",
            "--json",
            "--health",
            check,
        ];
        let ran = lab.run(&words);
        (ran.status.code(), String::from_utf8_lossy(&ran.stdout).into_owned())
    };
    let (status, said) = look();
    assert!(status == Some(3) && said.contains("certificate"), "nothing on this host trusts it: {said}");
    // Other distributions keep theirs here; Debian's is gone.
    lab.sh("rm -rf /etc/ssl/certs /etc/ssl/cert.pem /usr/lib/ssl/certs; mkdir -p /etc/pki/tls/certs; cp /root/ca.pem /etc/pki/tls/certs/ca-bundle.crt");
    let (status, said) = look();
    assert_eq!(status, Some(0), "{said}");
}
