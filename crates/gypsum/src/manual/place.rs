//! What every page of a command ends with.

use super::page::Page;

/// The exit statuses.
const STATUSES: [(&str, &str); 10] = [
    ("0", "The change is kept and healthy; nothing differs; the service is healthy."),
    ("1", "It could not be run, or was given up. Nothing was touched."),
    ("2", "The command line or a profile is wrong."),
    (
        "3",
        "A check refused it, and nothing was touched. For check and health: not healthy. For diff: something differs. For merge: a question is open.",
    ),
    ("4", "The old configuration was restored."),
    ("5", "Stuck: even the old configuration does not come back. A person is needed."),
    ("6", "Another change has this daemon or file, or is on probation; or the package manager is at work."),
    ("7", "It is kept, but unhealthy as before, or unproven."),
    (
        "8",
        "It is live, and a process in the background carries it to its end: it is on probation, or the command was let go of.",
    ),
    ("130", "A command that only answers was interrupted."),
];

const FILES: [(&str, &str); 6] = [
    ("/etc/gypsum/gypsum.toml", "The settings of the host."),
    ("~/.config/gypsum/gypsum.toml", "The settings of a person."),
    ("/etc/gypsum/profiles/NAME.toml", "A profile of the administrator's own: see gypsum-profile(5)."),
    ("/var/lib/gypsum/DAEMON/", "The changes of root, each in a folder: before/ and after/ are plain files."),
    ("~/.local/state/gypsum/DAEMON/", "The changes of another account."),
    ("/run/gypsum/locks/", "The locks."),
];

const ENVIRONMENT: [(&str, &str); 6] = [
    ("VISUAL, EDITOR", "The editor of gypsum edit."),
    ("PAGER", "What shows an answer that is longer than the screen; less where it is not set."),
    ("NO_COLOR", "No colour where it is set."),
    ("COLUMNS", "The width of the output where it is no terminal."),
    ("LC_ALL, LC_CTYPE, LANG", "Whether the terminal shows more than ASCII."),
    ("XDG_STATE_HOME, XDG_CONFIG_HOME", "Where changes and settings of another account than root are."),
];

/// Writes them.
pub fn ends(page: &mut Page, see_also: &str) {
    for (title, rows) in
        [("EXIT STATUS", &STATUSES[..]), ("FILES", &FILES[..]), ("ENVIRONMENT", &ENVIRONMENT[..])]
    {
        page.section(title);
        for (word, text) in rows {
            page.tagged(word, &[(*text).to_owned()]);
        }
    }
    page.section("SEE ALSO");
    page.paragraph(see_also);
}
