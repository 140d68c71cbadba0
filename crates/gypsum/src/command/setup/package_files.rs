//! `gypsum setup package-files`: what a package of Gypsum has besides the program.

use crate::args::setup::PackageFilesArgs;
use crate::command::Context;
use crate::complete::SHELLS;
use crate::manual::pages;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::boot::packaged_units;
use gypsum_host::installing::write_whole;
use gypsum_host::shipped::hook;
use serde_json::json;

/// Where a package has the program.
const PROGRAM: &str = "/usr/bin/gypsum";
/// The folders that are made when it is installed, and with the host (tmpfiles.d(5)).
const FOLDERS: &str = "d /etc/gypsum 0755 root root -\nd /etc/gypsum/profiles 0755 root root -\nd /var/lib/gypsum 0700 root root -\nd /run/gypsum 0755 root root -\n";

pub fn package_files(context: &Context, asked: &PackageFilesArgs) -> Result<ExitStatus, NoTarget> {
    let mut all: Vec<(String, String)> = vec![
        ("usr/lib/tmpfiles.d/gypsum.conf".into(), FOLDERS.into()),
        (hook::FILE.into(), hook::packaged(PROGRAM)),
    ];
    all.extend(packaged_units(PROGRAM).map(|(name, text)| (format!("usr/lib/systemd/system/{name}"), text)));
    all.extend(SHELLS.iter().map(|shell| (shell.of_host.to_owned(), shell.script.to_owned())));
    all.extend(
        pages().into_iter().map(|page| (format!("usr/share/man/{}/{}", page.folder, page.file), page.text)),
    );
    let mut files = Vec::new();
    for (place, text) in all {
        let path = asked.to.join(place.trim_start_matches('/'));
        write_whole(&path, &text, 0o644)?;
        files.push(path);
    }
    context.say_unless_json(&format!("{} files are written to {}", files.len(), asked.to.display()));
    context.answer(ExitStatus::Success, json!({ "files": files }));
    Ok(ExitStatus::Success)
}
