//! The throw-away host: a folder with the boards' files, and the boards running in it.

use crate::DAEMON;
use std::fs;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;
use tempfile::TempDir;

const CONFIG: &str = "\
# Departure boards of Saltmarsh harbour.

# Where the boards ask. Loopback only.
port PORT

# The name in the heading.
harbour \"Saltmarsh\"

# Departures on a board.
rows 8          # the small boards show five

# Times as 12h or 24h.
#clock 24h

# Seconds between two looks of a board.
#refresh 30

# A quay of the timetable, or all.
quay all

timetable ROOT/share/timetable
";

const TIMETABLE: &str = "\
06:10 north Oyster Island
06:40 south Lamp Rock
07:15 north Oyster Island
08:00 south Greyling Sound
09:05 north Heron Spit
10:30 south Lamp Rock
12:15 north Oyster Island
13:45 south Greyling Sound
15:20 north Heron Spit
17:30 south Lamp Rock
19:00 north Oyster Island
";

/// A folder that stands for a host; gone, with what runs in it, when this is dropped.
pub struct Host {
    folder: Option<TempDir>,
    root: PathBuf,
    port: u16,
}

impl Host {
    /// A new host on which the boards are installed and running.
    pub fn build(program: &Path, profile: &str) -> Result<Self, String> {
        let text = |error: std::io::Error| error.to_string();
        let folder = tempfile::Builder::new().prefix("saltmarsh-").tempdir().map_err(text)?;
        let root = folder.path().canonicalize().map_err(text)?;
        let port =
            TcpListener::bind("127.0.0.1:0").and_then(|socket| socket.local_addr()).map_err(text)?.port();
        let host = Self { folder: Some(folder), root, port };
        for inner in ["etc", "bin", "run", "share", "profiles"] {
            fs::create_dir(host.root.join(inner)).map_err(text)?;
        }
        let root = host.root.display().to_string();
        std::os::unix::fs::symlink(program, host.boards()).map_err(text)?;
        fs::write(host.config(), CONFIG.replace("PORT", &port.to_string()).replace("ROOT", &root))
            .map_err(text)?;
        fs::write(host.root.join("share/timetable"), TIMETABLE).map_err(text)?;
        // What happens on this host is no news for those who are logged in on the real one.
        fs::create_dir_all(host.settings().join("gypsum")).map_err(text)?;
        fs::write(host.settings().join("gypsum/gypsum.toml"), "[tell]\nterminals = false\n").map_err(text)?;
        fs::write(host.profile(), profile.replace("/srv/saltmarsh", &root)).map_err(text)?;
        let started = Command::new(host.boards()).arg("--serve").arg(host.config()).status().map_err(text)?;
        if started.success() { Ok(host) } else { Err("the departure boards do not start".into()) }
    }

    /// The folder of Gypsum's own settings: `XDG_CONFIG_HOME`.
    pub fn settings(&self) -> PathBuf {
        self.root.join("config")
    }

    /// The folder.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The boards' configuration file.
    pub fn config(&self) -> PathBuf {
        self.root.join("etc/departures.conf")
    }

    /// The boards' profile, with this host's paths in it.
    pub fn profile(&self) -> PathBuf {
        self.root.join("profiles").join(format!("{DAEMON}.toml"))
    }

    /// Where backups and records go.
    pub fn state(&self) -> PathBuf {
        self.root.join("state")
    }

    fn boards(&self) -> PathBuf {
        self.root.join("bin").join(DAEMON)
    }

    fn pid_file(&self) -> PathBuf {
        self.root.join("run/departures.pid")
    }

    /// What a board gets when it asks.
    pub fn ask(&self) -> Result<String, String> {
        let text = |error: std::io::Error| format!("the boards do not answer: {error}");
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).map_err(text)?;
        stream.set_read_timeout(Some(Duration::from_secs(1))).map_err(text)?;
        stream.write_all(b"GET /board HTTP/1.1\r\nHost: localhost\r\n\r\n").map_err(text)?;
        let mut answer = String::new();
        stream.read_to_string(&mut answer).map_err(text)?;
        Ok(answer)
    }

    /// Leaves folder and boards as they are.
    pub fn leave(mut self) -> PathBuf {
        if let Some(folder) = self.folder.take() {
            let _ = folder.keep();
        }
        self.root.clone()
    }

    fn stop(&self) {
        let pid = fs::read_to_string(self.pid_file()).ok().and_then(|text| text.trim().parse().ok());
        let Some(pid) = pid.and_then(rustix::process::Pid::from_raw) else {
            return;
        };
        if rustix::process::kill_process(pid, rustix::process::Signal::TERM).is_ok() {
            // It takes its pid file away when it ends.
            for _ in 0..200 {
                if !self.pid_file().exists() {
                    break;
                }
                std::thread::sleep(Duration::from_millis(5));
            }
        }
    }
}

impl Drop for Host {
    fn drop(&mut self) {
        if self.folder.is_some() {
            self.stop();
        }
    }
}
