//! `gypsum merge` with files alone, as the boards' administrators would use it after an upgrade.

use crate::boards::{command, host, json, said, status};
use crate::terminal::Terminal;
use gypsum_demo::Host;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::process::{Command, Output};

const BASE: &str = "# The boards\nrows 8\n#refresh 30\nhosts a b\napi_password old\n";
const MINE: &str = "# The boards\nrows 12\nrefresh 10\nhosts a b mine\napi_password mytide\n# asked for by the harbour office\nnotice on\n";
const THEIRS: &str =
    "# The boards of harbours\nrows 8\n#refresh 60\nhosts a b theirs\napi_password newtide\nzone quay\n";

fn merge_command(host: &Host, more: &[&str]) -> Command {
    let write = |name: &str, text: &str| {
        let path = host.root().join(name);
        fs::write(&path, text).unwrap();
        path
    };
    let mut merge = command(host, &["merge", "departures"]);
    merge.arg("--base").arg(write("base", BASE)).arg("--theirs").arg(write("theirs", THEIRS));
    let mine = write("mine", MINE);
    fs::set_permissions(&mine, fs::Permissions::from_mode(0o600)).unwrap();
    merge.arg("--mine").arg(mine).arg("--to").arg(host.root().join("result")).args(more);
    merge
}

fn merge(host: &Host, more: &[&str]) -> Output {
    merge_command(host, more).output().unwrap()
}

fn result(host: &Host) -> String {
    fs::read_to_string(host.root().join("result")).unwrap()
}

#[test]
fn what_both_changed_is_open_until_it_is_answered() {
    let host = host();
    let output = merge(&host, &["--json"]);
    let document = json(&output);
    let asked: Vec<&str> = document["questions"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["address"].as_str().unwrap())
        .collect();
    assert_eq!((status(&output), asked), (3, vec!["hosts", "api_password"]), "{document:#}");
    let wanted = "# The boards of harbours\nrows 12\nrefresh 10\nhosts a b theirs mine\napi_password mytide\nzone quay\n# asked for by the harbour office\nnotice on\n";
    assert_eq!(result(&host), wanted);
    let text = said(&host, &merge(&host, &[]));
    assert!(text.contains("2 questions are open") && !text.contains("tide"), "{text}");
    let mode = fs::metadata(host.root().join("result")).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode, 0o600, "others read the result no more than mine");

    let output = merge(&host, &["--answer", "hosts=theirs", "--take", "mine"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(result(&host).contains("hosts a b theirs\napi_password mytide\n"), "{}", result(&host));
}

#[test]
fn what_is_wrong_on_the_command_line_is_said() {
    let host = host();
    for (more, wanted) in [
        (&["--answer", "rows=mine"][..], "nothing is asked about rows"),
        (&["--answer", "hosts"], "is no answer"),
        (&["--answer", "hosts=ours"], "is no answer"),
    ] {
        let output = merge(&host, more);
        assert_eq!(status(&output), 2, "{more:?}");
        assert!(said(&host, &output).contains(wanted), "{}", said(&host, &output));
    }
    let output = command(&host, &["merge", "departures", "--mine", "/etc/none"]).output().unwrap();
    assert_eq!(status(&output), 2, "{}", said(&host, &output));
    let mut same = command(&host, &["merge", "departures"]);
    let file = host.root().join("mine");
    for option in ["--base", "--mine", "--theirs", "--to"] {
        same.arg(option).arg(&file);
    }
    let output = same.output().unwrap();
    assert_eq!((status(&output), fs::read_to_string(&file).unwrap().as_str()), (2, MINE));
}

/// The package has no such file any more: that is a question, and mine stays.
#[test]
fn a_file_that_was_dropped_is_kept_and_asked_about() {
    let host = host();
    merge(&host, &[]);
    let path = |name: &str| host.root().join(name);
    let mut merge = command(&host, &["merge", "departures", "--json"]);
    merge.arg("--base").arg(path("base")).arg("--mine").arg(path("mine"));
    let output = merge.arg("--theirs").arg(path("none")).arg("--to").arg(path("result")).output().unwrap();
    assert_eq!((status(&output), result(&host).as_str()), (3, MINE));
    assert_eq!(json(&output)["questions"][0]["address"], "the file");
}

/// At a terminal each question is asked, its default first; who gives no answer gets no file.
#[test]
fn at_a_terminal_each_question_is_asked() {
    let host = host();
    let mut terminal = Terminal::of(&merge_command(&host, &[]));
    terminal.until("Which hosts?");
    terminal.until("> b  both");
    terminal.press("t");
    terminal.until("Which api_password?");
    terminal.press("\r");
    terminal.until("nothing is open");
    assert!(terminal.child.wait().unwrap().success());
    assert!(result(&host).contains("hosts a b theirs\napi_password mytide\n"), "{}", result(&host));

    fs::remove_file(host.root().join("result")).unwrap();
    let mut terminal = Terminal::of(&merge_command(&host, &[]));
    terminal.until("Which hosts?");
    terminal.press("\x03");
    assert_eq!(terminal.child.wait().unwrap().code(), Some(1));
    assert!(!host.root().join("result").exists());
}
