//! What clients really asked: requests in access logs, and which of them can be asked again without harm.

use std::collections::HashMap;

/// So many paths of one site are asked for.
pub const MOST: usize = 8;
/// A part of a path that is as long as this and looks like a number or a code may be a secret.
const LONG: usize = 16;
/// Parts of a path behind which something may be done, and not only read.
const DEEDS: [&str; 12] = [
    "logout",
    "signout",
    "admin",
    "cron",
    "delete",
    "remove",
    "purge",
    "api",
    "cgi-bin",
    "unsubscribe",
    "reset",
    "wp-login",
];
/// Pages that this host asks itself for.
const OWN_PAGES: [&str; 3] = ["server-status", "server-info", "nginx_status"];
/// Programs that are run for a request.
const PROGRAMS: [&str; 9] = [".php", ".phtml", ".jsp", ".cgi", ".pl", ".py", ".asp", ".aspx", ".do"];
/// What programs that check call themselves, in small letters.
const CHECKERS: [&str; 7] = ["gypsum", "check", "monitor", "probe", "bot", "health", "curl/"];

/// A request in an access log.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Request {
    /// The name that was asked for, where the log has it.
    pub host: Option<String>,
    /// The listener that took it, where the log has no name of a site but that.
    pub listener: Option<String>,
    /// The path, without what was behind a question mark.
    pub path: String,
}

/// The request of a line in the common log format, with or without the site in front and the agent behind, or in that of a
/// balancer; `None` where it is no such line, or is better not asked again.
pub fn request_of(line: &str) -> Option<Request> {
    if let Some(balanced) = Balanced::of(line) {
        return balanced.request();
    }
    let Common { front, request, status, rest } = Common::of(line)?;
    // The site and its port come before the client.
    let first = front.split(' ').next()?;
    let host = first.rsplit_once(':').filter(|(host, port)| {
        port.parse::<u16>().is_ok() && host.contains('.') && host.parse::<std::net::IpAddr>().is_err()
    });
    let host = host.map(|(host, _)| host.to_lowercase());
    let agent = rest.rsplit('"').nth(1).unwrap_or_default().to_lowercase();
    let is_checker = CHECKERS.iter().any(|word| agent.contains(word));
    let mut words = request.split(' ');
    let (method, target) = (words.next()?, words.next()?);
    let is_read = matches!(method, "GET" | "HEAD") && is_good(status);
    let path = target.split(['?', '#']).next()?;
    (is_read && !is_checker && is_harmless(path)).then(|| Request {
        host,
        listener: None,
        path: path.to_owned(),
    })
}

/// Whether a line of a log tells of a client's request, and of nothing else. It says who asked for what, and not why a
/// configuration does not work.
pub fn is_of_client(line: &str) -> bool {
    let is_answered = |common: Common<'_>| {
        (100..600).contains(&common.status) && (common.request.contains(" HTTP/") || common.request == "-")
    };
    Balanced::of(line).is_some() || Common::of(line).is_some_and(is_answered)
}

/// A line in the common log format, with or without the site in front and the agent behind.
struct Common<'a> {
    front: &'a str,
    request: &'a str,
    status: u16,
    /// From the status on.
    rest: &'a str,
}

impl<'a> Common<'a> {
    fn of(line: &'a str) -> Option<Self> {
        let (front, rest) = line.split_once(" \"")?;
        let (request, rest) = rest.split_once("\" ")?;
        let status = rest.split(' ').next()?.parse().ok()?;
        Some(Self { front, request, status, rest })
    }
}

/// A line of HAProxy (HAProxy Configuration Manual, 8.2.3): `CLIENT [TIME] FRONTEND BACKEND/SERVER TIMES STATUS …
/// "METHOD PATH VERSION"`.
struct Balanced<'a> {
    listener: &'a str,
    status: u16,
    request: &'a str,
}

impl<'a> Balanced<'a> {
    fn of(line: &'a str) -> Option<Self> {
        let (_, taken) = line.split_once("] ").filter(|(_, taken)| !taken.starts_with('"'))?;
        // Of a line from syslog the first bracket closes behind the number of the process.
        let taken = taken.split_once("] ").map_or(taken, |(_, behind)| behind);
        let (front, request) = taken.strip_suffix('"')?.rsplit_once(" \"")?;
        let mut words = front.split(' ');
        let (listener, backend, _times, status) =
            (words.next()?, words.next()?, words.next()?, words.next()?);
        let status = status.parse().ok().filter(|_| backend.contains('/'))?;
        // Behind the name of one that speaks TLS is a `~`.
        Some(Self { listener: listener.trim_end_matches('~'), status, request })
    }

