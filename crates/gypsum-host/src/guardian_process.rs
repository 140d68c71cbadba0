//! The guardian's own process.

use crate::error::Error;
use crate::guardian::{GuardianMessage, GuardianServer};
use crate::interrupt;
use crate::prune::{Haste, prune};
use crate::run::{Nobody, Observer, carry_staged};
use crate::state::State;
use crate::world::RealWorld;
use gypsum_core::event::Event;
use std::io::{self, Write};
use std::os::unix::net::UnixStream;
use std::path::Path;
use std::sync::atomic::Ordering;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread::Builder;
use std::time::Duration;

/// How long the front may take to hear the end. One that is held up reads the record later.
const LAST_WORDS: Duration = Duration::from_secs(5);

/// How often it says that it is at work.
const PULSE: Duration = Duration::from_millis(250);

/// Calls at the socket, takes the change over, and carries it to its verdict; the exit status of the process.
pub fn serve(socket: &Path) -> u8 {
    // Started by a service manager it leads a session already.
    let _ = rustix::process::setsid();
    // The front ended before it was needed.
    let Ok(stream) = UnixStream::connect(socket) else { return 0 };
    match carry(GuardianServer::over(stream)) {
        Ok(()) => 0,
        Err(error) => {
            eprintln!("gypsum: the change could not be taken over: {error}");
            1
        }
    }
}

/// Stands by the change of `daemon` on probation, in the state folder `root`; the exit status of the process.
pub fn stand_by(root: &Path, daemon: &str) -> u8 {
    let _ = rustix::process::setsid();
    let stand = || {
        let world = RealWorld::new().map_err(Error::because)?;
        world.watched().store(false, Ordering::Relaxed);
        crate::run::stand_by(&world, &State::at(Some(root))?, &mut Nobody, daemon)
    };
    match stand() {
        Ok(()) => 0,
        Err(error) => {
            eprintln!("gypsum: {daemon}: {error}");
            // No failure that a second try mends: a service manager would start it for ever.
            0
        }
    }
}

fn carry(mut line: GuardianServer) -> io::Result<()> {
    let Some((charge, locks)) = line.charge()? else { return Ok(()) };
    let world = RealWorld::new()?;
    let (speaker, way_out) = (line.speaker()?, interrupt::flag());
    let watched = world.watched();
    watched.store(charge.is_watched, Ordering::Relaxed);
    // Without a thread the change is not taken over, and the front goes on with it.
    Builder::new().spawn(move || {
        // Once to stop the change, once more to end the wait for the old configuration.
        while line.is_withdrawn() {
            way_out.store(true, Ordering::Relaxed);
        }
        watched.store(false, Ordering::Relaxed);
    })?;
    let (tell, told) = channel();
    let (done, heard) = channel();
    Builder::new().spawn(move || speak(speaker, &told, &done))?;

    let (alive, progress) = (tell.clone(), world.progress());
    Builder::new().spawn(move || {
        let alive = |(healthy, of)| alive.send(GuardianMessage::Alive(healthy, of));
        while alive(progress.get()).is_ok() {
            std::thread::sleep(PULSE);
        }
    })?;
    let daemon = charge.staged.plan.daemon.clone();
    let (mut teller, last) = (Teller { tell: tell.clone() }, tell);
    carry_staged(&world, &charge.state, &mut teller, charge.staged, move |status| {
        // The next change need not wait for who watches this one.
        drop(locks);
        let _ = last.send(GuardianMessage::Ended(status));
    });
    drop(teller);
    let _ = heard.recv_timeout(LAST_WORDS);
    if let Err(error) = prune(&charge.state, &daemon, Haste::AtLeisure) {
        tracing::warn!(%error, "old changes are not removed");
    }
    Ok(())
}

/// Passes on what happened; somebody who does not listen never holds a change up.
fn speak(mut line: UnixStream, told: &Receiver<GuardianMessage>, done: &Sender<()>) {
    for told in told {
        let Ok(mut text) = serde_json::to_vec(&told) else { continue };
        text.push(b'\n');
        if line.write_all(&text).is_err() {
            break;
        }
    }
    let _ = done.send(());
}

struct Teller {
    tell: Sender<GuardianMessage>,
}

impl Observer for Teller {
    fn on_event(&mut self, event: &Event) {
        // Where the other end has gone, the record tells.
        let _ = self.tell.send(GuardianMessage::Saw(event.clone()));
    }

    fn confirm(&mut self) -> bool {
        // Questions are asked before a change is handed over.
        true
    }
}
