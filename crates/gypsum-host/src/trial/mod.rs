//! Trial starts: the daemon is started on a proposal in namespaces of its own, with throw-away folders for all that it
//! writes, and is asked there what clients ask.
//!
//! Nothing of it may touch the running daemon. So there is never a transient unit: the service manager reads process id
//! files in the host's `/run`, and removes runtime folders there. Instead the own program is executed again:
//!
//! - `outer` leaves the host's namespaces, in two steps, and relays questions to its name servers;
//! - `inner` is the first process of the trial: it makes the folders, starts the daemon, asks as clients do, and reports.
//!   When it ends, the kernel ends every process of the trial, and all mounts go with them;
//! - `command` takes on the account and the limits of a command of the unit, and becomes that command.
//!
//! If the program that asked for it dies, they die with it (prctl(2), `PR_SET_PDEATHSIG`).

mod account;
mod backends;
mod checks;
mod command;
mod devices;
mod folders;
mod host;
mod inner;
mod lines;
mod mounts;
mod outer;
mod processes;
mod relay;
mod run;
mod runtime;
mod spec;
mod start;
mod unit;

pub use run::{NotMade, Trial};
pub use spec::Runtime;

/// The first word of the own program's command line that means: a part of a trial start. The second one says which.
pub const ENTRY: &str = "__trial";
/// The exit status that means: there can be no trial start here; standard error says why.
const NO_TRIAL: i32 = 122;

const OUTER: &str = "outer";
const FENCE: &str = "fence";
const INNER: &str = "inner";
const COMMAND: &str = "command";

/// Carries out the part of a trial start that the words name; the exit status.
pub fn enter(words: &[String]) -> i32 {
    let done = match words {
        [part] if part == OUTER => outer::enter(),
        [part] if part == FENCE => outer::fence(),
        [part] if part == INNER => inner::enter(),
        [part, program, rest @ ..] if part == COMMAND => command::become_it(program, rest),
        _ => Err(std::io::Error::other("no such part of a trial start")),
    };
    match done {
        Ok(status) => status,
        Err(error) => {
            eprintln!("{}", crate::error::plain(&error));
            NO_TRIAL
        }
    }
}
