//! Asking the person at the terminal.

use gypsum_host::error::Error;
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

/// One of several things to do: its letter, and what it is.
pub type Choice<'a> = (char, &'a str);

/// Lets the person choose, by letter or by the arrow keys and Enter; the first is chosen at the beginning.
/// Answers with the letter; none where the person pressed Ctrl-C or ended the terminal's input.
pub fn choose(question: &str, choices: &[Choice<'_>]) -> Result<Option<char>, Error> {
    asked(question, choices).map_err(|error| Error::cannot(format!("the terminal cannot be read: {error}")))
}

fn asked(question: &str, choices: &[Choice<'_>]) -> io::Result<Option<char>> {
    let input = io::stdin();
    let before = tcgetattr(&input)?;
    let mut raw = before.clone();
    // Ctrl-C is an answer here, and no signal.
    raw.local_modes.remove(LocalModes::ECHO | LocalModes::ICANON | LocalModes::ISIG);
    // What was typed before the question is no answer to it; what is typed from then on is.
    tcsetattr(&input, OptionalActions::Flush, &raw)?;
    eprint_now(&format!("{question}\n"))?;
    draw(choices, 0)?;
    let chosen = keys(&input, choices);
    tcsetattr(&input, OptionalActions::Now, &before)?;
    chosen
}

fn keys(input: &io::Stdin, choices: &[Choice<'_>]) -> io::Result<Option<char>> {
    let mut at = 0usize;
    let mut byte = [0; 1];
    let mut escape = 0;
    loop {
        // Ctrl-C and Ctrl-D come as these.
        if rustix::io::read(input, &mut byte)? == 0 || matches!(byte[0], 3 | 4) {
            return Ok(None);
        }
        // An arrow is sent as three bytes: escape, a bracket (or an O), a letter.
        escape = match (escape, byte[0]) {
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
