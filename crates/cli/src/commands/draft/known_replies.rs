//! Replies of a file, each given once, when its question comes.

use std::collections::BTreeSet;

use impostazione_core::draft::{Interview, Outcome, Refusal, Replies};

/// The replies of a file, and which of them were given.
#[derive(Debug, Default)]
pub(super) struct KnownReplies {
    replies: Replies,
    given: BTreeSet<String>,
}

/// A reply of the file that was refused.
#[derive(Debug)]
pub(super) struct Refused {
    /// The question.
    pub(super) question: String,
    /// The reply.
    pub(super) reply: String,
    /// Why.
    pub(super) refusal: Refusal,
}

impl KnownReplies {
    pub(super) fn new(replies: Replies) -> Self {
        Self { replies, given: BTreeSet::new() }
    }

    /// Replies to questions as long as the file does. A question to which somebody has gone back is left to them.
    pub(super) fn give(&mut self, interview: &mut Interview<'_>) -> Option<Refused> {
        while !interview.is_at_summary() {
            let question = interview.question().id;
            let reply = self.replies.to(&question)?.to_owned();
            if !self.given.insert(question.clone()) {
                return None;
            }
            let mut outcome = interview.reply(&reply);
            // Who wrote the file has decided.
            if let Outcome::Refused(refusal) = &outcome
                && refusal.is_judgment
            {
                outcome = interview.reply(&reply);
            }
            if let Outcome::Refused(refusal) = outcome {
                return Some(Refused { question, reply, refusal });
            }
        }
        None
    }

    /// Questions that have a reply in the file, and that were not asked.
    pub(super) fn unasked(&self, asked: &[(String, String)]) -> Vec<&str> {
        self.replies.unasked(asked)
    }
}
