//! What a trial start has to know of the host: its addresses and name servers, who listens where, what the running daemon
//! writes.

use super::relay::DNS_PORT;
use crate::children;
use crate::sockets::listening;
use gypsum_core::service::Observation;
use procfs::net::UnixState;
use serde::Deserialize;
use std::collections::{BTreeSet, HashSet};
use std::fs;
use std::net::{IpAddr, SocketAddr};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long the question for addresses may take.
const LIMIT: Duration = Duration::from_secs(5);
/// The folder below which daemons keep their data, and hardly anything else.
const STATE: &str = "/var/lib";
/// The folders that hold those of several daemons.
const SHARED: [&str; 2] = [STATE, "/srv"];
/// Folders below which no daemon keeps data, and that are under overlays.
const NO_DATA: [&str; 3] = ["/etc", "/usr", "/var/cache"];
/// The folders that are new in a trial, whoever writes there.
pub const ANEW: [&str; 8] = ["/run", "/dev", "/proc", "/sys", "/tmp", "/var/tmp", "/var/log", "/var/spool"];
/// The sort of socket to which clients connect, as `/proc/net/unix` has it (`SOCK_STREAM`, socket(2)).
const STREAM: u16 = 1;

/// The network of the host.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Network {
    /// Its addresses.
    pub addresses: Vec<IpAddr>,
    /// Its devices, but the loopback one.
    pub devices: Vec<String>,
}

#[derive(Deserialize)]
struct Device {
    ifname: String,
    #[serde(default)]
    addr_info: Vec<Address>,
}

#[derive(Deserialize)]
struct Address {
    local: Option<IpAddr>,
}

/// Asks for the network (ip-address(8)).
///
/// # Errors
///
/// In words, if it cannot be asked for.
pub fn network() -> Result<Network, String> {
    let argv = ["ip", "-json", "address", "show"].map(str::to_owned);
    let ran = children::run(&argv, LIMIT)
        .map_err(|error| format!("ip (iproute2) cannot be run: {}", crate::error::plain(&error)))?;
    let devices: Vec<Device> =
        serde_json::from_str(&ran.out).map_err(|error| format!("what ip says is not understood: {error}"))?;
    let addresses = devices.iter().flat_map(|device| &device.addr_info).filter_map(|one| one.local).collect();
    let devices = devices.into_iter().map(|device| device.ifname).filter(|name| name != "lo").collect();
    Ok(Network { addresses, devices })
}

/// Where others than the service listen: whether by UDP, and the address.
pub fn taken(own: &HashSet<u64>) -> Vec<(bool, SocketAddr)> {
    let all = [false, true].into_iter().flat_map(|udp| listening(udp).into_iter().map(move |one| (udp, one)));
    all.filter(|(_, one)| !own.contains(&one.inode)).map(|(udp, one)| (udp, one.address)).collect()
}

/// The name servers that the host asks (resolv.conf(5)), unless the service itself may be one of them.
pub fn name_servers(own: &HashSet<u64>) -> Vec<IpAddr> {
    let is_one = listening(true).iter().any(|one| one.address.port() == DNS_PORT && own.contains(&one.inode));
    if is_one {
        return Vec::new();
    }
    let text = fs::read_to_string("/etc/resolv.conf").unwrap_or_default();
    text.lines().filter_map(|line| line.strip_prefix("nameserver")?.trim().parse().ok()).collect()
}

/// The folders in which processes write.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// Those that hold data.
    pub data: BTreeSet<PathBuf>,
    /// The others.
    pub others: BTreeSet<PathBuf>,
}

/// The folders in which these processes have files open for writing, and in which they work.
pub fn written(processes: &[u32]) -> Written {
    let mut written = Written::default();
    for pid in processes {
        let at = PathBuf::from(format!("/proc/{pid}"));
        let files = fs::read_dir(at.join("fd")).into_iter().flatten().flatten();
        // The mode of the link says how the file is open (proc(5)).
        let is_written = |path: &PathBuf| {
            fs::symlink_metadata(path).is_ok_and(|meta| meta.permissions().mode() & 0o200 != 0)
        };
        let links = files.map(|file| file.path()).filter(is_written);
        // One that was closed meanwhile leads nowhere.
        for path in links.flat_map(fs::read_link).filter(|path| path.is_file()) {
            written.add_written(path.parent());
        }
        if let Ok(folder) = fs::read_link(at.join("cwd")) {
            written.add_worked_in(folder);
        }
    }
    // One that holds another one holds all of it.
    let all = written.data.clone();
    written.data.retain(|one| !all.iter().any(|other| other != one && one.starts_with(other)));
    written
}

