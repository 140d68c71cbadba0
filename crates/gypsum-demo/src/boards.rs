//! The departure boards: `--check FILE`, `--serve FILE` (detaches), `--run FILE`, `--loaded FILE`.

use crate::config::{Config, beside, read};
use std::fs;
use std::io::{BufRead, BufReader, ErrorKind, Write};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Is the daemon; the exit status.
pub fn daemon(words: &[String]) -> u8 {
    let result = match words {
        [mode, file] if mode == "--check" => read(Path::new(file)).map(|_| ()),
        [mode, file] if mode == "--serve" => serve_detached(Path::new(file)),
        [mode, file] if mode == "--run" => run(Path::new(file)),
        [mode, file] if mode == "--loaded" => loaded(Path::new(file)),
        _ => Err("use: departures --check FILE | --serve FILE | --run FILE | --loaded FILE".into()),
    };
    match result {
        Ok(()) => 0,
        Err(why) => {
            let _ = writeln!(std::io::stderr(), "departures: {why}");
            1
        }
    }
}

/// Says which reading of the configuration is in use.
fn loaded(file: &Path) -> Result<(), String> {
    let path = beside(file, "run/departures.loaded");
    let text = fs::read_to_string(&path).map_err(|error| format!("{}: {error}", path.display()))?;
    writeln!(std::io::stdout(), "{}", text.trim()).map_err(|error| error.to_string())
}

/// Starts the server as a process of its own and returns when it listens.
fn serve_detached(file: &Path) -> Result<(), String> {
    let pid_file = beside(file, "run/departures.pid");
    let _ = fs::remove_file(&pid_file);
    let log_file = beside(file, "run/departures.log");
    let log =
        fs::File::options().append(true).create(true).open(&log_file).map_err(|error| error.to_string())?;
    let program = std::env::current_exe().map_err(|error| error.to_string())?;
    let mut command = Command::new(program);
    std::os::unix::process::CommandExt::arg0(&mut command, "departures");
    command.arg("--run").arg(file).stdin(Stdio::null()).stdout(Stdio::null()).stderr(log);
    let mut child = command.spawn().map_err(|error| error.to_string())?;
    let deadline = Instant::now() + Duration::from_secs(3);
    while Instant::now() < deadline {
        if pid_file.exists() {
            return Ok(());
        }
        if let Ok(Some(status)) = child.try_wait() {
            let text = fs::read_to_string(&log_file).unwrap_or_default();
            return Err(format!("ended with {status}: {}", text.lines().last().unwrap_or("no word")));
        }
        std::thread::sleep(Duration::from_millis(5));
    }
    Err("did not come up in 3 s".into())
}

struct Boards {
    file: PathBuf,
    config: Config,
    timetable: String,
    generation: u32,
}

impl Boards {
    /// Takes up the configuration, wholly or not at all.
    fn load(&mut self) -> Result<(), String> {
        let config = read(&self.file)?;
        let path = &config.timetable;
        self.timetable = fs::read_to_string(path).map_err(|error| format!("{}: {error}", path.display()))?;
        self.config = config;
        self.generation += 1;
        let note = beside(&self.file, "run/departures.loaded");
        fs::write(&note, format!("reading {}\n", self.generation)).map_err(|error| error.to_string())
    }

    fn answer(&self, request: &str) -> (u16, String) {
        if !request.starts_with("GET /board ") {
            return (404, "there is only /board\n".into());
        }
        let quay = &self.config.quay;
        let departures = self
            .timetable
            .lines()
            .filter_map(|line| line.split_once(' ')?.1.split_once(' ').map(|rest| (line, rest.0)));
        let shown: Vec<&str> = departures
            .filter(|(_, at)| quay == "all" || at == quay)
            .map(|(line, _)| line)
            .take(self.config.rows)
            .collect();
        if shown.is_empty() {
            return (503, format!("no departures for quay {quay}\n"));
        }
        let mut text = format!("{} departures\n", self.config.harbour);
        for line in shown {
            text.push_str(&if self.config.half_day_clock { half_day(line) } else { line.to_owned() });
            text.push('\n');
        }
        if !self.config.notice.is_empty() {
            text.push_str(&format!("{}\n", self.config.notice));
        }
        (200, text)
    }
}

fn half_day(line: &str) -> String {
    let Some((hour, rest)) = line.split_once(':') else {
        return line.to_owned();
    };
    let hour: u32 = hour.parse().unwrap_or(0);
    let half = if hour < 12 { "am" } else { "pm" };
    format!("{}:{} {half}{}", (hour + 11) % 12 + 1, &rest[..2.min(rest.len())], rest.get(2..).unwrap_or(""))
}

fn run(file: &Path) -> Result<(), String> {
    // A session of its own: what starts it may end.
    let _ = rustix::process::setsid();
    let (reload, stop) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicBool::new(false)));
    for (signal, flag) in [(signal_hook::consts::SIGHUP, &reload), (signal_hook::consts::SIGTERM, &stop)] {
        signal_hook::flag::register(signal, Arc::clone(flag)).map_err(|error| error.to_string())?;
    }
    let config = read(file)?;
    let mut boards = Boards { file: file.to_owned(), config, timetable: String::new(), generation: 0 };
    boards.load()?;
    let at = ("127.0.0.1", boards.config.port);
    let listener = TcpListener::bind(at).map_err(|error| format!("port {}: {error}", boards.config.port))?;
    listener.set_nonblocking(true).map_err(|error| error.to_string())?;
    let pid_file = beside(file, "run/departures.pid");
    fs::write(&pid_file, format!("{}\n", std::process::id())).map_err(|error| error.to_string())?;
    while !stop.load(Ordering::Relaxed) {
        if reload.swap(false, Ordering::Relaxed) {
            match boards.load() {
                Ok(()) => note(&format!("reading {} of {}", boards.generation, file.display())),
                Err(why) => note(&format!("kept the old configuration: {why}")),
            }
        }
        match listener.accept() {
            Ok((stream, _)) => {
                if let Err(error) = talk(&boards, stream) {
                    note(&format!("a board went away: {error}"));
                }
            }
            Err(error) if error.kind() == ErrorKind::WouldBlock => {
                std::thread::sleep(Duration::from_millis(4))
            }
            Err(error) => return Err(error.to_string()),
        }
    }
    fs::remove_file(&pid_file).map_err(|error| error.to_string())
}

fn note(text: &str) {
    let _ = writeln!(std::io::stderr(), "departures: {text}");
}

fn talk(boards: &Boards, stream: TcpStream) -> std::io::Result<()> {
    stream.set_nonblocking(false)?;
    stream.set_read_timeout(Some(Duration::from_millis(500)))?;
    let mut reader = BufReader::new(&stream);
    let mut request = String::new();
    reader.read_line(&mut request)?;
    let mut header = String::new();
    while reader.read_line(&mut header)? > 2 {
        header.clear();
    }
    let (status, text) = boards.answer(&request);
    let word = if status == 200 { "OK" } else { "No" };
    let refresh = boards.config.refresh;
    write!(
        &stream,
        "HTTP/1.1 {status} {word}\r\nContent-Type: text/plain; charset=utf-8\r\nRefresh: {refresh}\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{text}",
        text.len()
    )
}
