//! What becomes of the sheet when an interview has ended.

use std::io::Write as _;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};

use impostazione_core::draft::{Interview, Replies, is_in_the_way};
use impostazione_text::files::plain;

use super::Ending;
use crate::edited_files::{EditedFile, replace_all};
use crate::exit::{Exit, Failure};

/// A sheet on disk, as it was when the interview began.
pub(super) struct SheetFile {
    pub(super) path: PathBuf,
    /// Its text; nothing where there was none.
    pub(super) text: Option<String>,
}

/// What has become of it.
#[derive(Debug)]
pub(super) enum Kept {
    /// It is as it was, since nothing is kept.
    Unchanged,
    /// It is as it was, since it was right.
    Same,
    /// It is written.
    Written {
        /// What the open questions are called.
        open: Vec<String>,
        /// How many errors it has.
        errors: usize,
    },
}

impl Kept {
    /// The exit code that belongs to it.
    pub(super) fn exit(&self) -> Exit {
        match self {
            Self::Same => Exit::Done,
            Self::Written { open, errors } if open.is_empty() && *errors == 0 => Exit::Done,
            _ => Exit::ErrorsRemain,
        }
    }
}

impl SheetFile {
    /// Writes a text whole or not at all. Where somebody else has changed the sheet meanwhile, it is left alone.
    pub(super) fn write(&self, text: &str) -> Result<(), Failure> {
        match &self.text {
            Some(judged) => replace_all(&[EditedFile {
                path: self.path.clone(),
                judged: judged.clone(),
                text: text.to_owned(),
            }]),
            None => write_new(&self.path, text),
        }
    }
}

/// Writes a new file, whole from its first moment. What is there already is not overwritten.
fn write_new(path: &Path, text: &str) -> Result<(), Failure> {
    let name = path.display();
    let refused =
        |error: &std::io::Error| Failure::Files(format!("{name} cannot be written: {}", plain(error)));
    let folder =
        path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or_else(|| Path::new("."));
    let mut file = tempfile::Builder::new()
        .prefix(".draft.")
        .suffix(".new")
        .permissions(std::fs::Permissions::from_mode(0o666))
        .tempfile_in(folder)
        .map_err(|error| refused(&error))?;
    file.write_all(text.as_bytes())
        .and_then(|()| file.as_file().sync_all())
        .map_err(|error| refused(&error))?;
    file.persist_noclobber(path).map_err(|error| refused(&error.error))?;
    Ok(())
}

/// Writes the replies to a new file.
pub(super) fn write_replies(path: &Path, replies: &[(String, String)]) -> Result<(), Failure> {
    write_new(path, &Replies::written(replies))
}

/// Keeps what an interview has come to, as it ended.
pub(super) fn keep(file: &SheetFile, interview: &Interview<'_>, ending: Ending) -> Result<Kept, Failure> {
    let (text, open) = match ending {
        Ending::Accepted => (interview.finished_text(), Vec::new()),
        Ending::Left => interview.open_text(),
        Ending::Dropped => return Ok(Kept::Unchanged),
    };
    let is_nothing =
        interview.replies().is_empty() && file.text.is_none() && ending == Ending::Left && open.is_empty();
    let is_same = file.text.as_deref() == Some(text.as_str());
    if !is_same && !is_nothing {
        file.write(&text).map_err(|failure| rescue(&file.path, &text, failure))?;
    }
    if is_same && ending == Ending::Accepted {
        return Ok(Kept::Same);
    }
    let errors = interview.judged().findings.iter().filter(|finding| is_in_the_way(finding)).count();
    Ok(if is_nothing { Kept::Unchanged } else { Kept::Written { open, errors } })
}

/// Keeps a text under another name where the sheet cannot be written, so that nobody has to reply a second time.
fn rescue(sheet: &Path, text: &str, failure: Failure) -> Failure {
    let stem = sheet.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let names = (1..100).map(|number| sheet.with_file_name(format!("{stem}.draft-{number}.toml")));
    let in_other_folder = std::env::temp_dir().join(format!("{stem}.draft-{}.toml", std::process::id()));
    let kept = names.chain([in_other_folder]).find(|path| write_new(path, text).is_ok());
    match kept {
        Some(path) => Failure::Files(format!("{failure}; what you replied is kept in {}", path.display())),
        None => failure,
    }
}
