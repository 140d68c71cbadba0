//! SMB 2 and 3 (MS-SMB2, MS-NLMP): the protocol is agreed on, a session without a name begins, and a share is opened. No
//! file of it is.

use super::{Conversation, Foreign, Received, Step};
use crate::probe::{Answer, Grade};

const NAME: &str = "SMB 2";
/// What every message begins with (2.2.1).
const MARK: [u8; 4] = [0xfe, b'S', b'M', b'B'];
/// The length of a header, in bytes.
const HEADER: usize = 64;
/// No message here is longer than this.
const MOST: usize = 64 << 10;
/// The share that every server has.
const EVERY_SERVER: &str = "IPC$";
/// The dialects that are asked for: 2.0.2, 2.1, 3.0, 3.0.2, 3.1.1.
const DIALECTS: [u16; 5] = [0x0202, 0x0210, 0x0300, 0x0302, 0x0311];
/// The status of a session that goes on (2.2.5).
const MORE: u32 = 0xc000_0016;
/// The status of a share that is not there, or whose folder is not (MS-ERREF, 2.3.1).
const NO_SUCH_SHARE: u32 = 0xc000_00cc;
/// The server wants signed messages, and says so in its security mode (2.2.4).
const MUST_SIGN: u16 = 2;
/// UNICODE, REQUEST_TARGET, NTLM and EXTENDED_SESSIONSECURITY (MS-NLMP, 2.2.2.5).
const NTLM_FLAGS: u32 = 1 | 4 | 0x200 | 0x8_0000;
/// The same of somebody without a name.
const NTLM_NOBODY: u32 = NTLM_FLAGS | 0x800;

/// The commands (2.2.1).
#[derive(Clone, Copy, PartialEq, Eq)]
enum Command {
    Negotiate = 0,
    SessionSetup = 1,
    TreeConnect = 3,
}

/// A conversation with such a server. Where a share is asked for, only that is answered, or why it does not come to it.
pub(super) struct Smb {
    share: Option<String>,
    /// How many messages were sent.
    sent: u64,
    /// The command whose answer is waited for.
    at: Command,
    session: u64,
    answers: Vec<Answer>,
}

impl Smb {
    pub fn of(share: Option<&str>) -> Self {
        Self {
            share: share.map(str::to_owned),
            sent: 0,
            at: Command::Negotiate,
            session: 0,
            answers: Vec::new(),
        }
    }

    fn say(&mut self, command: Command, body: &[u8]) -> Step {
        self.at = command;
        let mut message = Vec::with_capacity(HEADER + body.len());
        message.extend(MARK);
        message.extend(64u16.to_le_bytes());
        // A charge of one, no status.
        message.extend([1, 0, 0, 0, 0, 0]);
        message.extend((command as u16).to_le_bytes());
        // So many further messages are asked for; no flags, no next one in the same packet.
        message.extend(31u16.to_le_bytes());
        message.extend([0; 8]);
        message.extend(self.sent.to_le_bytes());
        message.extend([0; 8]);
        message.extend(self.session.to_le_bytes());
        message.extend([0; 16]);
        message.extend(body);
        self.sent += 1;
        let length = message.len() as u32;
        Step::Say([length.to_be_bytes().as_slice(), &message].concat())
    }

    fn ends(&mut self, to: &str, grade: Grade, word: String) -> Step {
        if let Some(share) = &self.share {
            return Step::End(vec![Answer::state(format!("the share {share}"), grade, word)]);
        }
        self.answers.push(Answer::state(to, grade, word));
        Step::End(std::mem::take(&mut self.answers))
    }

    fn negotiated(&mut self, status: u32, body: &[u8]) -> Result<Step, Foreign> {
        let to = "the protocol";
        if status != 0 {
            return Ok(self.ends(to, Grade::Failed, format!("refused ({})", reason(status))));
        }
        let (mode, dialect) = (number(body, 2)?, number(body, 4)?);
        let mut answer = Answer::state(to, Grade::Served, dialect_of(dialect));
        answer.offers.extend((mode & MUST_SIGN == 0).then(|| "messages without a signature".to_owned()));
        self.answers.push(answer);
        Ok(self.say(Command::SessionSetup, &session_setup(&ntlm_begin())))
    }

    fn in_session(&mut self, status: u32) -> Step {
        let to = "a session without a name";
        if status == MORE {
            return self.say(Command::SessionSetup, &session_setup(&ntlm_nobody()));
        }
        if status != 0 {
            return self.ends(to, Grade::Refused, format!("refused ({})", reason(status)));
        }
        self.answers.push(Answer::state(to, Grade::Served, "allowed"));
        let path = format!("\\\\127.0.0.1\\{}", self.share.as_deref().unwrap_or(EVERY_SERVER));
        self.say(Command::TreeConnect, &tree_connect(&path))
    }
}