    /// It does not say who asked: what is asked again is a HEAD, and not found again.
    fn request(&self) -> Option<Request> {
        let mut words = self.request.split(' ');
        let (method, target) = (words.next()?, words.next()?);
        let path = target.split(['?', '#']).next()?;
        (method == "GET" && is_good(self.status) && is_harmless(path)).then(|| Request {
            host: None,
            listener: Some(self.listener.to_owned()),
            path: path.to_owned(),
        })
    }
}

/// Whether a status says that the client got what it asked for.
fn is_good(status: u16) -> bool {
    matches!(status, 200..=299 | 301 | 302 | 304)
}

/// Whether a path names a page that anybody may read: no part of it looks like a secret, or like something to be done.
fn is_harmless(path: &str) -> bool {
    let lower = path.to_lowercase();
    let is_plain =
        |c: char| c.is_ascii_alphanumeric() || matches!(c, '/' | '.' | '-' | '_' | '~' | '+' | ',' | '%');
    path.starts_with('/')
        && path.chars().all(is_plain)
        && !PROGRAMS.iter().any(|end| lower.ends_with(end) || lower.contains(&format!("{end}/")))
        && lower
            .split('/')
            .all(|part| !DEEDS.contains(&part) && !OWN_PAGES.contains(&part) && !looks_secret(part))
}

fn looks_secret(part: &str) -> bool {
    // The end of a name says what kind of file it is, and the words of a title are parted.
    let stem = part.rsplit_once('.').map_or(part, |(stem, _)| stem);
    stem.split(['-', '_', '.', '+', ',', '%']).any(|word| {
        let digits = word.bytes().filter(u8::is_ascii_digit).count();
        let upper = word.bytes().filter(u8::is_ascii_uppercase).count();
        word.len() >= LONG && (digits > 0 || upper > 1)
    })
}

