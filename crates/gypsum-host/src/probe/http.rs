//! An HTTP answer: its status, its headers, a text in its body.

use super::ProbeError;
use super::certificate::is_trusted_itself;
use super::{addresses, proxy};
use crate::disk::walk::{open_to_read, read_whole};
use gypsum_core::probe::{Http, Tls};
use std::io::Read;
use std::net::{IpAddr, SocketAddr};
use std::path::Path;
use std::sync::mpsc::channel;
use std::time::Duration;
use ureq::http::{Response, Uri};
use ureq::tls::{Certificate, PemItem, RootCerts, TlsConfig, parse_pem};
use ureq::unversioned::resolver::{DefaultResolver, ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::{DefaultConnector, NextTimeout};
use ureq::{Agent, Body};

/// More of a body than this is not looked at.
const MOST_BODY: u64 = 1 << 20;
/// A file of authorities is not larger than this, in bytes.
const MOST_AUTHORITIES: usize = 16 << 20;
/// The library takes no more addresses of one name.
const MOST_ADDRESSES: usize = 16;
/// How a web server's log tells these requests from those of people.
const AGENT: &str = concat!("gypsum/", env!("CARGO_PKG_VERSION"), " (health check)");
/// How many redirects are followed where they are.
pub(super) const MOST_REDIRECTS: u32 = 5;

pub fn probe(http: &Http, limit: Duration) -> Result<String, ProbeError> {
    let mut answer = match ask(http, limit) {
        Ok(answer) => answer,
        Err(ProbeError::Tunnel(status)) if http.status == Some(status) => {
            return Ok(format!("the proxy answered {status}"));
        }
        Err(error) => return Err(error),
    };
    let got = answer.status().as_u16();
    let usual = (200..400).contains(&got) || http.also == Some(got);
    let wanted = http.status.map_or(usual, |wanted| wanted == got);
    let (body, broke) = body_of(&mut answer);
    if !wanted {
        let expected = http.status.map_or("200 to 399".to_owned(), |status| status.to_string());
        let first = first_line(&body);
        let says =
            if first.is_empty() || first.starts_with('<') { String::new() } else { format!(" ({first})") };
        return Err(format!("answered {got}{says}, expected {expected}").into());
    }
    if let Some(header) = &http.header {
        has_header(&answer, header).map_err(|why| format!("answered {got}, and {why}"))?;
    }
    if http.expect.is_empty() {
        return Ok(format!("answered {got}"));
    }
    match (http.expect.judge("the body", &body), broke) {
        (Ok(said), _) => Ok(match &http.expect.contains {
            Some(text) => format!("answered {got} with {text:?} in it"),
            None => format!("answered {got}; {said}"),
        }),
        (Err(_), Some(error)) => Err(format!("answered {got}, and the body broke off: {error}").into()),
        (Err(why), None) => Err(format!("answered {got}, and {why}").into()),
    }
}

/// The body of the answer, for a reading.
pub fn body(http: &Http, limit: Duration) -> Result<String, ProbeError> {
    let mut answer = ask(http, limit)?;
    let status = answer.status().as_u16();
    let (body, _) = body_of(&mut answer);
    let first = first_line(&body);
    Ok(if first.starts_with('<') || first.is_empty() {
        status.to_string()
    } else {
        format!("{status} {first}")
    })
}

/// The first line of a body that is not empty, as much of it as fits into a sentence.
fn first_line(body: &str) -> String {
    let line = body.lines().map(str::trim).find(|line| !line.is_empty()).unwrap_or_default();
    line.chars().take(60).collect()
}

/// A body that breaks off still shows what came before.
fn body_of(answer: &mut Response<Body>) -> (String, Option<std::io::Error>) {
    let mut body = Vec::new();
    let read = answer.body_mut().as_reader().take(MOST_BODY).read_to_end(&mut body);
    (String::from_utf8_lossy(&body).into_owned(), read.err())
}

fn has_header(answer: &Response<Body>, header: &str) -> Result<(), ProbeError> {
    let (name, value) = header.split_once(':').unwrap_or((header, ""));
    let (name, value) = (name.trim(), value.trim());
    let found: Vec<String> = answer
        .headers()
        .get_all(name)
        .iter()
        .map(|value| String::from_utf8_lossy(value.as_bytes()).into_owned())
        .collect();
    if found.is_empty() {
        return Err(format!("there is no header {name}").into());
    }
    if found.iter().any(|one| one.contains(value)) {
        return Ok(());
    }
    Err(format!("{name} is {}, expected {value}", found.join(", ")).into())
}

/// Asks, and gives the answer while its body is still to come.
pub(super) fn ask(http: &Http, limit: Duration) -> Result<Response<Body>, ProbeError> {
    let redirects = if http.follow { MOST_REDIRECTS } else { 0 };
    let config = Agent::config_builder()
        .timeout_global(Some(limit))
        .http_status_as_error(false)
        .user_agent(AGENT)
        .max_redirects(redirects)
        .max_redirects_will_error(false);
    // The usual certificates are many, and plain HTTP needs none of them.
    let secure = http.follow || http.url.starts_with("https://");
    let config = if secure { config.tls_config(trust(http, limit)?) } else { config };
    let through = http.proxy.as_deref().map(proxy::parse).transpose()?;
    // Plain HTTP goes through a proxy by asking it for the whole URL; a tunnel is for HTTPS.
    let plain = http.url.starts_with("http://");
    let agent = match (through, &http.at) {
        (Some(through), _) if plain => {
            let config = config.proxy(None).build();
            Agent::with_parts(config, proxy::Through(through.clone()), Fixed(through.at, 3128))
        }
        (Some(through), _) => {
            let proxy =
                ureq::Proxy::new(&through.url()).map_err(|error| format!("{}: {error}", through.at))?;
            Agent::with_parts(config.proxy(Some(proxy)).build(), DefaultConnector::default(), Named)
        }
        (None, Some(at)) => {
            let usual = if plain { 80 } else { 443 };
            Agent::with_parts(config.proxy(None).build(), DefaultConnector::new(), Fixed(at.clone(), usual))
        }
        (None, None) => Agent::with_parts(config.proxy(None).build(), DefaultConnector::default(), Named),
    };
    let mut request = if http.head { agent.head(&http.url) } else { agent.get(&http.url) };
    if let Some(host) = &http.host {
        request = request.header("Host", host);
    }
    if http.proxy.is_some() {
        // What a proxy remembers hides that nobody behind it answers (RFC 9111, 5.2.1.4).
        request = request.header("Cache-Control", "no-cache");
    }
    request.call().map_err(|error| in_words(error, limit))
}

/// What a server must be signed by: the given authority, else those that this host trusts.
fn trust(http: &Http, limit: Duration) -> Result<TlsConfig, ProbeError> {
    // Another part of the program may have done it already, which is just as well.
    let _ = rustls::crypto::ring::default_provider().install_default();
    if http.unverified || shows_a_trusted_one(http, limit) {
        return Ok(TlsConfig::builder().disable_verification(true).build());
    }
    let trusted: Vec<Certificate<'static>> = match http.ca.as_deref() {
        Some(path) => {
            let bytes = open_to_read(Path::new(path))
                .and_then(|file| read_whole(file, MOST_AUTHORITIES))
                .map_err(|error| ProbeError::tried(format!("{path} cannot be read"), error))?;
            let of = |item| match item {
                Ok(PemItem::Certificate(one)) => Some(one),
                // A key, or something else than PEM.
                Ok(_) | Err(_) => None,
            };
            parse_pem(&bytes).filter_map(of).collect()
        }
        // Without any, only plain HTTP can be asked, and TLS says itself that it trusts no authority.
        None => rustls_native_certs::load_native_certs()
            .certs
            .iter()
            .map(|one| Certificate::from_der(one).to_owned())
            .collect(),
    };
    Ok(TlsConfig::builder().root_certs(RootCerts::new_with_certs(&trusted)).build())
}

