//! Rehearsal: the daemon's own checker reads the files as they are, and the proposal.

use crate::accounts;
use crate::beside;
use crate::children::{Ran, run_command};
use crate::disk::walk::ownership_of;
use crate::disk::{Disk, RealDisk};
use crate::error::Error;
use crate::scratch::Scratch;
use crate::view::{NO_VIEW, ViewSpec};
use gypsum_core::change::Ownership;
use gypsum_core::checker::{CheckerRun, Comparison, compare};
use gypsum_core::effective::Reported;
use gypsum_core::finding::Finding;
use gypsum_core::profile::{Checker, Effective, Login};
use gypsum_core::rules::login::ReportedLogins;
use gypsum_core::text::LineShift;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

/// How long a checker may take, where the profile says nothing.
const USUAL_LIMIT: Duration = Duration::from_secs(20);

/// One file of a proposal.
pub struct Proposed<'a> {
    /// The file itself, links followed.
    pub real: &'a Path,
    /// What it is to hold; none where it is to be gone.
    pub bytes: Option<&'a [u8]>,
    /// How its lines move.
    pub shifts: Vec<LineShift>,
    /// The owner and mode that it is to have, where they are not those that it has.
    pub ownership: Option<Ownership>,
    /// Whether it is the daemon's home file, which `{file}` stands for.
    pub is_home: bool,
}

/// What rehearsing showed.
pub struct Rehearsal {
    /// What is new against the files as they are.
    pub findings: Vec<Finding>,
    /// By whom and how it was checked, in words.
    pub by: String,
}

/// Runs the checker on the files as they are alone: all that it says.
pub fn check_live(checker: &Checker, home: &Path) -> Result<Rehearsal, Error> {
    all_said(&Stage::new(checker, &[], home)?, false)
}

