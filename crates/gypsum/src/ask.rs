//! Asking the person at the terminal.

use rustix::termios::{LocalModes, OptionalActions, tcgetattr, tcsetattr};
use std::io::{self, IsTerminal, Write};

/// A value that is not shown: typed at the terminal without echo, or else a line of standard input.
pub fn secret(question: &str) -> io::Result<String> {
    let input = io::stdin();
    if !input.is_terminal() {
        return line(&input);
    }
    eprint_now(question)?;
    let before = tcgetattr(&input)?;
    let mut silent = before.clone();
    silent.local_modes.remove(LocalModes::ECHO);
    tcsetattr(&input, OptionalActions::Flush, &silent)?;
    let typed = line(&input);
    tcsetattr(&input, OptionalActions::Flush, &before)?;
    eprint_now("\n")?;
    typed
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
