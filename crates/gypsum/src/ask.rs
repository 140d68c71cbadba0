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
        while !interrupt::is_requested() {
            if self.is_there()? {
                return self.byte();
            }
        }
        Ok(None)
    }

    /// The next byte, if it comes at once: of a key that sends several.
    fn next_of_key(&self) -> io::Result<Option<u8>> {
        if self.is_there()? { self.byte() } else { Ok(None) }
    }

    /// Whether a byte is there, or comes soon.
    fn is_there(&self) -> io::Result<bool> {
        let time = Timespec { tv_sec: 0, tv_nsec: 100_000_000 };
        match poll(&mut [PollFd::new(self.input, PollFlags::IN)], Some(&time)) {
            Err(rustix::io::Errno::INTR) => Ok(false),
            ready => Ok(ready? > 0),
        }
    }

    fn byte(&self) -> io::Result<Option<u8>> {
        let mut byte = [0; 1];
        let is_read = rustix::io::read(self.input, &mut byte)? > 0;
        Ok((is_read && !matches!(byte[0], 3 | 4)).then_some(byte[0]))
    }

    /// The next key of a choice.
    fn pressed(&self) -> io::Result<Pressed> {
        Ok(match self.next()? {
            None => Pressed::Stop,
            Some(0x1b) => self.escaped()?,
            Some(b'\r' | b'\n') => Pressed::Enter,
            Some(key) => Pressed::Letter(char::from(key).to_ascii_lowercase()),
        })
    }

    /// What begins with the byte of Escape: that key alone, or a control sequence (ECMA-48, section 5.4): a bracket (or an
    /// O), parameters, a letter.
    fn escaped(&self) -> io::Result<Pressed> {
        match self.next_of_key()? {
            None => return Ok(Pressed::Stop),
            Some(b'[' | b'O') => {}
            Some(_) => return Ok(Pressed::Other),
        }
        loop {
            match self.next_of_key()? {
                Some(0x20..=0x3f) => {}
                Some(b'A' | b'D') => return Ok(Pressed::Up),
                Some(b'B' | b'C') => return Ok(Pressed::Down),
                None | Some(_) => return Ok(Pressed::Other),
            }
        }
    }
}

/// A key, as far as a choice knows it.
enum Pressed {
    Up,
    Down,
    Enter,
    Letter(char),
    /// Escape, Ctrl-C, Ctrl-D, the end of the input, or of this process.
    Stop,
    Other,
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

/// The keys, below the choices.
const KEYS: &str = "    (arrows and Enter, or a letter; Esc or q to stop)\n";

/// Lets the person choose, by letter or by the arrow keys and Enter; the first is chosen at the beginning.
/// Answers with the letter; `None` if the person pressed Escape, q or Ctrl-C, or ended the terminal's input.
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
    let mut at = 0usize;
    loop {
        at = match keys.pressed()? {
            Pressed::Stop => return Ok(None),
            Pressed::Enter => return Ok(choices.get(at).map(|(letter, _)| *letter)),
            Pressed::Up => at.checked_sub(1).unwrap_or(choices.len() - 1),
            Pressed::Down => (at + 1) % choices.len(),
            Pressed::Letter(key) => match choices.iter().position(|(letter, _)| *letter == key) {
                Some(n) => {
                    redraw(choices, n)?;
                    return Ok(Some(key));
                }
                None if key == 'q' => return Ok(None),
                None => continue,
            },
            Pressed::Other => continue,
        };
        redraw(choices, at)?;
    }
}

fn draw(choices: &[Choice<'_>], at: usize) -> io::Result<()> {
    let line = |(n, (letter, text)): (usize, &Choice<'_>)| {
        let mark = if n == at { '>' } else { ' ' };
        format!("  {mark} {letter}  {text}\n")
    };
    eprint_now(&choices.iter().enumerate().map(line).chain([KEYS.to_owned()]).collect::<String>())
}

fn redraw(choices: &[Choice<'_>], at: usize) -> io::Result<()> {
    // Up over what was drawn: standard control sequences (ECMA-48).
    eprint_now(&format!("\x1b[{}A", choices.len() + 1))?;
    draw(choices, at)
}

/// Whether somebody sits there who can be asked.
pub fn is_interactive() -> bool {
    io::stdin().is_terminal() && io::stderr().is_terminal()
}
