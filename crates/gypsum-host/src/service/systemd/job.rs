//! A job of systemd's manager, asked for and followed on its bus.

use super::bus::{MANAGER, NAME, SystemBus, ask};
use super::shown::UnitProperties;
use super::whose::ManagerScope;
use crate::children::Limit;
use crate::service::{ActionError, ServiceAction};
use futures_core::Stream;
use std::future::poll_fn;
use std::pin::Pin;
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::{Duration, Instant};
use zbus::{MatchRule, MessageStream, OwnedObjectPath};

/// How often it is looked whether somebody wants out.
const LOOK: Duration = Duration::from_millis(100);
/// A manager that we have told already that we want to hear of its jobs.
const SUBSCRIBED: &str = "org.freedesktop.systemd1.AlreadySubscribed";
/// A job as its end is told: its number, its object, its unit, its result.
type Ended = (u32, OwnedObjectPath, String, String);

/// Carries out an action on a unit of the system as a job of its manager, and waits for its end. None where the manager
/// did not take it on, or the bus was lost.
pub fn carry_out(
    bus: &'static SystemBus,
    action: ServiceAction,
    unit: &str,
    limit: Limit<'_>,
) -> Option<Result<(), ActionError>> {
    let method = match action {
        ServiceAction::Reload => "ReloadUnit",
        ServiceAction::Restart => "RestartUnit",
        ServiceAction::Start => "StartUnit",
        ServiceAction::Stop => "StopUnit",
        ServiceAction::Signal | ServiceAction::Command | ServiceAction::Reread => return None,
    };
    let (tell, hear) = channel();
    let name = unit.to_owned();
    let follow = move || {
        let result = ask(follow(bus, method, &name));
        // Where nobody waits any more, the manager carries on by itself.
        let _ = tell.send(result);
    };
    std::thread::Builder::new().spawn(follow).ok()?;
    let end = Instant::now() + limit.time;
    loop {
        match hear.recv_timeout(LOOK.min(end.saturating_duration_since(Instant::now()))) {
            Ok(Ok(result)) => return Some(judged(&result, unit)),
            Ok(Err(error)) => {
                tracing::debug!(%error, unit, method, "not done by the bus");
                return None;
            }
            Err(RecvTimeoutError::Disconnected) => return None,
            Err(RecvTimeoutError::Timeout) if limit.is_out() => return Some(Err(ActionError::Interrupted)),
            Err(RecvTimeoutError::Timeout) if Instant::now() < end => {}
            Err(RecvTimeoutError::Timeout) => {
                let what = format!("the {} of {unit}", action.word());
                return Some(Err(ActionError::TimedOut { what, limit: limit.time }));
            }
        }
    }
}

/// The result of a job, as the manager tells it (JobRemoved).
async fn follow(bus: &SystemBus, method: &str, unit: &str) -> Result<String, zbus::Error> {
    match bus.manager("Subscribe", &()).await {
        Err(zbus::Error::MethodError(name, ..)) if name.as_str() == SUBSCRIBED => {}
        answer => drop(answer?),
    }
    let rule = MatchRule::builder()
        .msg_type(zbus::message::Type::Signal)
        .sender(NAME)
        .interface(MANAGER)
        .member("JobRemoved")
        .build()?;
    let mut told = MessageStream::for_match_rule(rule, bus.line(), None).await?;
    let job: OwnedObjectPath = bus.manager(method, &(unit, "replace")).await?.body().deserialize()?;
    while let Some(signal) = poll_fn(|cx| Pin::new(&mut told).poll_next(cx)).await {
        let (_, object, _, result): Ended = signal?.body().deserialize()?;
        if object == job {
            return Ok(result);
        }
    }
    Err(zbus::Error::Failure("the bus was lost".into()))
}

fn judged(result: &str, unit: &str) -> Result<(), ActionError> {
    if matches!(result, "done" | "skipped") {
        return Ok(());
    }
    let of_unit =
        || UnitProperties::of(&ManagerScope::System, unit).and_then(|shown| shown.observation().result);
    Err(ActionError::Failed(why(result, of_unit().as_deref())))
}

/// Why a job failed, by its own result and that of its unit (systemd.exec(5), `$SERVICE_RESULT`).
fn why(result: &str, of_unit: Option<&str>) -> String {
    let detail = match (result, of_unit) {
        ("timeout", _) | ("failed", Some("timeout")) => "it was not done in the time that systemd allows",
        ("canceled", _) => "another job took its place",
        ("dependency", _) => "a unit that it needs did not start",
        ("assert", _) => "a condition of its unit does not hold",
        ("failed", Some("exit-code")) => "a process of it ended with an error",
        ("failed", Some("signal")) => "a process of it was ended by a signal",
        ("failed", Some("core-dump")) => "a process of it crashed",
        ("failed", Some("start-limit-hit")) => "it was started too often in a short time",
        ("failed", Some("oom-kill")) => "the kernel ended a process of it, since memory was short",
        ("failed", Some("protocol")) => "it did not say that it is ready",
        ("failed", Some("resources")) => "systemd could not make what its unit asks for",
        ("failed", None | Some("success")) => return "systemd's job failed".to_owned(),
        (result, Some(of_unit)) => return format!("systemd's job failed: {result}, {of_unit}"),
        (result, None) => return format!("systemd's job failed: {result}"),
    };
    format!("systemd's job failed: {detail}")
}

#[cfg(test)]
mod tests {
    use super::why;

    #[test]
    fn why_a_job_failed_is_told_in_words() {
        assert_eq!(
            why("failed", Some("exit-code")),
            "systemd's job failed: a process of it ended with an error"
        );
        assert_eq!(why("failed", Some("success")), "systemd's job failed");
        assert_eq!(why("dependency", None), "systemd's job failed: a unit that it needs did not start");
        assert_eq!(why("unsupported", None), "systemd's job failed: unsupported");
    }
}
