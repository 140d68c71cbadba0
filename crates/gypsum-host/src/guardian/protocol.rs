//! What the front and the guardian say to each other: the locks as open files, then lines of JSON.

use crate::locks::Locks;
use crate::state::{Entry, State};
use gypsum_core::change::Plan;
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::record::VERSION;
use gypsum_core::report::Report;
use rustix::net::{
    RecvAncillaryBuffer, RecvAncillaryMessage, RecvFlags, SendAncillaryBuffer, SendAncillaryMessage,
    SendFlags, recvmsg, sendmsg,
};
use serde::{Deserialize, Serialize};
use std::fs::File;
use std::io::{self, BufRead, BufReader, IoSlice, IoSliceMut, Write};
use std::mem::MaybeUninit;
use std::os::fd::OwnedFd;
use std::os::unix::net::UnixStream;
use std::path::PathBuf;
use std::time::Duration;

/// So many open files are sent at once; the kernel takes 253.
const AT_ONCE: usize = 64;
/// How often somebody who listens looks up.
const LOOK_UP: Duration = Duration::from_millis(100);
/// Goes with open files while the text has not begun, and before the text.
const MORE: &[u8; 1] = b"+";
const ALL: [u8; 1] = *b".";
/// What the front says when the person wants out.
const WITHDRAW: &[u8] = b"withdraw\n";

/// A change whose new files are beside the old ones.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Staged {
    /// Its folder.
    pub entry: Entry,
    /// Its plan.
    pub plan: Plan,
    /// What is known of it so far.
    pub report: Report,
    /// Texts that are never shown.
    pub secrets: Vec<String>,
}

/// Everything that a guardian must know of its change, but for the locks.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Handover {
    /// The state folder.
    pub state: State,
    /// The change.
    pub staged: Staged,
    /// What others are told who want the locks.
    pub holder: String,
    /// Whether a person at a terminal looks on, through this line.
    #[serde(default)]
    pub is_watched: bool,
}

/// The names of the locks, in the order in which their open files are sent.
#[derive(Serialize, Deserialize)]
struct Sent {
    /// Both ends are the same program, unless it was replaced a moment ago.
    #[serde(default)]
    record: u32,
    charge: Handover,
    locks: Vec<PathBuf>,
}

/// What a guardian tells.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum GuardianMessage {
    /// Something happened.
    Saw(Event),
    /// The change ended, and amounts to this exit status.
    Ended(ExitStatus),
    /// It is at work, whether or not something happened, and so many checks are healthy of those that are waited for;
    /// said several times a second.
    Alive(usize, usize),
}

/// What came over the line.
#[derive(Clone, Debug)]
pub enum Received {
    /// This was told.
    Message(Box<GuardianMessage>),
    /// Nothing yet.
    Nothing,
    /// The other end has gone.
    End,
}

/// The front's end of the line.
#[derive(Debug)]
pub struct GuardianClient {
    stream: BufReader<UnixStream>,
    half: Vec<u8>,
}

impl GuardianClient {
    /// The end of this connection.
    pub fn over(stream: UnixStream) -> Self {
        Self { stream: BufReader::new(stream), half: Vec::new() }
    }

    /// Hands a change over, with the locks that it needs; they stay ours, too.
    pub fn hand_over(&mut self, charge: Handover, locks: &Locks) -> io::Result<()> {
        let stream = self.stream.get_mut();
        for some in locks.files().chunks(AT_ONCE) {
            let mut space = [MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(AT_ONCE))];
            let mut beside = SendAncillaryBuffer::new(&mut space);
            if !beside.push(SendAncillaryMessage::ScmRights(some)) {
                return Err(io::Error::other("the locks do not fit into one message"));
            }
            sendmsg(&*stream, &[IoSlice::new(MORE)], &mut beside, SendFlags::NOSIGNAL)?;
        }
        let mut text = ALL.to_vec();
        serde_json::to_writer(&mut text, &Sent { record: VERSION, charge, locks: locks.names() })?;
        text.push(b'\n');
        stream.write_all(&text)
    }

    /// Waits a moment for the next thing that the guardian tells.
    pub fn hear(&mut self) -> Received {
        let listens = self.stream.get_ref().set_read_timeout(Some(LOOK_UP));
        match listens.and_then(|()| self.stream.read_until(b'\n', &mut self.half)) {
            Ok(_) if self.half.ends_with(b"\n") => {
                let told = serde_json::from_slice(&self.half);
                self.half.clear();
                told.map_or(Received::End, Received::Message)
            }
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => Received::Nothing,
            Ok(_) | Err(_) => Received::End,
        }
    }

    /// Says that the person wants out.
    pub fn withdraw(&mut self) {
        // Where it cannot be said, the end of the line says the rest. A guardian that does not read never holds us up.
        let stream = self.stream.get_mut();
        if let Err(error) = stream.set_write_timeout(Some(LOOK_UP)).and_then(|()| stream.write_all(WITHDRAW))
        {
            tracing::debug!(%error, "the guardian cannot be reached");
        }
    }
}

/// The guardian's end of the line.
#[derive(Debug)]
pub struct GuardianServer {
    stream: BufReader<UnixStream>,
}

impl GuardianServer {
    /// The end of this connection.
    pub fn over(stream: UnixStream) -> Self {
        Self { stream: BufReader::new(stream) }
    }

    /// A second end of the same line, to speak on.
    pub fn speaker(&self) -> io::Result<UnixStream> {
        self.stream.get_ref().try_clone()
    }

    /// The change that was handed over, with its locks; none where the front has gone.
    pub fn charge(&mut self) -> io::Result<Option<(Handover, Locks)>> {
        let Some(files) = self.files()? else { return Ok(None) };
        let mut text = Vec::new();
        self.stream.read_until(b'\n', &mut text)?;
        if text.last() != Some(&b'\n') {
            // It was cut off in the middle: whoever sent it has the journal still.
            return Ok(None);
        }
        let Sent { record, charge, locks } = serde_json::from_slice(&text)?;
        if record != VERSION {
            return Err(io::Error::other(format!("the change is handed over in version {record}")));
        }
        let held = locks.into_iter().zip(files.into_iter().map(File::from)).collect();
        let locks = Locks::handed_over(held, &charge.holder);
        Ok(Some((charge, locks)))
    }

    /// The open files that come before the text.
    fn files(&self) -> io::Result<Option<Vec<OwnedFd>>> {
        let mut files = Vec::new();
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
                if let RecvAncillaryMessage::ScmRights(some) = message {
                    files.extend(some);
                }
            }
            match (got.bytes, mark) {
                (0, _) => return Ok(None),
                (_, ALL) => return Ok(Some(files)),
                _ => {}
            }
        }
    }

    /// Waits until the front says that the person wants out; false once it has gone.
    pub fn is_withdrawn(&mut self) -> bool {
        let mut text = Vec::new();
        self.stream.read_until(b'\n', &mut text).is_ok() && text == WITHDRAW
    }
}
