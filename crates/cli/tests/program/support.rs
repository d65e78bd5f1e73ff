//! What the tests of the built program share: a folder with the sample site's files, and the program run in it.

use std::fs;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use assert_cmd::cargo::cargo_bin;
use impostazione_ovf::make_sample_package;
use tempfile::TempDir;

/// The key that opens the store of the sample site, where a workspace has one.
pub(crate) const KEY: &str = "harbor.key";

/// A folder of its own for one test, with the keys and packages of the sample site in it.
pub(crate) struct Workspace {
    folder: TempDir,
    /// What the user's computer remembers.
    state: TempDir,
}

/// What a run of the program gave back.
pub(crate) struct Run {
    pub(crate) code: i32,
    pub(crate) stdout: String,
    pub(crate) stderr: String,
}

impl Workspace {
    /// The sample site with its packages, and a smaller `harbor.toml` with one appliance, all of whose properties are
    /// answered.
    pub(crate) fn new() -> Self {
        let workspace = Self::of_demo_files();
        copy_folder(&test_data().join("harbor"), workspace.path());
        workspace
    }

    /// The sample site as `demo` writes it, with its store.
    pub(crate) fn demo() -> Self {
        let workspace = Self::of_demo_files();
        for arguments in [
            &["secret", "recipients", "harbor.toml", "--new-key", KEY][..],
            &["secret", "generate", "harbor.toml"],
        ] {
            let run = workspace.run(arguments);
            assert_eq!(run.code, 0, "{}", run.stderr);
        }
        workspace
    }

    fn of_demo_files() -> Self {
        let workspace = Self { folder: tempfile::tempdir().unwrap(), state: tempfile::tempdir().unwrap() };
        copy_folder(&demo_folder(), workspace.path());
        let packages = workspace.path().join("packages");
        for (descriptor, as_archive) in [("logbook.ovf", true), ("signals.ovf", true), ("watch.ovf", false)] {
            make_sample_package(&packages, descriptor, as_archive).unwrap();
        }
        workspace
    }

    /// Adds the packages that examples of rules use.
    pub(crate) fn with_example_packages(self) -> Self {
        copy_folder(&test_data().join("packages"), &self.path().join("packages"));
        // One byte more than `check` reads of a file.
        self.write("packages/large.img", vec![0; (1 << 20) + 1]);
        self.with_example_secrets()
    }

