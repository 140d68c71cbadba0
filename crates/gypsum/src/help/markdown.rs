//! The documents of `docs/` as text for a terminal. The manual is made from the same blocks.

use crate::out::{BOLD, width as width_of};
use crate::view::{styled, wrapped};
use pulldown_cmark::{Event, Options, Parser, Tag, TagEnd};

/// A piece of a document. Texts are without marks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Block {
    /// A title, and how deep it is: 1 is that of the document.
    Heading(usize, String),
    /// A paragraph.
    Text(String),
    /// An item of a list.
    Item(String),
    /// Lines as they are typed or printed.
    Code(Vec<String>),
    /// A table, its head first.
    Table(Vec<Vec<String>>),
}

/// The blocks of a document. Pictures have no text, and links are the text alone.
pub fn blocks(text: &str) -> Vec<Block> {
    let mut blocks = Vec::new();
    let (mut inline, mut rows, mut row) = (String::new(), Vec::new(), Vec::new());
    let (mut in_code, mut in_item, mut in_picture) = (false, false, false);
    for event in Parser::new_ext(text, Options::ENABLE_TABLES) {
        match event {
            Event::Start(Tag::CodeBlock(_)) => in_code = true,
            Event::End(TagEnd::CodeBlock) => {
                in_code = false;
                let code = std::mem::take(&mut inline);
                blocks.push(Block::Code(code.lines().map(str::to_owned).collect()));
            }
            Event::Start(Tag::Item) => in_item = true,
            Event::Start(Tag::Image { .. }) => in_picture = true,
            Event::End(TagEnd::Image) => in_picture = false,
            Event::Text(words) | Event::Code(words) if !in_picture => inline.push_str(&words),
            Event::SoftBreak | Event::HardBreak => inline.push(if in_code { '\n' } else { ' ' }),
            Event::End(TagEnd::Heading(level)) => {
                blocks.push(Block::Heading(level as usize, std::mem::take(&mut inline)));
            }
            Event::End(TagEnd::TableCell) => row.push(std::mem::take(&mut inline)),
            Event::End(TagEnd::TableRow | TagEnd::TableHead) => rows.push(std::mem::take(&mut row)),
            Event::End(TagEnd::Table) => blocks.push(Block::Table(std::mem::take(&mut rows))),
            Event::End(TagEnd::Paragraph) | Event::End(TagEnd::Item) => {
                let is_end = matches!(event, Event::End(TagEnd::Item));
                let text = std::mem::take(&mut inline);
                match (text.trim().is_empty(), in_item) {
                    (true, _) => {}
                    (false, true) => blocks.push(Block::Item(text)),
                    (false, false) => blocks.push(Block::Text(text)),
                }
                in_item &= !is_end;
            }
            // Emphasis, links and the rest have their text as events of their own.
            _ => {}
        }
    }
    blocks
}

/// The title of a document.
pub fn title(text: &str) -> String {
    text.lines().next().unwrap_or_default().trim_start_matches("# ").to_owned()
}

/// The document for a terminal of this width.
pub fn lines(text: &str, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    let mut before = None;
    for block in blocks(text) {
        let is_item = matches!(block, Block::Item(_));
        let goes_on = is_item && before == Some(true);
        if !lines.is_empty() && !goes_on {
            lines.push(String::new());
        }
        before = Some(is_item);
        match block {
            Block::Heading(_, title) => lines.push(styled(BOLD, &title)),
            Block::Text(text) => lines.extend(wrapped(&text, width)),
            Block::Item(text) => {
                let all = wrapped(&text, width.saturating_sub(2));
                lines.extend(
                    all.iter()
                        .enumerate()
                        .map(|(n, line)| format!("{}{line}", if n == 0 { "- " } else { "  " })),
                );
            }
            Block::Code(code) => lines.extend(code.iter().map(|line| format!("    {line}"))),
            Block::Table(rows) => lines.extend(table(&rows, width)),
        }
    }
    lines
}

/// The first column as wide as it needs, up to a third; every cell is wrapped in its own column.
fn table(rows: &[Vec<String>], width: usize) -> Vec<String> {
    let count = rows.iter().map(Vec::len).max().unwrap_or(0);
    let widest =
        |n: usize| rows.iter().filter_map(|row| row.get(n)).map(|cell| width_of(cell)).max().unwrap_or(0);
    let mut widths: Vec<usize> = (0..count).map(widest).collect();
    let between = 2 * count.saturating_sub(1);
    let mut left = width.saturating_sub(between);
    for (n, column) in widths.iter_mut().enumerate() {
        let behind = count - n - 1;
        let most = if behind == 0 { left } else { left / (behind + 1) };
        *column = (*column).min(most.max(8));
        left = left.saturating_sub(*column);
    }
    let mut lines = Vec::new();
    for (n, row) in rows.iter().enumerate() {
        let cells: Vec<Vec<String>> =
            row.iter().zip(&widths).map(|(cell, width)| wrapped(cell, *width)).collect();
        let height = cells.iter().map(Vec::len).max().unwrap_or(0);
        for at in 0..height {
            let mut line = String::new();
            for (cell, width) in cells.iter().zip(&widths) {
                let text = cell.get(at).map_or("", String::as_str);
                line.push_str(text);
                line.push_str(&" ".repeat(width.saturating_sub(width_of(text)) + 2));
            }
            let line = line.trim_end();
            lines.push(if n == 0 { styled(BOLD, line) } else { line.to_owned() });
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "# Checks\n\nA check is a *sentence*, see [this](x.md):\n\n    gypsum health sshd\n\n\
        | word | means |\n|---|---|\n| `http URL` | asks a web server and expects an answer |\n\n- one\n- two words\n";

    #[test]
    fn a_document_is_blocks_and_they_fit_the_terminal() {
        let table = vec![
            vec!["word".to_owned(), "means".to_owned()],
            vec!["http URL".to_owned(), "asks a web server and expects an answer".to_owned()],
        ];
        assert_eq!(
            blocks(TEXT),
            [
                Block::Heading(1, "Checks".into()),
                Block::Text("A check is a sentence, see this:".into()),
                Block::Code(vec!["gypsum health sshd".into()]),
                Block::Table(table),
                Block::Item("one".into()),
                Block::Item("two words".into()),
            ]
        );
        for width in [40, 80] {
            let lines = lines(TEXT, width);
            assert!(lines.iter().all(|line| width_of(line) <= width), "{lines:#?}");
            assert!(lines.contains(&"    gypsum health sshd".to_owned()));
        }
    }
}
