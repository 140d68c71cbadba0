//! What a service holds while it runs, and what is left of that once it was stopped.

use super::proc;
use crate::sockets::{Listening, listening};
use gypsum_core::service::{Observation, Process};

/// The processes of a service, and the sockets on which they listen.
#[derive(Clone, Debug, Default)]
pub struct OwnedResources {
    processes: Vec<Process>,
    sockets: Vec<Listening>,
}

impl OwnedResources {
    /// Those of a service as it was seen. Sockets that its manager keeps for it are not its own.
    pub fn of(seen: &Observation) -> Self {
        let processes: Vec<Process> = seen.main.into_iter().flat_map(proc::family).collect();
        let mut sockets = Vec::new();
        if seen.callers.is_empty() && !processes.is_empty() {
            let own: Vec<u64> =
                processes.iter().filter_map(|process| proc::sockets(process.pid)).flatten().collect();
            sockets = [false, true].into_iter().flat_map(listening).collect();
            sockets.retain(|socket| own.contains(&socket.inode));
        }
        Self { processes, sockets }
    }

    /// What is still there, in words.
    pub fn left(&self) -> Option<String> {
        if let Some(process) = self.processes.iter().find(|process| proc::is_alive(**process)) {
            return Some(format!("its process {} is still there", process.pid));
        }
        if self.sockets.is_empty() {
            return None;
        }
        // A process that went its own way keeps the port from the next one.
        let now: Vec<Listening> = [false, true].into_iter().flat_map(listening).collect();
        let held = self.sockets.iter().find(|socket| now.contains(socket));
        held.map(|socket| format!("a process that it left behind still has {}", socket.address))
    }
}
