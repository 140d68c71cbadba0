//! The walk: seven steps with the boards, each with its announced end.

use crate::DAEMON;
use crate::host::Host;
use rustix::process::{Pid, Signal, kill_process};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// So many lines of the report are shown.
const REPORTED: usize = 12;

type Say<'a> = &'a mut dyn FnMut(&str);

/// Walks through the demonstration with the `gypsum` that is `program`; `profile` is the boards'.
/// Whether every step ended as announced.
///
/// `is_over` is asked between the steps whether the person wants out.
pub fn walk(
    program: &Path,
    profile: &str,
    keep: bool,
    is_over: &dyn Fn() -> bool,
    say: Say<'_>,
) -> Result<bool, String> {
    let host = Host::build(program, profile)?;
    let mut walk = Walk { program, host: &host, say, is_over, steps: 0, astray: 0 };
    walk.say_all(&[
        "The departure boards of Saltmarsh harbour, a made-up daemon, now run on this",
        "machine: a real server on loopback, with its files in a throw-away folder",
        &format!("{}.", host.root().display()),
        "Below, --profile and --state are left out of the commands; they point there.",
    ]);
    walk.good_change()?;
    walk.misspelt()?;
    walk.breaks_the_service()?;
    walk.killed_in_the_middle()?;
    walk.on_probation()?;
    walk.list()?;
    walk.report()?;
    let astray = walk.astray;
    (walk.say)("");
    (walk.say)(&match astray {
        0 => "Every step ended as announced.".to_owned(),
        n => format!("{n} of the steps did not end as announced."),
    });
    if keep {
        how_to_go_on(program, host, say);
    } else {
        drop(host);
        say("The boards are stopped and their folder is gone.");
    }
    Ok(astray == 0)
}

struct Walk<'a> {
    program: &'a Path,
    host: &'a Host,
    say: Say<'a>,
    is_over: &'a dyn Fn() -> bool,
    steps: u32,
    astray: u32,
}

