//! The two outputs: answers on standard output, the rest on standard error. A reader that has gone
//! away is no error.

use crate::args::{Common, When};
use crate::view::wrapped;
use anstream::{AutoStream, ColorChoice};
use anstyle::{AnsiColor, Style};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::secret::Redactor;
use gypsum_host::error::Error;
use serde::Serialize;
use std::io::{BufWriter, Write};

/// Where and how to print.
#[derive(Clone, Copy, Debug)]
pub struct Terminal {
    /// One JSON document instead of text.
    pub json: bool,
    /// Only how it ended.
    pub quiet: bool,
    /// More.
    pub verbose: bool,
    choice: ColorChoice,
}

/// Headings, and what stands where.
pub const BOLD: Style = Style::new().bold();
/// What matters less.
pub const DIM: Style = Style::new().dimmed();
/// What stands in the way.
pub const ERROR: Style = AnsiColor::Red.on_default().bold();
/// What deserves a look.
/// Yellow cannot be read on a light background, and nobody knows which one this is.
pub const WARNING: Style = AnsiColor::Magenta.on_default();

impl Terminal {
    /// As the command line says.
    pub fn new(common: &Common) -> Self {
        let choice = match common.color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        Self { json: common.json, quiet: common.quiet, verbose: common.verbose, choice }
    }

    /// A line of the answer.
    pub fn line(self, text: &str) {
        let text = Redactor::default().text(text);
        let _ = writeln!(AutoStream::new(std::io::stdout(), self.choice), "{text}");
    }

    /// A line beside the answer.
    pub fn aside(self, text: &str) {
        let text = Redactor::default().text(text);
        let _ = writeln!(AutoStream::new(std::io::stderr(), self.choice), "{text}");
    }

    /// A JSON document.
    pub fn document(self, value: &impl Serialize) {
        match serde_json::to_value(value) {
            Ok(mut value) => {
                Redactor::default().json(&mut value);
                self.stream(&value);
            }
            Err(error) => self.aside(&format!("gypsum: this cannot be printed as JSON: {error}")),
        }
    }

    /// A JSON document whose values are shown as they are: each was redacted when it was made.
    pub fn stream(self, value: &impl Serialize) {
        // As it comes: a list may be long.
        let mut out = BufWriter::new(std::io::stdout().lock());
        let written = serde_json::to_writer_pretty(&mut out, value);
        if written.is_ok() && writeln!(out).and_then(|()| out.flush()).is_ok() {
            return;
        }
        tracing::debug!("the reader closed the pipe before the end of the document");
    }

    /// What went wrong, and what to do about it; returns the exit status.
    pub fn error(self, error: &Error) -> ExitStatus {
        if self.json {
            self.document(&serde_json::json!({
                "schema": gypsum_core::report::SCHEMA,
                "error": { "message": error.to_string(), "help": error.advice() },
                "status": error.status().code(),
            }));
        }
        for (n, line) in wrapped(&error.to_string(), 70).into_iter().enumerate() {
            let lead = if n == 0 { format!("{ERROR}gypsum:{ERROR:#} ") } else { " ".repeat(8) };
            self.aside(&format!("{lead}{line}"));
        }
        for line in error.advice().iter().flat_map(|help| help.lines()).flat_map(|line| wrapped(line, 70)) {
            self.aside(&format!("        {line}"));
        }
        error.status()
    }
}
