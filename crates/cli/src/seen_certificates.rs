//! The file of certificates beside a sheet.

use std::io::Write as _;
use std::path::{Path, PathBuf};

use impostazione_core::network::{SEEN_CERTIFICATES_LIMIT, SeenCertificates};
use impostazione_text::files::{ReadFault, plain, read_file};

use crate::exit::Failure;

/// The file of a sheet: `harbor.certificates.toml` beside `harbor.toml`.
pub(crate) fn certificates_path(sheet: &Path) -> PathBuf {
    sheet.with_extension("certificates.toml")
}

/// Reads it; where there is none, nothing has been remembered.
pub(crate) fn read_certificates(path: &Path) -> Result<SeenCertificates, Failure> {
    let name = path.display();
    let bytes = match read_file(path, SEEN_CERTIFICATES_LIMIT) {
        Ok(bytes) => bytes,
        Err(ReadFault::Missing) => return Ok(SeenCertificates::default()),
        Err(fault) => return Err(Failure::Files(format!("{name} cannot be used: {fault}"))),
    };
    let text = String::from_utf8(bytes).map_err(|_| Failure::Files(format!("{name} is not UTF-8 text")))?;
    SeenCertificates::parse(&text).map_err(|fault| Failure::Files(format!("{name} {fault}")))
}

/// Writes it, whole or not at all, so that others can read it as they can the sheet.
pub(crate) fn write_certificates(path: &Path, seen: &SeenCertificates) -> Result<(), Failure> {
    use std::os::unix::fs::PermissionsExt as _;

    let failed = |error: &std::io::Error| {
        Failure::Files(format!("{} cannot be written: {}", path.display(), plain(error)))
    };
    // A link leads to the file that is meant.
    let target = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf());
    let folder = target.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new()
        .permissions(std::fs::Permissions::from_mode(0o644))
        .tempfile_in(folder)
        .map_err(|error| failed(&error))?;
    file.write_all(seen.to_text().as_bytes()).map_err(|error| failed(&error))?;
    file.as_file().sync_all().map_err(|error| failed(&error))?;
    file.persist(&target).map_err(|error| failed(&error.error))?;
    Ok(())
}