/// The paths that stand for all that was asked of a site: one of each first part before a second one, the most asked
/// first.
pub fn chosen<'a>(requests: impl Iterator<Item = &'a Request>) -> Vec<String> {
    let mut times: HashMap<&str, u32> = HashMap::new();
    for request in requests {
        *times.entry(&request.path).or_default() += 1;
    }
    let mut all: Vec<(&str, u32)> = times.into_iter().collect();
    all.sort_by(|(one, often), (other, less)| less.cmp(often).then(one.cmp(other)));
    let mut of_part: HashMap<&str, u32> = HashMap::new();
    let mut ranked: Vec<(u32, usize, &str)> = Vec::new();
    for (n, (path, _)) in all.iter().enumerate() {
        let place = of_part.entry(path.split('/').nth(1).unwrap_or_default()).or_default();
        ranked.push((*place, n, path));
        *place += 1;
    }
    ranked.sort_unstable();
    ranked.into_iter().take(MOST).map(|(_, _, path)| path.to_owned()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_is_read_without_harm_is_asked_again() {
        let line = |request: &str, status: u16, agent: &str| {
            format!("192.0.2.7 - - [29/Nov/2026:22:37:04 +0000] \"{request}\" {status} 17 \"-\" \"{agent}\"")
        };
        let path = |request: &str, status: u16, agent: &str| {
            request_of(&line(request, status, agent)).map(|request| request.path)
        };
        let browser = "Mozilla/5.0";
        assert_eq!(path("GET /board/east?token=kelp HTTP/1.1", 200, browser).as_deref(), Some("/board/east"));
        assert_eq!(
            path("GET /tides-of-november.html HTTP/2.0", 304, browser).as_deref(),
            Some("/tides-of-november.html")
        );
        for (request, status, agent) in [
            ("POST /board HTTP/1.1", 200, browser),
            ("GET /board HTTP/1.1", 404, browser),
            ("GET /board HTTP/1.1", 500, browser),
            ("GET /board HTTP/1.1", 200, "gypsum/0.1.0 (health check)"),
            ("GET /logout HTTP/1.1", 200, browser),
            ("GET /quay/delete/3 HTTP/1.1", 200, browser),
            ("GET /reset/9f86d081884c7d659a2feaa0c55ad015 HTTP/1.1", 200, browser),
            ("GET /t/QmFzZTY0VG9rZW5XaXRoTGV0dGVycw HTTP/1.1", 200, browser),
            ("GET /index.php HTTP/1.1", 200, browser),
            ("GET /server-status HTTP/1.1", 200, browser),
            ("GET http://elsewhere.example/ HTTP/1.1", 200, browser),
            ("-", 400, browser),
        ] {
            assert_eq!(path(request, status, agent), None, "{request}");
        }
        let with_site = format!("boards.example:443 {}", line("GET /x HTTP/1.1", 200, browser));
        assert_eq!(request_of(&with_site).unwrap().host.as_deref(), Some("boards.example"));
        assert_eq!(request_of("no line of such a log"), None);
    }

    #[test]
    fn a_balancers_lines_name_the_listener() {
        let line = |listener: &str, status: u16, request: &str| {
            format!(
                "Nov 29 22:37:04 quay haproxy[7]: 192.0.2.7:33 [29/Nov/2026:22:37:04.655] {listener} rows/r1 \
                 0/0/1/2/3 {status} 27 - - ---- 1/1/0/0/0 0/0 \"{request}\""
            )
        };
        let found = request_of(&line("boards~", 200, "GET /east.html?token=kelp HTTP/1.1")).unwrap();
        assert_eq!((found.listener.as_deref(), found.path.as_str()), (Some("boards"), "/east.html"));
        for (status, request) in [
            (503, "GET /east.html HTTP/1.1"),
            (200, "POST /east.html HTTP/1.1"),
            (200, "HEAD /x HTTP/1.1"),
            (400, "<BADREQ>"),
        ] {
            assert_eq!(request_of(&line("boards", status, request)), None, "{status} {request}");
        }
        let with_headers =
            line("boards", 200, "GET /x HTTP/1.1").replace(" 0/0 ", " 0/0 {boards.example} {} ");
        assert_eq!(request_of(&with_headers).unwrap().path, "/x");
    }

    #[test]
    fn lines_of_clients_are_told_from_complaints() {
        for line in [
            "192.0.2.7 - - [29/Nov/2026:22:37:04 +0000] \"GET /x?token=kelp HTTP/1.1\" 200 17 \"-\" \"Mozilla/5.0\"",
            "INFO:     192.0.2.7:50 - \"POST /quay HTTP/1.1\" 503 Service Unavailable",
            "192.0.2.7 - - [29/Nov/2026:22:37:04 +0000] \"-\" 408 0",
            "192.0.2.7:33 [29/Nov/2026:22:37:04.655] boards rows/<NOSRV> 0/-1/-1/-1/0 503 27 - - LR-- 1/1/0/0/0 0/0 \"GET /x HTTP/1.1\"",
            "Nov 29 22:37:04 quay haproxy[7]: 192.0.2.7:33 [29/Nov/2026:22:37:04.655] boards boards/<NOSRV> -1/-1/-1/-1/0 400 0 - - PR-- 1/1/0/0/0 0/0 \"<BADREQ>\"",
        ] {
            assert!(is_of_client(line), "{line}");
        }
        for line in [
            "[error] 7#7: *1 open() \"/srv/x\" failed (2: No such file), client: 192.0.2.7, request: \"GET /x HTTP/1.1\", host: \"quay\"",
            "cannot answer \"GET /x HTTP/1.1\"",
            "[WARNING]  (91) : Proxy boards stopped (cumulated conns: FE: 8, BE: 0).",
            "[ALERT] (7) : config : parsing [/etc/haproxy/haproxy.cfg:7] : unknown keyword 'tides' in 'global' section",
            "bind to \"127.0.0.1:7000\" 98 times: Address already in use",
            "",
        ] {
            assert!(!is_of_client(line), "{line}");
        }
    }

    #[test]
    fn each_first_part_has_its_turn() {
        let all: Vec<Request> = ["/a/1", "/a/1", "/a/1", "/a/2", "/a/2", "/b/1", "/"]
            .map(|path| Request { host: None, listener: None, path: path.to_owned() })
            .to_vec();
        assert_eq!(chosen(all.iter()), ["/a/1", "/", "/b/1", "/a/2"]);
        let many: Vec<Request> =
            (0..50).map(|n| Request { host: None, listener: None, path: format!("/{n}") }).collect();
        assert_eq!(chosen(many.iter()).len(), MOST);
    }
}
