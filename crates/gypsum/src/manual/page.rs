//! One page, in the macros of man(7).

use crate::help::{Block, label, placed};
use crate::view::wrapped;
use clap::{Arg, Command};
use gypsum_core::text::one_line;
use roff::{Roff, bold, roman};

/// A page that is being written.
pub struct Page {
    roff: Roff,
    /// Whether a title is right above: then a paragraph needs no mark of its own.
    begins: bool,
}

/// The date of the text.
const DATE: &str = "2026-11-30";
/// So wide a line of text is at most, before its characters are escaped.
const WIDTH: usize = 64;

impl Page {
    /// With its title and its name.
    pub fn new(name: &str, section: u8, about: &str) -> Self {
        let mut page = Self { roff: Roff::new(), begins: false };
        let (section, version) = (section.to_string(), format!("gypsum {}", env!("CARGO_PKG_VERSION")));
        page.roff.control("TH", [name.to_uppercase().as_str(), &section, DATE, &version, "Gypsum"]);
        page.section("NAME");
        page.words(&format!("{name} \\- {about}"));
        page
    }

    /// The source of the page.
    pub fn text(&self) -> String {
        // The dash of the name is the one of man(7), and not a hyphen.
        let text = self.roff.to_roff().replacen(" \\\\\\- ", " \\- ", 1);
        // Whatever reads it takes ASCII alone.
        let plain = |c: char| if c.is_ascii() { c.to_string() } else { format!("\\[u{:04X}]", u32::from(c)) };
        text.chars().map(plain).collect()
    }

    pub fn section(&mut self, title: &str) {
        self.roff.control("SH", [title]);
        self.begins = true;
    }

    fn begin(&mut self) {
        if !std::mem::take(&mut self.begins) {
            self.roff.control("PP", []);
        }
    }

    /// Text, in lines that are not long.
    fn words(&mut self, text: &str) {
        self.begins = false;
        for line in wrapped(text, WIDTH) {
            self.roff.text([roman(line)]);
        }
    }

    pub fn paragraph(&mut self, text: &str) {
        if text.trim().is_empty() {
            return;
        }
        self.begin();
        self.words(text);
    }

    /// The command as it is typed.
    pub fn usage(&mut self, usage: &str) {
        self.roff.text([bold(usage)]);
    }

    /// A word, and what it means.
    pub fn tagged(&mut self, word: &str, texts: &[String]) {
        self.roff.control("TP", []);
        self.roff.text([bold(word)]);
        self.begins = false;
        for (n, text) in texts.iter().enumerate() {
            if n > 0 {
                self.roff.control("IP", []);
            }
            self.words(text);
        }
    }

    /// Lines as they are.
    pub fn lines(&mut self, lines: &[String]) {
        self.begin();
        self.roff.control("in", ["+4n"]);
        self.roff.control("nf", []);
        for line in lines {
            match line.is_empty() {
                true => self.roff.control("sp", []),
                false => self.roff.text([roman(line)]),
            };
        }
        self.roff.control("fi", []);
        self.roff.control("in", []);
    }

    /// All that there is to say of one command, but for what is the same of all.
    pub fn command(&mut self, path: &[String], command: &Command) {
        let positionals = command.get_arguments().filter(|arg| arg.is_positional());
        let inner: Vec<&Command> = command.get_subcommands().collect();
        let places: String = positionals.map(|arg| format!(" {}", placed(arg))).collect();
        self.section("SYNOPSIS");
        let end = if inner.is_empty() { " [OPTIONS]" } else { " WHAT" };
        self.usage(&format!("gypsum {}{places}{end}", path.join(" ")));
        self.section("DESCRIPTION");
        let about = command.get_long_about().or_else(|| command.get_about()).map(ToString::to_string);
        let about = about.unwrap_or_default();
        for text in paragraphs(&about) {
            self.paragraph(&format!("{}.", text.trim_end_matches('.')));
        }
        let after = command.get_after_help().map(ToString::to_string).unwrap_or_default();
        let (examples, notes) = parted(&after);
        for note in notes {
            self.paragraph(&note);
        }
        for one in inner {
            let about = one.get_about().map(ToString::to_string).unwrap_or_default();
            self.tagged(&format!("gypsum {} {}", path.join(" "), one.get_name()), &[about]);
        }
        self.section("OPTIONS");
        self.options(command, |arg| !arg.is_global_set());
        self.paragraph("See gypsum(1) for the options of every command.");
        if !examples.is_empty() {
            self.section("EXAMPLES");
            self.lines(&examples);
        }
    }

    /// The arguments of a command that are wanted.
    pub fn options(&mut self, command: &Command, wanted: impl Fn(&Arg) -> bool) {
        let own = command
            .get_arguments()
            .filter(|arg| wanted(arg) && !matches!(arg.get_id().as_str(), "help" | "version"));
        for arg in own {
            let text =
                arg.get_long_help().or_else(|| arg.get_help()).map(ToString::to_string).unwrap_or_default();
            let mut texts = paragraphs(&text);
            let values = arg.get_possible_values();
            let described = values.iter().filter(|value| !value.is_hide_set());
            let named: Vec<String> = described
                .map(|value| match value.get_help() {
                    Some(help) => format!("{}: {help}", value.get_name()),
                    None => value.get_name().to_owned(),
                })
                .collect();
            if !named.is_empty() && arg.get_action().takes_values() {
                texts.push(format!("It takes {}.", named.join("; ")));
            }
            self.tagged(&label(arg), &texts);
        }
    }

    /// A document of `docs/`, without its title.
    pub fn document(&mut self, blocks: &[Block]) {
        for block in blocks {
            match block {
                Block::Heading(1, _) => {}
                Block::Heading(2, title) => self.section(&title.to_uppercase()),
                Block::Heading(_, title) => {
                    self.roff.control("SS", [title.as_str()]);
                    self.begins = true;
                }
                Block::Text(text) => self.paragraph(text),
                Block::Item(text) => {
                    self.roff.control("IP", ["-", "2"]);
                    self.words(text);
                }
                Block::Code(lines) => self.lines(lines),
                Block::Table(rows) => {
                    for row in rows.iter().skip(1) {
                        let (word, rest) =
                            row.split_first().map_or(("", &[][..]), |(word, rest)| (word.as_str(), rest));
                        self.tagged(word, &[rest.join("; ")]);
                    }
                }
            }
        }
    }
}

fn paragraphs(text: &str) -> Vec<String> {
    text.split("\n\n").filter(|one| !one.trim().is_empty()).map(one_line).collect()
}

/// What is behind the help: the examples, and the rest.
fn parted(after: &str) -> (Vec<String>, Vec<String>) {
    let is_example = |line: &&str| line.starts_with("  ");
    let examples = after.lines().filter(is_example).map(|line| line[2..].to_owned()).collect();
    let notes = after.split("\n\n").filter(|part| !part.starts_with("Example"));
    (examples, notes.flat_map(paragraphs).collect())
}