/// Whether the server shows just the certificate that is named as trusted; then it was looked at, and the library, which
/// takes none that may sign others, need not. Not where redirects lead elsewhere.
fn shows_a_trusted_one(http: &Http, limit: Duration) -> bool {
    let Some((ca, uri)) = http.ca.clone().zip(http.url.parse::<Uri>().ok()) else { return false };
    let Some(host) = uri.host().filter(|_| uri.scheme_str() == Some("https") && http.proxy.is_none()) else {
        return false;
    };
    let at = http.at.clone().unwrap_or_else(|| format!("{host}:{}", uri.port_u16().unwrap_or(443)));
    let name = Some(host.trim_matches(['[', ']']).to_owned());
    let tls = Tls { at, name, days: 0, key: None, ca: Some(ca) };
    !http.follow && is_trusted_itself(&tls, limit)
}

/// Every name is at this address: a name can be asked for before name servers know it.
#[derive(Debug)]
struct Fixed(String, u16);

impl Resolver for Fixed {
    fn resolve(
        &self,
        uri: &Uri,
        _: &ureq::config::Config,
        _: NextTimeout,
    ) -> Result<ResolvedSocketAddrs, ureq::Error> {
        let port = uri.port_u16().unwrap_or(self.1);
        addresses(&self.0, port).map(resolved).map_err(|_| ureq::Error::HostNotFound)
    }
}

