//! Logging in by the system's own SSH client, with the user's agent, hardware keys and jump hosts (`ssh(1)`, `ssh_config(5)`).

use std::fmt::Write as _;
use std::io::{self, Read, Write as _};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

use impostazione_core::machine::{Account, Machine, Site};
use ring::rand::{SecureRandom as _, SystemRandom};
use tempfile::TempDir;

use super::said::{MOST_SAID, Said};
use super::script::script;
use crate::obstacle::Obstacle;
use crate::question::{ExpectedMachine, HostKeys, Way};
use crate::stop::Stop;

/// The most logins at once.
const AT_ONCE: usize = 16;
/// The longest that a login and all its answers take.
const LONGEST: Duration = Duration::from_mins(1);
/// The most bytes that are read of what ssh itself says.
const MOST_SAID_OF_SSH: usize = 64 * 1024;
/// How often somebody who waits looks.
const SLICE: Duration = Duration::from_millis(50);

/// The longest that looking inside of so many hosts takes.
pub(crate) fn longest(hosts: usize) -> Duration {
    LONGEST * u32::try_from(hosts.div_ceil(AT_ONCE)).unwrap_or(u32::MAX)
}

/// How it is logged in.
#[derive(Clone, Debug, Default)]
pub struct LoginOptions {
    /// The account; without one each host's first administrator with keys.
    pub account: Option<String>,
    /// Whether the network is simulated, so that no jump host leads there.
    pub is_simulated: bool,
}

/// Logs in on hosts.
#[derive(Debug)]
pub struct Insider {
    /// For settings and host keys, for nobody else to read.
    folder: TempDir,
    options: LoginOptions,
    under_way: Mutex<usize>,
    changed: Condvar,
}

/// What came of looking inside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum LookedInside {
    /// The host said this.
    Said(Box<Said>),
    /// It lets nobody in yet: how that shows.
    NotYet(String),
    /// Nothing was seen.
    No(NoLook),
}

/// Why nothing was seen inside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum NoLook {
    /// The account is refused: as whom, and what ssh says.
    Refused(String, String),
    /// Something is in the way: why, as the end of a sentence, and what to do.
    InTheWay(String, String),
}

impl NoLook {
    fn in_the_way(why: impl Into<String>, fix: impl Into<String>) -> LookedInside {
        LookedInside::No(Self::InTheWay(why.into(), fix.into()))
    }
}

impl Insider {
    /// Somebody who logs in with these options.
    pub fn new(options: LoginOptions) -> io::Result<Self> {
        let folder = tempfile::Builder::new().prefix("impostazione-").tempdir()?;
        Ok(Self { folder, options, under_way: Mutex::new(0), changed: Condvar::new() })
    }

    /// Looks inside of a host, whose SSH server is reached there.
    pub(crate) fn look(
        &self,
        site: &Site,
        expected: &ExpectedMachine<'_>,
        at: SocketAddr,
        stop: &Stop,
    ) -> LookedInside {
        let label = expected.machine.label();
        let account = match self.account(site, expected.machine) {
            Ok(account) => account,
            Err(looked) => return looked,
        };
        let written = self.settings(expected, account.name.value.as_str(), at);
        let settings = match written {
            Ok(settings) => settings,
            Err(error) => {
                let why = format!(
                    "its settings for ssh cannot be written: {}",
                    impostazione_text::files::plain(&error)
                );
                return NoLook::in_the_way(why, "look whether the folder for temporary files is full");
            }
        };
        if let Some(obstacle) = self.enter(stop) {
            return NoLook::in_the_way(
                obstacle.to_string(),
                "run the command again, and let it come to its end",
            );
        }
        let mark = mark();
        let ended = run(&settings, label, &script(&mark), stop);
        self.leave();
        let _ = std::fs::remove_file(&settings);
        match ended {
            Ok(ended) => judge_end(&ended, &mark, account, label),
            Err(error) if error.kind() == io::ErrorKind::NotFound => NoLook::in_the_way(
                "this computer has no ssh",
                "install OpenSSH's client (Debian: openssh-client)",
            ),
            Err(error) => {
                let why = format!("ssh cannot be started: {}", impostazione_text::files::plain(&error));
                NoLook::in_the_way(why, "look whether `ssh -V` works here")
            }
        }
    }

