//! Files of a sheet whose texts are changed: each is laid ready beside its place, and then they are renamed in turn.

use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};

use impostazione_text::files::plain;
use tempfile::NamedTempFile;

use crate::exit::Failure;

/// The byte order mark that editors may put before UTF-8 text. It does not belong to the text.
const MARK: &[u8] = b"\xef\xbb\xbf";

/// A file, the text that was judged, and the one that takes its place.
pub(crate) struct EditedFile {
    pub(crate) path: PathBuf,
    pub(crate) judged: String,
    pub(crate) text: String,
}

/// A file that lies ready beside the one whose place it takes. Where it is dropped, it is removed.
#[derive(Debug)]
pub(crate) struct ReadyFile {
    /// The file that it replaces: where a link leads, if the path is one.
    pub(crate) target: PathBuf,
    pub(crate) file: NamedTempFile,
}

impl EditedFile {
    fn refused(&self, doing: &str, error: &std::io::Error) -> Failure {
        let path = self.path.display();
        Failure::Files(format!("{path} cannot be {doing}: {}; nothing was changed", plain(error)))
    }

    /// Lays the new text ready, with the modes of the old file, if that still is what was judged.
    pub(crate) fn lay_ready(&self) -> Result<ReadyFile, Failure> {
        let target = fs::canonicalize(&self.path).map_err(|error| self.refused("found", &error))?;
        let folder = target.parent().unwrap_or_else(|| Path::new("/"));
        let before = fs::metadata(&target).map_err(|error| self.refused("read", &error))?;
        let path = self.path.display();
        if before.permissions().readonly() {
            return Err(Failure::Files(format!("{path} is read-only; nothing was changed")));
        }
        let bytes = fs::read(&target).map_err(|error| self.refused("read", &error))?;
        // Somebody may have gone on writing while the question stood.
        if bytes.strip_prefix(MARK).unwrap_or(&bytes) != self.judged.as_bytes() {
            return Err(Failure::Files(format!(
                "{path} was changed in the meantime; nothing was written: check it again"
            )));
        }
        let mark: &[u8] = if bytes.starts_with(MARK) { MARK } else { b"" };
        let name = target.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let laid = (|| {
            let mut builder = tempfile::Builder::new();
            let mut file = builder.prefix(&format!(".{name}.")).suffix(".new").tempfile_in(folder)?;
            file.write_all(mark)?;
            file.write_all(self.text.as_bytes())?;
            file.as_file().set_permissions(before.permissions())?;
            file.as_file().sync_all()?;
            Ok(file)
        })();
        let file = laid.map_err(|error| self.refused("written", &error))?;
        Ok(ReadyFile { target, file })
    }
}

/// Puts the new texts in the place of the old ones. Nothing is changed before all lie ready.
pub(crate) fn replace_all(files: &[EditedFile]) -> Result<(), Failure> {
    let ready = files.iter().map(EditedFile::lay_ready).collect::<Result<Vec<_>, _>>()?;
    for (done, ReadyFile { target, file }) in ready.into_iter().enumerate() {
        file.persist(&target).map_err(|error| {
            let path = target.display();
            let so_far = match done {
                0 => "nothing was changed".to_owned(),
                1 => "1 file before it was".to_owned(),
                more => format!("{more} files before it were"),
            };
            Failure::Files(format!("{path} cannot be written: {}; {so_far}", plain(&error.error)))
        })?;
    }
    Ok(())
}
