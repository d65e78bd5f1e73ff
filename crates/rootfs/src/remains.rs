//! What stays of files when a placement is taken back.

use std::collections::BTreeMap;

use impostazione_text::FileBytes;

use super::digest::digest;
use super::record::Step;
use super::state::State;

/// Contents that files have when a placement is taken back, by the number of its step: what was before, with what others have
/// added since. What is not among them becomes what it was, to the byte.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Remains(BTreeMap<usize, FileBytes>);

impl Remains {
    /// Adds the content that the file of a step is to have.
    pub fn insert(&mut self, number: usize, content: FileBytes) {
        self.0.insert(number, content);
    }

    /// The content that the file of a step is to have.
    pub fn content(&self, number: usize) -> Option<&FileBytes> {
        self.0.get(&number)
    }

    /// How the path of a step is to be: it has mode and owner from before, or those that it was placed with where nothing was.
    pub fn state(&self, number: usize, step: &Step) -> State {
        let Some(content) = self.content(number) else { return step.before.clone() };
        let mut state = if step.before.is_absent() { step.meant().clone() } else { step.before.clone() };
        if let State::File { size: of_file, sha256, .. } = &mut state {
            *of_file = content.len() as u64;
            *sha256 = digest(content);
        }
        state
    }
}
