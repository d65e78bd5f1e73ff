//! The members of an OVA archive (DSP0243 2.1.1, section 5.4: a ustar archive).

use std::collections::HashMap;
use std::io::Read;

use impostazione_text::files::{OpenedFile, plain};

/// Most members that are listed.
const MEMBER_LIMIT: usize = 10_000;

/// Longest name, and largest record of extended attributes, that is read.
const NAME_LIMIT: u64 = 4096;
const RECORD_LIMIT: u64 = 64 * 1024;

const BLOCK: u64 = 512;

/// What is in an archive.
#[derive(Debug, Default)]
pub(super) struct Listing {
    /// Files that may be used.
    pub(super) members: Vec<ArchiveMember>,
    /// Members that must not be unpacked, and why.
    pub(super) unsafe_members: Vec<(String, &'static str)>,
}

/// A file in an archive.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct ArchiveMember {
    /// Its name as the archive has it.
    stored_name: String,
    /// The same without parts that lead nowhere.
    pub(super) name: String,
    /// Where its content begins, in bytes from the start of the archive.
    pub(super) offset: u64,
    pub(super) size: u64,
}

/// Lists an archive without reading what its files hold.
pub(super) fn list(opened: OpenedFile) -> Result<Listing, String> {
    let length = opened.length;
    let mut archive = tar::Archive::new(opened.content);
    let entries = archive.entries_with_seek().map_err(|error| plain(&error))?.raw(true);
    let mut listing = Listing::default();
    let (mut long_name, mut long_size) = (None, None);
    for (count, entry) in entries.enumerate() {
        let mut entry = entry.map_err(|error| fault_of(&error, count))?;
        if count >= MEMBER_LIMIT {
            return Err(format!("it has more than {MEMBER_LIMIT} members"));
        }
        let header = entry.header().clone();
        let kind = header.entry_type();
        let own_size = header.entry_size().map_err(|error| plain(&error))?;
        let offset = entry.raw_file_position();
        if kind.is_gnu_longname() || kind.is_pax_local_extensions() {
            let limit = if kind.is_gnu_longname() { NAME_LIMIT } else { RECORD_LIMIT };
            if own_size > limit {
                return Err("a member has a name longer than 4096 bytes".to_owned());
            }
            let mut record = Vec::new();
            entry.read_to_end(&mut record).map_err(|error| plain(&error))?;
            if kind.is_gnu_longname() {
                let end = record.iter().position(|byte| *byte == 0).unwrap_or(record.len());
                long_name = Some(String::from_utf8_lossy(&record[..end]).into_owned());
            } else {
                let (name, size) = extended(&record);
                long_name = name.or(long_name.take());
                long_size = size;
            }
            continue;
        }
        if kind.is_pax_global_extensions() {
            if own_size > RECORD_LIMIT {
                return Err("it has a record for all its members that is larger than 64 KiB".to_owned());
            }
            let mut record = Vec::new();
            entry.read_to_end(&mut record).map_err(|error| plain(&error))?;
            if extended(&record) != (None, None) {
                return Err("it has a record that gives all its members one name or one size".to_owned());
            }
            continue;
        }
        let name =
            long_name.take().unwrap_or_else(|| String::from_utf8_lossy(&header.path_bytes()).into_owned());
        let size = long_size.take().unwrap_or(own_size);
        if size != own_size {
            return Err(format!("{name} has one size in its header and another in its record"));
        }
        // The folder that was packed, where somebody packed `.`, is no member.
        if kind.is_dir() && !name.starts_with('/') && plain_name(&name).is_empty() {
            continue;
        }
        match unsafe_member(&name, kind) {
            Some(why) => listing.unsafe_members.push((name, why)),
            None if plain_name(&name).is_empty() => listing.unsafe_members.push((name, "it has no name")),
            None if offset.checked_add(size).is_none_or(|end| end > length) => {
                return Err(format!(
                    "it ends in the middle of {name}: that file should have {size} bytes, and {} are there; it was \
                        truncated when it was copied, so download it again",
                    length.saturating_sub(offset)
                ));
            }
            None => listing.members.push(ArchiveMember {
                name: plain_name(&name),
                stored_name: name,
                offset,
                size,
            }),
        }
    }
    refuse_ambiguous(&listing)?;
    if listing.members.is_empty() && listing.unsafe_members.is_empty() {
        return Err("it is an archive without a file".to_owned());
    }
    Ok(listing)
}

