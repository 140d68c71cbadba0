//! An answer that is longer than the screen, page by page. It is held until it is longer; then the pager has it, line by
//! line, so that no more is held of it than a screen.

use rustix::termios::tcgetwinsize;
use std::io::{self, IsTerminal, Write};
use std::process::{Child, Command, Stdio};
use std::sync::{Mutex, PoisonError};

/// The pager where none is named.
const USUAL: &str = "less";
/// What it is told, where nothing else is: colours, and to end at once where all of it fits.
const LESS: (&str, &str) = ("LESS", "FRX");

enum Answer {
    /// It is printed as it comes.
    AsItComes,
    /// Not longer than a screen until now.
    Held { lines: Vec<String>, rows: usize },
    /// The pager has it.
    Shown(Child),
}

static ANSWER: Mutex<Answer> = Mutex::new(Answer::AsItComes);

/// From now on the answer is shown page by page, where a person looks at it and has a pager.
pub fn begin() {
    let rows = tcgetwinsize(io::stdout()).map(|size| usize::from(size.ws_row)).unwrap_or_default();
    let is_wanted = io::stdout().is_terminal() && io::stdin().is_terminal() && rows > 1;
    if is_wanted && argv().is_some() {
        *answer() = Answer::Held { lines: Vec::new(), rows };
    }
}

/// Prints a line of the answer, or has it shown.
///
/// # Errors
///
/// If it cannot be written.
pub fn line(text: String) -> io::Result<()> {
    let mut answer = answer();
    if let Answer::Held { lines, rows } = &mut *answer {
        lines.push(text);
        let drawn: usize = lines.iter().map(|line| line.lines().count().max(1)).sum();
        if drawn < *rows {
            return Ok(());
        }
        let held = std::mem::take(lines);
        *answer = started().map_or(Answer::AsItComes, Answer::Shown);
        return held.iter().try_for_each(|line| put(&mut answer, line));
    }
    put(&mut answer, &text)
}

/// The end of the answer: what was held is printed, and the pager waited for.
///
/// # Errors
///
/// If it cannot be written.
pub fn end() -> io::Result<()> {
    match std::mem::replace(&mut *answer(), Answer::AsItComes) {
        Answer::AsItComes => Ok(()),
        Answer::Held { lines, .. } => lines.iter().try_for_each(|line| writeln!(io::stdout(), "{line}")),
        Answer::Shown(mut pager) => {
            drop(pager.stdin.take());
            // How it ended is of no interest: the person has seen what they wanted.
            pager.wait().map(|_| ())
        }
    }
}

fn answer() -> std::sync::MutexGuard<'static, Answer> {
    ANSWER.lock().unwrap_or_else(PoisonError::into_inner)
}

fn put(answer: &mut Answer, line: &str) -> io::Result<()> {
    match answer {
        Answer::Shown(pager) => match &mut pager.stdin {
            Some(pipe) => writeln!(pipe, "{line}"),
            None => Ok(()),
        },
        Answer::AsItComes | Answer::Held { .. } => writeln!(io::stdout(), "{line}"),
    }
}

/// The words of the pager; none where the person wants none.
fn argv() -> Option<Vec<String>> {
    let named = std::env::var("PAGER").unwrap_or_else(|_| USUAL.to_owned());
    shlex::split(&named).filter(|words| words.first().is_some_and(|word| !word.is_empty() && word != "cat"))
}

/// The pager; none where it cannot be started, and the answer is printed as it comes.
fn started() -> Option<Child> {
    let argv = argv()?;
    let mut command = Command::new(&argv[0]);
    command.args(&argv[1..]).stdin(Stdio::piped());
    if std::env::var_os(LESS.0).is_none() {
        command.env(LESS.0, LESS.1);
    }
    gypsum_host::interrupt::leave_to_another();
    match command.spawn() {
        Ok(pager) => Some(pager),
        Err(error) => {
            tracing::debug!(%error, "the pager cannot be started");
            None
        }
    }
}
