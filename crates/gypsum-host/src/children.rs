//! Commands of others: argument vectors, no shell, a fixed search path, plain language, no input, a
//! process group of their own, a time limit, bounded output.

use crate::interrupt;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{Access, MemfdFlags};
use rustix::process::{Pid, PidfdFlags, Signal, kill_process_group, pidfd_open};
use std::fs::File;
use std::io::{self, Read, Seek, Write};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};

/// More output than this from one command is not read, and the command is ended.
const MOST_OUTPUT: u64 = 8 << 20;
/// Where programs without a path are looked for.
pub(crate) const SEARCH_PATH: &str = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";
/// What a command may know of our surroundings; user service managers cannot be reached without.
pub const PASSED_ON: [&str; 5] = ["HOME", "USER", "LOGNAME", "XDG_RUNTIME_DIR", "DBUS_SESSION_BUS_ADDRESS"];

/// What a command left behind.
#[derive(Clone, Debug, Default)]
pub struct Ran {
    /// Its exit status; none where a signal ended it.
    pub status: Option<i32>,
    /// Whether we ended it.
    pub timed_out: bool,
    /// Whether it was ended before that, since it printed too much.
    pub flooded: bool,
    /// What it printed.
    pub out: String,
    /// What it complained about.
    pub err: String,
    /// How long it took.
    pub took: Duration,
}

impl Ran {
    /// Whether it ended with status 0 in time.
    pub fn ok(&self) -> bool {
        self.status == Some(0)
    }

    /// Its last words: standard error, else standard output; without empty lines.
    pub fn last_words(&self) -> String {
        let text = if self.err.trim().is_empty() { &self.out } else { &self.err };
        let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
        lines[lines.len().saturating_sub(3)..].join("; ")
    }
}

/// How long somebody waits for a command that is left alone then.
#[derive(Clone, Copy)]
pub struct Limit<'a> {
    /// The time.
    pub time: Duration,
    way_out: Option<&'a dyn Fn() -> bool>,
}

impl<'a> Limit<'a> {
    /// So long, whatever comes.
    pub fn of(time: Duration) -> Self {
        Self { time, way_out: None }
    }

    /// So long, unless this says before that somebody wants out.
    pub fn unless(time: Duration, way_out: &'a dyn Fn() -> bool) -> Self {
        Self { time, way_out: Some(way_out) }
    }

    /// Whether somebody wants out.
    pub fn is_out(&self) -> bool {
        self.way_out.is_some_and(|out| out())
    }
}

/// Runs `argv` to its end. An error means that it could not be started.
pub fn run(argv: &[String], limit: Duration) -> io::Result<Ran> {
    carry_out(command_of(argv)?, Limit::of(limit), false, Stdio::null())
}

/// Runs `argv` to its end, unless the person wants out before: then it is ended.
///
/// # Errors
///
/// If it could not be started.
pub fn run_interruptible(argv: &[String], limit: Duration) -> io::Result<Ran> {
    carry_out(command_of(argv)?, Limit::unless(limit, &interrupt::is_requested), false, Stdio::null())
}

/// Runs a command that reads `input`; it is ended when the time is up, or somebody wants out.
///
/// # Errors
///
/// Where it could not be started.
pub fn run_with_input(command: Command, input: &[u8], limit: Limit<'_>) -> io::Result<Ran> {
    let mut file = memory("in")?;
    file.write_all(input)?;
    file.rewind()?;
    carry_out(command, limit, false, file.into())
}

fn command_of(argv: &[String]) -> io::Result<Command> {
    let (program, arguments) =
        argv.split_first().ok_or_else(|| io::Error::other("the command has no words"))?;
    let mut command = Command::new(found(program));
    command.args(arguments);
    Ok(command)
}

/// The program with its path: started without a copy of this process, which a search by the child would need.
fn found(program: &str) -> PathBuf {
    let there = |folder: &str| {
        let path = Path::new(folder).join(program);
        rustix::fs::access(&path, Access::EXEC_OK).is_ok().then_some(path)
    };
    let searched = (!program.contains('/')).then(|| SEARCH_PATH.split(':').find_map(there)).flatten();
    searched.unwrap_or_else(|| program.into())
}

/// The same, and left alone when the time is up: it may be starting a daemon, which is never killed.
pub fn run_sparing(argv: &[String], limit: Limit<'_>) -> io::Result<Ran> {
    carry_out(command_of(argv)?, limit, true, Stdio::null())
}

