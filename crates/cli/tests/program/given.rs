//! Tests that read as they are done: files are given, a command line is typed, and what must come of it is said. All that was typed
//! and answered can be kept as a page.

use std::fs;
use std::io::Write as _;
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::Stdio;

use crate::page::Page;
use crate::support::{KEY, Run, Workspace, right_sheet};

/// A workspace in which files are laid.
pub(crate) struct Given {
    workspace: Workspace,
    page: Page,
}

/// What a command line came to.
pub(crate) struct Outcome {
    given: Given,
    line: String,
    run: Run,
}

impl Given {
    /// The sample site with a smaller sheet.
    pub(crate) fn a_site() -> Self {
        Self::a_workspace(Workspace::new())
    }

    /// Files that are there already.
    pub(crate) fn a_workspace(workspace: Workspace) -> Self {
        Self { workspace, page: Page::of_what_is_typed() }
    }

    /// The site with `sheet.toml`, in which everything is right but for what these lines do at its end.
    pub(crate) fn a_sheet(end: &str) -> Self {
        Self::a_site().file("sheet.toml", right_sheet(end))
    }

    /// A store for `sheet.toml` that one key opens, with every value in it. What is typed for it is on no page.
    pub(crate) fn a_store(self) -> Self {
        for line in
            [&format!("secret recipients sheet.toml --yes --new-key {KEY}"), "secret generate sheet.toml"]
        {
            let run = self.workspace.run(&words(line));
            assert_eq!(run.code, 0, "{line}: {}{}", run.stdout, run.stderr);
        }
        self
    }

    /// Another file, or another content of one.
    pub(crate) fn file(self, name: &str, content: impl AsRef<[u8]>) -> Self {
        self.workspace.write(name, content);
        self
    }

    /// A file with a part replaced, which must be there.
    pub(crate) fn changed(self, name: &str, from: &str, to: &str) -> Self {
        let text = self.workspace.read(name);
        assert!(text.contains(from), "{name} has no {from:?}");
        self.file(name, text.replacen(from, to, 1))
    }

    /// A file that is no longer there.
    pub(crate) fn without(self, name: &str) -> Self {
        fs::remove_file(self.workspace.path().join(name)).unwrap();
        self
    }

    /// A file with this mode.
    pub(crate) fn mode(self, name: &str, mode: u32) -> Self {
        fs::set_permissions(self.workspace.path().join(name), fs::Permissions::from_mode(mode)).unwrap();
        self
    }

    /// A line on the page between what is typed.
    pub(crate) fn about(mut self, heading: &str) -> Self {
        self.page.heading(heading);
        self
    }

    /// A command line is typed, its words apart by blanks.
    pub(crate) fn when(self, line: &str) -> Outcome {
        let run = self.workspace.run(&words(line));
        self.came_to(line, run)
    }

    /// The same with this text on stdin.
    pub(crate) fn when_fed(self, input: &str, line: &str) -> Outcome {
        let mut command = self.workspace.command(&words(line));
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().unwrap();
        // A program that refuses its arguments reads nothing.
        let _ = child.stdin.take().unwrap().write_all(input.as_bytes());
        let run = Run::from(child.wait_with_output().unwrap());
        self.came_to(&format!("{line} < {input:?}"), run)
    }

    /// The same, with what must not be shown neither in the answer nor on the page.
    #[track_caller]
    pub(crate) fn when_hiding(self, secret: &str, line: &str) -> Outcome {
        let run = self.workspace.run(&words(line));
        assert!(
            !(run.stdout.contains(secret) || run.stderr.contains(secret)),
            "{}{}",
            run.stdout,
            run.stderr
        );
        self.came_to(&line.replace(secret, "(a secret)"), run)
    }

    fn came_to(mut self, line: &str, run: Run) -> Outcome {
        self.page.ran(&format!("impostazione {line}"), &run, self.workspace.path());
        Outcome { given: self, line: line.to_owned(), run }
    }

    /// The content of a file.
    pub(crate) fn read(&self, name: &str) -> String {
        self.workspace.read(name)
    }

    /// The same, byte by byte.
    pub(crate) fn bytes(&self, name: &str) -> Vec<u8> {
        fs::read(self.path().join(name)).unwrap()
    }

    /// The mode of a file.
    pub(crate) fn mode_of(&self, name: &str) -> u32 {
        fs::metadata(self.path().join(name)).unwrap().permissions().mode() & 0o7777
    }

    /// The folder.
    pub(crate) fn path(&self) -> &Path {
        self.workspace.path()
    }

    /// Compares all that was typed and answered with the page of this name.
    #[track_caller]
    pub(crate) fn kept_as(self, subject: &'static str) {
        self.page.keep_as(subject);
    }

    /// Every file below a folder with its content.
    pub(crate) fn tree(&self, name: &str) -> Vec<(String, Vec<u8>)> {
        self.workspace.tree(name)
    }
}

impl Outcome {
    /// The exit code.
    #[track_caller]
    pub(crate) fn ends_with(self, code: i32) -> Self {
        assert_eq!(self.run.code, code, "{}", self.shown());
        self
    }

    /// All of stdout.
    #[track_caller]
    pub(crate) fn says_only(self, text: &str) -> Self {
        assert_eq!(self.run.stdout, text, "{}", self.shown());
        self
    }

    /// Nothing on stderr.
    #[track_caller]
    pub(crate) fn does_not_complain(self) -> Self {
        assert_eq!(self.run.stderr, "", "{}", self.shown());
        self
    }

    /// A path that is there now.
    #[track_caller]
    pub(crate) fn makes(self, path: &str) -> Self {
        assert!(self.given.workspace.exists(path), "{path} is not made by {}", self.shown());
        self
    }

    /// A path that is not there.
    #[track_caller]
    pub(crate) fn does_not_make(self, path: &str) -> Self {
        assert!(!self.given.workspace.exists(path), "{path} is made by {}", self.shown());
        self
    }

    /// What must not be shown, on stdout or stderr.
    #[track_caller]
    pub(crate) fn does_not_show(self, text: &str) -> Self {
        assert!(!(self.run.stdout.contains(text) || self.run.stderr.contains(text)), "{}", self.shown());
        self
    }

    /// What it said on stdout.
    pub(crate) fn stdout(&self) -> &str {
        &self.run.stdout
    }

    /// More is given in the same workspace.
    pub(crate) fn and(self) -> Given {
        self.given
    }

    /// The next command line in the same workspace.
    pub(crate) fn when(self, line: &str) -> Self {
        self.given.when(line)
    }

    /// Compares all that was typed and answered with the page of this name.
    #[track_caller]
    pub(crate) fn kept_as(self, subject: &'static str) {
        self.given.kept_as(subject);
    }

    fn shown(&self) -> String {
        let Run { code, stdout, stderr } = &self.run;
        format!("`{}`, which ended with {code}:\n{stdout}{stderr}", self.line)
    }
}

fn words(line: &str) -> Vec<&str> {
    line.split(' ').filter(|word| !word.is_empty()).collect()
}
