//! Asks the installed daemon for the name of a setting: its own reader, on a scratch file, without the service, as an
//! account without rights, and within a time.

use super::answers;
use crate::children;
use crate::scratch::Scratch;
use gypsum_core::profile::{Ask, NOBODYS_NAME, NameAnswer, Profile};
use gypsum_core::survey::Answer;
use std::fs::{self, Permissions};
use std::io;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::time::Duration;

/// The slowest daemons take a sixth of a second; one that looks up the name of this host may wait for a name server.
const LIMIT: Duration = Duration::from_secs(5);

/// What the installed daemon says of a name outside of all blocks; `None` where it cannot be asked, or takes any name.
pub fn known_name(profile: &Profile, name: &str) -> Option<NameAnswer> {
    let way = profile.ask.iter().find(|way| way.is_for(&profile.files.home, ""))?;
    if way.takes(name) {
        return None;
    }
    match ask(way, name, "") {
        Answer::Name(answer) => Some(answer),
        _ => None,
    }
}

/// What the daemon says of a name. It is asked for a name that nobody knows, too: where it takes that for a name, what
/// it says is not understood, and counts as nothing.
pub fn ask(ask: &Ask, name: &str, block: &str) -> Answer {
    match understood(ask, name, block) {
        Ok(Some(answer)) => Answer::Name(answer),
        Ok(None) => Answer::Unknown,
        Err(error) => {
            tracing::debug!(%error, name, "the daemon cannot be asked for a name");
            Answer::Unknown
        }
    }
}

/// What it says, or said before, if its words are understood. Only then they are kept.
fn understood(ask: &Ask, name: &str, block: &str) -> io::Result<Option<NameAnswer>> {
    if let Some(answer) = answers::kept(ask, name, block) {
        return Ok(Some(answer));
    }
    let answer = asked_anew(ask, name, block)?;
    if let Some(answer) = &answer {
        answers::keep(ask, name, block, answer);
    }
    Ok(answer)
}

/// What it says now, if its words are understood.
///
/// # Errors
///
/// If its program cannot be started.
pub fn asked_anew(ask: &Ask, name: &str, block: &str) -> io::Result<Option<NameAnswer>> {
    let Some(answer) = asked(ask, name, block)? else { return Ok(None) };
    let nobodys = asked(ask, NOBODYS_NAME, block)?;
    Ok(matches!(nobodys, Some(NameAnswer::Unknown(_))).then_some(answer))
}

/// What it says, or `None` if it did not come to its end.
fn asked(ask: &Ask, name: &str, block: &str) -> io::Result<Option<NameAnswer>> {
    let scratch = Scratch::for_unprivileged("gypsum-name-")?;
    let folder = scratch.path().to_string_lossy().into_owned();
    let mut said = None;
    for text in ask.texts(name, block) {
        if let Some(text) = text {
            write(&scratch.path().join(&ask.file), scratch.path(), &text)?;
        }
        let ran = children::run_unprivileged(&ask.command(&folder, name, block), scratch.path(), LIMIT)?;
        if ran.timed_out || ran.flooded || ran.status.is_none() {
            return Ok(None);
        }
        let answer = ask.read(&format!("{}\n{}", ran.out, ran.err), name, block);
        if answer == NameAnswer::Known {
            return Ok(Some(answer));
        }
        said = said.or(Some(answer));
    }
    Ok(said)
}

/// The scratch file, which any account may read: it holds a name and nothing else.
fn write(path: &Path, folder: &Path, text: &str) -> io::Result<()> {
    for above in
        path.ancestors().skip(1).take_while(|above| *above != folder).collect::<Vec<_>>().iter().rev()
    {
        fs::create_dir_all(above)?;
        fs::set_permissions(above, Permissions::from_mode(0o755))?;
    }
    fs::write(path, text)?;
    fs::set_permissions(path, Permissions::from_mode(0o644))
}