/// Names are looked up by the host. The library does it in a thread that it takes for granted; here there may be none.
#[derive(Debug)]
struct Named;

impl Resolver for Named {
    fn resolve(
        &self,
        uri: &Uri,
        _: &ureq::config::Config,
        timeout: NextTimeout,
    ) -> Result<ResolvedSocketAddrs, ureq::Error> {
        let host = uri.host().ok_or(ureq::Error::HostNotFound)?.to_owned();
        let usual = if uri.scheme_str() == Some("https") { 443 } else { 80 };
        let port = uri.port_u16().unwrap_or(usual);
        let find = move || addresses(&host, port).map_err(|_| ureq::Error::HostNotFound);
        let is_number =
            uri.host().is_some_and(|host| host.trim_matches(['[', ']']).parse::<IpAddr>().is_ok());
        let found = if is_number {
            find()?
        } else {
            let (tell, told) = channel();
            // Nobody may listen any more.
            std::thread::Builder::new().spawn(move || {
                let _ = tell.send(find());
            })?;
            told.recv_timeout(*timeout.after).map_err(|_| ureq::Error::Timeout(timeout.reason))??
        };
        Ok(resolved(found))
    }
}

/// As many of the addresses as the library takes.
fn resolved(found: Vec<SocketAddr>) -> ResolvedSocketAddrs {
    let mut out = DefaultResolver::default().empty();
    found.into_iter().take(MOST_ADDRESSES).for_each(|address| out.push(address));
    out
}

fn in_words(error: ureq::Error, limit: Duration) -> ProbeError {
    match error {
        // The library has the status only in its words: "proxy server responded 407/407".
        ureq::Error::ConnectProxyFailed(why) => {
            let status = why.rsplit('/').next().and_then(|status| status.trim().parse().ok());
            status.map_or_else(|| ProbeError::Unmet(why.clone()), ProbeError::Tunnel)
        }
        ureq::Error::Timeout(_) => ProbeError::TimedOut(limit),
        ureq::Error::Io(error) => ProbeError::io(error),
        ureq::Error::ConnectionFailed => "connection refused".into(),
        ureq::Error::HostNotFound => "its name has no address".into(),
        error => error.to_string().into(),
    }
}
