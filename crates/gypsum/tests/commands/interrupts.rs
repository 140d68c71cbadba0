//! Ctrl-C, at every stage and in every command: it is answered at once, and it is never a trap.

use crate::boards::{command, config, gypsum, holder, host, journal, json, said, signal, status, until};
use gypsum_demo::Host;
use std::fs;
use std::io::Read;
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

const AT_ONCE: Duration = Duration::from_millis(200);
/// What a process takes besides, on a machine with other work.
const SLACK: Duration = Duration::from_secs(2);

fn begin(host: &Host, words: &[&str]) -> Child {
    let mut command = command(host, words);
    command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
}

fn ended(child: Child) -> (Output, Duration) {
    let begun = Instant::now();
    let output = child.wait_with_output().unwrap();
    (output, begun.elapsed())
}

/// The process that carries the change, as the lock names it.
fn guardian(host: &Host) -> u32 {
    let busy = said(host, &gypsum(host, &["change", "departures", "rows=9"]));
    holder(&busy)
}

/// A6: the wait for the new configuration is ended by one Ctrl-C; the old one is restored, and not watched for as long.
#[test]
fn a_long_watch_is_ended_by_one_interrupt() {
    let host = host();
    let before = config(&host);
    let child = begin(&host, &["change", "departures", "rows=5", "--steady", "2h"]);
    until("it is live", || journal(&host).contains("activated"));
    signal("-INT", child.id());
    let (output, took) = ended(child);
    assert_eq!((status(&output), config(&host)), (4, before), "{}", said(&host, &output));
    assert!(took < Duration::from_secs(2) + AT_ONCE + SLACK * 2, "{took:?}: {}", said(&host, &output));
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0, "nothing is left locked");
}

/// A6: a second Ctrl-C ends the wait for the old configuration, too: restored, and unproven.
#[test]
fn a_second_interrupt_ends_the_wait_for_the_old_configuration() {
    let host = host();
    let before = config(&host);
    let words = ["change", "departures", "rows=5", "--steady", "2h", "--json"];
    let child = begin(&host, &words);
    until("it is live", || journal(&host).contains("activated"));
    signal("-INT", child.id());
    until("its files are restored", || journal(&host).contains("revived"));
    signal("-INT", child.id());
    let (output, took) = ended(child);
    assert_eq!((status(&output), config(&host)), (4, before), "{}", said(&host, &output));
    let report = json(&output);
    assert_eq!((&report["verdict"], &report["unproven"]), (&"restored".into(), &true.into()), "{report:#}");
    assert!(took < AT_ONCE + SLACK, "{took:?}");
}

/// G14: a guardian that does not move is let go of, and the person is told how to follow it.
#[test]
fn a_guardian_that_does_not_move_is_let_go_of() {
    let host = host();
    let mut child = begin(&host, &["change", "departures", "rows=5", "--steady", "2s"]);
    until("it is live", || journal(&host).contains("activated"));
    let guardian = guardian(&host);
    signal("-STOP", guardian);
    std::thread::sleep(Duration::from_millis(3_500));
    for _ in 0..2 {
        signal("-INT", child.id());
        std::thread::sleep(Duration::from_millis(300));
    }
    let begun = Instant::now();
    until("it ends", || child.try_wait().unwrap().is_some());
    assert!(begun.elapsed() < AT_ONCE + SLACK);
    let (output, _) = ended(child);
    let text = said(&host, &output);
    assert_eq!(status(&output), 8, "{text}");
    assert!(text.contains("does not answer") && text.contains("gypsum changes departures"), "{text}");
    // It goes on where it was; it was asked to stop.
    signal("-CONT", guardian);
    until("it comes to its verdict", || journal(&host).contains("closed"));
    assert!(config(&host).contains("rows 8"));
}

/// G14, E5: whatever a check is at, one Ctrl-C ends the change before anything is live, and no question comes after it.
#[test]
fn a_check_that_takes_long_is_left() {
    let host = host();
    let before = config(&host);
    let slow = "run '/bin/sleep 30' limit 200s";
    let (reader, port) = silent_server();
    let waits = format!("http http://127.0.0.1:{port}/ 200 limit 200s");
    for check in [slow, &waits] {
        let child = begin(&host, &["change", "departures", "rows=5", "--health", check]);
        std::thread::sleep(Duration::from_millis(1_500));
        signal("-INT", child.id());
        let (output, took) = ended(child);
        assert_eq!((status(&output), config(&host)), (1, before.clone()), "{}", said(&host, &output));
        assert!(took < AT_ONCE + SLACK, "{check}: {took:?}");
        assert!(said(&host, &output).contains("interrupted"), "{}", said(&host, &output));
        // And a command that only looks ends as any program does.
        let child = begin(&host, &["health", "departures", "--health", check]);
        std::thread::sleep(Duration::from_millis(1_500));
        signal("-INT", child.id());
        let (output, took) = ended(child);
        assert_eq!(output.status.code(), Some(130), "{:?}", output.status.signal());
        assert!(took < AT_ONCE + SLACK, "{check}: {took:?}");
        assert!(said(&host, &output).contains("waiting for 4 health checks"), "{}", said(&host, &output));
    }
    drop(reader);
}

