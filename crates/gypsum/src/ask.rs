//! Asking the person at the terminal.

use gypsum_host::error::Error;
use gypsum_host::interrupt;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::termios::{LocalModes, OptionalActions, Termios, tcgetattr, tcsetattr};
use std::io::{self, IsTerminal, Write};

/// A value that is not shown: typed at the terminal without echo, or else a line of standard input.
pub fn secret(question: &str) -> io::Result<String> {
    let input = io::stdin();
    if !input.is_terminal() {
        return line(&input);
    }
    let keys = Keys::begin(&input)?;
    eprint_now(question)?;
    let typed = typed(&keys);
    eprint_now("\n")?;
    typed
}

/// What is typed up to Enter. Backspace takes a character back, and Ctrl-U all of them.
fn typed(keys: &Keys<'_>) -> io::Result<String> {
    let mut bytes = Vec::new();
    loop {
        match keys.next()? {
            None => return Err(io::Error::new(io::ErrorKind::Interrupted, "it was interrupted")),
            Some(b'\r' | b'\n') => break,
            Some(0x7f | 0x08) => {
                // A character of UTF-8 ends with its bytes that begin with the bits 10.
                while bytes.pop().is_some_and(|byte: u8| byte & 0xc0 == 0x80) {}
            }
            Some(0x15) => bytes.clear(),
            Some(byte) => bytes.push(byte),
        }
    }
    String::from_utf8(bytes).map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "it is not UTF-8"))
}

/// One answer, without its line ending.
fn line(input: &io::Stdin) -> io::Result<String> {
    let mut text = String::new();
    if input.read_line(&mut text)? == 0 {
        return Err(io::Error::new(io::ErrorKind::UnexpectedEof, "the input is at its end"));
    }
    Ok(text.trim_end_matches(['\n', '\r']).to_owned())
}

fn eprint_now(text: &str) -> io::Result<()> {
    let mut out = io::stderr();
    out.write_all(text.as_bytes())?;
    out.flush()
}

/// The keys of a terminal, one by one and without echo. The terminal is as before once this is gone, however it goes.
struct Keys<'a> {
    input: &'a io::Stdin,
    before: Termios,
}

impl<'a> Keys<'a> {
    fn begin(input: &'a io::Stdin) -> io::Result<Self> {
        // Another process may ask this one to end: then the terminal is made as before, first.
        interrupt::watch()?;
        let before = tcgetattr(input)?;
        let mut raw = before.clone();
        // Ctrl-C is an answer here, and no signal.
        raw.local_modes.remove(LocalModes::ECHO | LocalModes::ICANON | LocalModes::ISIG);
        // What was typed before the question is no answer to it; what is typed from then on is.
        tcsetattr(input, OptionalActions::Flush, &raw)?;
        Ok(Self { input, before })
    }

    /// The next byte; `None` if the person pressed Ctrl-C or Ctrl-D, the input has ended, or the process is to end.
    fn next(&self) -> io::Result<Option<u8>> {
        let time = Timespec { tv_sec: 0, tv_nsec: 100_000_000 };
        loop {
            if interrupt::is_requested() {
                return Ok(None);
            }
            match poll(&mut [PollFd::new(self.input, PollFlags::IN)], Some(&time)) {
                Ok(0) | Err(rustix::io::Errno::INTR) => continue,
                ready => ready?,
            };
            let mut byte = [0; 1];
            return Ok((rustix::io::read(self.input, &mut byte)? > 0 && !matches!(byte[0], 3 | 4))
                .then_some(byte[0]));
        }
    }
}

impl Drop for Keys<'_> {
    fn drop(&mut self) {
        if let Err(error) = tcsetattr(self.input, OptionalActions::Now, &self.before) {
            tracing::warn!(%error, "the terminal cannot be made as before");
        }
    }
}

/// One of several things to do: its letter, and what it is.
pub type Choice<'a> = (char, &'a str);

/// Lets the person choose, by letter or by the arrow keys and Enter; the first is chosen at the beginning.
/// Answers with the letter; `None` if the person pressed Ctrl-C or ended the terminal's input.
pub fn choose(question: &str, choices: &[Choice<'_>]) -> Result<Option<char>, Error> {
    asked(question, choices).map_err(|error| Error::cannot(format!("the terminal cannot be read: {error}")))
}

fn asked(question: &str, choices: &[Choice<'_>]) -> io::Result<Option<char>> {
    let input = io::stdin();
    let keys = Keys::begin(&input)?;
    eprint_now(&format!("{question}\n"))?;
    draw(choices, 0)?;
    chosen(&keys, choices)
}

fn chosen(keys: &Keys<'_>, choices: &[Choice<'_>]) -> io::Result<Option<char>> {
    let (mut at, mut escape) = (0usize, 0);
    while let Some(key) = keys.next()? {
        // An arrow is sent as three bytes: escape, a bracket (or an O), a letter.
        escape = match (escape, key) {
            (_, 0x1b) => 1,
            (1, b'[' | b'O') => 2,
            (2, b'A' | b'D') => {
                at = at.checked_sub(1).unwrap_or(choices.len() - 1);
                redraw(choices, at)?;
                0
            }
            (2, b'B' | b'C') => {
                at = (at + 1) % choices.len();
                redraw(choices, at)?;
                0
            }
            (_, b'\r' | b'\n') => return Ok(choices.get(at).map(|(letter, _)| *letter)),
            (_, key) => {
                let key = char::from(key).to_ascii_lowercase();
                if let Some(n) = choices.iter().position(|(letter, _)| *letter == key) {
                    redraw(choices, n)?;
                    return Ok(Some(key));
                }
                0
            }
        };
    }
    Ok(None)
}

fn draw(choices: &[Choice<'_>], at: usize) -> io::Result<()> {
    let line = |(n, (letter, text)): (usize, &Choice<'_>)| {
        let mark = if n == at { '>' } else { ' ' };
        format!("  {mark} {letter}  {text}\n")
    };
    eprint_now(&choices.iter().enumerate().map(line).collect::<String>())
}

fn redraw(choices: &[Choice<'_>], at: usize) -> io::Result<()> {
    // Up over what was drawn: standard control sequences (ECMA-48).
    eprint_now(&format!("\x1b[{}A", choices.len()))?;
    draw(choices, at)
}

/// Whether somebody sits there who can be asked.
pub fn is_interactive() -> bool {
    io::stdin().is_terminal() && io::stderr().is_terminal()
}