    /// Whether a host is reached by another one, as the user's own settings say.
    pub(crate) fn has_jump(&self, site: &Site, expected: &ExpectedMachine<'_>, at: SocketAddr) -> bool {
        let Ok(account) = self.account(site, expected.machine) else { return false };
        let Ok(settings) = self.settings(expected, account.name.value.as_str(), at) else { return false };
        let shown = Command::new("ssh")
            .arg("-G")
            .arg("-F")
            .arg(&settings)
            .args(["--", expected.machine.label()])
            .stdin(Stdio::null())
            .stderr(Stdio::null())
            .output();
        let _ = std::fs::remove_file(&settings);
        shown.is_ok_and(|shown| {
            let text = String::from_utf8_lossy(&shown.stdout).into_owned();
            text.lines().any(|line| {
                let value = line.strip_prefix("proxyjump ").or_else(|| line.strip_prefix("proxycommand "));
                value.is_some_and(|value| value != "none")
            })
        })
    }

    /// The account that looks.
    fn account<'a>(&self, site: &'a Site, machine: &Machine) -> Result<&'a Account, LookedInside> {
        let own = machine.host().into_iter().flat_map(|host| &host.accounts);
        let mut own = own.filter_map(|index| site.accounts.get(*index));
        match &self.options.account {
            Some(name) => own.find(|account| account.name.value.as_str() == name).ok_or_else(|| {
                NoLook::in_the_way(
                    format!("the sheet gives it no account {name}"),
                    "name another account with --as",
                )
            }),
            None => own.find(|account| account.is_admin && account.has_key()).ok_or_else(|| {
                let why = "no administrator of it has an SSH key in the sheet";
                NoLook::in_the_way(why, "name an account with --as, or give an administrator ssh_keys")
            }),
        }
    }

    /// Writes the settings for one host, and the list of its host keys.
    fn settings(&self, expected: &ExpectedMachine<'_>, account: &str, at: SocketAddr) -> io::Result<PathBuf> {
        let label = expected.machine.label();
        let mut text = format!("Host {label}\n");
        let folder = self.folder.path();
        let mut say = |line: &str| {
            // Writing to a String does not fail.
            let _ = writeln!(text, "    {line}");
        };
        say(&format!("HostName {}", at.ip()));
        say(&format!("Port {}", at.port()));
        say(&format!("User {account}"));
        for line in [
            "BatchMode yes",
            "ConnectTimeout 10",
            "ServerAliveInterval 10",
            "StrictHostKeyChecking yes",
            // What the user has stays as it is.
            "UpdateHostKeys no",
            "ControlMaster no",
            "ControlPath none",
            "ClearAllForwardings yes",
            "ForwardAgent no",
            "PermitLocalCommand no",
            "RequestTTY no",
            "RemoteCommand none",
        ] {
            say(line);
        }
        if let Way::Ssh(_, HostKeys::Known(keys)) = &expected.way {
            let list = tempfile::Builder::new().prefix("known-").tempfile_in(folder)?;
            let (mut list, path) = list.keep().map_err(|error| error.error)?;
            for key in keys {
                let line = key.to_openssh().map_err(io::Error::other)?;
                writeln!(list, "{label} {line}")?;
            }
            say(&format!("HostKeyAlias {label}"));
            say("CheckHostIP no");
            say(&format!("UserKnownHostsFile \"{}\"", path.display()));
            say("GlobalKnownHostsFile /dev/null");
        }
        if self.options.is_simulated {
            say("ProxyJump none");
        }
        text.push_str("Match all\nInclude ~/.ssh/config\nInclude /etc/ssh/ssh_config\n");
        let file = tempfile::Builder::new().prefix("settings-").tempfile_in(folder)?;
        let (mut file, path) = file.keep().map_err(|error| error.error)?;
        file.write_all(text.as_bytes())?;
        Ok(path)
    }

    /// Waits until another login may begin.
    fn enter(&self, stop: &Stop) -> Option<Obstacle> {
        let mut under_way = self.under_way.lock().unwrap_or_else(PoisonError::into_inner);
        while *under_way >= AT_ONCE {
            if let Some(obstacle) = stop.why() {
                return Some(obstacle);
            }
            let waited = self.changed.wait_timeout(under_way, SLICE);
            under_way = waited.unwrap_or_else(PoisonError::into_inner).0;
        }
        *under_way += 1;
        None
    }

    fn leave(&self) {
        *self.under_way.lock().unwrap_or_else(PoisonError::into_inner) -= 1;
        self.changed.notify_all();
    }
}

