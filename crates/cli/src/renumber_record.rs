//! What a `renumber` is about to do, kept beside the sheet while its files are renamed: a run that is interrupted is finished by
//! the next.

use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};

use impostazione_core::output::digest;
use impostazione_text::files::plain;
use serde::{Deserialize, Serialize};

use crate::edited_files::EditedFile;
use crate::exit::Failure;
use crate::terminal;

/// A record, and where it lies.
#[derive(Debug)]
pub(crate) struct RenumberRecord {
    path: PathBuf,
    pub(crate) content: RecordContent,
}

/// What stands in a record.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct RecordContent {
    /// The subnet that moves.
    pub(crate) subnet: String,
    /// Its new prefix.
    pub(crate) prefix: String,
    files: Vec<RecordedFile>,
}

/// A file that is replaced.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordedFile {
    path: PathBuf,
    /// The file that lies ready to take its place.
    ready: PathBuf,
    /// SHA-256 of what it holds before.
    before: String,
    /// SHA-256 of what it holds after.
    after: String,
}

/// What is still to be done with a file.
enum State {
    Replaced,
    Ready,
    Unknown,
}

impl RecordedFile {
    /// Whether it is as this program records a file: both lie in one folder, by names that belong together, and are files and no
    /// links. A record may be a stranger's, who has sent a folder with a sheet.
    fn is_sound(&self) -> bool {
        let name = self.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let ready = self.ready.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let is_file = |path: &Path| fs::symlink_metadata(path).is_ok_and(|found| found.is_file());
        let is_gone = |path: &Path| fs::symlink_metadata(path).is_err();
        self.path.is_absolute()
            && self.path.parent() == self.ready.parent()
            && ready.starts_with(&format!(".{name}."))
            && self.ready.extension().is_some_and(|end| end == "new")
            && is_file(&self.path)
            && (is_file(&self.ready) || is_gone(&self.ready))
    }

    fn state(&self) -> State {
        let holds = |path: &Path, wanted: &str| fs::read(path).is_ok_and(|bytes| digest(&bytes) == wanted);
        if holds(&self.path, &self.after) {
            State::Replaced
        } else if holds(&self.path, &self.before) && holds(&self.ready, &self.after) {
            State::Ready
        } else {
            State::Unknown
        }
    }
}

/// Where the record of a sheet lies.
fn path_beside(sheet: &Path) -> PathBuf {
    let sheet = fs::canonicalize(sheet).unwrap_or_else(|_| sheet.to_owned());
    let name = sheet.file_name().unwrap_or_default().to_string_lossy().into_owned();
    sheet.with_file_name(format!(".{name}.renumber"))
}

impl RenumberRecord {
    /// The record that an interrupted run left beside a sheet.
    pub(crate) fn beside(sheet: &Path) -> Result<Option<Self>, Failure> {
        let path = path_beside(sheet);
        let bytes = match fs::read(&path) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            Err(error) => {
                return Err(Failure::Files(format!("{} cannot be read: {}", path.display(), plain(&error))));
            }
        };
        let content: Option<RecordContent> = serde_json::from_slice(&bytes).ok();
        let is_sound = |content: &RecordContent| content.files.iter().all(RecordedFile::is_sound);
        match content.filter(is_sound) {
            Some(content) => Ok(Some(Self { path, content })),
            None => Err(Failure::Files(format!(
                "{} was not written here by this version; compare the sheet with an earlier one, and remove this file",
                path.display()
            ))),
        }
    }

    /// What finishes a run that was interrupted, where one left a record.
    fn command_beside(sheet: &Path) -> Option<String> {
        let content = Self::beside(sheet).ok()??.content;
        Some(format!("impostazione renumber {} {} {}", sheet.display(), content.subnet, content.prefix))
    }

    /// Replaces files: all are laid ready, then it is recorded what is about to happen, and then they are renamed in turn.
    pub(crate) fn carry_out(
        sheet: &Path,
        subnet: &str,
        prefix: String,
        files: &[EditedFile],
    ) -> Result<(), Failure> {
        let ready = files.iter().map(EditedFile::lay_ready).collect::<Result<Vec<_>, _>>()?;
        let mut kept = Vec::with_capacity(ready.len());
        let mut recorded = Vec::with_capacity(ready.len());
        for one in ready {
            let digests = (fs::read(&one.target), fs::read(one.file.path()));
            let (Ok(before), Ok(after)) = digests else {
                return Err(Failure::Files(format!(
                    "{} cannot be read; nothing was changed",
                    one.target.display()
                )));
            };
            recorded.push(RecordedFile {
                path: one.target,
                ready: one.file.path().to_owned(),
                before: digest(&before),
                after: digest(&after),
            });
            kept.push(one.file);
        }
        let path = path_beside(sheet);
        let record =
            Self { path, content: RecordContent { subnet: subnet.to_owned(), prefix, files: recorded } };
        record.write().map_err(|error| {
            let path = record.path.display();
            Failure::Files(format!("{path} cannot be written: {}; nothing was changed", plain(&error)))
        })?;
        // From here on they must outlive this run.
        for file in kept {
            let path = file.path().to_owned();
            file.keep().map_err(|error| {
                Failure::Files(format!("{} cannot be kept: {}", path.display(), plain(&error.error)))
            })?;
        }
        record.finish().map(|_| ())
    }

    fn write(&self) -> std::io::Result<()> {
        let folder = self.path.parent().unwrap_or_else(|| Path::new("/"));
        let mut file = tempfile::NamedTempFile::new_in(folder)?;
        serde_json::to_writer_pretty(&mut file, &self.content)?;
        file.write_all(b"\n")?;
        file.as_file().sync_all()?;
        // Another run, if there is one, keeps its own.
        file.persist_noclobber(&self.path).map_err(|error| error.error)?;
        Ok(())
    }

    /// Renames what is not renamed yet, and says how many files that were.
    pub(crate) fn finish(self) -> Result<usize, Failure> {
        let unknown = self.content.files.iter().find(|file| matches!(file.state(), State::Unknown));
        if let Some(file) = unknown {
            return Err(Failure::Files(format!(
                "{} was changed since the renumbering was interrupted; what it was to become is in {}: put that right by \
                 hand, and remove {}",
                file.path.display(),
                file.ready.display(),
                self.path.display()
            )));
        }
        let mut done = 0;
        let all = self.content.files.len();
        for file in &self.content.files {
            match file.state() {
                State::Ready => {
                    fs::rename(&file.ready, &file.path).map_err(|error| {
                        Failure::Files(format!(
                            "{} cannot be replaced: {}; {} of {all} files are changed: run the same command again to finish",
                            file.path.display(),
                            plain(&error),
                            all - self.not_replaced()
                        ))
                    })?;
                    done += 1;
                }
                State::Replaced | State::Unknown => {
                    // What lies ready is not needed any more.
                    let _ = fs::remove_file(&file.ready);
                }
            }
        }
        fs::remove_file(&self.path).map_err(|error| {
            let path = self.path.display();
            Failure::Files(format!("all files are changed, but {path} cannot be removed: {}", plain(&error)))
        })?;
        Ok(done)
    }

    fn not_replaced(&self) -> usize {
        self.content.files.iter().filter(|file| !matches!(file.state(), State::Replaced)).count()
    }
}

/// Says that an earlier run was interrupted, where one was.
pub(crate) fn tell_of_interrupted(sheet: &Path) {
    if let Some(command) = RenumberRecord::command_beside(sheet) {
        terminal::say_warning(&format!(
            "a renumbering of {} was interrupted, so that some of its files are changed and others are not; finish it: {command}",
            sheet.display()
        ));
    }
}
