//! What the front and the guardian say to each other: the locks as open files, then lines of JSON.

use gypsum_core::change::Plan;
use gypsum_core::happening::Happening;
use gypsum_core::report::Report;
use rustix::net::{
    RecvAncillaryBuffer, RecvAncillaryMessage, RecvFlags, SendAncillaryBuffer, SendAncillaryMessage,
    SendFlags, recvmsg, sendmsg,
};
use serde::{Deserialize, Serialize};
use std::io::{self, BufRead, BufReader, IoSlice, IoSliceMut, Write};
use std::mem::MaybeUninit;
use std::os::fd::{BorrowedFd, OwnedFd};
use std::os::unix::net::UnixStream;
use std::path::PathBuf;
use std::time::Duration;

/// So many open files are sent at once; the kernel takes 253.
const AT_ONCE: usize = 64;
/// How often somebody who listens looks up.
const LOOK_UP: Duration = Duration::from_millis(100);
/// What the front says when the person wants out.
const WITHDRAW: &[u8] = b"withdraw\n";

/// Everything that a guardian must know of its change.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Charge {
    /// The state folder.
    pub state: PathBuf,
    /// The number of the change.
    pub number: u32,
    /// The change's folder.
    pub folder: PathBuf,
    /// The plan.
    pub plan: Plan,
    /// What is known of it so far.
    pub report: Report,
    /// Texts that are never shown.
    pub secrets: Vec<String>,
    /// The locks, in the order in which they were sent.
    pub locks: Vec<PathBuf>,
    /// What others are told who want the locks.
    pub holder: String,
}

/// What a guardian tells.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Told {
    /// Something happened.
    Saw(Happening),
    /// The change ended, and amounts to this exit status.
    Ended(u8),
}

/// What came over the line.
#[derive(Clone, Debug)]
pub enum Heard {
    /// This was told.
    Told(Told),
    /// Nothing yet.
    Nothing,
    /// The other end has gone.
    End,
}

/// The line between the two.
#[derive(Debug)]
pub struct Line {
    stream: BufReader<UnixStream>,
    half: Vec<u8>,
    withdrawn: bool,
}

impl Line {
    /// The line over this connection.
    pub fn over(stream: UnixStream) -> Self {
        Self { stream: BufReader::new(stream), half: Vec::new(), withdrawn: false }
    }

    /// A second end of the same line, to speak on.
    pub fn speaker(&self) -> io::Result<UnixStream> {
        self.stream.get_ref().try_clone()
    }

    /// Hands a change over, with the open files that are its locks.
    pub fn hand_over(&mut self, charge: &Charge, locks: &[BorrowedFd<'_>]) -> io::Result<()> {
        let stream = self.stream.get_ref();
        for some in locks.chunks(AT_ONCE) {
            let mut space = [MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(AT_ONCE))];
            let mut beside = SendAncillaryBuffer::new(&mut space);
            if !beside.push(SendAncillaryMessage::ScmRights(some)) {
                return Err(io::Error::other("the locks do not fit into one message"));
            }
            sendmsg(stream, &[IoSlice::new(b"+")], &mut beside, SendFlags::NOSIGNAL)?;
        }
        let mut text = serde_json::to_vec(charge)?;
        text.insert(0, b'.');
        text.push(b'\n');
        self.stream.get_mut().write_all(&text)
    }

    /// The change that was handed over, with its locks; none where the front has gone.
    pub fn charge(&mut self) -> io::Result<Option<(Charge, Vec<OwnedFd>)>> {
        let Some(locks) = self.locks()? else { return Ok(None) };
        let mut text = Vec::new();
        self.stream.read_until(b'\n', &mut text)?;
        match text.last() {
            Some(b'\n') => Ok(Some((serde_json::from_slice(&text)?, locks))),
            // It was cut off in the middle: whoever sent it has the journal still.
            _ => Ok(None),
        }
    }

    fn locks(&mut self) -> io::Result<Option<Vec<OwnedFd>>> {
        let mut locks = Vec::new();
        loop {
            let mut space = [MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(AT_ONCE))];
            let mut beside = RecvAncillaryBuffer::new(&mut space);
            let mut mark = [0];
            let stream = self.stream.get_ref();
            let got = match recvmsg(
                stream,
                &mut [IoSliceMut::new(&mut mark)],
                &mut beside,
                RecvFlags::CMSG_CLOEXEC,
            ) {
                Err(rustix::io::Errno::INTR) => continue,
                got => got?,
            };
            for message in beside.drain() {
                if let RecvAncillaryMessage::ScmRights(files) = message {
                    locks.extend(files);
                }
            }
            match (got.bytes, mark[0]) {
                (0, _) => return Ok(None),
                (_, b'.') => return Ok(Some(locks)),
                _ => {}
            }
        }
    }

    /// Waits a moment for the next thing that the guardian tells.
    pub fn hear(&mut self) -> Heard {
        let listens = self.stream.get_ref().set_read_timeout(Some(LOOK_UP));
        match listens.and_then(|()| self.stream.read_until(b'\n', &mut self.half)) {
            Ok(_) if self.half.ends_with(b"\n") => {
                let told = serde_json::from_slice(&self.half);
                self.half.clear();
                told.map_or(Heard::End, Heard::Told)
            }
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => Heard::Nothing,
            Ok(_) | Err(_) => Heard::End,
        }
    }

    /// Says, once, that the person wants out.
    pub fn withdraw(&mut self) {
        // Where it cannot be said, the end of the line says the rest.
        self.withdrawn = self.withdrawn || self.stream.get_mut().write_all(WITHDRAW).is_ok();
    }

    /// Waits until the front says that the person wants out; false once it has gone.
    pub fn is_withdrawn(&mut self) -> bool {
        let mut text = Vec::new();
        self.stream.read_until(b'\n', &mut text).is_ok() && text == WITHDRAW
    }
}
