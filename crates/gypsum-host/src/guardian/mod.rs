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
use std::time::Duration;

/// How long it may take to come.
const PATIENCE: Duration = Duration::from_secs(5);

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
        launch::launch(&daemon, &socket)?;
        let line = accept(&listener);
        drop(folder);
        line
    })
}

/// A folder that is short, that is there early, and that no private `/tmp` hides.
fn runtime_folder() -> PathBuf {
    let shared = PathBuf::from("/run");
    let usable = rustix::fs::access(&shared, rustix::fs::Access::WRITE_OK).is_ok();
    if usable { shared } else { std::env::temp_dir() }
}

fn accept(listener: &UnixListener) -> io::Result<UnixStream> {
    let time = Timespec { tv_sec: PATIENCE.as_secs().cast_signed(), tv_nsec: 0 };
    loop {
        match poll(&mut [PollFd::new(listener, PollFlags::IN)], Some(&time)) {
            Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error.into()),
            Ok(0) => {
                return Err(io::Error::other(format!("it did not come within {} s", PATIENCE.as_secs())));
            }
            Ok(_) => break,
        }
    }
    let (line, _) = listener.accept()?;
    let peer = rustix::net::sockopt::socket_peercred(&line)?;
    if peer.uid != rustix::process::geteuid() {
        return Err(io::Error::other("another account answered in its place"));
    }
    Ok(line)
}