impl Walk<'_> {
    fn good_change(&mut self) -> Result<(), String> {
        self.step("A good change", "The summer timetable needs longer boards: rows goes from 8 to 10.");
        let status = self.gypsum(&["change", DAEMON, "rows=10", "--why", "summer timetable"])?;
        let board = self.host.ask()?;
        let rows = board.lines().filter(|line| line.contains(" north ") || line.contains(" south ")).count();
        self.expect(status == 0 && rows == 10, &format!("status 0, and a board now shows {rows} departures"));
        Ok(())
    }

    fn misspelt(&mut self) -> Result<(), String> {
        self.step("A misspelt value", "clock takes 12h or 24h. An administrator types 24hr.");
        let before = self.config()?;
        let status = self.gypsum(&["change", DAEMON, "clock=24hr"])?;
        let same = self.config()? == before;
        self.expect(status == 3 && same, "status 3, and the file was not touched");
        Ok(())
    }

    fn breaks_the_service(&mut self) -> Result<(), String> {
        self.step(
            "A fault that only a client sees",
            "quay=east passes every checker, but no ferry leaves from there: the boards\n\
             stay empty.",
        );
        let before = self.config()?;
        let status = self.gypsum(&["change", DAEMON, "quay=east"])?;
        let healthy = self.config()? == before && self.host.ask()?.contains("Oyster Island");
        self.expect(status == 4 && healthy, "status 4, the old file is back, and boards show departures");
        Ok(())
    }

    fn killed_in_the_middle(&mut self) -> Result<(), String> {
        self.step(
            "A kill in the middle",
            "The new file is live and watched when the session is lost (kill -9): a process of\n\
             its own goes on watching. Then that one is killed, too.",
        );
        let before = self.config()?;
        let words = ["change", DAEMON, "notice=Mind the gangway", "--steady", "3s"];
        (self.say)(&format!("$ gypsum {}   # killed", shell(&words)));
        let mut child =
            self.command(&words).stdout(Stdio::null()).stderr(Stdio::null()).spawn().map_err(text)?;
        let live = self.wait_until_activated(&mut child)?;
        child.kill().map_err(text)?;
        child.wait().map_err(text)?;
        let cut_off = live && self.config()? != before;
        self.expect(cut_off, "the new file is live");
        let (status, said) = self.hear(&["change", DAEMON, "rows=9"])?;
        let guardian = said.split_once("process ").and_then(|(_, rest)| {
            let digits: String = rest.chars().take_while(char::is_ascii_digit).collect();
            Pid::from_raw(digits.parse().ok()?)
        });
        self.expect(
            status == 6 && guardian.is_some(),
            "status 6: another change is running, and its user is named",
        );
        if let Some(guardian) = guardian {
            (self.say)(&format!("$ kill -9 {guardian}"));
            kill_process(guardian, Signal::KILL).map_err(|error| error.to_string())?;
        }
        let status = self.gypsum(&["change", DAEMON, "rows=9"])?;
        self.expect(status == 6, "status 6: first recover the interrupted one");
        let status = self.gypsum(&["recover", DAEMON])?;
        let healthy = self.config()? == before && self.host.ask()?.contains("Oyster Island");
        self.expect(status == 4 && healthy, "status 4, the old file is back, and boards show departures");
        Ok(())
    }

    fn on_probation(&mut self) -> Result<(), String> {
        self.step(
            "A change on probation",
            "It is healthy and live, and restored after 2 s unless somebody keeps it: for a\n\
             change that may shut out the person who makes it.",
        );
        let before = self.config()?;
        let status = self.gypsum(&["change", DAEMON, "rows=9", "--probation", "2s", "-q"])?;
        let is_live = self.config()? != before;
        self.expect(status == 8 && is_live, "status 8, and the new file is live");
        let status = self.gypsum(&["follow", DAEMON, "-q"])?;
        let is_old = self.config()? == before;
        self.expect(status == 4 && is_old, "status 4: it was not kept in time, and the old file is back");
        Ok(())
    }

    fn report(&mut self) -> Result<(), String> {
        self.step("The report", "One page of a change, for a ticket: as .html, or as .md.");
        let file = self.host.root().join("change-1.md");
        let path = file.display().to_string();
        let status = self.gypsum(&["changes", DAEMON, "1", "--report", &path])?;
        let text = fs::read_to_string(&file).unwrap_or_default();
        let root = self.host.root().display().to_string();
        text.replace(&root, "...").lines().take(REPORTED).for_each(|line| (self.say)(line));
        self.expect(
            status == 0 && text.contains("summer timetable"),
            "status 0, and the page says why it was made",
        );
        Ok(())
    }

    fn list(&mut self) -> Result<(), String> {
        self.step("What was done", "Each change has a folder with its files before and after.");
        let status = self.gypsum(&["changes", DAEMON])?;
        self.expect(status == 0, "status 0");
        Ok(())
    }

    /// An error if the person wants out: then the boards are stopped, and their folder goes.
    fn go_on(&self) -> Result<(), String> {
        if (self.is_over)() {
            Err("it was interrupted; the boards are stopped and their folder is gone".into())
        } else {
            Ok(())
        }
    }

    fn wait_until_activated(&self, child: &mut Child) -> Result<bool, String> {
        let deadline = Instant::now() + Duration::from_secs(5);
        while Instant::now() < deadline && child.try_wait().map_err(text)?.is_none() {
            let journal =
                self.newest_journal().and_then(|path| fs::read_to_string(path).ok()).unwrap_or_default();
            if journal.contains("\"stage\":\"activated\"") && !journal.contains("\"closed\"") {
                return Ok(true);
            }
            std::thread::sleep(Duration::from_millis(2));
        }
        Ok(false)
    }

    fn newest_journal(&self) -> Option<PathBuf> {
        let entries = fs::read_dir(self.host.state().join(DAEMON)).ok()?.flatten();
        entries.map(|entry| entry.path().join("journal")).filter(|journal| journal.exists()).max()
    }

    fn step(&mut self, title: &str, story: &str) {
        self.steps += 1;
        let title = format!("{}. {title}", self.steps);
        let line = "-".repeat(title.chars().count());
        self.say_all(&["", &title, &line, story, ""]);
    }

    fn expect(&mut self, true_of_it: bool, announced: &str) {
        if !true_of_it {
            self.astray += 1;
        }
        let word = if true_of_it { "As announced" } else { "NOT as announced" };
        (self.say)(&format!("=> {word}: {announced}."));
    }

    fn say_all(&mut self, lines: &[&str]) {
        lines.iter().for_each(|line| (self.say)(line));
    }

    fn config(&self) -> Result<Vec<u8>, String> {
        fs::read(self.host.config()).map_err(text)
    }

    fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::new(self.program);
        command.args(words).arg("--state").arg(self.host.state()).stdin(Stdio::null());
        command.env("XDG_CONFIG_HOME", self.host.settings());
        if words.first() == Some(&"change") {
            command.arg("--profile").arg(self.host.profile());
        }
        command
    }

    /// Runs the tool, shows what it says, and returns its exit status.
    fn gypsum(&mut self, words: &[&str]) -> Result<i32, String> {
        Ok(self.hear(words)?.0)
    }

    /// The same, with what it says.
    fn hear(&mut self, words: &[&str]) -> Result<(i32, String), String> {
        let root = self.host.root().display().to_string();
        (self.say)(&format!("$ gypsum {}", shell(words).replace(&root, "...")));
        let ran = self.command(words).output().map_err(text)?;
        self.go_on()?;
        let said = [ran.stdout, ran.stderr]
            .map(|bytes| String::from_utf8_lossy(&bytes).replace(&root, "..."))
            .concat();
        said.lines().for_each(|line| (self.say)(line));
        Ok((ran.status.code().unwrap_or(-1), said))
    }
}

fn text(error: std::io::Error) -> String {
    error.to_string()
}

fn shell(words: &[&str]) -> String {
    let quoted = |word: &&str| if word.contains(' ') { format!("'{word}'") } else { (*word).to_owned() };
    words.iter().map(quoted).collect::<Vec<_>>().join(" ")
}

fn how_to_go_on(program: &Path, host: Host, say: Say<'_>) {
    let (profile, state) = (host.profile(), host.state());
    let root = host.leave();
    say(&format!("The boards go on running, and their folder stays: {}", root.display()));
    say("To go on by hand:");
    say(&format!("  alias g='{} --state {}'", program.display(), state.display()));
    say(&format!("  P='--profile {}'", profile.display()));
    say("  g show departures $P; g change departures $P refresh=60; g restore departures $P");
    say("To end it:");
    say(&format!("  kill $(cat {0}/run/departures.pid); rm -r {0}", root.display()));
}
