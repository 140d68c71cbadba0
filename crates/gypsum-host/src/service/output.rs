//! Where managers without a journal let a service's output go: files, as their own configuration says.

use std::fs;
use std::path::Path;

/// OpenRC: `output_log` and `error_log` of the script or of its settings (openrc-run(8)).
pub fn of_script(name: &str) -> Vec<String> {
    let files = [format!("/etc/init.d/{name}"), format!("/etc/conf.d/{name}")];
    let text: Vec<String> = files.iter().filter_map(|file| fs::read_to_string(file).ok()).collect();
    logs_in_script(&text.join("\n"))
}

fn logs_in_script(text: &str) -> Vec<String> {
    let named = text.lines().filter_map(|line| {
        let (key, value) = line.trim().split_once('=')?;
        let value = value.trim().trim_matches(['"', '\'']);
        // A computed name is for the shell to know.
        let plain = value.starts_with('/') && !value.contains('$');
        (matches!(key, "output_log" | "error_log") && plain).then(|| value.to_owned())
    });
    let mut logs: Vec<String> = named.collect();
    logs.dedup();
    logs
}

/// runit: the folders that the service's own logger writes to, `current` in each (svlogd(8)).
pub fn of_runit(folder: &Path) -> Vec<String> {
    let text = fs::read_to_string(folder.join("log/run")).unwrap_or_default();
    let logs = folders_of_svlogd(&text).into_iter();
    logs.map(|log| folder.join("log").join(log).join("current").display().to_string()).collect()
}

fn folders_of_svlogd(text: &str) -> Vec<String> {
    let line = text.lines().map(str::trim).find(|line| !line.starts_with('#') && line.contains("svlogd"));
    let words = line.map_or("", |line| line.split_once("svlogd").map_or("", |(_, words)| words));
    let mut logs = Vec::new();
    let mut words = words.split_whitespace();
    while let Some(word) = words.next() {
        match word {
            // These have a word of their own behind them.
            "-r" | "-R" | "-l" | "-b" => drop(words.next()),
            _ if word.starts_with(['-', '>', '<', '2', '&', '|', ';']) || word.contains('$') => {}
            _ => logs.push(word.trim_matches(['"', '\'']).to_owned()),
        }
    }
    logs
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_found_where_they_are_named() {
        let script = "command=/bin/boards\noutput_log=\"/var/log/boards.log\"\nerror_log=/var/log/boards.err\n#error_log=/no\noutput_log=$dir/x\n";
        assert_eq!(logs_in_script(script), ["/var/log/boards.log", "/var/log/boards.err"]);
        let run =
            "#!/bin/sh\n# svlogd /no\nexec chpst -u log svlogd -tt -b 2048 ./main \"/var/log/boards\" 2>&1\n";
        assert_eq!(folders_of_svlogd(run), ["./main", "/var/log/boards"]);
        assert!(folders_of_svlogd("exec multilog t ./main\n").is_empty());
    }
}