    /// Adds the values that examples of rules use, one of which others may read.
    pub(crate) fn with_example_secrets(self) -> Self {
        copy_folder(&test_data().join("secrets"), self.path());
        let open = self.path().join("for-all-to-read.secret");
        fs::set_permissions(open, fs::Permissions::from_mode(0o644)).unwrap();
        self
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// Where the user's computer remembers stores.
    pub(crate) fn state(&self) -> &Path {
        self.state.path()
    }

    /// Writes a file; one of a secret, by its name, is for its owner alone.
    pub(crate) fn write(&self, name: &str, content: impl AsRef<[u8]>) {
        let path = self.path().join(name);
        fs::write(&path, content).unwrap();
        close_secret(&path);
    }

    pub(crate) fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path().join(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    pub(crate) fn exists(&self, name: &str) -> bool {
        self.path().join(name).symlink_metadata().is_ok()
    }

    /// Runs the program in the folder.
    pub(crate) fn run(&self, arguments: &[&str]) -> Run {
        Run::from(self.command(arguments).output().unwrap())
    }

    pub(crate) fn command(&self, arguments: &[&str]) -> Command {
        let mut command = self.command_of(cargo_bin("impostazione"));
        command.args(arguments);
        command
    }

    /// Another program, in the folder and with what the user's computer remembers.
    pub(crate) fn command_of(&self, program: impl AsRef<std::ffi::OsStr>) -> Command {
        let mut command = Command::new(program);
        command.current_dir(self.path()).env("LC_ALL", "C.UTF-8").env_remove("NO_COLOR");
        command.env_remove("COLUMNS");
        command.env("XDG_STATE_HOME", self.state.path()).env("HOME", self.state.path());
        if self.exists(KEY) {
            command.env("IMPOSTAZIONE_KEY", KEY);
        } else {
            command.env_remove("IMPOSTAZIONE_KEY");
        }
        command
    }

    /// Every file below a folder with its content, links by their target, sorted.
    pub(crate) fn tree(&self, name: &str) -> Vec<(String, Vec<u8>)> {
        let mut files = Vec::new();
        collect(&self.path().join(name), &self.path().join(name), &mut files);
        files.sort();
        files
    }
}

impl From<Output> for Run {
    fn from(output: Output) -> Self {
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
        Self { code: output.status.code().unwrap(), stdout: text(output.stdout), stderr: text(output.stderr) }
    }
}

impl Run {
    /// What stands on stderr, but for what a user who is not root is told beside of the files' owners.
    pub(crate) fn stderr_without_owners(&self) -> String {
        let of_owners = |line: &&str| {
            line.starts_with("belongs to you: ")
                || line.contains(" owned by you instead of their real owners")
        };
        if is_root() {
            return self.stderr.clone();
        }
        self.stderr.split_inclusive('\n').filter(|line| !of_owners(line)).collect()
    }
}

/// Whether the tests run as root, whom permissions do not bind.
pub(crate) fn is_root() -> bool {
    fs::metadata("/proc/self").is_ok_and(|own| own.uid() == 0)
}

/// The names of all rules.
pub(crate) fn rule_names() -> Vec<String> {
    let explained = Workspace::new().run(&["explain", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&explained.stdout).unwrap();
    let rules = report["rules"].as_array().unwrap().iter();
    rules.map(|rule| rule["rule"].as_str().unwrap().to_owned()).collect()
}

/// Files of the repository; a user who may not go there is given a folder with copies.
fn files(copy: &str, original: &str) -> PathBuf {
    match std::env::var_os("IMPOSTAZIONE_FILES") {
        Some(folder) => Path::new(&folder).join(copy),
        None => Path::new(env!("CARGO_MANIFEST_DIR")).join(original),
    }
}

pub(crate) fn demo_folder() -> PathBuf {
    files("demo", "../../demo")
}

/// Files that tests of the core use too.
pub(crate) fn test_data() -> PathBuf {
    files("testdata", "../core/testdata")
}

/// A sheet in which everything is right, with these lines at its end.
pub(crate) fn right_sheet(end: &str) -> String {
    format!(
        r#"format = 1

[common]
domain   = "capovetro.example"
dns      = ["10.64.10.53", "10.64.10.54"]
search   = ["capovetro.example"]
ntp      = ["10.64.10.121", "10.64.10.122", "clock.capovetro.example"]
timezone = "Europe/Rome"

[subnet.quay]
prefix   = "10.64.10.0/24"
gateway  = "10.64.10.1"
prefix6  = "fd64:10::/64"
gateway6 = "fd64:10::1"
dhcp_ranges = ["10.64.10.200-10.64.10.239"]
kept_free   = ["10.64.10.2-10.64.10.9"]
in_use      = {{ "10.64.10.40" = "crane controller" }}

[account.keeper]
admin = true
ssh_keys = ["keys/keeper.pub"]
{end}"#
    )
}

/// A sheet with every key that there is.
pub(crate) fn every_key() -> String {
    right_sheet(include_str!("every_key.toml")).replacen(
        "\n[common]",
        "include = [\"more.toml\"]\n\n[common]\nrefused_passwords = \"refused.txt\"",
        1,
    )
}

/// A workspace with that sheet, `every.toml`, and all that it names.
pub(crate) fn with_every_key() -> Workspace {
    let workspace = Workspace::new();
    workspace.write("radio.secret", "a phrase for the radio\n");
    workspace.write("clock.secret", "HEX:00112233445566778899aabbccddeeff\n");
    workspace
        .write("packages/watch.meanings.toml", "format = 1\nproduct = \"Harbor watch\"\nversion = \"5.0\"\n");
    let options =
        "  <DeploymentOptionSection><Info/><Configuration ovf:id=\"any\"/></DeploymentOptionSection>\n";
    let watch = workspace.read("packages/watch.ovf");
    workspace.write(
        "packages/watch.ovf",
        watch.replace("  <VirtualSystemCollection", &format!("{options}  <VirtualSystemCollection")),
    );
    std::fs::remove_file(workspace.path().join("packages/watch.mf")).unwrap();
    workspace.write("more.toml", "format = 1\n[pool.spare]\nprefix = \"10.129.0.0/16\"\n");
    workspace.write("refused.txt", "# of the yard\nold anchor\n");
    workspace.write("every.toml", every_key());
    workspace
}

/// A host of that sheet.
pub(crate) fn host(name: &str, address: &str) -> String {
    format!("[[host]]\nname = \"{name}\"\nlink.eth0 = {{ subnet = \"quay\", address = \"{address}\" }}\n")
}

/// The right sheet with one appliance of a package that examples of rules use.
pub(crate) fn packaged(package: &str, keys: &str, link: &str, answers: &str) -> String {
    let secret = if answers.contains("harbor-admin") {
        "[secret.harbor-admin]\nfrom = \"file\"\npath = \"harbor-admin.secret\"\n"
    } else {
        ""
    };
    let answers = if answers.is_empty() { String::new() } else { format!("[appliance.answer]\n{answers}\n") };
    right_sheet(&format!(
        "{secret}[[appliance]]\nname = \"logbook\"\npackage = {package}\n{keys}\n\
         link.management = {{ {link}subnet = \"quay\", address = \"10.64.10.61\" }}\n{answers}"
    ))
}

/// Sets aside, in a sheet with an appliance, that its passwords stay readable, which is no part of what is tried.
pub(crate) const READABLE: &str = "[[waiver]]\nrule = \"secret-stays-readable\"\nreason = \"not what is tried here\"\n\
    until = 2099-06-30\n";

/// The right sheet with a host whose login has a password, from a secret with these keys.
pub(crate) fn with_password(secret: &str) -> String {
    right_sheet(&(host("gauge-01", "10.64.10.11") + "[secret.keeper-login]\n" + secret + "\n")).replacen(
        "[account.keeper]",
        "[account.keeper]\npassword = { secret = \"keeper-login\" }",
        1,
    )
}

/// Takes the marks « and » out of a sheet, and gives the line and the column of the first.
pub(crate) fn marked(sheet: &str) -> (String, usize, usize) {
    let at = sheet.find('«').expect("the sheet marks the place");
    let before = &sheet[..at];
    let line = before.matches('\n').count() + 1;
    let column = before.chars().rev().take_while(|c| *c != '\n').count() + 1;
    (sheet.replace(['«', '»'], ""), line, column)
}

/// Runs a judge, and fails with what it says unless it is content and silent.
pub(crate) fn judge(command: &mut Command) {
    let output = command.output().unwrap_or_else(|error| panic!("{command:?}: {error}"));
    let stderr = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success() && stderr.is_empty(), "{command:?}: {}\n{stderr}", output.status);
}

/// A checkout gives every file the same mode.
fn close_secret(path: &Path) {
    if path.extension().is_some_and(|extension| extension == "secret") {
        fs::set_permissions(path, fs::Permissions::from_mode(0o600)).unwrap();
    }
}

pub(crate) fn copy_folder(from: &Path, to: &Path) {
    for entry in fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.file_type().unwrap().is_dir() {
            fs::create_dir_all(&target).unwrap();
            copy_folder(&entry.path(), &target);
        } else {
            fs::copy(entry.path(), &target).unwrap();
            close_secret(&target);
        }
    }
}

fn collect(top: &Path, folder: &Path, files: &mut Vec<(String, Vec<u8>)>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.strip_prefix(top).unwrap().display().to_string();
        let kind = path.symlink_metadata().unwrap();
        if kind.is_dir() {
            collect(top, &path, files);
        } else if kind.is_symlink() {
            files.push((name, fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes()));
        } else {
            files.push((name, fs::read(&path).unwrap()));
        }
    }
}

/// A text with its lines and blanks as one line of words, since what is shown is wrapped to the width of the terminal.
pub(crate) fn unwrapped(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}
