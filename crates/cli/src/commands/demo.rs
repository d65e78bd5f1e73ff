//! `demo`

use std::fs;
use std::io::Write as _;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};
use std::process::{self, Stdio};
use std::time::{Duration, Instant};

use impostazione_ovf::make_sample_package;
use impostazione_text::files::plain;
use include_dir::{Dir, DirEntry, include_dir};
use rustix::process::{Pid, Signal, kill_process};

use crate::args::{Color, DemoArguments};
use crate::exit::{Exit, Failure};
use crate::terminal::{self, STRONG};

static SITE: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo");

/// A command of the demonstration, as it is typed in its folder.
struct Step {
    says: &'static str,
    command: &'static [&'static str],
    /// The exit code that belongs to it.
    ends_with: i32,
    /// A command that has to be running meanwhile, as in another terminal.
    beside: &'static [&'static str],
}

/// A step that needs nothing beside it.
const ALONE: Step = Step { says: "", command: &[], ends_with: 0, beside: &[] };

/// The map of the network that the sample site is played on.
const MAP: &str = "network.toml";

/// How long that network is waited for.
const NETWORK_WITHIN: Duration = Duration::from_secs(20);

/// A small root filesystem to place on.
const CARD: &str = "sd-card";

/// The key that opens the sample site's store.
const KEY: &str = "harbor.key";

const STEPS: [Step; 11] = [
    Step {
        says: "A sheet with a few mistakes, the kind that happen when entries are copied. One run finds them all:",
        command: &["check", "slips.toml"],
        ends_with: 1,
        ..ALONE
    },
    Step {
        says: "What a package asks for, worked out from its descriptor:",
        command: &["inspect", "packages/logbook.ova"],
        ..ALONE
    },
    Step {
        says: "Passwords are never written in a sheet. They are kept in an encrypted store next to it, which this \
            new key opens:",
        command: &["secret", "recipients", "harbor.toml", "--new-key", KEY],
        ..ALONE
    },
    Step {
        says: "Missing passwords and host keys are generated. They follow every rule and can be typed on every \
            keyboard:",
        command: &["secret", "generate", "harbor.toml"],
        ..ALONE
    },
    Step { says: "The same harbor without the mistakes:", command: &["check", "harbor.toml"], ..ALONE },
    Step { says: "What each machine will get:", command: &["review", "harbor.toml"], ..ALONE },
    Step {
        says: "The files for each machine:",
        command: &["render", "harbor.toml", "--into", "output"],
        ..ALONE
    },
    Step {
        says: "Before the machines go out, the network is asked whether it is as the sheet says. Here a network is played on this \
            computer, on which somebody has an address and a name is missing:",
        beside: &[
            "mock-site",
            "harbor.toml",
            "--map",
            MAP,
            "--for",
            "1m",
            "--fault",
            "taken=gauge-03",
            "--fault",
            "no-name=logbook-2",
        ],
        command: &["probe", "before", "harbor.toml", "--through", MAP],
        ends_with: 1,
    },
    Step {
        says: "After power-on they are waited for. Here one appliance of the cluster starts slowly, and a gauge shows a host key that is \
            not its own:",
        beside: &[
            "mock-site",
            "harbor.toml",
            "--map",
            MAP,
            "--for",
            "1m",
            "--fault",
            "slow=logbook-2,3s",
            "--fault",
            "other-key=gauge-03",
        ],
        command: &["probe", "after", "harbor.toml", "--through", MAP, "--wait", "30s", "--remember"],
        ends_with: 1,
    },
    Step {
        says: "A card fresh from its image, with everything that would get in the way of a first boot:",
        command: &["inspect", CARD],
        ..ALONE
    },
    Step {
        says: "What placing a host on it would change (nothing is changed yet):",
        command: &["place", "output", CARD, "--only", "gauge-01", "--fresh-identity", "--dry-run"],
        ..ALONE
    },
];

/// Files of the output that are worth a look.
const SHOWN: [&str; 3] = [
    "output/gauge-01/rootfs/etc/netplan/60-impostazione.yaml",
    "output/signal-gateway/networks.json",
    "output/tide-gate/typing-card.txt",
];

/// What else there is to see, and what it shows.
const NEXT: [(&str, &str); 11] = [
    ("impostazione draft harbor.toml", "asks what to change in the sheet, or to add"),
    ("impostazione place output/gauge-01 sd-card --yes", "places it; asks first without --yes"),
    ("impostazione undo sd-card --yes", "takes it back, byte for byte"),
    ("impostazione secret list harbor.toml", "lists the secrets and what uses them"),
    ("impostazione subnet quay --sheet harbor.toml", "shows which addresses are free"),
    ("impostazione inspect output/signal-tower/rootfs", "shows what netplan makes of the tower's files"),
    ("impostazione inspect packages/signals.ova", "shows another package and what its properties mean"),
    (
        "impostazione render harbor.toml --into output --packages",
        "makes new packages with the settings inside",
    ),
    ("impostazione probe before harbor.toml --dry-run", "shows what would be asked of a real network"),
    (
        "impostazione probe after harbor.toml --dry-run",
        "shows at which doors it would knock after the first boot",
    ),
    ("impostazione explain gateway-outside-subnet", "explains a rule"),
];