/// Refuses an archive in which one name is that of two members, or which holds several manifests or certificates: programs
/// that unpack it take now the first and now the last, and what was looked at would not be what is used.
fn refuse_ambiguous(listing: &Listing) -> Result<(), String> {
    let mut seen: HashMap<String, &str> = HashMap::new();
    let mut of_kind: HashMap<String, &str> = HashMap::new();
    let names = listing.members.iter().map(|member| member.stored_name.as_str());
    for name in names.chain(listing.unsafe_members.iter().map(|(name, _)| name.as_str())) {
        let same = plain_name(name);
        let is_beside = is_beside_another(name);
        let end = same.rsplit_once('.').map(|(_, end)| end.to_ascii_lowercase()).unwrap_or_default();
        if let Some(other) = seen.insert(same, name) {
            let both = if other == name {
                format!("named {name}")
            } else {
                format!("of one name, {other} and {name}")
            };
            return Err(format!(
                "the archive holds two files {both}; which one counts depends on the program that unpacks it"
            ));
        }
        let what = match end.as_str() {
            "mf" if !is_beside => "manifests",
            "cert" if !is_beside => "certificates",
            _ => continue,
        };
        if let Some(other) = of_kind.insert(end, name) {
            return Err(format!("the archive holds several {what}, {other} and {name}"));
        }
    }
    Ok(())
}

fn fault_of(error: &std::io::Error, count: usize) -> String {
    let text = error.to_string();
    if count == 0 {
        "it is neither a descriptor nor a tar archive".to_owned()
    } else if text.contains("checksum") {
        format!("it is damaged: the header of member {} has a wrong checksum", count + 1)
    } else {
        format!("it is damaged at member {}: {}", count + 1, plain(error))
    }
}

/// Path and size of an extended header (POSIX.1-2017, pax, section "pax Extended Header").
fn extended(record: &[u8]) -> (Option<String>, Option<u64>) {
    let (mut name, mut size) = (None, None);
    for pair in tar::PaxExtensions::new(record).flatten() {
        match (pair.key(), pair.value()) {
            (Ok("path"), Ok(value)) => name = Some(value.to_owned()),
            (Ok("size"), Ok(value)) => size = value.parse().ok(),
            _ => {}
        }
    }
    (name, size)
}

/// A name without the parts that lead nowhere: `./disk.vmdk` is `disk.vmdk`.
pub(super) fn plain_name(name: &str) -> String {
    name.split('/').filter(|part| !matches!(*part, "" | ".")).collect::<Vec<_>>().join("/")
}

/// Whether a file holds what a system keeps of another file beside it, as in `._harbor.ovf` of an archive that was packed on
/// macOS (`AppleDouble`, RFC 1740, appendix A), and is not one of the package.
pub(super) fn is_beside_another(name: &str) -> bool {
    name.rsplit('/').next().is_some_and(|name| name.starts_with("._"))
}

fn unsafe_member(name: &str, kind: tar::EntryType) -> Option<&'static str> {
    if kind.is_symlink() || kind.is_hard_link() {
        return Some("it is a link, which may lead anywhere");
    }
    if kind.is_dir() {
        return Some("it is a folder, and a package has none");
    }
    if !kind.is_file() && !kind.is_contiguous() {
        return Some("it is neither a file nor a folder");
    }
    unsafe_name(name)
}

/// Why a name must not be followed, if it must not: it may lead out of the package.
pub(super) fn unsafe_name(name: &str) -> Option<&'static str> {
    let is_scheme = |scheme: &str| scheme.len() > 1 && scheme.chars().all(|c| c.is_ascii_alphanumeric());
    if name.is_empty() {
        Some("it has no name")
    } else if name.starts_with('/') || name.contains('\\') {
        Some("its path is absolute")
    } else if name.split('/').any(|part| part == "..") {
        Some("its path leads out of the package with ..")
    } else if name.split_once("://").is_some_and(|(scheme, _)| is_scheme(scheme)) {
        Some("it is a URL, and nothing is downloaded")
    } else if name.chars().any(char::is_control) {
        Some("its name has control characters")
    } else {
        None
    }
}

/// Bytes of padding behind a member of this size.
pub(super) fn padding(size: u64) -> u64 {
    (BLOCK - size % BLOCK) % BLOCK
}