/// Runs the checker on a proposal alone: all that it says, whether or not it says it of the files as they are.
///
/// # Errors
///
/// If the proposal cannot be put where the checker reads it.
pub fn check_proposed(checker: &Checker, proposed: &[Proposed<'_>], home: &Path) -> Result<Rehearsal, Error> {
    all_said(&Stage::new(checker, proposed, home)?, true)
}

/// All that the checker says of the proposal, or of the files as they are.
fn all_said(stage: &Stage<'_>, proposal: bool) -> Result<Rehearsal, Error> {
    Ok(match stage.run(proposal)? {
        Ok(run) => {
            let findings = compare(&CheckerRun::silent(), &run, &stage.comparison(&[], false));
            Rehearsal { findings, by: stage.by() }
        }
        // Nothing is known of the files by it, neither good nor bad.
        Err(why) => Rehearsal { findings: vec![not_asked(&why.0)], by: stage.not_run() },
    })
}

/// Why the daemon's checker could not be run.
struct NotRun(String);

/// What the daemon says it understands of the files as they are, and of the proposal; none where it cannot be asked.
/// `names` are the settings to ask for, where it is asked one by one.
pub fn ask(
    effective: &Effective,
    proposed: &[Proposed<'_>],
    home: &Path,
    names: &[String],
) -> Result<Option<(Reported, Reported)>, Error> {
    let checker = Checker::default();
    let stage = Stage::new(&checker, proposed, home)?;
    let (before, after) = side_by_side(|proposal| stage.reported(effective, proposal, names))?;
    Ok(before.zip(after))
}

/// What `ask` comes to of the files as they are, and of the proposal, asked side by side.
fn side_by_side<T: Send>(ask: impl Fn(bool) -> Result<T, Error> + Sync) -> Result<(T, T), Error> {
    let (before, after) = std::thread::scope(|scope| {
        let before = beside::begin(scope, || ask(false));
        let after = ask(true);
        (before.wait(), after)
    });
    let before = before.map_err(|_| Error::cannot("the daemon could not be asked what it understands"))?;
    Ok((before?, after?))
}

/// The value of a setting that the daemon reports of the files as they are; `None` where it cannot be asked, or says
/// nothing of it.
pub fn reported(effective: &Effective, home: &Path, name: &str) -> Option<String> {
    let checker = Checker::default();
    let asked = Stage::new(&checker, &[], home)
        .and_then(|stage| stage.reported(effective, false, &[name.to_owned()]))
        .inspect_err(|error| tracing::debug!(%error, "the daemon cannot be asked"));
    let told = asked.ok()??;
    Some(told.values(name).join(", ")).filter(|value| !value.is_empty())
}

/// What the daemon says of each account that may log in, of the files as they are and of the proposal; those of which it
/// says nothing are left out. It is asked side by side, so that many accounts do not take long.
pub fn ask_of_logins(
    login: &Login,
    accounts: &[String],
    connection: Option<&[String]>,
    proposed: &[Proposed<'_>],
    home: &Path,
) -> Result<ReportedLogins, Error> {
    let came_by = connection.and_then(|words| {
        let [from, to, port] = words else { return None };
        Some((from.parse().ok()?, to.parse().ok()?, port.parse().ok()))
    });
    let checker = Checker::default();
    let stage = Stage::new(&checker, proposed, home)?;
    let one = |account: &str, proposal: bool| -> Result<Option<Reported>, Error> {
        let Some(argv) = login.command(account, came_by) else { return Ok(None) };
        let ran = stage.ran(&argv, None, proposal)?;
        Ok(ran.ok().filter(Ran::ok).map(|ran| Reported::pairs(&ran.out)))
    };
    let all = |proposal| accounts.iter().map(|account| one(account, proposal)).collect::<Result<Vec<_>, _>>();
    let (before, after) = side_by_side(all)?;
    let pairs = before.into_iter().zip(after).map(|(before, after)| before.zip(after));
    Ok(accounts.iter().cloned().zip(pairs).filter_map(|(account, pair)| Some((account, pair?))).collect())
}

/// Runs the checker on the proposal and, where it has anything to say, on the files as they are, since only what is new
/// counts; `lenient` as in [`Comparison`].
pub fn rehearse(
    checker: &Checker,
    proposed: &[Proposed<'_>],
    home: &Path,
    lenient: bool,
) -> Result<Rehearsal, Error> {
    let stage = Stage::new(checker, proposed, home)?;
    let shifts: Vec<(String, Vec<LineShift>)> =
        proposed.iter().map(|file| (file.real.display().to_string(), file.shifts.clone())).collect();
    let about = stage.comparison(&shifts, lenient);
    let said = |findings| Ok(Rehearsal { findings, by: stage.by() });
    let not_run = |why: &NotRun| Ok(Rehearsal { findings: vec![unable(&why.0)], by: stage.not_run() });
    let proposal = match stage.run(true)? {
        Ok(proposal) => proposal,
        Err(why) => return not_run(&why),
    };
    if compare(&CheckerRun::silent(), &proposal, &about).is_empty() {
        return said(Vec::new());
    }
    let control = match stage.run(false)? {
        Ok(control) => control,
        Err(why) => return not_run(&why),
    };
    let mut findings = compare(&control, &proposal, &about);
    for finding in &mut findings {
        stage.name_live_file(finding, home);
        quote_line(finding, proposed);
    }
    said(findings)
}

/// What is said of standing files that the checker was not asked about.
fn not_asked(why: &str) -> Finding {
    let is_root = rustix::process::geteuid().is_root();
    let (why, help) = match is_root {
        true => (why, "see why; the rest was checked"),
        false => ("it reads the files in a private view, which needs root", "run it as root (sudo)"),
    };
    Finding::warning("rehearsal", format!("the daemon's own checker was not run: {why}")).help(help)
}

fn unable(why: &str) -> Finding {
    Finding::fault("rehearsal", format!("the daemon's own checker was not run: {why}")).help(
        if rustix::process::geteuid().is_root() {
            "see why, or go on without the checker: --accept rehearsal"
        } else {
            "a private view needs root; or go on without the checker: --accept rehearsal"
        },
    )
}

/// Writes what a file is to hold into `folder`, as the `n`th one, with the owner and mode that it is to have; its place.
pub(crate) fn stand_in(folder: &Path, n: usize, file: &Proposed<'_>, bytes: &[u8]) -> Result<PathBuf, Error> {
    let folder = folder.join(n.to_string());
    let path = folder.join(file.real.file_name().unwrap_or_default());
    let there = ownership_of(file.real).map_err(|error| Error::file("look at", file.real, error))?;
    let model = there.is_some().then_some(file.real);
    let written = fs::create_dir(&folder)
        .and_then(|()| fs::set_permissions(&folder, fs::Permissions::from_mode(0o711)))
        .and_then(|()| RealDisk.create(&path, bytes, model))
        .and_then(|()| file.ownership.map_or(Ok(()), |ownership| RealDisk.set_ownership(&path, &ownership)));
    written.map_err(|error| Error::file("write the proposal for the check to", &path, error))?;
    Ok(path)
}

/// The folder in which the proposal waits to be shown, and the command with its words filled in.
struct Stage<'a> {
    checker: &'a Checker,
    folder: Scratch,
    view: ViewSpec,
    home: PathBuf,
    stand_in: PathBuf,
}

impl<'a> Stage<'a> {
    fn new(checker: &'a Checker, proposed: &[Proposed<'_>], home: &Path) -> Result<Self, Error> {
        let temporary = std::env::temp_dir();
        let failed = |error: std::io::Error| Error::file("make a folder for the check in", &temporary, error);
        // Others may pass through, to the scratch folder, and see nothing: what is in it has the
        // owner and mode of the live files.
        let folder = Scratch::new(&temporary, "gypsum-check-", 0o711).map_err(failed)?;
        let base = folder.path().join("view");
        fs::create_dir(&base).map_err(failed)?;
        let mut stage = Self {
            checker,
            view: ViewSpec {
                base,
                files: Vec::new(),
                account: None,
                folders: checker.folders.iter().map(PathBuf::from).collect(),
            },
            home: home.to_owned(),
            stand_in: home.to_owned(),
            folder,
        };
        for (n, file) in proposed.iter().enumerate() {
            let stand_in =
                file.bytes.map(|bytes| stand_in(stage.folder.path(), n, file, bytes)).transpose()?;
            if let (true, Some(path)) = (file.is_home, &stand_in) {
                stage.stand_in.clone_from(path);
            }
            stage.view.files.push((file.real.to_owned(), stand_in));
        }
        Ok(stage)
    }

    fn substitutes(&self) -> bool {
        self.checker.run.iter().any(|word| word.contains("{file}"))
    }

    fn argv(&self, words: &[String], proposal: bool) -> Vec<String> {
        let file = if proposal { &self.stand_in } else { &self.home };
        let scratch = self.view.scratch().display().to_string();
        let fill = |word: &String| {
            word.replace("{file}", &file.display().to_string()).replace("{scratch}", &scratch)
        };
        words.iter().map(fill).collect()
    }

    /// What the daemon says it understands; `None` where it cannot be asked.
    fn reported(
        &self,
        effective: &Effective,
        proposal: bool,
        names: &[String],
    ) -> Result<Option<Reported>, Error> {
        let by_name = effective.run.iter().any(|word| word.contains("{name}"));
        let account = effective.account.as_deref();
        if !by_name {
            let ran = self
                .ran(&effective.run, account, proposal)?
                .ok()
                .filter(|ran| ran.ok() || effective.any_status);
            return Ok(ran.map(|ran| Reported::read(effective, &ran.out)));
        }
        let mut told = Reported::default();
        for name in names {
            let words: Vec<String> = effective.run.iter().map(|word| word.replace("{name}", name)).collect();
            if let Some(ran) = self.ran(&words, account, proposal)?.ok().filter(Ran::ok) {
                ran.out.lines().for_each(|line| told.add(name, line));
            }
        }
        Ok(Some(told))
    }

    /// One run; the inner error says why the checker could not be run at all.
    fn run(&self, proposal: bool) -> Result<Result<CheckerRun, NotRun>, Error> {
        let ran = match self.ran(&self.checker.run, self.checker.account.as_deref(), proposal)? {
            Ok(ran) => ran,
            Err(why) => return Ok(Err(why)),
        };
        Ok(Ok(read_run(&ran, self.checker.on_stdout)))
    }

    /// One run of any command in the view, or on the copy.
    fn ran(
        &self,
        words: &[String],
        account: Option<&str>,
        proposal: bool,
    ) -> Result<Result<Ran, NotRun>, Error> {
        let argv = self.argv(words, proposal);
        let limit = self.checker.limit.and_then(|limit| limit.try_into().ok()).unwrap_or(USUAL_LIMIT);
        let program = argv.first().cloned().unwrap_or_default();
        if !Path::new(&program).exists() {
            return Ok(Err(NotRun(format!("{program} does not exist"))));
        }
        let account = account.and_then(|name| Some((accounts::user(name)?, accounts::main_group(name)?)));
        let command = if words.iter().any(|word| word.contains("{file}")) {
            let mut command = Command::new(&program);
            command.args(argv.get(1..).unwrap_or_default());
            command
        } else {
            let files = if proposal { self.view.files.clone() } else { Vec::new() };
            let view = ViewSpec { files, account, ..self.view.clone() };
            view.command(&argv)
                .map_err(|error| Error::cannot(format!("the checker cannot be run: {error}")))?
        };
        let ran = match run_command(command, limit) {
            Ok(ran) => ran,
            Err(error) => return Ok(Err(NotRun(format!("{program}: {}", crate::error::plain(&error))))),
        };
        if ran.status == Some(NO_VIEW) {
            return Ok(Err(NotRun(ran.last_words())));
        }
        tracing::debug!(?argv, status = ?ran.status, ms = ran.took.as_millis(), "checker ran");
        Ok(Ok(ran))
    }

    fn comparison<'b>(&'b self, shifts: &'b [(String, Vec<LineShift>)], lenient: bool) -> Comparison<'b> {
        Comparison {
            command: self.program(),
            shifts,
            faults: &self.checker.faults,
            warnings: &self.checker.warnings,
            chatter: &self.checker.chatter,
            lenient,
        }
    }

    fn program(&self) -> &str {
        self.checker.run.first().map_or("", |word| word.rsplit('/').next().unwrap_or(word))
    }

    fn not_run(&self) -> String {
        format!("{} was not run", self.words())
    }

    fn by(&self) -> String {
        let how = if self.substitutes() { "on a copy" } else { "in a private view" };
        format!("{}, {how}", self.words())
    }

    /// The command without what differs from run to run.
    fn words(&self) -> String {
        let short: Vec<&str> =
            self.checker.run.iter().map(String::as_str).filter(|word| !word.contains('{')).skip(1).collect();
        std::iter::once(self.program()).chain(short).collect::<Vec<_>>().join(" ")
    }

    /// A finding about the copy is about the live file.
    fn name_live_file(&self, finding: &mut Finding, home: &Path) {
        let (copy, live) = (self.stand_in.display().to_string(), home.display().to_string());
        if copy != live && finding.message.contains(&copy) {
            finding.message = finding.message.replace(&copy, &live);
        }
    }
}

/// With the line of the proposal that the finding is about.
fn quote_line(finding: &mut Finding, proposed: &[Proposed<'_>]) {
    let about = |file: &&Proposed<'_>| finding.file.as_deref() == file.real.to_str();
    let bytes = proposed.iter().find(about).and_then(|file| file.bytes);
    let line = finding.line.and_then(|line| bytes?.split(|byte| *byte == b'\n').nth(line as usize - 1));
    finding.text = line.map(|line| String::from_utf8_lossy(line).trim_end().to_owned());
    finding.column = None;
}

fn read_run(ran: &Ran, on_stdout: bool) -> CheckerRun {
    let lines = |text: &str| -> Vec<String> {
        text.lines().map(str::trim_end).filter(|line| !line.trim().is_empty()).map(str::to_owned).collect()
    };
    let (mut told, mut printed) = (lines(&ran.err), lines(&ran.out));
    if on_stdout {
        told.append(&mut printed);
    }
    CheckerRun { status: ran.status, timed_out: ran.timed_out, flooded: ran.flooded, lines: told, printed }
}