/// The same of the daemon's checker: one that was ended has found nothing, and is no refusal.
#[test]
#[ignore = "needs root: a checker reads the proposal in a private view"]
fn a_checker_that_takes_long_is_left() {
    let host = host();
    let before = config(&host);
    let file = host.config().display().to_string();
    let words =
        ["change", "boards", "rows=5", "--file", &file, "--format", "keyword", "--checker", "/bin/sleep 30"];
    let child = begin(&host, &words);
    std::thread::sleep(Duration::from_millis(1_500));
    signal("-INT", child.id());
    let (output, took) = ended(child);
    let text = said(&host, &output);
    assert_eq!((status(&output), config(&host)), (1, before), "{text}");
    assert!(
        took < AT_ONCE + SLACK && text.contains("interrupted") && !text.contains("Refused"),
        "{took:?}: {text}"
    );
}

/// A server that accepts and says nothing.
fn silent_server() -> (std::thread::JoinHandle<()>, u16) {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    let held = std::thread::spawn(move || {
        let mut open = Vec::new();
        while open.len() < 16 {
            let Ok((stream, _)) = listener.accept() else { return };
            open.push(stream);
        }
    });
    (held, port)
}

/// E10: the demonstration leaves nothing, however it is ended.
#[test]
fn an_interrupted_demonstration_leaves_nothing() {
    for name in ["-INT", "-TERM", "-HUP"] {
        let folder = tempfile::tempdir().unwrap();
        let mut demo = Command::new(crate::boards::program());
        demo.arg("demo").env("TMPDIR", folder.path()).stdout(Stdio::piped()).stderr(Stdio::null());
        let mut child = demo.spawn().unwrap();
        let mut output = child.stdout.take().unwrap();
        let mut bytes = [0; 256];
        assert!(output.read(&mut bytes).unwrap() > 0);
        std::thread::sleep(Duration::from_millis(600));
        signal(name, child.id());
        until("the demonstration ends", || child.try_wait().unwrap().is_some());
        assert_ne!(child.wait().unwrap().code(), Some(0), "{name}");
        until("its daemon ends", || {
            let left: Vec<_> =
                fs::read_dir(folder.path()).unwrap().flatten().map(|entry| entry.path()).collect();
            !left.iter().any(|path| path.to_string_lossy().contains("saltmarsh"))
        });
        // The folder goes before the processes that knew it: those may take a moment to end.
        until("no process is left", || {
            let named = Command::new("pgrep").args(["-f", folder.path().to_str().unwrap()]).output().unwrap();
            named.stdout.is_empty()
        });
    }
}

/// A3: a secret prompt gives the terminal back as it was, however it is left.
#[test]
fn a_prompt_gives_the_terminal_back() {
    use std::io::Write;
    let host = host();
    let mut asks = command(&host, &["change", "departures", "--secret", "notice"]);
    let words: Vec<String> = std::iter::once(asks.get_program())
        .chain(asks.get_args())
        .map(|word| format!("'{}'", word.to_str().unwrap()))
        .collect();
    let _ = &mut asks;
    for (keys, echoes, code) in
        [(&b"Fog\x7f\x7fern\n"[..], true, 0), (b"Fo\x03", true, 1), (b"x\x15\x04", true, 1)]
    {
        // The shell in the terminal tells afterwards whether it shows what is typed.
        let line = format!("{}; echo \"=> $?\"; stty -a | grep -o -- '-*\\becho\\b'", words.join(" "));
        let mut script = Command::new("script");
        script.args(["-qec", &line, "/dev/null"]).stdin(Stdio::piped()).stdout(Stdio::piped());
        let mut child = script.spawn().unwrap();
        let mut output = child.stdout.take().unwrap();
        let mut seen = String::new();
        let mut bytes = [0; 1024];
        while !seen.contains("value of notice") {
            let length = output.read(&mut bytes).unwrap();
            assert!(length > 0, "{seen}");
            seen += &String::from_utf8_lossy(&bytes[..length]);
        }
        child.stdin.as_mut().unwrap().write_all(keys).unwrap();
        output.read_to_string(&mut seen).unwrap();
        child.wait().unwrap();
        assert!(seen.contains(&format!("=> {code}")), "{keys:?}: {seen}");
        assert_eq!(seen.trim_end().ends_with("\necho"), echoes, "{keys:?}: {seen}");
        assert!(!seen.contains("Fern") || code == 0, "{seen}");
    }
    assert!(config(&host).contains("notice Fern"), "{}", config(&host));
}

/// Another change is waited for as long as is said, and no longer.
#[test]
fn another_change_is_waited_for() {
    let host = host();
    let child = begin(&host, &["change", "departures", "rows=5", "--steady", "1s"]);
    until("it is live", || journal(&host).contains("activated"));
    // A7: so is a restore told that it has to wait.
    let output = gypsum(&host, &["restore", "departures", "1"]);
    assert_eq!(status(&output), 6, "{}", said(&host, &output));
    let begun = Instant::now();
    let output = gypsum(&host, &["change", "departures", "notice=Fog", "--wait", "100ms"]);
    assert_eq!(status(&output), 6, "{}", said(&host, &output));
    assert!(begun.elapsed() >= Duration::from_millis(100));
    let output = gypsum(&host, &["change", "departures", "notice=Fog", "--wait", "20s"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert_eq!(status(&ended(child).0), 0);
    assert!(config(&host).contains("rows 5") && config(&host).contains("notice Fog"));
    // The same once more changes nothing.
    let output = gypsum(&host, &["change", "departures", "notice=Fog", "--json"]);
    assert_eq!((status(&output), &json(&output)["verdict"]), (0, &"unchanged".into()));
}
