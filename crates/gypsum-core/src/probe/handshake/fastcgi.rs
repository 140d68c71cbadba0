//! FastCGI (its specification 1.0, 3.3 and 5): a request for a script that is not there. A worker must say so.

use super::{Conversation, Foreign, Received, Step};
use crate::probe::{Answer, Grade};

const NAME: &str = "FastCGI";
const VERSION: u8 = 1;
const BEGIN: u8 = 1;
const END: u8 = 3;
const PARAMS: u8 = 4;
const STDIN: u8 = 5;
const STDOUT: u8 = 6;
const STDERR: u8 = 7;
/// A script that nobody has.
const SCRIPT: &str = "/gypsum-asks-for-no-file.php";

/// A conversation with such an application.
#[derive(Default)]
pub(super) struct Fastcgi {
    has_asked: bool,
    out: Vec<u8>,
}

impl Conversation for Fastcgi {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if !self.has_asked {
            self.has_asked = true;
            return Ok(Step::Say(request()));
        }
        loop {
            let Some(head) = received.bytes.get(..8) else { return Ok(Step::Wait) };
            let (version, kind) = (head[0], head[1]);
            let length = usize::from(u16::from_be_bytes([head[4], head[5]]));
            let padding = usize::from(head[6]);
            if version != VERSION || !matches!(kind, END | STDOUT | STDERR) {
                return Err(Foreign(NAME));
            }
            let Some(record) = received.take(8 + length + padding) else { return Ok(Step::Wait) };
            match kind {
                STDOUT => self.out.extend(record.get(8..8 + length).unwrap_or_default()),
                STDERR => {}
                _ => return Ok(Step::End(vec![self.answer()])),
            }
        }
    }
}

impl Fastcgi {
    fn answer(&self) -> Answer {
        let text = String::from_utf8_lossy(&self.out);
        let status = text.lines().take_while(|line| !line.is_empty()).find_map(|line| {
            let (name, value) = line.split_once(':')?;
            name.eq_ignore_ascii_case("status")
                .then(|| value.trim().split(' ').next().unwrap_or_default().to_owned())
        });
        let word = status.unwrap_or_else(|| if text.is_empty() { "nothing".into() } else { "200".into() });
        let grade = match word.as_str() {
            // It is not there, as it should be.
            "404" | "200" => Grade::Served,
            word if word.starts_with('4') => Grade::Refused,
            _ => Grade::Failed,
        };
        Answer::new("a request for no script", grade, word)
    }
}

fn request() -> Vec<u8> {
    let variables = [
        ("REQUEST_METHOD", "GET"),
        ("SCRIPT_NAME", SCRIPT),
        ("SCRIPT_FILENAME", SCRIPT),
        ("REQUEST_URI", SCRIPT),
        ("SERVER_PROTOCOL", "HTTP/1.1"),
        ("GATEWAY_INTERFACE", "CGI/1.1"),
    ];
    let mut params = Vec::new();
    for (name, value) in variables {
        // Both are shorter than 128 bytes, so that one byte holds the length of each.
        params.extend([name.len() as u8, value.len() as u8]);
        params.extend(name.bytes().chain(value.bytes()));
    }
    // A responder, and the connection is closed behind it.
    let begin = [0, 1, 0, 0, 0, 0, 0, 0];
    [record(BEGIN, &begin), record(PARAMS, &params), record(PARAMS, &[]), record(STDIN, &[])].concat()
}

fn record(kind: u8, content: &[u8]) -> Vec<u8> {
    let [high, low] = (content.len() as u16).to_be_bytes();
    [&[VERSION, kind, 0, 1, high, low, 0, 0], content].concat()
}
