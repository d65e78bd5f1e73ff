//! A file of replies: one to each question, by the name of the question.

use toml_edit::{Document, Item};

use crate::edit::quoted;

/// Replies to questions, in order, as a file has them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Replies {
    replies: Vec<(String, String)>,
}

impl Replies {
    /// Reads a file: `"question" = "reply"` in TOML, one a line. The error says what is wrong.
    pub fn parse(text: &str) -> Result<Self, String> {
        let document = Document::parse(text).map_err(|error| error.message().trim().to_owned())?;
        let mut replies = Vec::new();
        for (question, item) in document.iter() {
            let reply = match item {
                Item::Value(value) if value.is_str() => value.as_str().unwrap_or_default().to_owned(),
                Item::Value(value) if value.is_integer() || value.is_bool() => {
                    value.to_string().trim().to_owned()
                }
                _ => return Err(format!("the reply to \"{question}\" is not a text")),
            };
            replies.push((question.to_owned(), reply));
        }
        Ok(Self { replies })
    }

    /// The file for these replies.
    pub fn written(replies: &[(String, String)]) -> String {
        let mut text = String::from("# Replies for `impostazione draft SHEET --replies FILE`.\n");
        for (question, reply) in replies {
            text.push_str(&quoted(question));
            text.push_str(" = ");
            text.push_str(&quoted(reply));
            text.push('\n');
        }
        text
    }

    /// The reply to a question.
    pub fn to(&self, question: &str) -> Option<&str> {
        self.replies.iter().find(|(known, _)| known == question).map(|(_, reply)| reply.as_str())
    }

    /// Questions that have a reply here, and that were not asked.
    pub fn unasked<'r>(&'r self, asked: &[(String, String)]) -> Vec<&'r str> {
        let was_asked = |question: &str| asked.iter().any(|(known, _)| known == question);
        self.replies
            .iter()
            .map(|(question, _)| question.as_str())
            .filter(|question| !was_asked(question))
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn replies_are_read_as_they_were_written() {
        let replies = vec![
            ("subnet.quay.gateway".to_owned(), "10.64.10.1".to_owned()),
            ("host.1".to_owned(), "gauge-{01..06}".to_owned()),
            ("common.site".to_owned(), "The \"old\" harbor".to_owned()),
        ];
        let read = Replies::parse(&Replies::written(&replies)).unwrap();
        for (question, reply) in &replies {
            assert_eq!(read.to(question), Some(reply.as_str()));
        }
        assert_eq!(read.unasked(&replies[1..]), ["subnet.quay.gateway"]);
    }

    #[test]
    fn what_is_no_reply_is_said() {
        assert!(Replies::parse("\"host.1\" = [1]").is_err());
        assert!(Replies::parse("host.1").is_err());
        assert_eq!(Replies::parse("\"subnet.lan.vlan\" = 110").unwrap().to("subnet.lan.vlan"), Some("110"));
    }
}