/// The folders of data that values name: each absolute path in one, or the folder of that file.
pub fn named_data(values: &[String]) -> BTreeSet<PathBuf> {
    let mut written = Written::default();
    for word in values.iter().flat_map(|value| value.split([' ', '\t', ',', '"', '\''])) {
        let path = Path::new(word);
        if path.is_absolute() {
            written.add_written(if path.is_dir() { Some(path) } else { path.parent() });
        }
    }
    written.data
}

impl Written {
    /// A folder with a file that is open for writing: wherever it is, a second daemon is not to see that.
    fn add_written(&mut self, folder: Option<&Path>) {
        let is_below = |roots: &[&str], folder: &Path| roots.iter().any(|root| folder.starts_with(root));
        if let Some(folder) = folder.filter(|folder| folder.parent().is_some())
            && !is_below(&ANEW, folder)
            && !is_below(&NO_DATA, folder)
            && !SHARED.iter().any(|root| folder == Path::new(root))
        {
            self.data.insert(folder.to_owned());
        }
    }

    /// A folder that is worked in: of data where such alone are; elsewhere a program may be in it.
    fn add_worked_in(&mut self, folder: PathBuf) {
        if folder.starts_with(STATE) {
            self.add_written(Some(&folder));
        } else if folder.components().count() > 2 && !ANEW.iter().any(|root| folder.starts_with(root)) {
            self.others.insert(folder);
        }
    }
}

/// Sockets of other services below `/run` that one of the texts names.
pub fn named_sockets(own: &HashSet<u64>, texts: &[&[u8]]) -> Vec<PathBuf> {
    let is_named = |path: &Path| {
        let path = path.as_os_str().as_encoded_bytes();
        let short = path.strip_prefix(b"/run").unwrap_or(path);
        texts.iter().any(|text| memchr::memmem::find(text, short).is_some())
    };
    let all = procfs::net::unix().map(|all| all.into_iter().collect::<Vec<_>>()).unwrap_or_default();
    let paths = all
        .into_iter()
        .filter(|one| !own.contains(&one.inode) && one.state == UnixState::UNCONNECTED)
        .filter(|one| one.socket_type == STREAM)
        .filter_map(|one| one.path)
        .filter(|path| path.starts_with("/run") && is_named(path));
    paths.collect::<BTreeSet<_>>().into_iter().collect()
}

/// Sockets with a path that a trial would see, where the folders are the host's own.
pub fn other_sockets() -> Vec<PathBuf> {
    let all = procfs::net::unix().map(|all| all.into_iter().collect::<Vec<_>>()).unwrap_or_default();
    let paths = all.into_iter().filter_map(|one| one.path);
    let is_seen = |path: &PathBuf| path.is_absolute() && !ANEW.iter().any(|root| path.starts_with(root));
    paths.filter(is_seen).collect::<BTreeSet<_>>().into_iter().collect()
}

/// What confines the main process beyond its unit, in words.
pub fn confined(found: &Observation) -> Option<String> {
    let main = found.main?;
    let label = fs::read_to_string(format!("/proc/{}/attr/current", main.pid)).ok()?;
    let label = label.trim_end_matches(['\0', '\n']).trim();
    let is_selinux = Path::new("/sys/fs/selinux/enforce").exists();
    match label {
        "" | "unconfined" | "kernel" => None,
        label if is_selinux => Some(format!("SELinux ({label})")).filter(|_| !label.contains("unconfined")),
        label => Some(format!("AppArmor ({label})")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_of_data_are_told_from_others() {
        let mut written = Written::default();
        for folder in ["/data/tides", "/var/lib", "/", "/run/boards", "/etc/boards", "/opt/boards/log"] {
            written.add_written(Some(Path::new(folder)));
        }
        for folder in ["/var/lib", "/var/lib/quay", "/opt/boards", "/srv/app", "/", "/tmp/boards"] {
            written.add_worked_in(folder.into());
        }
        assert_eq!(
            written.data,
            ["/data/tides", "/opt/boards/log", "/var/lib/quay"].map(PathBuf::from).into()
        );
        assert_eq!(written.others, ["/opt/boards", "/srv/app"].map(PathBuf::from).into());
    }
}