/// Runs a command that is already put together, unless the person wants out before: then it is ended.
pub fn run_command(command: Command, limit: Duration) -> io::Result<Ran> {
    carry_out(command, Limit::unless(limit, &interrupt::is_requested), false, Stdio::null())
}

/// Runs `argv` to its end in `folder`, which is its home and for what it writes: as an account without any rights, where
/// this process could give it more. It is ended if the person wants out.
///
/// # Errors
///
/// If it could not be started.
pub fn run_unprivileged(argv: &[String], folder: &Path, limit: Duration) -> io::Result<Ran> {
    let mut command = command_of(argv)?;
    command.current_dir(folder);
    if rustix::process::geteuid().is_root() {
        command.uid(NOBODY).gid(NOBODY);
    }
    let here =
        [("HOME", folder), ("TMPDIR", folder), ("XDG_RUNTIME_DIR", folder), ("XDG_CONFIG_HOME", folder)];
    carry_out_with(command, Limit::unless(limit, &interrupt::is_requested), false, Stdio::null(), &here)
}

/// The account that the kernel takes for those it does not know (`/proc/sys/fs/overflowuid`, proc(5)); it owns nothing.
const NOBODY: u32 = 65_534;

fn carry_out(command: Command, limit: Limit<'_>, spares: bool, input: Stdio) -> io::Result<Ran> {
    carry_out_with(command, limit, spares, input, &[])
}

fn carry_out_with(
    mut command: Command,
    limit: Limit<'_>,
    spares: bool,
    input: Stdio,
    places: &[(&str, &Path)],
) -> io::Result<Ran> {
    let (mut out, mut err) = (memory("out")?, memory("err")?);
    command
        .env_clear()
        .env("PATH", SEARCH_PATH)
        .env("LC_ALL", "C")
        .env("SYSTEMD_COLORS", "0")
        .env("SYSTEMD_PAGER", "");
    for name in PASSED_ON {
        command.envs(std::env::var_os(name).map(|value| (name, value)));
    }
    command.envs(places.iter().copied());
    command.stdin(input).stdout(out.try_clone()?).stderr(err.try_clone()?).process_group(0);
    let begun = Instant::now();
    let mut child = command.spawn()?;
    let (ended, timed_out, flooded) = wait(&mut child, limit, &[&out, &err], spares)?;
    Ok(Ran {
        status: ended.and_then(|ended| ended.code()),
        timed_out,
        flooded,
        out: text_of(&mut out)?,
        err: text_of(&mut err)?,
        took: begun.elapsed(),
    })
}

/// Output goes to memory and not through pipes: a daemon that keeps them open would keep us waiting.
fn memory(name: &str) -> io::Result<File> {
    Ok(rustix::fs::memfd_create(name, MemfdFlags::CLOEXEC)?.into())
}

fn text_of(file: &mut File) -> io::Result<String> {
    file.rewind()?;
    let mut bytes = Vec::new();
    file.take(MOST_OUTPUT).read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// How it ended, none where it was left running; whether we ended it; and whether that was for what it printed.
fn wait(
    child: &mut Child,
    limit: Limit<'_>,
    outputs: &[&File],
    spares: bool,
) -> io::Result<(Option<ExitStatus>, bool, bool)> {
    let handle = pidfd_open(Pid::from_child(child), PidfdFlags::empty());
    let deadline = Instant::now() + limit.time;
    loop {
        if let Some(ended) = child.try_wait()? {
            return Ok((Some(ended), false, false));
        }
        let left = deadline.saturating_duration_since(Instant::now());
        let flooded = outputs.iter().any(|file| file.metadata().is_ok_and(|meta| meta.len() > MOST_OUTPUT));
        if spares && (left.is_zero() || limit.is_out()) {
            return Ok((None, true, false));
        }
        if left.is_zero() || flooded || limit.is_out() {
            // The whole group: a checker that hangs may hang in a child of its own.
            let _ = kill_process_group(Pid::from_child(child), Signal::KILL);
            return Ok((Some(child.wait()?), true, flooded));
        }
        let slice = left.min(Duration::from_millis(100));
        match &handle {
            Ok(handle) => {
                let time = Timespec { tv_sec: 0, tv_nsec: i64::from(slice.subsec_nanos()) };
                // A signal to us ends the poll early; the loop looks again.
                let _ = poll(&mut [PollFd::new(handle, PollFlags::IN)], Some(&time));
            }
            Err(_) => std::thread::sleep(slice.min(Duration::from_millis(2))),
        }
    }
}
