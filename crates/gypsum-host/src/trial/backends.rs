//! Relays to other services of this host that a proxy's files name, since a trial has no way out: without them a balancer
//! would answer every client that nobody is there.
//!
//! In the trial's network somebody listens in the place of the service, and passes each connection on over a socket with a
//! path; outside somebody takes it, and connects to the service. Only what clients ask in the trial goes that way.

use super::spec::Backend;
use std::io;
use std::net::{IpAddr, Ipv4Addr, Shutdown, SocketAddr, TcpListener, TcpStream};
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread::Builder;
use std::time::Duration;

/// So many connections go through at once.
const MOST: usize = 64;
/// So many services are reached.
const MOST_SERVICES: usize = 32;
/// How long the connection to a service may take.
const LIMIT: Duration = Duration::from_secs(2);

/// The places where other services listen that one of the texts names: `ADDRESS:PORT`, or `localhost:PORT`.
pub fn named(taken: &[(bool, SocketAddr)], own_addresses: &[IpAddr], texts: &[&[u8]]) -> Vec<SocketAddr> {
    let here = IpAddr::from(Ipv4Addr::LOCALHOST);
    let is_named = |at: &SocketAddr| {
        let has = |text: &str| texts.iter().any(|file| holds(file, text));
        has(&at.to_string()) || at.ip() == here && has(&format!("localhost:{}", at.port()))
    };
    let mut all = Vec::new();
    for (_, at) in taken.iter().filter(|(udp, _)| !udp) {
        let addresses = match at.ip().is_unspecified() {
            true => std::iter::once(here).chain(own_addresses.iter().copied()).collect(),
            false => vec![at.ip()],
        };
        for one in addresses.into_iter().map(|address| SocketAddr::new(address, at.port())) {
            if is_named(&one) && !all.contains(&one) && all.len() < MOST_SERVICES {
                all.push(one);
            }
        }
    }
    all
}

/// Whether a file holds a text that no digit follows.
fn holds(file: &[u8], text: &str) -> bool {
    memchr::memmem::find_iter(file, text)
        .any(|at| file.get(at + text.len()).is_none_or(|next| !next.is_ascii_digit()))
}

/// Takes what comes from the trial, until this is dropped.
pub struct WaysOut {
    is_over: Arc<AtomicBool>,
    paths: Vec<std::path::PathBuf>,
}

impl WaysOut {
    /// Begins to, in `folder`; what the trial has to know of it.
    ///
    /// # Errors
    ///
    /// If a socket cannot be made.
    pub fn begin(services: &[SocketAddr], folder: &Path) -> io::Result<(Self, Vec<Backend>)> {
        let mut ways = Self { is_over: Arc::default(), paths: Vec::new() };
        let mut backends = Vec::new();
        for (n, at) in services.iter().copied().enumerate() {
            let path = folder.join(format!("way{n}"));
            let listener = UnixListener::bind(&path)?;
            let is_over = Arc::clone(&ways.is_over);
            Builder::new().spawn(move || {
                let open = Arc::new(AtomicUsize::new(0));
                for inner in listener.incoming().take_while(|_| !is_over.load(Ordering::Relaxed)) {
                    // One that broke off is asked again by whoever wants it.
                    if let Ok(inner) = inner
                        && let Ok(outer) = TcpStream::connect_timeout(&at, LIMIT)
                    {
                        join(inner, outer, &open);
                    }
                }
            })?;
            ways.paths.push(path.clone());
            backends.push(Backend { at, path });
        }
        Ok((ways, backends))
    }
}

impl Drop for WaysOut {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
        for path in &self.paths {
            // Who waits for the next one sees that it is over.
            let _ = UnixStream::connect(path);
        }
    }
}

/// Listens in the place of a service, in the network of this process, as long as it lives.
///
/// # Errors
///
/// If that place cannot be had.
pub fn stand_in_for(backend: Backend) -> io::Result<()> {
    let listener = TcpListener::bind(backend.at)?;
    Builder::new().spawn(move || {
        let open = Arc::new(AtomicUsize::new(0));
        for inner in listener.incoming().flatten() {
            // Without a way out the connection ends, as it does where nobody listens any more.
            if let Ok(outer) = UnixStream::connect(&backend.path) {
                join(outer, inner, &open);
            }
        }
    })?;
    Ok(())
}

/// Passes on what comes on either side, until one ends; where there are too many, both end at once.
fn join(one: UnixStream, other: TcpStream, open: &Arc<AtomicUsize>) {
    if open.fetch_add(1, Ordering::Relaxed) >= MOST {
        open.fetch_sub(1, Ordering::Relaxed);
        return;
    }
    let open = Arc::clone(open);
    // Where no thread can be had, both are closed.
    let _ = Builder::new().spawn(move || {
        if let Err(error) = pass_on(&one, &other) {
            tracing::debug!(%error, "a connection of the trial broke off");
        }
        open.fetch_sub(1, Ordering::Relaxed);
    });
}

fn pass_on(one: &UnixStream, other: &TcpStream) -> io::Result<()> {
    let (mut from_one, mut to_one) = (one.try_clone()?, one.try_clone()?);
    let (mut from_other, mut to_other) = (other.try_clone()?, other.try_clone()?);
    let back = Builder::new().spawn(move || {
        // However it ended, nothing more comes.
        let _ = io::copy(&mut from_other, &mut to_one);
        let _ = to_one.shutdown(Shutdown::Write);
    })?;
    let passed = io::copy(&mut from_one, &mut to_other);
    let _ = to_other.shutdown(Shutdown::Write);
    // It ends by itself once its side does.
    let _ = back.join();
    passed.map(|_| ())
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::io::{Read, Write};

    #[test]
    fn services_are_named_by_address_and_port() {
        let at = |text: &str| text.parse::<SocketAddr>().unwrap();
        let taken = [(false, at("0.0.0.0:8080")), (false, at("127.0.0.1:99")), (true, at("127.0.0.1:53"))];
        let own = ["192.0.2.1".parse().unwrap()];
        for (text, found) in [
            ("server east 127.0.0.1:8080 check", vec!["127.0.0.1:8080"]),
            ("proxy_pass http://localhost:8080/;", vec!["127.0.0.1:8080"]),
            ("server east 192.0.2.1:8080", vec!["192.0.2.1:8080"]),
            ("server east 127.0.0.1:80801", vec![]),
            ("server east 192.0.2.1:99 127.0.0.1:53", vec![]),
        ] {
            let found: Vec<SocketAddr> = found.into_iter().map(at).collect();
            assert_eq!(named(&taken, &own, &[text.as_bytes()]), found, "{text}");
        }
    }

    #[test]
    fn a_connection_goes_through_both() {
        let service = TcpListener::bind("127.0.0.1:0").unwrap();
        let folder = tempfile::tempdir().unwrap();
        let (ways, backends) = WaysOut::begin(&[service.local_addr().unwrap()], folder.path()).unwrap();
        let free = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
        stand_in_for(Backend { at: free, path: backends[0].path.clone() }).unwrap();
        std::thread::spawn(move || {
            let (mut came, _) = service.accept().unwrap();
            let mut asked = [0; 4];
            came.read_exact(&mut asked).unwrap();
            came.write_all(b"quay ").unwrap();
            came.write_all(&asked).unwrap();
        });
        let mut client = TcpStream::connect(free).unwrap();
        client.write_all(b"east").unwrap();
        let mut answer = String::new();
        client.read_to_string(&mut answer).unwrap();
        assert_eq!(answer, "quay east");
        drop(ways);
    }
}
