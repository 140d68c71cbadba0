//! The manual, made from what the help is made from: a page for each command, and one for each topic.

mod page;
mod place;

use crate::args::Cli;
use crate::help::{TOPICS, Topic, blocks, title};
use clap::{Command, CommandFactory};
use page::Page;

/// A page: the folder of its section, its file, and its text.
pub struct Written {
    pub folder: String,
    pub file: String,
    pub text: String,
}

/// Every key of a profile, behind the text about profiles.
const KEYS: &str = include_str!("../../../../docs/profile-reference.md");

/// All pages.
pub fn pages() -> Vec<Written> {
    let mut root = Cli::command();
    root.build();
    let mut pages = vec![of_root(&root)];
    of_commands(&root, &mut Vec::new(), &mut pages);
    pages.extend(TOPICS.iter().map(of_topic));
    pages
}

fn written(page: &Page, name: &str, section: u8) -> Written {
    Written { folder: format!("man{section}"), file: format!("{name}.{section}"), text: page.text() }
}

fn of_root(root: &Command) -> Written {
    let mut page = Page::new("gypsum", 1, "change a daemon's configuration safely");
    page.section("SYNOPSIS");
    page.usage("gypsum COMMAND DAEMON [OPTIONS]");
    page.section("DESCRIPTION");
    page.paragraph(
        "Gypsum changes the configuration of one daemon on this host. It edits the file in the file's own style, keeps a \
         backup, checks the result before it is live, reloads or restarts the service, checks its health, and restores \
         the old configuration by itself if the service is unhealthy.",
    );
    page.section("COMMANDS");
    for command in root.get_subcommands() {
        let about = command.get_about().map(ToString::to_string).unwrap_or_default();
        page.tagged(&format!("gypsum {}", command.get_name()), &[about]);
    }
    page.section("OPTIONS");
    page.paragraph("Every command takes these.");
    page.options(root, |arg| arg.is_global_set());
    place::ends(&mut page, &see_also("gypsum"));
    written(&page, "gypsum", 1)
}

fn of_commands(command: &Command, path: &mut Vec<String>, pages: &mut Vec<Written>) {
    for inner in command.get_subcommands() {
        path.push(inner.get_name().to_owned());
        let name = format!("gypsum-{}", path.join("-"));
        let mut page = Page::new(&name, 1, &inner.get_about().map(ToString::to_string).unwrap_or_default());
        page.command(path, inner);
        place::ends(&mut page, &see_also(&name));
        pages.push(written(&page, &name, 1));
        of_commands(inner, path, pages);
        path.pop();
    }
}

fn of_topic(topic: &Topic) -> Written {
    let file = match topic.name {
        "profiles" => "gypsum-profile".to_owned(),
        name => format!("gypsum-{name}"),
    };
    let mut page = Page::new(&file, topic.section, &title(topic.text));
    page.section("DESCRIPTION");
    page.document(&blocks(topic.text));
    if topic.name == "profiles" {
        page.document(&blocks(KEYS));
    }
    page.section("SEE ALSO");
    page.paragraph(&see_also(&file));
    written(&page, &file, topic.section)
}

/// What is read next.
fn see_also(own: &str) -> String {
    let mut names: Vec<String> = ["gypsum", "gypsum-change", "gypsum-show", "gypsum-restore"]
        .iter()
        .map(|name| format!("{name}(1)"))
        .chain(["gypsum-profile(5)".to_owned()])
        .chain(["addresses", "edits", "checks"].iter().map(|name| format!("gypsum-{name}(7)")))
        .collect();
    names.retain(|name| !name.starts_with(&format!("{own}(")));
    names.join(", ")
}
