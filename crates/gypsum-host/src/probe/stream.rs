//! A connection to a server of this host or another one, over the network or a Unix socket.

use super::ProbeError;
use super::tcp::connect;
use std::io::{ErrorKind, Read, Write};
use std::net::{Shutdown, TcpStream};
use std::os::unix::net::UnixStream;
use std::time::Duration;

/// A connection by either way.
pub(super) enum Stream {
    Net(TcpStream),
    Local(UnixStream),
}

impl Stream {
    /// A connection to `host:port`, or to the Unix socket at a path.
    pub fn to(at: &str, limit: Duration) -> Result<Self, ProbeError> {
        if at.starts_with('/') {
            return UnixStream::connect(at).map(Self::Local).map_err(|error| match error.kind() {
                ErrorKind::PermissionDenied => ProbeError::NotAllowed(at.to_owned()),
                _ => ProbeError::io(error),
            });
        }
        connect(at, 0, limit).map(|(stream, _)| Self::Net(stream))
    }

    /// Says that nothing more is said.
    pub fn end_of_saying(&self) -> std::io::Result<()> {
        match self {
            Self::Net(stream) => stream.shutdown(Shutdown::Write),
            Self::Local(stream) => stream.shutdown(Shutdown::Write),
        }
    }

    /// Lets reads and writes take at most this time.
    pub fn wait_at_most(&self, time: Duration) -> std::io::Result<()> {
        match self {
            Self::Net(stream) => {
                stream.set_read_timeout(Some(time))?;
                stream.set_write_timeout(Some(time))
            }
            Self::Local(stream) => {
                stream.set_read_timeout(Some(time))?;
                stream.set_write_timeout(Some(time))
            }
        }
    }
}

impl Read for Stream {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        match self {
            Self::Net(stream) => stream.read(bytes),
            Self::Local(stream) => stream.read(bytes),
        }
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match self {
            Self::Net(stream) => stream.write(bytes),
            Self::Local(stream) => stream.write(bytes),
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}
