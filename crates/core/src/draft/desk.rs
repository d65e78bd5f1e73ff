//! Where the sheet that is being written is judged.

use std::cell::RefCell;
use std::rc::Rc;

use impostazione_secret::NotAsked;
use impostazione_text::files::NamedFiles;
use jiff::civil::Date;

use super::known::Known;
use crate::assess::{Assessment, assess_with};

/// How many judgments are kept, so that nothing is judged twice for one reply.
const KEPT: usize = 3;

/// What it takes to judge a sheet, and what is known beside it.
pub struct Desk<'a> {
    /// What messages call the sheet: its path.
    pub name: &'a str,
    /// The files beside it.
    pub named_files: &'a dyn NamedFiles,
    /// The day by which waivers are counted.
    pub today: Date,
    /// What this computer suggests.
    pub known: Known,
    judged: RefCell<Vec<(String, Rc<Assessment>)>>,
}

impl<'a> Desk<'a> {
    /// A desk for the sheet of that name.
    pub fn new(name: &'a str, named_files: &'a dyn NamedFiles, today: Date, known: Known) -> Self {
        Self { name, named_files, today, known, judged: RefCell::default() }
    }

    /// Judges a text as `check` does, without the values of secrets: none is asked for while a sheet is being written.
    pub(super) fn judge(&self, text: &str) -> Rc<Assessment> {
        let mut judged = self.judged.borrow_mut();
        if let Some((_, known)) = judged.iter().find(|(of, _)| of == text) {
            return Rc::clone(known);
        }
        let assessment = Rc::new(assess_with(
            self.name,
            text.as_bytes().to_vec(),
            self.named_files,
            &NotAsked,
            self.today,
        ));
        if judged.len() >= KEPT {
            judged.remove(0);
        }
        judged.push((text.to_owned(), Rc::clone(&assessment)));
        assessment
    }
}
