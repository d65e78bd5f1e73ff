//! ISO 9660 volumes that hold one file: the ISO transport of settings (DSP0243 2.1.1, section 11.2).
//!
//! The volume has a second set of descriptors for Joliet, so that the file is found under its own name; by ISO 9660 alone
//! it is `OVF_ENV.XML;1`. It carries no dates: the same file gives the same bytes.

/// Bytes of a sector (ECMA-119, section 6.1.2).
const SECTOR: usize = 2048;

/// Volume label.
const LABEL: &str = "OVF_ENV";

/// Sectors before the volume descriptors (ECMA-119, section 6.2.1).
const SYSTEM_AREA: u32 = 16;
const PRIMARY: u32 = SYSTEM_AREA;
const PATHS_LITTLE: u32 = PRIMARY + 3;
const PATHS_BIG: u32 = PRIMARY + 4;
const JOLIET_PATHS_LITTLE: u32 = PRIMARY + 5;
const JOLIET_PATHS_BIG: u32 = PRIMARY + 6;
const ROOT: u32 = PRIMARY + 7;
const JOLIET_ROOT: u32 = PRIMARY + 8;
const FILE: u32 = PRIMARY + 9;

/// How names are written.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Names {
    /// Capital letters, digits and underscores.
    Plain,
    /// UCS-2 in big-endian order (Joliet, level 3).
    Joliet,
}

/// A volume that holds `ovf-env.xml` with this content. Its size is limited by the file's, far below 4 GiB.
pub fn settings_volume(environment: &[u8]) -> Vec<u8> {
    let size = u32::try_from(environment.len()).unwrap_or(u32::MAX);
    let file_sectors = size.div_ceil(2048).max(1);
    let total = FILE + file_sectors;
    let mut volume = vec![0; SYSTEM_AREA as usize * SECTOR];
    volume.extend(volume_descriptor(Names::Plain, total));
    volume.extend(volume_descriptor(Names::Joliet, total));
    volume.extend(terminator());
    for (root, is_little) in [(ROOT, true), (ROOT, false), (JOLIET_ROOT, true), (JOLIET_ROOT, false)] {
        volume.extend(path_table(root, is_little));
    }
    volume.extend(directory(Names::Plain, size));
    volume.extend(directory(Names::Joliet, size));
    volume.extend(environment);
    volume.resize(total as usize * SECTOR, 0);
    volume
}

/// A number in both orders (ECMA-119, section 7.3.3).
fn both32(number: u32) -> [u8; 8] {
    let mut bytes = [0; 8];
    bytes[..4].copy_from_slice(&number.to_le_bytes());
    bytes[4..].copy_from_slice(&number.to_be_bytes());
    bytes
}

/// The same, of two bytes (section 7.2.3).
fn both16(number: u16) -> [u8; 4] {
    let mut bytes = [0; 4];
    bytes[..2].copy_from_slice(&number.to_le_bytes());
    bytes[2..].copy_from_slice(&number.to_be_bytes());
    bytes
}

/// A text filled up with blanks.
fn filled(text: &str, length: usize, names: Names) -> Vec<u8> {
    let mut bytes: Vec<u8> = match names {
        Names::Plain => text.bytes().collect(),
        Names::Joliet => text.encode_utf16().flat_map(u16::to_be_bytes).collect(),
    };
    while bytes.len() < length {
        match names {
            Names::Joliet if length - bytes.len() >= 2 => bytes.extend([0, b' ']),
            Names::Joliet => bytes.push(0),
            Names::Plain => bytes.push(b' '),
        }
    }
    bytes.truncate(length);
    bytes
}

