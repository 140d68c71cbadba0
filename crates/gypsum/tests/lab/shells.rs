//! Completion in the real shells: what is typed, Tab, and what they make of it.

use crate::host::{Lab, boot};

/// What is typed, and the line that comes of it.
const TYPED: [(&str, &str); 7] = [
    ("gypsum heal\\t", "gypsum health "),
    ("gypsum show ssh\\t", "gypsum show sshd "),
    ("gypsum change sshd MaxA\\t", "gypsum change sshd MaxAuthTries="),
    ("gypsum change sshd PasswordAuthentication=n\\t", "gypsum change sshd PasswordAuthentication=no "),
    ("gypsum restore sshd --dr\\t", "gypsum restore sshd --dry-run "),
    (
        "gypsum change sshd --must 'ssh 127.0.0.1:22 user porter withh\\t",
        "gypsum change sshd --must 'ssh 127.0.0.1:22 user porter withholds' ",
    ),
    ("gypsum check sshd --profile /etc/hostn\\t", "gypsum check sshd --profile /etc/hostname "),
];

/// Types into a shell on a terminal; all that came on the screen.
fn typed_into(lab: &Lab, shell: &str, begin: &str) -> String {
    let mut keys = format!("printf '%s\\n' '{begin}'; sleep 1.5; ");
    for (typed, _) in TYPED {
        // A mark behind the line, and the line is taken away again.
        keys.push_str(&format!("printf \"{typed}\"; sleep 0.8; printf '<\\025'; sleep 0.2; "));
    }
    let seen = lab.sh(&format!("({keys} printf 'exit\\n') | TERM=dumb script -qec '{shell}' /dev/null"));
    // zsh takes its blank away for the mark, and draws another one.
    seen.replace(['\u{7}', '\r'], "").replace("\u{8} ", "")
}

#[test]
#[ignore = "needs root, daemons, bash, zsh and fish"]
fn words_are_completed_in_bash_zsh_and_fish() {
    let lab = boot(&["/usr/sbin/sshd", "/usr/bin/bash", "/usr/bin/zsh", "/usr/bin/fish", "/usr/bin/script"]);
    lab.sh("mkdir -p /run/sshd; systemctl start ssh");
    let (status, document) = lab.gypsum(&["setup", "completions"]);
    assert_eq!((status, document["files"].as_array().map(Vec::len)), (0, Some(3)), "{document:#}");
    let places = "source /usr/share/bash-completion/completions/gypsum";
    let bash = typed_into(&lab, "bash --norc -i", places);
    let zsh = typed_into(&lab, "zsh -f -i", "autoload -Uz compinit; compinit -u -D; bindkey -e");
    for (shell, seen) in [("bash", bash), ("zsh", zsh)] {
        for (typed, line) in TYPED {
            // What is in front of the word is drawn once, and the rest behind it.
            let whole = format!("{line}<");
            assert!(seen.contains(&whole), "{shell}: {typed}: {seen}");
        }
    }
    for (typed, line) in TYPED {
        let typed = typed.trim_end_matches("\\t");
        let said = lab.run(&[
            "fish",
            "-N",
            "-c",
            "source /usr/share/fish/vendor_completions.d/gypsum.fish; complete -C $argv[1]",
            typed,
        ]);
        let said = String::from_utf8_lossy(&said.stdout).into_owned();
        let first = said.lines().next().unwrap_or_default().split('\t').next().unwrap_or_default();
        let last = line.trim_end().trim_end_matches('\'');
        assert!(!first.is_empty() && last.ends_with(first), "fish: {typed}: {said}");
    }
    // The choices, each with what it means.
    let said = lab.sh("fish -N -c 'source /usr/share/fish/vendor_completions.d/gypsum.fish; complete -C \"gypsum change sshd PasswordAuthentication=\"'");
    assert_eq!(said, "PasswordAuthentication=yes\tthe default\nPasswordAuthentication=no");
    // A change by its number.
    assert_eq!(lab.gypsum(&["change", "sshd", "MaxAuthTries=4", "--why", "fewer guesses"]).0, 0);
    let said = lab.sh("fish -N -c 'source /usr/share/fish/vendor_completions.d/gypsum.fish; complete -C \"gypsum restore sshd \"'");
    assert!(said.starts_with("1\t") && said.ends_with("kept fewer guesses"), "{said}");
    assert_eq!(lab.gypsum(&["setup", "completions", "--remove"]).0, 0);
    assert!(!lab.run(&["ls", "/usr/share/zsh/vendor-completions/_gypsum"]).status.success());
}
