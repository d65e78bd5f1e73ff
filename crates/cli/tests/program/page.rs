//! A page of texts on one subject, made by the program and kept in `tests/texts`, where people read it.

use std::fmt::Write as _;
use std::path::Path;

use serde_json::Value;

use crate::support::{Run, Workspace};

/// What the program says about one subject. A page that is not as the kept one fails its test; `INSTA_UPDATE=always` keeps the new
/// one, and the difference of the commit shows what was reworded.
pub(crate) struct Page {
    subject: &'static str,
    text: String,
}

impl Page {
    /// A page that is kept under this name.
    pub(crate) fn on(subject: &'static str) -> Self {
        Self { subject, text: String::new() }
    }

    /// A page that gets its name when it is kept.
    pub(crate) fn of_what_is_typed() -> Self {
        Self::on("")
    }

    /// A line between two parts.
    pub(crate) fn heading(&mut self, text: &str) {
        self.add(&format!("── {text}\n"));
    }

    /// A finding of a report in JSON: how grave it is, its rule, what is wrong, and the fix.
    pub(crate) fn finding(&mut self, finding: &Value) {
        let text = |key: &str| finding[key].as_str().unwrap_or("-").to_owned();
        self.add(&format!("{} {}\n", text("severity"), text("rule")));
        self.add(&format!("  {}\n  fix: {}\n", text("message"), text("fix")));
    }

    /// The findings of a report in JSON, each sentence once.
    pub(crate) fn findings(&mut self, findings: &[Value]) {
        for finding in findings {
            self.finding(finding);
        }
    }

    /// The page so far, which is then no page of its own.
    pub(crate) fn into_text(self) -> String {
        self.text
    }

    /// Text as it is.
    pub(crate) fn add(&mut self, text: &str) {
        self.text.push_str(text);
    }

    /// Runs the program in a workspace, words of its command line apart by blanks, and shows what comes of it.
    pub(crate) fn run(&mut self, workspace: &Workspace, line: &str) -> Run {
        self.run_in(workspace, line, &[])
    }

    /// The same with these variables, which are shown before the command as a shell takes them.
    pub(crate) fn run_in(&mut self, workspace: &Workspace, line: &str, variables: &[(&str, &str)]) -> Run {
        let words: Vec<&str> = line.split(' ').filter(|word| !word.is_empty()).collect();
        let mut command = workspace.command(&words);
        command.envs(variables.iter().copied());
        let run = Run::from(command.output().unwrap());
        let words = variables.iter().map(|(name, value)| format!("{name}={value}"));
        let typed: Vec<String> = words.chain([format!("impostazione {line}")]).collect();
        self.ran(typed.join(" ").trim_end(), &run, workspace.path());
        run
    }

    /// Shows a run: the command line, stdout, stderr behind bars, and how it ended.
    pub(crate) fn ran(&mut self, line: &str, run: &Run, folder: &Path) {
        let folder = folder.display().to_string();
        writeln!(self.text, "$ {line}").unwrap();
        self.add(&run.stdout.replace(&folder, "(folder)"));
        for line in run.stderr_without_owners().replace(&folder, "(folder)").lines() {
            writeln!(self.text, "| {line}").unwrap();
        }
        if run.code != 0 {
            writeln!(self.text, "(exit code {})", run.code).unwrap();
        }
        self.add("\n");
    }

    /// Compares it with the page that is kept under this name.
    #[track_caller]
    pub(crate) fn keep_as(self, subject: &'static str) {
        Self { subject, ..self }.keep();
    }

    /// Compares it with the page that is kept.
    #[track_caller]
    pub(crate) fn keep(self) {
        let mut settings = insta::Settings::clone_current();
        settings.set_snapshot_path(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/texts"));
        settings.set_prepend_module_to_snapshot(false);
        settings.set_omit_expression(true);
        // What is random, or is of the day on which the test is run.
        for (varies, stands_for) in [
            (r"age1[0-9a-z]{58}", "age1(a key)"),
            (r"SHA256:[0-9A-Za-z+/]{43}", "SHA256:(a fingerprint)"),
            (r"identity (is )?[0-9a-f]{32}", "identity $1(an identity)"),
            (r"free( +)[0-9.]+ [KMGT]iB", "free$1(a size)"),
            (r"ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAI[0-9A-Za-z+/]{43}", "ssh-ed25519 (a key)"),
            (r"…[0-9A-Za-z+/]{40,}", "…(a part of a key)"),
            (r"\$(6|y)\$[^ ]+", "(a hash)"),
            (r"\b20[0-9]{2}-[0-9]{2}-[0-9]{2} [0-9]{2}:[0-9]{2}( UTC)?", "(a time)"),
        ] {
            settings.add_filter(varies, stands_for);
        }
        settings.bind(|| insta::assert_snapshot!(self.subject, self.text));
    }
}
