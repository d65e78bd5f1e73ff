//! What is asked, and what becomes of a reply.

use serde::Serialize;

use crate::finding::Rule;

/// A question of the interview.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Question {
    /// What it is called in a file of replies, such as `subnet.quay.gateway`. It is asked once under that name.
    pub id: String,
    /// What it is for, in one line.
    #[serde(rename = "question")]
    pub line: String,
    /// What is shown before it: what follows from earlier replies.
    pub shown: Vec<String>,
    /// Whether what is shown is a long text, to be read page by page.
    #[serde(rename = "long_text")]
    pub is_long_text: bool,
    /// What an empty reply means.
    pub proposal: Option<String>,
    /// The words of which the reply is one; empty where it is free.
    pub choices: Vec<Choice>,
    /// Whether the words are only offered, and the reply may be another.
    #[serde(rename = "free")]
    pub is_free: bool,
    /// Whether `none` is a reply.
    #[serde(rename = "may_be_none")]
    pub can_decline: bool,
    /// The explanation for who replies `?`.
    pub explanation: String,
}

/// A word that a reply may be, or something that is offered.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Choice {
    /// The word.
    pub word: String,
    /// What it stands for.
    pub about: String,
}

impl Choice {
    /// A word with what it stands for.
    pub(super) fn new(word: impl Into<String>, about: impl Into<String>) -> Self {
        Self { word: word.into(), about: about.into() }
    }
}

impl Question {
    /// A question with no more to it than its line.
    pub(super) fn new(id: impl Into<String>, line: impl Into<String>) -> Self {
        Self { id: id.into(), line: line.into(), ..Self::default() }
    }

    /// The same with what an empty reply means.
    #[must_use]
    pub(super) fn proposing(mut self, proposal: Option<String>) -> Self {
        self.proposal = proposal;
        self
    }

    /// The same, to which `none` is a reply.
    #[must_use]
    pub(super) fn or_none(mut self) -> Self {
        self.can_decline = true;
        self
    }

    /// The same with the words that a reply may be.
    #[must_use]
    pub(super) fn choosing(mut self, choices: &[(&str, &str)]) -> Self {
        self.choices = choices.iter().map(|(word, about)| Choice::new(*word, *about)).collect();
        self
    }

    /// The same with something shown before it.
    #[must_use]
    pub(super) fn showing(mut self, shown: impl IntoIterator<Item = String>) -> Self {
        self.shown.extend(shown);
        self
    }

    /// The same with an explanation.
    #[must_use]
    pub(super) fn explained(mut self, explanation: impl Into<String>) -> Self {
        self.explanation = explanation.into();
        self
    }
}

/// What becomes of a reply.
#[derive(Clone, Debug)]
pub enum Outcome {
    /// It was taken, and this is to be said of it.
    Taken(Vec<String>),
    /// The question is explained, and stays.
    Explained(String),
    /// The question before it is asked again.
    WentBack,
    /// There is no question before it.
    NothingBefore,
    /// It was not taken; the question stays.
    Refused(Refusal),
    /// The sheet is done: it is to be written as it is.
    Accepted,
    /// The interview is left, with what there is to be kept.
    Left,
}

/// Why a reply was not taken.
#[derive(Clone, Debug)]
pub struct Refusal {
    /// The rule that it breaks, where it is one.
    pub rule: Option<&'static Rule>,
    /// What is wrong, with the value found.
    pub message: String,
    /// What to reply instead.
    pub fix: String,
    /// What an empty reply means now.
    pub proposal: Option<String>,
    /// What is offered.
    pub offers: Vec<Choice>,
    /// Whether it is a judgment: the same reply once more keeps it.
    pub is_judgment: bool,
}

impl Refusal {
    /// One that no rule of the sheet is about.
    pub(super) fn new(message: impl Into<String>, fix: impl Into<String>) -> Self {
        Self {
            rule: None,
            message: message.into(),
            fix: fix.into(),
            proposal: None,
            offers: Vec::new(),
            is_judgment: false,
        }
    }

    /// The same with what an empty reply means now.
    #[must_use]
    pub(super) fn proposing(mut self, proposal: impl Into<String>) -> Self {
        self.proposal = Some(proposal.into());
        self
    }
}
