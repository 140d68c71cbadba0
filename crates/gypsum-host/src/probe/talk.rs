//! A conversation in lines: the client says one thing after the other, and each answer is kept.

use super::ProbeError;
use super::stream::Stream;
use gypsum_core::probe::{Answer, Measure, Talk};
use std::io::{BufRead, BufReader, ErrorKind, Read, Write};
use std::time::{Duration, Instant};

/// So many bytes of a whole conversation are read.
const MOST: u64 = 64 << 10;

pub fn probe(talk: &Talk, limit: Duration) -> Result<String, ProbeError> {
    Ok(Measure::default().judge(&answers(talk, limit)?)?)
}

/// The answers of the server, one for each thing that it is told, behind its greeting.
///
/// # Errors
///
/// If it cannot be reached, or does not answer in time.
pub fn answers(talk: &Talk, limit: Duration) -> Result<Vec<Answer>, ProbeError> {
    let deadline = Instant::now() + limit;
    let stream = Stream::to(&talk.at, limit)?;
    let mut session = Session { reader: BufReader::new(stream.take(MOST)), deadline, limit };
    let mut all = Vec::new();
    if talk.greets {
        all.push(session.answer(talk, "")?);
    }
    for told in &talk.says {
        session.say(told)?;
        all.push(session.answer(talk, told)?);
    }
    Ok(all)
}

struct Session {
    reader: BufReader<std::io::Take<Stream>>,
    deadline: Instant,
    limit: Duration,
}

impl Session {
    fn say(&mut self, told: &str) -> Result<(), ProbeError> {
        self.in_time()?;
        let line = format!("{told}\r\n");
        self.reader.get_mut().get_mut().write_all(line.as_bytes()).map_err(|error| self.failed(told, &error))
    }

    fn answer(&mut self, talk: &Talk, told: &str) -> Result<Answer, ProbeError> {
        let mut lines = Vec::new();
        loop {
            self.in_time()?;
            let mut line = Vec::new();
            let length =
                self.reader.read_until(b'\n', &mut line).map_err(|error| self.failed(told, &error))?;
            if length == 0 {
                return Err(match told {
                    "" => "closes the connection without a word".into(),
                    told => format!("closes the connection at {told}").into(),
                });
            }
            lines.push(String::from_utf8_lossy(&line).trim_end().to_owned());
            if let Some(answer) = talk.answer(told, &lines) {
                return Ok(answer);
            }
        }
    }

    fn in_time(&self) -> Result<(), ProbeError> {
        let left = self.deadline.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Err(ProbeError::TimedOut(self.limit));
        }
        self.reader.get_ref().get_ref().wait_at_most(left).map_err(ProbeError::io)
    }

    fn failed(&self, told: &str, error: &std::io::Error) -> ProbeError {
        let what = if told.is_empty() { "its greeting".to_owned() } else { format!("an answer to {told}") };
        match error.kind() {
            // What the standard library calls it when the time is up.
            ErrorKind::WouldBlock | ErrorKind::TimedOut => {
                format!("takes the connection; {what} does not come within {} ms", self.limit.as_millis())
                    .into()
            }
            _ => format!("takes the connection; instead of {what}: {}", crate::error::plain(error)).into(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gypsum_core::probe::Replies;
    use std::net::TcpListener;

    /// A server that says these, each when it has read a line; the first one at once.
    fn server(texts: &'static [&'static str]) -> String {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let at = listener.local_addr().unwrap().to_string();
        std::thread::spawn(move || {
            let (stream, _) = listener.accept().unwrap();
            let mut reader = BufReader::new(stream.try_clone().unwrap());
            for (n, text) in texts.iter().enumerate() {
                if n > 0 && reader.read_line(&mut String::new()).unwrap() == 0 {
                    return;
                }
                (&stream).write_all(text.as_bytes()).unwrap();
            }
            // A client that waits for more is let wait.
            let _ = reader.read_line(&mut String::new());
        });
        at
    }

    fn talk(at: String) -> Talk {
        let says = vec!["EHLO x".to_owned(), "QUIT".to_owned()];
        Talk { at, replies: Replies::Codes, greets: true, says, refuses: Vec::new() }
    }

    #[test]
    fn a_conversation_is_held_to_its_end() {
        let limit = Duration::from_secs(5);
        let at = server(&["220 x\r\n", "250-x\r\n250 SIZE\r\n", "221 bye\r\n"]);
        assert_eq!(probe(&talk(at), limit).unwrap(), "answers 220, 250, 221");
        let said = |texts, limit| probe(&talk(server(texts)), limit).unwrap_err().to_string();
        let short = Duration::from_millis(200);
        assert_eq!(said(&[""], short), "takes the connection; its greeting does not come within 200 ms");
        assert_eq!(
            said(&["220 x\r\n", "250-x\r\n"], short),
            "takes the connection; an answer to EHLO x does not come within 200 ms"
        );
        assert_eq!(said(&["554 no\r\n", "250 x\r\n", "221 x\r\n"], limit), "its greeting: 554");
    }
}
