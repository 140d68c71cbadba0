//! An answer over HTTP as a client sees it that follows redirects: by hand, and on this host alone, so that nobody
//! else is asked for anything.

use super::ProbeError;
use super::certificate;
use super::http::{MOST_REDIRECTS, ask};
use gypsum_core::probe::{Answer, Http, HttpAnswer};
use std::net::IpAddr;
use std::time::{Duration, Instant};
use ureq::http::Uri;

/// The answer at the end of the redirects, as far as it is compared.
///
/// # Errors
///
/// If there is none.
pub fn answer(http: &Http, limit: Duration) -> Result<Answer, ProbeError> {
    let deadline = Instant::now() + limit;
    let mut seen = HttpAnswer::default();
    let mut asked = vec![http.url.clone()];
    // Whom a certificate is signed by is not asked here: what is compared is whether it is another one.
    let mut next = Http { follow: false, unverified: true, ..http.clone() };
    loop {
        let left = deadline.saturating_duration_since(Instant::now()).max(Duration::from_millis(1));
        let answer = match ask(&next, left) {
            Ok(answer) => answer,
            Err(ProbeError::Tunnel(status)) => {
                seen.status = status;
                break;
            }
            // What is behind a redirect may be for others to reach; that it answered is noted where it does.
            Err(_) if !seen.redirects.is_empty() => break,
            Err(error) => return Err(error),
        };
        if let Some(to) = seen.redirects.last() {
            seen.reached.push(to.clone());
        }
        let header = |name: &str| {
            let value = answer.headers().get(name)?;
            Some(String::from_utf8_lossy(value.as_bytes()).into_owned())
        };
        seen.status = answer.status().as_u16();
        seen.realm = header("www-authenticate").or_else(|| header("proxy-authenticate"));
        seen.content_type = header("content-type");
        let Some(to) = header("location").filter(|_| (300..400).contains(&seen.status)) else { break };
        let to = absolute(&next.url, &to);
        seen.redirects.push(to.clone());
        if asked.contains(&to) || seen.redirects.len() > MOST_REDIRECTS as usize {
            seen.is_circle = true;
            break;
        }
        let Some(at) = place(http, &to) else { break };
        asked.push(to.clone());
        next = Http { url: to, at: Some(at), host: None, ..next };
    }
    let secure = http.url.starts_with("https://") && http.proxy.is_none();
    if let (true, Some((host, port))) = (secure, host_and_port(&http.url)) {
        let at = http.at.clone().unwrap_or_else(|| format!("{host}:{port}"));
        let left = deadline.saturating_duration_since(Instant::now()).max(Duration::from_millis(1));
        seen.certificate = Some(certificate::look(&at, &host, left)?);
    }
    Ok(http.compared(&seen))
}

/// What a redirect from `url` names (RFC 9110, 10.2.2).
fn absolute(url: &str, to: &str) -> String {
    if to.contains("://") {
        return to.to_owned();
    }
    let (scheme, rest) = url.split_once("://").unwrap_or(("http", url));
    if let Some(host) = to.strip_prefix("//") {
        return format!("{scheme}://{host}");
    }
    let (host, path) = rest.split_once('/').unwrap_or((rest, ""));
    if to.starts_with('/') {
        return format!("{scheme}://{host}{to}");
    }
    let folder = path.split(['?', '#']).next().unwrap_or_default();
    let folder = folder.rsplit_once('/').map_or(String::new(), |(folder, _)| format!("{folder}/"));
    format!("{scheme}://{host}/{folder}{to}")
}

fn host_and_port(url: &str) -> Option<(String, u16)> {
    let uri: Uri = url.parse().ok()?;
    let usual = if uri.scheme_str() == Some("https") { 443 } else { 80 };
    Some((uri.host()?.trim_matches(['[', ']']).to_owned(), uri.port_u16().unwrap_or(usual)))
}

/// Where a redirect is followed to: the address that was asked first, for a name that is served there; none where it
/// leads to other hosts.
fn place(http: &Http, to: &str) -> Option<String> {
    let (host, port) = host_and_port(to)?;
    let (own, own_port) = host_and_port(&http.url)?;
    let is_ours = host == own || http.beside.contains(&host);
    let is_loopback =
        host == "localhost" || host.parse::<IpAddr>().is_ok_and(|address| address.is_loopback());
    if !is_ours && !is_loopback {
        return None;
    }
    let address = match &http.at {
        Some(at) => match at.rsplit_once(':') {
            Some((address, port)) if port.parse::<u16>().is_ok() => address.to_owned(),
            _ => at.clone(),
        },
        None => host,
    };
    // A port behind a forwarder is not that of this server.
    let is_forwarded = http.at.is_some() && port == own_port;
    match (is_forwarded, &http.at) {
        (true, Some(at)) => Some(at.clone()),
        _ => Some(format!("{address}:{port}")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn redirects_lead_where_the_standard_says() {
        for (to, wanted) in [
            ("https://pier.example/x", "https://pier.example/x"),
            ("//pier.example/x", "http://pier.example/x"),
            ("/x?y", "http://quay.example:81/x?y"),
            ("x", "http://quay.example:81/a/x"),
            ("?y", "http://quay.example:81/a/?y"),
        ] {
            assert_eq!(absolute("http://quay.example:81/a/b?c/d", to), wanted);
        }
    }

    #[test]
    fn redirects_are_followed_on_this_host_alone() {
        let (url, at) = ("http://quay.example/".to_owned(), Some("127.0.0.2:80".to_owned()));
        let http = Http { url, at, beside: vec!["pier.example".into()], ..Http::default() };
        for (to, wanted) in [
            ("http://quay.example/a", Some("127.0.0.2:80")),
            ("https://quay.example/a", Some("127.0.0.2:443")),
            ("https://pier.example:8443/", Some("127.0.0.2:8443")),
            ("http://127.0.0.1:81/", Some("127.0.0.2:81")),
            ("http://elsewhere.example/", None),
            ("mailto:porter", None),
        ] {
            assert_eq!(place(&http, to).as_deref(), wanted, "{to}");
        }
    }
}
