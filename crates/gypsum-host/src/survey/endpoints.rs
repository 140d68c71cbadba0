//! Who listens on this host: sockets from `/proc/net`, each with its process and unit.

use gypsum_core::profile::Service;
use gypsum_core::survey::Holder;
use procfs::net::{TcpState, UdpState};
use procfs::process::FDTarget;
use std::collections::{HashMap, HashSet};
use std::net::{IpAddr, SocketAddr};

/// All listening sockets of this host, at one moment.
pub struct Endpoints {
    sockets: Vec<(bool, SocketAddr, u64)>,
    paths: HashSet<String>,
    processes: HashMap<u64, (i32, String)>,
    units: HashMap<i32, Option<String>>,
    ours: HashSet<i32>,
    unit: Option<String>,
}

impl Endpoints {
    /// A look at all of them; those of `service` are the daemon's own.
    pub fn take(service: &Service) -> Self {
        let tcp = procfs::net::tcp().into_iter().chain(procfs::net::tcp6()).flatten();
        let tcp = tcp
            .filter(|entry| entry.state == TcpState::Listen)
            .map(|entry| (false, entry.local_address, entry.inode));
        let udp = procfs::net::udp().into_iter().chain(procfs::net::udp6()).flatten();
        let udp = udp
            .filter(|entry| entry.state == UdpState::Close)
            .map(|entry| (true, entry.local_address, entry.inode));
        let sockets: Vec<_> = tcp.chain(udp).collect();
        let paths = procfs::net::unix()
            .into_iter()
            .flatten()
            .filter_map(|entry| Some(entry.path?.to_str()?.to_owned()))
            .collect();
        let wanted: HashSet<u64> = sockets.iter().map(|(.., inode)| *inode).collect();
        let mut processes = HashMap::new();
        let mut units = HashMap::new();
        for process in procfs::process::all_processes().into_iter().flatten().flatten() {
            let Ok(files) = process.fd() else { continue };
            let inodes: Vec<u64> = files
                .flatten()
                .filter_map(|file| match file.target {
                    FDTarget::Socket(inode) if wanted.contains(&inode) => Some(inode),
                    _ => None,
                })
                .collect();
            if inodes.is_empty() {
                continue;
            }
            let name = process.stat().map(|stat| stat.comm).unwrap_or_default();
            units.insert(process.pid, unit_of(process.pid));
            for inode in inodes {
                processes.entry(inode).or_insert_with(|| (process.pid, name.clone()));
            }
        }
        let main = crate::service::observe(service).main;
        let mut ours: HashSet<i32> = main.iter().filter_map(|main| i32::try_from(main.pid).ok()).collect();
        if let Some(main) = main {
            ours.extend(
                crate::service::children_of(main.pid).into_iter().filter_map(|pid| i32::try_from(pid).ok()),
            );
        }
        Self { sockets, paths, processes, units, ours, unit: service.unit.first().cloned() }
    }

    /// Who listens on a port.
    pub fn holders(&self, port: u16, udp: bool) -> Vec<Holder> {
        let here =
            self.sockets.iter().filter(|(is_udp, address, _)| *is_udp == udp && address.port() == port);
        here.map(|(_, address, inode)| {
            let (pid, name) =
                self.processes.get(inode).cloned().unwrap_or((0, "a process that cannot be seen".into()));
            let unit = self.units.get(&pid).cloned().flatten();
            // A socket that the service manager holds for the service is the service's own.
            let for_us = pid == 1 && self.unit.is_some();
            let ours = for_us || self.ours.contains(&pid) || (unit.is_some() && unit == self.unit);
            let process = if pid > 0 { format!("{name} (process {pid})") } else { name };
            Holder { address: plain(address.ip()), process, unit, ours }
        })
        .collect()
    }

    /// Whether anybody listens on a Unix socket.
    pub fn serves(&self, path: &str) -> bool {
        let other = path.strip_prefix("/var/run/").map(|rest| format!("/run/{rest}"));
        self.paths.contains(path) || other.is_some_and(|other| self.paths.contains(&other))
    }
}

/// The address, or none for all of them.
fn plain(address: IpAddr) -> Option<IpAddr> {
    (!address.is_unspecified()).then_some(address)
}

/// The unit whose control group a process is in.
fn unit_of(pid: i32) -> Option<String> {
    let text = std::fs::read_to_string(format!("/proc/{pid}/cgroup")).ok()?;
    let paths = text.lines().filter_map(|line| line.rsplit_once(':'));
    paths
        .filter_map(|(_, path)| path.rsplit('/').find(|part| part.ends_with(".service")))
        .next()
        .map(str::to_owned)
}
