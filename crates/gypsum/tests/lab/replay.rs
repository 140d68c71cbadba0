//! What clients asked, by the logs of web servers, is asked again: wherever and in whatever form it is logged.

use crate::host::{boot, side_by_side};

/// A web server, after its client asked for `/boards/east.html?token=kelp77` three times.
struct Served {
    daemon: &'static str,
    programs: &'static [&'static str],
    start: &'static str,
    /// A setting that no client notices.
    good: &'static [&'static str],
    /// A change that the client notices, by a page that is no longer there.
    bad: &'static [&'static str],
    /// What is said of the page then.
    lost: &'static str,
    /// Prints how often the log has the page asked for as HEAD by Gypsum.
    asked_again: &'static str,
}

const SERVED: [Served; 3] = [
    Served {
        daemon: "nginx",
        programs: &["/usr/sbin/nginx", "/usr/bin/curl"],
        start: "systemctl start nginx; sleep 0.3",
        good: &["http..keepalive_timeout=70"],
        bad: &["--piece", "/root/nginx", "--under", "server"],
        lost: "404 now, 200 before",
        asked_again: "grep -c 'HEAD /boards/east.html HTTP/1.1. 200 .*gypsum' /var/log/nginx/access.log",
    },
    // A log of its own, named by a variable of the daemon.
    Served {
        daemon: "apache2",
        programs: &["/usr/sbin/apache2", "/usr/bin/curl"],
        start: "rm /etc/apache2/sites-enabled/*
            printf '<VirtualHost *:80>\\nDocumentRoot /var/www/html\\nCustomLog ${APACHE_LOG_DIR}/boards.log combined\\n</VirtualHost>\\n' \
                > /etc/apache2/sites-enabled/boards.conf
            systemctl start apache2; sleep 0.5",
        good: &["KeepAliveTimeout=7"],
        bad: &["--add", "VirtualHost *:80..RedirectMatch=404 ^/boards/"],
        lost: "404 now, 200 before",
        asked_again: "grep -c 'HEAD /boards/east.html HTTP/1.1. 200 .*gypsum' /var/log/apache2/boards.log",
    },
    // In the journal alone. It answers itself, and hands on what is left: it is asked because that is wished.
    Served {
        daemon: "haproxy",
        programs: &["/usr/sbin/haproxy", "/usr/bin/curl"],
        start: "printf '\\nfrontend boards\\n\\tbind 127.0.0.1:80\\n\\tmode http\\n\\toption httplog\\n\\tdefault_backend rows\\nbackend rows\\n\\tmode http\\n\\thttp-request return status 200\\n' >> /etc/haproxy/haproxy.cfg
            rm -f /var/log/haproxy.log; systemctl start haproxy; sleep 0.5",
        good: &["--replay", "--add", "frontend boards..maxconn=500"],
        bad: &["--replay", "--add", "frontend boards..http-request=return status 404 if { path_beg /boards }"],
        lost: "404 now, 200 before",
        asked_again: "journalctl -q -u haproxy -o cat | grep -c ' 200 .*HEAD /boards/east.html'",
    },
];

const ASK: &str = "mkdir -p /var/www/html/boards; echo east > /var/www/html/boards/east.html
    echo 'location /boards/ { alias /var/www/html/; }' > /root/nginx
    for n in 1 2 3; do curl -s -A Mozilla/5.0 -o /dev/null 'http://127.0.0.1/boards/east.html?token=kelp77'; done";

/// What clients asked is asked again, without what was behind a question mark, and records do not tell what it was.
#[test]
#[ignore = "needs root and daemons"]
fn what_clients_asked_is_answered_as_before() {
    side_by_side(1, &SERVED, |served| {
        let lab = boot(served.programs);
        lab.sh(served.start);
        lab.sh(ASK);
        let change =
            |words: &[&str]| lab.gypsum(&[&["change", served.daemon, "-y", "--no-trial"], words].concat());
        let (status, document) = change(served.good);
        assert_eq!(status, 0, "{document:#}");
        let said = document["health"].to_string();
        assert!(said.contains("what clients asked") && said.contains("answers 200, as before"), "{said}");
        lab.sh("! grep -rE 'boards/east|kelp77' /var/lib/gypsum");
        // Twice before, and at least once after.
        let count: u32 = lab.sh(served.asked_again).trim().parse().unwrap();
        assert!(count >= 3, "{}: {count}", served.daemon);
        let (status, document) = change(served.bad);
        assert_eq!(status, 4, "{document:#}");
        let why = format!("http://127.0.0.1/boards/east.html: {}", served.lost);
        assert!(document.to_string().contains(&why), "{document:#}");
        let unasked: Vec<&str> = served.bad.iter().copied().filter(|word| *word != "--replay").collect();
        let (status, document) = change(&[&unasked[..], &["--no-replay"]].concat());
        assert_eq!(status, 0, "{document:#}");
    });
}
