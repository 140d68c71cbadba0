//! What is left for the next command: a small file for each change that ended while nobody looked on.

use crate::disk::entries;
use crate::installing::write_whole;
use crate::state::State;
use serde::{Deserialize, Serialize};
use std::fs;
use std::io;
use std::path::PathBuf;

/// Their folder, in the state folder. Its name begins with a dot, so that it is no daemon's.
const FOLDER: &str = ".untold";

/// What somebody is to be told who did not look on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Notice {
    /// How the change ended.
    pub message: String,
    /// What could not be told elsewhere.
    pub failed: Option<String>,
}

fn folder(state: &State) -> PathBuf {
    state.root().join(FOLDER)
}

pub(super) fn leave(state: &State, name: &str, notice: &Notice) -> io::Result<()> {
    let folder = folder(state);
    fs::create_dir_all(&folder)?;
    let text = serde_json::to_string(notice)?;
    let path = folder.join(name);
    write_whole(&path, &text, 0o600).map_err(io::Error::other)
}

/// What was left; from now on it counts as told. What cannot be read or removed is told by what it is.
pub fn take_notices(state: &State) -> Vec<Notice> {
    let folder = folder(state);
    let mut names = match entries(&folder) {
        Ok(found) => found.unwrap_or_default(),
        Err(error) => {
            tracing::debug!(%error, "notices cannot be read");
            return Vec::new();
        }
    };
    names.sort_by(|one, other| one.0.cmp(&other.0));
    let mut all = Vec::new();
    for (name, _) in names {
        let path = folder.join(name);
        let told = |what: String| Notice { message: what, failed: None };
        let notice = match fs::read(&path).map(|bytes| serde_json::from_slice(&bytes)) {
            Ok(Ok(notice)) => notice,
            Ok(Err(error)) => told(format!("{} cannot be read: {error}", path.display())),
            Err(error) => told(format!("{} cannot be read: {error}", path.display())),
        };
        if let Err(error) = fs::remove_file(&path) {
            tracing::debug!(%error, "a notice is told again");
        }
        all.push(notice);
    }
    all
}