/// A mark that nothing on the host knows beforehand.
fn mark() -> String {
    let mut bytes = [0; 12];
    // Without randomness a host that tries could mix up its own answers, and nobody else's.
    let _ = SystemRandom::new().fill(&mut bytes);
    bytes.iter().fold("part-".to_owned(), |text, byte| format!("{text}{byte:02x}"))
}

/// How ssh ended.
struct Ended {
    code: Option<i32>,
    stdout: String,
    stderr: String,
    was_cut: Option<Obstacle>,
}

fn run(settings: &Path, label: &str, script: &str, stop: &Stop) -> io::Result<Ended> {
    // What a terminal sends to all of its programs at Ctrl-C ends ssh, too: then that is why it said no more.
    let mut child = Command::new("ssh")
        .arg("-T")
        .arg("-F")
        .arg(settings)
        .args(["--", label, "exec sh -s"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()?;
    let (stdin, stdout, stderr) = (child.stdin.take(), child.stdout.take(), child.stderr.take());
    std::thread::scope(|scope| {
        let stdout = scope.spawn(|| limited(stdout, MOST_SAID));
        let stderr = scope.spawn(|| limited(stderr, MOST_SAID_OF_SSH));
        scope.spawn(move || {
            // A host that does not read is not waited for.
            let _ = stdin.map(|mut stdin| stdin.write_all(script.as_bytes()));
        });
        let (code, was_cut) = wait_for(&mut child, stop)?;
        let text = |said: std::thread::Result<Vec<u8>>| {
            String::from_utf8_lossy(&said.unwrap_or_default()).into_owned()
        };
        Ok(Ended { code, stdout: text(stdout.join()), stderr: text(stderr.join()), was_cut })
    })
}

fn limited(from: Option<impl Read>, most: usize) -> Vec<u8> {
    let mut bytes = Vec::new();
    if let Some(from) = from {
        // What came before an error counts.
        let _ = from.take(u64::try_from(most).unwrap_or(u64::MAX)).read_to_end(&mut bytes);
    }
    bytes
}

/// Waits for ssh, and ends it when its time is over.
fn wait_for(child: &mut Child, stop: &Stop) -> io::Result<(Option<i32>, Option<Obstacle>)> {
    let until = Instant::now() + LONGEST;
    loop {
        if let Some(status) = child.try_wait()? {
            return Ok((status.code(), stop.why()));
        }
        let obstacle = stop.why().or_else(|| (Instant::now() >= until).then_some(Obstacle::OutOfTime));
        if let Some(obstacle) = obstacle {
            child.kill()?;
            let status = child.wait()?;
            return Ok((status.code(), Some(obstacle)));
        }
        std::thread::sleep(SLICE);
    }
}

fn judge_end(ended: &Ended, mark: &str, account: &Account, label: &str) -> LookedInside {
    let who = account.name.value.as_str();
    let said = Said::read(&ended.stdout, mark);
    if said.is_whole {
        return LookedInside::Said(Box::new(said));
    }
    if let Some(obstacle) = &ended.was_cut {
        return NoLook::in_the_way(obstacle.to_string(), "run the command again");
    }
    let says = |sign: &str| ended.stderr.contains(sign) || ended.stdout.contains(sign);
    let line = ended
        .stderr
        .lines()
        .map(str::trim)
        .rfind(|line| !line.is_empty())
        .unwrap_or("it said nothing")
        .to_owned();
    // What pam_nologin and sshd say while the system comes up (`nologin(5)`).
    if says("System is booting up") || says("not permitted to log in yet") {
        return LookedInside::NotYet("the host lets nobody log in yet".to_owned());
    }
    if says("Password change required") || says("password has expired") || says("must change your password") {
        let why = format!("the password of {who} has to be changed at its first login");
        return NoLook::in_the_way(why, format!("log in once by hand: `ssh {who}@{label}`"));
    }
    if says("Permission denied") || says("Too many authentication failures") {
        return LookedInside::No(NoLook::Refused(who.to_owned(), line));
    }
    if ended.code == Some(255) {
        let gone = [
            "Connection refused",
            "Connection reset",
            "Connection closed",
            "Connection timed out",
            "kex_exchange",
        ];
        if gone.iter().any(|sign| says(sign)) {
            return LookedInside::NotYet(format!("ssh says: {line}"));
        }
        return NoLook::in_the_way(format!("ssh says: {line}"), format!("try `ssh {who}@{label}` by hand"));
    }
    let why = format!("the login of {who} runs no shell that answers: {line}");
    NoLook::in_the_way(why, "name another account with --as")
}
