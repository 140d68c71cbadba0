//! Who listens on this host: sockets from `/proc/net`, each with its process and unit.

use crate::sockets::listening;
use gypsum_core::profile::Service;
use gypsum_core::service::Observation;
use gypsum_core::survey::Holder;
use procfs::process::Process;
use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};
use std::net::{IpAddr, SocketAddr};

/// All listening sockets of this host, at one moment.
pub struct Endpoints {
    sockets: Vec<Socket>,
    paths: HashSet<String>,
    everybody: OnceCell<HashMap<u64, Owner>>,
}

struct Socket {
    udp: bool,
    address: SocketAddr,
    inode: u64,
}

#[derive(Clone)]
struct Owner {
    pid: i32,
    name: String,
    unit: Option<String>,
}

impl Endpoints {
    /// A look at all of them.
    pub fn take() -> Self {
        let of = |udp: bool| {
            let all = listening(udp).into_iter();
            all.map(move |one| Socket { udp, address: one.address, inode: one.inode })
        };
        let paths = procfs::net::unix()
            .into_iter()
            .flatten()
            .filter_map(|entry| Some(entry.path?.to_str()?.to_owned()))
            .collect();
        Self { sockets: of(false).chain(of(true)).collect(), paths, everybody: OnceCell::new() }
    }

    /// Who listens on a port; what belongs to `service`, as it was `seen`, is the daemon's own.
    pub fn holders(&self, port: u16, udp: bool, (service, seen): &(Service, Observation)) -> Vec<Holder> {
        let here = |socket: &&Socket| socket.udp == udp && socket.address.port() == port;
        let sockets: Vec<&Socket> = self.sockets.iter().filter(here).collect();
        if sockets.is_empty() {
            return Vec::new();
        }
        // The daemon's own processes first: most often nobody else needs to be looked at.
        let own: Vec<i32> =
            crate::service::processes(seen).into_iter().filter_map(|pid| i32::try_from(pid).ok()).collect();
        let wanted: HashSet<u64> = sockets.iter().map(|socket| socket.inode).collect();
        let near = owners(own.iter().filter_map(|pid| Process::new(*pid).ok()), &wanted);
        let unit = service.unit.first();
        let holder = |socket: &&Socket| {
            let owner = near.get(&socket.inode).or_else(|| self.everybody().get(&socket.inode));
            // A socket that the service manager holds for the service is the service's own.
            let ours = owner.map(|owner| {
                owner.pid == 1 && unit.is_some()
                    || own.contains(&owner.pid)
                    || owner.unit.is_some() && owner.unit.as_ref() == unit
            });
            let process = match owner {
                Some(owner) => format!("{} (process {})", owner.name, owner.pid),
                None => "another process".into(),
            };
            let unit = owner.and_then(|owner| owner.unit.clone());
            Holder { address: plain(socket.address.ip()), process, unit, ours }
        };
        sockets.iter().map(holder).collect()
    }

    /// Whether anybody listens on a Unix socket.
    pub fn serves(&self, path: &str) -> bool {
        let other = path.strip_prefix("/var/run/").map(|rest| format!("/run/{rest}"));
        self.paths.contains(path) || other.is_some_and(|other| self.paths.contains(&other))
    }

    fn everybody(&self) -> &HashMap<u64, Owner> {
        self.everybody.get_or_init(|| {
            let wanted: HashSet<u64> = self.sockets.iter().map(|socket| socket.inode).collect();
            owners(procfs::process::all_processes().into_iter().flatten().flatten(), &wanted)
        })
    }
}

/// The first of `processes` that has each of these sockets.
fn owners(processes: impl Iterator<Item = Process>, wanted: &HashSet<u64>) -> HashMap<u64, Owner> {
    let mut owners = HashMap::new();
    for process in processes {
        let Some(sockets) = u32::try_from(process.pid).ok().and_then(crate::service::sockets_of) else {
            continue;
        };
        let inodes: Vec<u64> = sockets.intersection(wanted).copied().collect();
        if inodes.is_empty() {
            continue;
        }
        let name = process.stat().map(|stat| stat.comm).unwrap_or_default();
        let owner = Owner { pid: process.pid, name, unit: crate::service::unit_of_process(process.pid) };
        for inode in inodes {
            owners.entry(inode).or_insert_with(|| owner.clone());
        }
    }
    owners
}

/// The address, or none for all of them.
fn plain(address: IpAddr) -> Option<IpAddr> {
    (!address.is_unspecified()).then_some(address)
}
