//! The shells: what each is told once, and how it takes the words.

use super::{Candidate, Line};
use crate::help::quoted;

/// One shell.
pub struct Shell {
    pub name: &'static str,
    /// Where it looks for the script of a package.
    pub of_host: &'static str,
    /// Where it looks for that of one person, in the home folder.
    pub of_person: &'static str,
    /// What it is told once.
    pub script: &'static str,
}

/// All of them.
pub const SHELLS: [Shell; 3] = [
    Shell {
        name: "bash",
        of_host: "/usr/share/bash-completion/completions/gypsum",
        of_person: ".local/share/bash-completion/completions/gypsum",
        script: BASH,
    },
    Shell {
        name: "zsh",
        of_host: "/usr/share/zsh/vendor-completions/_gypsum",
        of_person: ".local/share/zsh/site-functions/_gypsum",
        script: ZSH,
    },
    Shell {
        name: "fish",
        of_host: "/usr/share/fish/vendor_completions.d/gypsum.fish",
        of_person: ".config/fish/completions/gypsum.fish",
        script: FISH,
    },
];

const BASH: &str = r#"_gypsum() {
    local IFS=$'\n'
    COMPREPLY=($("$1" __complete bash "$COMP_TYPE" "$COMP_WORDBREAKS" "${COMP_LINE:0:COMP_POINT}" 2>/dev/null))
    # More is typed behind it.
    [[ ${#COMPREPLY[@]} != 1 || ${COMPREPLY[0]} != *[=/.:] ]] || compopt -o nospace
}
complete -o nosort -o bashdefault -o default -F _gypsum gypsum
"#;

const ZSH: &str = r#"#compdef gypsum
_gypsum() {
    local line
    local -a whole whole_shown begun begun_shown
    for line in ${(f)"$("${words[1]}" __complete zsh "${(Q)PREFIX}" "${(@Q)words[1,CURRENT-1]}" 2>/dev/null)}"}; do
        if [[ ${line%%$'\t'*} == *[=/:] ]]; then
            begun+=("${line%%$'\t'*}") begun_shown+=("${line/$'\t'/  }")
        else
            whole+=("${line%%$'\t'*}") whole_shown+=("${line/$'\t'/  }")
        fi
    done
    (( ${#whole} + ${#begun} )) || { _files; return }
    compadd -V gypsum -l -d whole_shown -a whole
    compadd -V gypsum -l -S '' -d begun_shown -a begun
}
if [[ $zsh_eval_context[-1] == loadautofunc ]]; then _gypsum "$@"; else compdef _gypsum gypsum; fi
"#;

const FISH: &str = r#"function __gypsum
    set -l words (commandline -opc)
    set -l current (commandline -ct)
    $words[1] __complete fish "$current" $words 2>/dev/null
end
complete -c gypsum -f -k -a '(__gypsum)'
"#;

/// The candidates as lines for a shell.
pub fn printed(shell: &str, line: &Line, candidates: &[Candidate]) -> Vec<String> {
    let with_meaning = |one: &Candidate| match one.meaning.is_empty() {
        true => one.value.clone(),
        false => format!("{}\t{}", one.value, one.meaning),
    };
    if shell != "bash" {
        return candidates.iter().map(with_meaning).collect();
    }
    candidates.iter().map(|one| for_bash(line, one, candidates.len() > 1)).collect()
}

/// A word as bash puts it behind what it keeps; in a list with what it means.
fn for_bash(line: &Line, one: &Candidate, is_one_of_many: bool) -> String {
    let rest: String = one.value.chars().skip(line.kept).collect();
    if line.lists && is_one_of_many && !one.meaning.is_empty() {
        return format!("{rest}  ({})", one.meaning);
    }
    if line.in_quotes || rest.is_empty() || quoted(&rest) == rest {
        return rest;
    }
    let is_plain = |c: char| c.is_alphanumeric() || "_@%+=:,./-".contains(c);
    rest.chars().flat_map(|c| (!is_plain(c)).then_some('\\').into_iter().chain([c])).collect()
}
