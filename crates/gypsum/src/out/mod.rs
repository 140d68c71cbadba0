//! The two outputs: answers on standard output, the rest on standard error. A reader that has gone away is no error;
//! any other write that fails is one.

mod json;
mod marks;
pub mod pager;
mod screen;

pub use marks::{for_terminal, styled, width};
pub use screen::width as columns;

use crate::args::{Common, When};
use crate::view::wrapped;
use anstream::{AutoStream, ColorChoice};
use anstyle::{Ansi256Color, AnsiColor, Style};
use gypsum_core::secret::Redactor;
use gypsum_host::error::Error;
use serde::Serialize;
use serde_json::Value;
use std::io::{self, BufWriter, ErrorKind, IsTerminal, Write};
use std::sync::Mutex;

/// Where and how to print.
#[derive(Clone, Copy, Debug)]
pub struct Terminal {
    /// One JSON document instead of text.
    pub json: bool,
    /// Only how it ended.
    pub quiet: bool,
    /// More.
    pub verbose: bool,
    /// How many columns there are, from 40 to 200.
    pub width: usize,
    /// Whether a person looks at standard output: then a long text may be cut, with a mark.
    pub is_screen: bool,
    ascii: bool,
    choice: ColorChoice,
}

/// Headings, and what is set where.
pub const BOLD: Style = Style::new().bold();
/// What matters less.
pub const DIM: Style = Style::new().dimmed();
/// What stands in the way.
pub const ERROR: Style = AnsiColor::Red.on_default().bold();
/// What deserves a look.
/// Yellow cannot be read on a light background, and it is not known which one this is.
pub const WARNING: Style = AnsiColor::Magenta.on_default();
/// What is not there any more.
pub const GONE: Style = AnsiColor::Red.on_default();
/// What is new. The green of the 16 colours cannot be read on a light background; this one can, on both.
pub const NEW: Style = Ansi256Color(28).on_default();

/// Why a write failed, for the end of the program.
static FAILED: Mutex<Option<String>> = Mutex::new(None);

impl Terminal {
    /// As the command line says.
    pub fn new(common: &Common) -> Self {
        let choice = match common.color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        Self {
            json: common.json,
            quiet: common.quiet,
            verbose: common.verbose > 0,
            width: screen::width(),
            is_screen: io::stdout().is_terminal(),
            ascii: screen::is_ascii(),
            choice,
        }
    }

    /// Where the command line could not be read.
    pub fn plain(json: bool) -> Self {
        Self::new(&Common {
            json,
            quiet: false,
            verbose: 0,
            yes: false,
            color: When::Auto,
            no_pager: false,
            state: None,
        })
    }

    /// The same, for the result alone.
    pub fn quietly(self) -> Self {
        Self { quiet: true, ..self }
    }

    /// A line of the answer.
    pub fn print(self, text: &str) {
        let text = for_terminal(&Redactor::default().text(text), self.ascii);
        let has_colour = match self.choice {
            ColorChoice::Auto => AutoStream::choice(&io::stdout()) != ColorChoice::Never,
            choice => choice != ColorChoice::Never,
        };
        let text = if has_colour { text } else { anstream::adapter::strip_str(&text).to_string() };
        note_failure(pager::line(text));
    }

    /// A line beside the answer.
    pub fn eprint(self, text: &str) {
        let text = for_terminal(&Redactor::default().text(text), self.ascii);
        // Where not even this can be written, there is no place left to say so.
        let _ = writeln!(AutoStream::new(io::stderr(), self.choice), "{text}");
    }

    /// A text as it may be drawn.
    pub fn visible(self, text: &str) -> String {
        for_terminal(&Redactor::default().text(text), self.ascii)
    }

    /// A JSON document.
    pub fn document(self, mut value: Value) {
        Redactor::default().json(&mut value);
        self.stream(&value);
    }

    /// A JSON document whose values are shown as they are: each was redacted when it was made.
    pub fn stream(self, value: &impl Serialize) {
        // As it comes: a list may be long.
        let mut out = BufWriter::new(io::stdout().lock());
        let mut serializer = serde_json::Serializer::with_formatter(&mut out, json::Visible::default());
        let written = value.serialize(&mut serializer).map_err(io::Error::from);
        note_failure(written.and_then(|()| writeln!(out)).and_then(|()| out.flush()));
    }

    /// What went wrong, and what to do about it, as text.
    pub fn error(self, error: &Error) {
        for (n, line) in wrapped(&error.to_string(), self.width - 10).into_iter().enumerate() {
            let lead = if n == 0 { styled(ERROR, "gypsum: ") } else { " ".repeat(8) };
            self.eprint(&format!("{lead}{line}"));
        }
        for line in error.advice().iter().flat_map(|help| wrapped(help, self.width - 10)) {
            self.eprint(&format!("        {line}"));
        }
    }
}

fn note_failure(written: io::Result<()>) {
    let Err(error) = written else { return };
    if error.kind() == ErrorKind::BrokenPipe {
        return;
    }
    let mut failed = FAILED.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    failed.get_or_insert_with(|| error.to_string());
}

/// Whether the answer could be written; where it could not, that is said.
pub fn is_written() -> bool {
    note_failure(pager::end());
    let failed = FAILED.lock().unwrap_or_else(std::sync::PoisonError::into_inner).take();
    if let Some(why) = &failed {
        eprintln!("gypsum: the answer could not be written: {why}");
    }
    failed.is_none()
}
