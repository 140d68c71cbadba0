//! The names that the installed daemon lists: taken on request, without the service, as an account without rights, and
//! kept until its program is another one.

use super::answers;
use crate::children;
use crate::disk::Stamp;
use crate::scratch::Scratch;
use gypsum_core::profile::{ListedName, NameList, Profile};
use gypsum_core::record::unseal;
use serde::{Deserialize, Serialize};
use std::fs;
use std::io;
use std::path::PathBuf;
use std::time::Duration;

/// The slowest list takes a sixth of a second on a quiet machine.
const LIMIT: Duration = Duration::from_secs(5);

#[derive(Serialize, Deserialize)]
struct Kept {
    /// The program that printed them.
    program: Stamp,
    names: Vec<ListedName>,
}

/// The names that the installed daemon lists, and by which of its lists; `None` if it prints none.
pub fn listed(profile: &Profile) -> Option<(&NameList, Vec<ListedName>)> {
    profile.list.iter().find_map(|list| {
        let names = taken(list)
            .inspect_err(|error| tracing::debug!(%error, "the daemon does not list its names"))
            .ok()?;
        (!names.is_empty()).then_some((list, names))
    })
}

fn taken(list: &NameList) -> io::Result<Vec<ListedName>> {
    let program = list.run.first().map(fs::metadata).transpose()?.as_ref().map(Stamp::of);
    let place = place(list);
    if let (Some(program), Some(place)) = (&program, &place)
        && let Some(kept) = unseal::<Kept>(&answers::read_ours(place)).whole()
        && kept.program == *program
    {
        return Ok(kept.names);
    }
    let scratch = Scratch::for_unprivileged("gypsum-names-")?;
    let argv = list.command(&scratch.path().to_string_lossy());
    let ran = children::run_unprivileged(&argv, scratch.path(), LIMIT)?;
    if ran.timed_out || ran.flooded {
        return Err(io::Error::other("it did not come to its end"));
    }
    let names = list.read(&ran.out);
    if let (Some(program), Some(place), false) = (program, place, names.is_empty()) {
        let kept = Kept { program, names };
        if let Err(error) = answers::write_ours(&place, &kept) {
            tracing::debug!(%error, "the list of a daemon's names is not kept");
        }
        return Ok(kept.names);
    }
    Ok(names)
}

/// Another profile lists in another way.
fn place(list: &NameList) -> Option<PathBuf> {
    let how = format!("{list:?}");
    Some(answers::folder()?.join(format!("list-{}.json", &blake3::hash(how.as_bytes()).to_hex()[..16])))
}
