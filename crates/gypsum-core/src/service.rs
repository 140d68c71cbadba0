//! What was seen of a service, and what follows from it. The host observes; this judges.

use crate::profile::{Activation, Proof};
use serde::{Deserialize, Serialize};

/// What a service is doing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum State {
    /// It runs.
    Running,
    /// It is being started.
    Starting,
    /// It is reading its configuration again.
    Reloading,
    /// It is being stopped.
    Stopping,
    /// It ended, and its manager will start it again in a moment.
    BackingOff,
    /// It did its work and ended well, and counts as active.
    Exited,
    /// Its manager calls it active, and no process of it lives.
    Gone,
    /// It does not run, and nothing is wrong with that.
    Stopped,
    /// It does not run, because it failed.
    Failed,
    /// There is no such service.
    Missing,
    /// The manager did not answer; nothing is known.
    Unreachable,
}

impl State {
    /// Whether it counts as up.
    pub fn is_up(self) -> bool {
        matches!(self, Self::Running | Self::Exited | Self::Reloading)
    }

    /// The words for it.
    pub fn words(self) -> &'static str {
        match self {
            Self::Running => "running",
            Self::Starting => "starting",
            Self::Reloading => "reloading",
            Self::Stopping => "stopping",
            Self::BackingOff => "failing and being restarted",
            Self::Exited => "active (exited)",
            Self::Gone => "active for its manager, but without a process",
            Self::Stopped => "stopped",
            Self::Failed => "failed",
            Self::Missing => "unknown to the service manager",
            Self::Unreachable => "not known: the service manager does not answer",
        }
    }
}

/// A process, told from a later one with the same number by its start.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Process {
    /// Process id.
    pub pid: u32,
    /// Start time in clock ticks since boot, as in field 22 of `/proc/PID/stat`.
    pub started: u64,
}

/// One look at a service.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Observation {
    /// What it is doing.
    pub state: State,
    /// Its main process.
    pub main: Option<Process>,
    /// The manager's own mark of this start of the service.
    pub invocation: Option<String>,
    /// How often the manager restarted it by itself.
    pub restarts: Option<u32>,
    /// The manager's own word for how it went.
    pub result: Option<String>,
    /// Whether it can be told to read its configuration again.
    pub can_reload: bool,
    /// The inodes of the main process's listening sockets, in order.
    pub listeners: Vec<u64>,
    /// The children of the main process, in order.
    pub children: Vec<Process>,
    /// What the profile's proof command printed.
    pub printed: Option<String>,
    /// When it last came into this state (a start, or the end of a reload), in milliseconds since 1970.
    #[serde(default)]
    pub since_ms: Option<i64>,
    /// How long its manager itself lets a stop and a start take together, in milliseconds.
    #[serde(default)]
    pub allowed_ms: Option<u64>,
    /// The manager's other entries that start this one when they are called.
    #[serde(default)]
    pub callers: Vec<String>,
    /// The manager's other entries that a stop of this one takes along.
    #[serde(default)]
    pub dependants: Vec<String>,
    /// The manager's other entries that are told to read their configuration again when this one is.
    #[serde(default)]
    pub told_along: Vec<String>,
    /// How its manager starts it.
    #[serde(default)]
    pub started_as: StartedAs,
}

/// How the manager of a service starts it, as far as it tells.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct StartedAs {
    /// The account, where that is not root.
    pub account: Option<String>,
    /// The files that its manager reads variables from, at each start.
    pub variables: Vec<String>,
    /// The files that its manager hands it as credentials, at each start.
    pub credentials: Vec<String>,
}

impl StartedAs {
    /// Whether the manager itself reads a file at each start of the service, and what it is for it, in words.
    pub fn role_of(&self, file: &str) -> Option<&'static str> {
        if self.variables.iter().any(|one| one == file) {
            Some("environment file")
        } else {
            self.credentials.iter().any(|one| one == file).then_some("credential")
        }
    }
}

impl Observation {
    /// A look that showed nothing but `state`.
    pub fn only(state: State) -> Self {
        Self {
            state,
            main: None,
            invocation: None,
            restarts: None,
            result: None,
            can_reload: false,
            listeners: Vec::new(),
            children: Vec::new(),
            printed: None,
            since_ms: None,
            allowed_ms: None,
            callers: Vec::new(),
            dependants: Vec::new(),
            told_along: Vec::new(),
            started_as: StartedAs::default(),
        }
    }

    /// The manager's own word for how it went, in brackets; nothing where that was well.
    pub fn result_words(&self) -> String {
        let result = self.result.as_deref().filter(|result| *result != "success");
        result.map_or(String::new(), |result| format!(" ({result})"))
    }

    /// Whether `later` is the same start of the same service: nothing died in between.
    pub fn same_start(&self, later: &Self) -> bool {
        self.main == later.main && self.invocation == later.invocation && self.restarts == later.restarts
    }
}

/// Whether an activation was really taken up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TakenUp {
    /// It was.
    Yes,
    /// It was not: the old configuration goes on.
    No,
    /// Nothing was seen that would tell.
    Unproven,
}

/// Whether the service took up its configuration between two looks.
pub fn taken_up(
    before: &Observation,
    after: &Observation,
    activation: Activation,
    proof: Option<&Proof>,
) -> TakenUp {
    match activation {
        Activation::None => TakenUp::Yes,
        Activation::Restart | Activation::StopFirst
            if before.main.is_none() && before.invocation.is_none() =>
        {
            TakenUp::Yes
        }
        Activation::Restart | Activation::StopFirst => {
            let same = before.main == after.main && before.invocation == after.invocation;
            if same { TakenUp::No } else { TakenUp::Yes }
        }
        _ if before.main != after.main => TakenUp::Yes,
        _ => match proof {
            Some(Proof::Listeners) => renewed(&before.listeners, &after.listeners),
            Some(Proof::Children) => renewed(&before.children, &after.children),
            Some(Proof::Prints(_)) => match (&before.printed, &after.printed) {
                (Some(before), Some(after)) => changed(before != after),
                // It had nothing to print before.
                (None, Some(_)) => TakenUp::Yes,
                _ => TakenUp::Unproven,
            },
            None => {
                let listeners = renewed(&before.listeners, &after.listeners);
                let children = renewed(&before.children, &after.children);
                if [listeners, children].contains(&TakenUp::Yes) { TakenUp::Yes } else { TakenUp::Unproven }
            }
        },
    }
}

/// None where there were some is no renewal: those that went may have taken the daemon with them.
fn renewed<T: PartialEq>(before: &[T], after: &[T]) -> TakenUp {
    match (before, after) {
        ([], []) => TakenUp::Unproven,
        (_, []) => TakenUp::No,
        _ => changed(before != after),
    }
}

fn changed(changed: bool) -> TakenUp {
    if changed { TakenUp::Yes } else { TakenUp::No }
}