/// Primary (ECMA-119, section 8.4) and supplementary (section 8.5) volume descriptor.
fn volume_descriptor(names: Names, total: u32) -> Vec<u8> {
    let is_joliet = names == Names::Joliet;
    let (little, big, root) = if is_joliet {
        (JOLIET_PATHS_LITTLE, JOLIET_PATHS_BIG, JOLIET_ROOT)
    } else {
        (PATHS_LITTLE, PATHS_BIG, ROOT)
    };
    let mut bytes = Vec::with_capacity(SECTOR);
    bytes.push(if is_joliet { 2 } else { 1 });
    bytes.extend(b"CD001\x01\0");
    bytes.extend(filled("", 32, names));
    bytes.extend(filled(LABEL, 32, names));
    bytes.extend([0; 8]);
    bytes.extend(both32(total));
    // The escape sequence of Joliet, level 3, or nothing.
    let mut escape = [0; 32];
    if is_joliet {
        escape[..3].copy_from_slice(b"%/E");
    }
    bytes.extend(escape);
    bytes.extend(both16(1));
    bytes.extend(both16(1));
    bytes.extend(both16(2048));
    bytes.extend(both32(10));
    bytes.extend(little.to_le_bytes());
    bytes.extend([0; 4]);
    bytes.extend(big.to_be_bytes());
    bytes.extend([0; 4]);
    bytes.extend(record(&[0], root, 2048, true));
    for length in [128, 128, 128, 128, 37, 37, 37] {
        bytes.extend(filled("", length, names));
    }
    for _ in 0..4 {
        // No date (section 8.4.26.1).
        bytes.extend([b'0'; 16]);
        bytes.push(0);
    }
    bytes.push(1);
    bytes.resize(SECTOR, 0);
    bytes
}

/// Volume descriptor set terminator (section 8.3).
fn terminator() -> Vec<u8> {
    let mut bytes = b"\xffCD001\x01".to_vec();
    bytes.resize(SECTOR, 0);
    bytes
}

/// Path table with the root alone (section 9.4).
fn path_table(root: u32, is_little: bool) -> Vec<u8> {
    let mut bytes = vec![1, 0];
    if is_little {
        bytes.extend(root.to_le_bytes());
        bytes.extend(1u16.to_le_bytes());
    } else {
        bytes.extend(root.to_be_bytes());
        bytes.extend(1u16.to_be_bytes());
    }
    bytes.extend([0, 0]);
    bytes.resize(SECTOR, 0);
    bytes
}

/// Directory record (section 9.1), without a date.
fn record(name: &[u8], extent: u32, size: u32, is_folder: bool) -> Vec<u8> {
    let mut bytes = vec![0, 0];
    bytes.extend(both32(extent));
    bytes.extend(both32(size));
    bytes.extend([0; 7]);
    bytes.push(if is_folder { 2 } else { 0 });
    bytes.extend([0, 0]);
    bytes.extend(both16(1));
    bytes.push(u8::try_from(name.len()).unwrap_or(u8::MAX));
    bytes.extend(name);
    if bytes.len() % 2 == 1 {
        bytes.push(0);
    }
    bytes[0] = u8::try_from(bytes.len()).unwrap_or(u8::MAX);
    bytes
}

/// The root directory: itself, its parent, which it is too, and the file.
fn directory(names: Names, file_size: u32) -> Vec<u8> {
    let (root, name) = match names {
        Names::Plain => (ROOT, b"OVF_ENV.XML;1".to_vec()),
        Names::Joliet => (JOLIET_ROOT, "ovf-env.xml;1".encode_utf16().flat_map(u16::to_be_bytes).collect()),
    };
    let mut bytes = record(&[0], root, 2048, true);
    bytes.extend(record(&[1], root, 2048, true));
    bytes.extend(record(&name, FILE, file_size, false));
    bytes.resize(SECTOR, 0);
    bytes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_volume_is_made_of_whole_sectors_and_holds_the_file() {
        for size in [0, 1, 2047, 2048, 2049, 70_000] {
            let content = vec![b'x'; size];
            let volume = settings_volume(&content);
            assert_eq!(volume.len() % SECTOR, 0);
            assert_eq!(&volume[FILE as usize * SECTOR..][..size], content);
            assert_eq!(&volume[PRIMARY as usize * SECTOR + 1..][..5], b"CD001");
            let total = u32::from_le_bytes(volume[PRIMARY as usize * SECTOR + 80..][..4].try_into().unwrap());
            assert_eq!(total as usize * SECTOR, volume.len());
        }
    }
}
