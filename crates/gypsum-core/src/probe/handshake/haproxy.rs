//! The administration socket of HAProxy (its management guide, 9.3 "show stat"): how each server behind it is.

use super::{Conversation, Foreign, Received, Step};
use crate::probe::{Answer, Grade};

/// The fields of a line that are looked at, by the names in the first one.
const PROXY: &str = "pxname";
const SERVER: &str = "svname";
const STATUS: &str = "status";

/// A conversation with such a socket, which answers once and closes.
#[derive(Default)]
pub(super) struct Haproxy {
    has_asked: bool,
}

impl Conversation for Haproxy {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if !self.has_asked {
            self.has_asked = true;
            return Ok(Step::Say(b"show stat\n".to_vec()));
        }
        if !received.is_ended {
            return Ok(Step::Wait);
        }
        let text = String::from_utf8_lossy(&received.bytes).into_owned();
        let mut lines = text.lines().filter(|line| !line.is_empty());
        let foreign = || Foreign("the protocol of HAProxy's administration socket");
        let head = lines.next().and_then(|line| line.strip_prefix("# ")).ok_or_else(foreign)?;
        let column = |name: &str| head.split(',').position(|one| one == name).ok_or_else(foreign);
        let (proxy, server, status) = (column(PROXY)?, column(SERVER)?, column(STATUS)?);
        let answers = lines.filter_map(|line| {
            let field = |at: usize| line.split(',').nth(at);
            let (proxy, server, status) = (field(proxy)?, field(server)?, field(status)?);
            let is_server = !matches!(server, "FRONTEND" | "BACKEND");
            is_server.then(|| answer(proxy, server, status))
        });
        Ok(Step::End(answers.collect()))
    }
}

/// `UP`, `UP 1/3` and `no check` take requests; `DOWN` does not; others (`MAINT`, `DRAIN`, `NOLB`) take none that are new,
/// since somebody said so.
fn answer(proxy: &str, server: &str, status: &str) -> Answer {
    let word = status.split(' ').next().unwrap_or_default();
    let (grade, word) = match word {
        "UP" => (Grade::Served, "UP"),
        "no" => (Grade::Served, "not checked"),
        "DOWN" => (Grade::Failed, "DOWN"),
        other => (Grade::Refused, other),
    };
    Answer::state(format!("server {proxy}/{server}"), grade, word)
}
