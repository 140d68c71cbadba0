//! The guardian: a process of its own that carries a change from the first live byte to its verdict,
//! whatever becomes of the terminal, the session, and whoever typed.
//!
//! The process that was typed at (the front) starts it while the checks still run ([`Guardian::begin`]),
//! listens for it on a socket in a folder of its own, and hands the change over once the plan is made: the
//! locks themselves, as open files, and a [`Handover`] that says all the rest. From there on it only draws what
//! the guardian tells. Where the guardian is lost, the front still holds the locks and goes on.

mod launch;
mod protocol;

pub use launch::{ENTRY, STAND_BY, stand_by, start};
pub use protocol::{GuardianClient, GuardianMessage, GuardianServer, Handover, Received, Staged};

use crate::scratch::Scratch;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use std::io;
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::PathBuf;
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// How long it may take to come.
const PATIENCE: Duration = Duration::from_secs(5);
/// How often, in nanoseconds, it is looked whether it can still come.
const LOOK_NS: i64 = 250_000_000;

/// A guardian on its way.
#[derive(Debug)]
pub struct Guardian {
    coming: io::Result<Option<JoinHandle<io::Result<UnixStream>>>>,
}

impl Guardian {
    /// Begins to start one for a change of `daemon`.
    pub fn begin(daemon: &str) -> Self {
        Self { coming: begin(daemon.to_owned()).map(Some) }
    }

    /// The line to it; waits until it has come.
    pub fn come(mut self) -> io::Result<GuardianClient> {
        Ok(GuardianClient::over(self.arrived()?))
    }

    fn arrived(&mut self) -> io::Result<UnixStream> {
        let coming = std::mem::replace(&mut self.coming, Ok(None))?;
        let broken = || io::Error::other("the thread that started it broke off");
        coming.and_then(|coming| coming.join().ok()).unwrap_or_else(|| Err(broken()))
    }
}

impl Drop for Guardian {
    /// One that is not needed goes when its line is cut; its folder goes with the thread.
    fn drop(&mut self) {
        if matches!(self.coming, Ok(Some(_))) {
            let _ = self.arrived();
        }
    }
}

fn begin(daemon: String) -> io::Result<JoinHandle<io::Result<UnixStream>>> {
    let folder = Scratch::new(&runtime_folder(), "gypsum-guardian-", 0o700)?;
    let socket = folder.path().join("guardian");
    let listener = UnixListener::bind(&socket)?;
    std::thread::Builder::new().spawn(move || {
        let launched = launch::launch(&daemon, &socket)?;
        let line = match accept(&listener, &|| launched.may_come()) {
            Ok(None) => launch::launch_surely(&daemon, &socket).and_then(|_| accept(&listener, &|| true)),
            line => line,
        };
        drop(folder);
        line?.ok_or_else(|| io::Error::other("it ended at its start"))
    })
}

/// A folder that is short, that is there early, and that no private `/tmp` hides.
fn runtime_folder() -> PathBuf {
    let shared = PathBuf::from("/run");
    let usable = rustix::fs::access(&shared, rustix::fs::Access::WRITE_OK).is_ok();
    if usable { shared } else { std::env::temp_dir() }
}

/// The line to it; none where it cannot come any more.
fn accept(listener: &UnixListener, may_come: &dyn Fn() -> bool) -> io::Result<Option<UnixStream>> {
    let time = Timespec { tv_sec: 0, tv_nsec: LOOK_NS };
    let end = Instant::now() + PATIENCE;
    loop {
        match poll(&mut [PollFd::new(listener, PollFlags::IN)], Some(&time)) {
            Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error.into()),
            Ok(0) if !may_come() => return Ok(None),
            Ok(0) if Instant::now() > end => {
                return Err(io::Error::other(format!("it did not come within {} s", PATIENCE.as_secs())));
            }
            Ok(0) => {}
            Ok(_) => break,
        }
    }
    let (line, _) = listener.accept()?;
    let peer = rustix::net::sockopt::socket_peercred(&line)?;
    if peer.uid != rustix::process::geteuid() {
        return Err(io::Error::other("another account answered in its place"));
    }
    Ok(Some(line))
}