pub(crate) fn run(arguments: &DemoArguments, color: Color) -> Result<Exit, Failure> {
    let folder = make_folder(arguments.into.as_deref())?;
    write_site(&SITE, &folder)?;
    make_packages(&folder.join("packages"))?;
    terminal::print(&format!(
        "The sample site is the harbor of Capo Vetro. Everything below can be typed again, and the sheet changed.\n\n\
         {STRONG}$ cd {}\n$ export IMPOSTAZIONE_KEY={KEY}{STRONG:#}\n",
        folder.display()
    ))?;
    for step in &STEPS {
        take(step, &folder, color)?;
    }
    for path in SHOWN {
        let text = fs::read_to_string(folder.join(path))
            .map_err(|error| cannot("read", &folder.join(path), &error))?;
        terminal::print(&format!("\n{STRONG}$ cat {path}{STRONG:#}\n{text}"))?;
    }
    terminal::print(&format!("\nEverything is in {}. To go on from here:\n\n", folder.display()))?;
    for (command, does) in NEXT {
        terminal::print(&format!("  {STRONG}{command:57}{STRONG:#} {does}\n"))?;
    }
    Ok(Exit::Done)
}

/// Runs this very program in the folder of the sample site, as the user would.
fn take(step: &Step, folder: &Path, color: Color) -> Result<(), Failure> {
    let typed = step.command.join(" ");
    terminal::print(&format!("\n{}\n\n", step.says))?;
    let program =
        std::env::current_exe().map_err(|error| cannot("found", Path::new("impostazione"), &error))?;
    let command = |words: &[&str]| {
        let mut command = process::Command::new(&program);
        command.args(words).args(["--color", color.word()]).env("IMPOSTAZIONE_KEY", KEY);
        command.current_dir(folder).stdin(Stdio::null());
        command
    };
    let mut beside = None;
    if !step.beside.is_empty() {
        terminal::print(&format!(
            "{STRONG}$ impostazione {}{STRONG:#}    (in another terminal)\n",
            step.beside.join(" ")
        ))?;
        let started = command(step.beside).stdout(Stdio::null()).stderr(Stdio::null()).spawn();
        beside = Some(started.map_err(|error| cannot("started", &program, &error))?);
        let until = Instant::now() + NETWORK_WITHIN;
        while !folder.join(MAP).exists() && Instant::now() < until {
            std::thread::sleep(Duration::from_millis(20));
        }
    }
    terminal::print(&format!("{STRONG}$ impostazione {typed}{STRONG:#}\n"))?;
    let status = command(step.command).status().map_err(|error| cannot("started", &program, &error));
    if let Some(mut beside) = beside {
        // As Ctrl-C does, so that it takes its map away. One that has ended already needs nothing.
        if let Some(id) = i32::try_from(beside.id()).ok().and_then(Pid::from_raw) {
            let _ = kill_process(id, Signal::INT);
        }
        let _ = beside.wait();
    }
    let status = status?;
    if status.code() == Some(step.ends_with) {
        if step.ends_with != 0 {
            terminal::print(&format!("(exit code {}: a script would stop here)\n", step.ends_with))?;
        }
        return Ok(());
    }
    Err(Failure::Files(format!("the demo stopped: `impostazione {typed}` ended with {status}")))
}

fn make_folder(wanted: Option<&Path>) -> Result<PathBuf, Failure> {
    let Some(folder) = wanted else {
        let made = tempfile::Builder::new().prefix("capo-vetro-").tempdir();
        return made
            .map(tempfile::TempDir::keep)
            .map_err(|error| cannot("made", &std::env::temp_dir(), &error));
    };
    fs::create_dir_all(folder).map_err(|error| cannot("made", folder, &error))?;
    let mut entries = fs::read_dir(folder).map_err(|error| cannot("read", folder, &error))?;
    if entries.next().is_some() {
        return Err(Failure::Files(format!(
            "{} is not empty; name a new folder for the sample site",
            folder.display()
        )));
    }
    Ok(folder.to_owned())
}

/// Makes the packages of the sample site whole: disks of zeros, manifests, and two of them in an archive.
fn make_packages(folder: &Path) -> Result<(), Failure> {
    for (descriptor, as_archive) in [("logbook.ovf", true), ("signals.ovf", true), ("watch.ovf", false)] {
        make_sample_package(folder, descriptor, as_archive)
            .map_err(|error| cannot("made", &folder.join(descriptor), &error))?;
    }
    Ok(())
}

fn write_site(files: &Dir<'_>, folder: &Path) -> Result<(), Failure> {
    for entry in files.entries() {
        let path = folder.join(entry.path());
        match entry {
            DirEntry::Dir(inner) => {
                fs::create_dir_all(&path).map_err(|error| cannot("made", &path, &error))?;
                write_site(inner, folder)?;
            }
            DirEntry::File(file) => {
                let written = new_file(&path).and_then(|mut to| to.write_all(file.contents()));
                written.map_err(|error| cannot("written", &path, &error))?;
            }
        }
    }
    Ok(())
}

/// A new file: a secret's is for its owner alone, from its first moment.
fn new_file(path: &Path) -> std::io::Result<fs::File> {
    let is_secret = path.extension().is_some_and(|extension| extension == "secret");
    let mode = if is_secret { 0o600 } else { 0o666 };
    fs::OpenOptions::new().write(true).create_new(true).mode(mode).open(path)
}

fn cannot(doing: &str, path: &Path, error: &std::io::Error) -> Failure {
    Failure::Files(format!("{} cannot be {doing}: {}", path.display(), plain(error)))
}