impl Conversation for Smb {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if self.sent == 0 {
            return Ok(self.say(Command::Negotiate, &negotiate()));
        }
        // A byte that is 0, and the length in three (2.1).
        let Some(&[kind, high, middle, low]) = received.bytes.first_chunk() else { return Ok(Step::Wait) };
        let length = u32::from_be_bytes([0, high, middle, low]) as usize;
        if kind != 0 || !(HEADER..MOST).contains(&length) {
            return Err(Foreign(NAME));
        }
        let Some(packet) = received.take(length + 4) else { return Ok(Step::Wait) };
        let message = packet.get(4..).unwrap_or_default();
        let (header, body) = message.split_at_checked(HEADER).ok_or(Foreign(NAME))?;
        if !header.starts_with(&MARK) || number(header, 12)? != self.at as u16 {
            return Err(Foreign(NAME));
        }
        let status = u32::from(number(header, 8)?) | u32::from(number(header, 10)?) << 16;
        match self.at {
            Command::Negotiate => self.negotiated(status, body),
            Command::SessionSetup => {
                let bytes = header.get(40..48).and_then(|bytes| bytes.first_chunk()).ok_or(Foreign(NAME))?;
                self.session = u64::from_le_bytes(*bytes);
                Ok(self.in_session(status))
            }
            Command::TreeConnect => {
                let to = format!("the share {EVERY_SERVER}");
                Ok(match status {
                    0 => self.ends(&to, Grade::Served, "open".to_owned()),
                    NO_SUCH_SHARE => self.ends(&to, Grade::Refused, "not there".to_owned()),
                    _ => self.ends(&to, Grade::Refused, format!("closed ({})", reason(status))),
                })
            }
        }
    }
}

fn number(bytes: &[u8], at: usize) -> Result<u16, Foreign> {
    let two = bytes.get(at..).and_then(|bytes| bytes.first_chunk()).ok_or(Foreign(NAME))?;
    Ok(u16::from_le_bytes(*two))
}

/// 2.2.3, with the one context that 3.1.1 must have (2.2.3.1.1).
fn negotiate() -> Vec<u8> {
    let mut body = Vec::new();
    body.extend(36u16.to_le_bytes());
    body.extend((DIALECTS.len() as u16).to_le_bytes());
    // Signing is possible; no capabilities; a client that is nobody.
    body.extend([1, 0, 0, 0]);
    body.extend([0; 4 + 16]);
    // The contexts begin at a multiple of eight.
    let end = HEADER + 36 + 2 * DIALECTS.len();
    let begin = end.next_multiple_of(8);
    body.extend((begin as u32).to_le_bytes());
    body.extend([1, 0, 0, 0]);
    DIALECTS.iter().for_each(|dialect| body.extend(dialect.to_le_bytes()));
    body.resize(begin - HEADER, 0);
    // Of kind 1, 38 bytes long: one digest, SHA-512, and 32 bytes of salt.
    body.extend([1, 0, 38, 0, 0, 0, 0, 0]);
    body.extend([1, 0, 32, 0, 1, 0]);
    body.extend([0; 32]);
    body
}

/// 2.2.5.
fn session_setup(token: &[u8]) -> Vec<u8> {
    let mut body = Vec::new();
    body.extend(25u16.to_le_bytes());
    body.extend([0, 1]);
    body.extend([0; 8]);
    body.extend(((HEADER + 24) as u16).to_le_bytes());
    body.extend((token.len() as u16).to_le_bytes());
    body.extend([0; 8]);
    body.extend(token);
    body
}

/// 2.2.9.
fn tree_connect(path: &str) -> Vec<u8> {
    let path: Vec<u8> = path.encode_utf16().flat_map(u16::to_le_bytes).collect();
    let mut body = Vec::new();
    body.extend(9u16.to_le_bytes());
    body.extend([0, 0]);
    body.extend(((HEADER + 8) as u16).to_le_bytes());
    body.extend((path.len() as u16).to_le_bytes());
    body.extend(path);
    body
}

/// MS-NLMP, 2.2.1.1: neither a domain nor a workstation.
fn ntlm_begin() -> Vec<u8> {
    [b"NTLMSSP\0\x01\0\0\0".as_slice(), &NTLM_FLAGS.to_le_bytes(), &[0; 16]].concat()
}

/// MS-NLMP, 2.2.1.3 and 3.2.5.1.2: whoever has no name answers with one byte that is 0.
fn ntlm_nobody() -> Vec<u8> {
    const PAYLOAD: u32 = 64;
    let field = |length: u16| {
        let at = PAYLOAD + u32::from(length == 0);
        [length.to_le_bytes().as_slice(), &length.to_le_bytes(), &at.to_le_bytes()].concat()
    };
    let mut message = b"NTLMSSP\0\x03\0\0\0".to_vec();
    message.extend(field(1));
    (0..5).for_each(|_| message.extend(field(0)));
    message.extend(NTLM_NOBODY.to_le_bytes());
    message.push(0);
    message
}

fn dialect_of(dialect: u16) -> String {
    match dialect {
        0x0202 => "SMB 2.0.2".to_owned(),
        other => {
            let [low, high] = other.to_le_bytes();
            let last = if low & 15 == 0 { String::new() } else { format!(".{}", low & 15) };
            format!("SMB {high}.{}{last}", low >> 4)
        }
    }
}

/// Why something is refused: the commonest reasons of MS-ERREF, 2.3.1.
fn reason(status: u32) -> String {
    match status {
        0xc000_0022 => "access denied".to_owned(),
        0xc000_006d => "no such login".to_owned(),
        0xc000_00bb => "not supported".to_owned(),
        other => format!("error 0x{other:08x}"),
    }
}
