//! The paragraphs about a setting in the manual pages of this host, where they are installed.

use crate::children;
use crate::scratch::Scratch;
use gypsum_core::manual::{page_and_section, paragraphs};
use std::io;
use std::time::Duration;

/// Long pages take half a second on a slow machine.
const LIMIT: Duration = Duration::from_secs(5);

/// What the first of these pages that has `name` says of it, paragraph by paragraph, and which page that is. `None` if no page has it, or no
/// manual is installed.
pub fn described(pages: &[String], name: &str) -> Option<(String, Vec<String>)> {
    let said = |page: &String| match print(page) {
        Ok(text) => paragraphs(&text, name),
        Err(error) => {
            tracing::debug!(%error, page, "the manual page cannot be read");
            None
        }
    };
    pages.iter().find_map(|page| Some((page.clone(), said(page)?)))
}

/// A page as `man` prints it.
fn print(page: &str) -> io::Result<String> {
    let Some((name, section)) = page_and_section(page) else {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "no page and section"));
    };
    let scratch = Scratch::new(&std::env::temp_dir(), "gypsum-manual-", 0o755)?;
    let man = ["/usr/bin/man", "--no-hyphenation", "--no-justification", "--pager=/bin/cat", section, name];
    let ran = children::run_unprivileged(&man.map(str::to_owned), scratch.path(), LIMIT)?;
    if !ran.ok() {
        return Err(io::Error::other(ran.err.trim().to_owned()));
    }
    Ok(ran.out)
}
