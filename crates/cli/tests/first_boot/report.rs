//! What was asked of a booted host, and what it answered.

use std::fmt::Write as _;
use std::fs;

use crate::base::cache;

/// The report of one case. It is written down as it grows, so that one that ends early is there too.
pub(crate) struct Report {
    name: &'static str,
    text: String,
    wrong: Vec<String>,
}

impl Report {
    pub(crate) fn new(name: &'static str, about: &str) -> Self {
        let mut report = Self { name, text: format!("{about}\n\n"), wrong: Vec::new() };
        report.save();
        report
    }

    /// Notes a question and its answer, which must be this one.
    pub(crate) fn is(&mut self, question: &str, answer: &str, expected: &str) {
        self.note(question, answer, answer == expected, &format!("{expected:?}"));
    }

    fn note(&mut self, question: &str, answer: &str, is_right: bool, expected: &str) {
        let mark = if is_right { "right" } else { "WRONG" };
        let mut lines = answer.lines();
        // Writing to a String does not fail.
        let _ = writeln!(self.text, "{mark}  {question:34} {}", lines.next().unwrap_or("(nothing)"));
        for line in lines {
            let _ = writeln!(self.text, "{:41} {line}", "");
        }
        if !is_right {
            self.wrong.push(format!("{question}: {answer:?} and not {expected}"));
        }
        self.save();
    }

    fn save(&mut self) {
        let folder = cache().join("reports");
        fs::create_dir_all(&folder).unwrap();
        fs::write(folder.join(format!("{}.txt", self.name)), &self.text).unwrap();
    }

    /// Fails if an answer was wrong.
    pub(crate) fn finish(self) {
        print!("{}", self.text);
        assert!(self.wrong.is_empty(), "{}:\n{}", self.name, self.wrong.join("\n"));
    }
}
