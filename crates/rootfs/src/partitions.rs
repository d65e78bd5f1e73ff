//! The partitions of an image, and what is on each.

use std::fmt;
use std::fs::File;
use std::io::{self, Read as _, Seek as _, SeekFrom};

use impostazione_text::ByteSize;

use super::mbr;

/// Bytes of a sector in a partition table, but for disks of larger ones, which say so.
pub(super) const SECTOR: u64 = 512;
/// Most entries of a GPT that are read. The specification wants room for 128 and sets no end, and a table may claim any number.
const ENTRY_LIMIT: u32 = 1024;

/// A partition of an image.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Partition {
    /// Its number, from 1; 0 for an image that is one filesystem and has no table.
    pub number: u32,
    /// Its first byte in the image.
    pub start: u64,
    /// Its size in bytes.
    pub size: u64,
    /// The filesystem on it.
    pub filesystem: Filesystem,
}

/// A filesystem, by what its first bytes say.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Filesystem {
    /// ext2, ext3 or ext4.
    Ext4,
    /// FAT, from which machines start.
    Fat,
    /// Something else.
    Other,
    /// It ends beyond the end of the file, which was cut off.
    CutOff,
}

impl fmt::Display for Partition {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let size = ByteSize(self.size);
        match self.filesystem {
            Filesystem::Ext4 => write!(f, "ext4 of {size}"),
            Filesystem::Fat => write!(f, "FAT of {size}"),
            Filesystem::Other => write!(f, "something else of {size}"),
            Filesystem::CutOff => {
                write!(f, "one of {size} that ends beyond the end of the file, which was interrupted")
            }
        }
    }
}

/// The partitions of an image: by a GPT, by an MBR, or the whole of it where it is one filesystem.
pub(super) fn partitions(file: &mut File, length: u64) -> io::Result<Vec<Partition>> {
    if filesystem(file, 0)? == Filesystem::Ext4 {
        return Ok(vec![Partition { number: 0, start: 0, size: length, filesystem: Filesystem::Ext4 }]);
    }
    let mut found = Vec::new();
    let mut add = |file: &mut File, number: u32, start: u64, size: u64| -> io::Result<()> {
        if size > 0 {
            let is_whole = start.checked_add(size).is_some_and(|end| end <= length);
            let filesystem = if is_whole { filesystem(file, start)? } else { Filesystem::CutOff };
            found.push(Partition { number, start, size, filesystem });
        }
        Ok(())
    };
    refuse_endless_table(file, length)?;
    file.seek(SeekFrom::Start(0))?;
    if let Ok(table) = gptman::GPT::find_from(file) {
        for (number, partition) in table.iter().filter(|(_, partition)| partition.is_used()) {
            let sectors = partition.ending_lba.saturating_sub(partition.starting_lba).saturating_add(1);
            let start = partition.starting_lba.saturating_mul(table.sector_size);
            add(file, number, start, sectors.saturating_mul(table.sector_size))?;
        }
        return Ok(found);
    }
    for mbr::Entry { number, start, sectors } in mbr::entries(file, length)? {
        add(file, number, start.saturating_mul(SECTOR), sectors.saturating_mul(SECTOR))?;
    }
    Ok(found)
}

/// Refuses a GPT that claims more entries than anybody has: room would be made for them before they are read. Its header is
/// in the second sector, of either size, or in the last (UEFI specification, 5.3.2).
fn refuse_endless_table(file: &mut File, length: u64) -> io::Result<()> {
    const ENTRIES: usize = 80;
    let last = |sector: u64| (length / sector).saturating_sub(1) * sector;
    for start in [SECTOR, 8 * SECTOR, last(SECTOR), last(8 * SECTOR)] {
        let mut header = [0; ENTRIES + 4];
        file.seek(SeekFrom::Start(start))?;
        match file.read_exact(&mut header) {
            Ok(()) => {}
            Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => continue,
            Err(error) => return Err(error),
        }
        let [.., a, b, c, d] = header;
        if header.starts_with(b"EFI PART") && u32::from_le_bytes([a, b, c, d]) > ENTRY_LIMIT {
            let reason = format!("its partition table claims more than {ENTRY_LIMIT} entries");
            return Err(io::Error::new(io::ErrorKind::InvalidData, reason));
        }
    }
    Ok(())
}

/// Where ext4 has its mark (Linux, `Documentation/filesystems/ext4/super.rst`).
const EXT4_MARK: (u64, [u8; 2]) = (0x438, [0x53, 0xef]);

/// The filesystem that begins at a byte of an image.
fn filesystem(file: &mut File, start: u64) -> io::Result<Filesystem> {
    let mut mark = |at: u64, wanted: &[u8]| -> io::Result<bool> {
        let mut bytes = vec![0; wanted.len()];
        file.seek(SeekFrom::Start(start.saturating_add(at)))?;
        match file.read_exact(&mut bytes) {
            Ok(()) => Ok(bytes == wanted),
            Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => Ok(false),
            Err(error) => Err(error),
        }
    };
    Ok(if mark(EXT4_MARK.0, &EXT4_MARK.1)? {
        Filesystem::Ext4
    } else if mark(54, b"FAT")? || mark(82, b"FAT32")? {
        Filesystem::Fat
    } else {
        Filesystem::Other
    })
}

#[cfg(test)]
mod tests {
    use std::fs::File;
    use std::io::Write as _;
    use std::os::unix::fs::FileExt as _;

    use proptest::prelude::*;

    use super::Filesystem;
    use super::{SECTOR, partitions};

    const SIZE: u64 = 4 * 1024 * 1024;

    fn image() -> File {
        let file = tempfile::tempfile().unwrap();
        file.set_len(SIZE).unwrap();
        file
    }

    /// An image with a GPT of one partition, which holds ext4 by its mark.
    fn with_gpt() -> File {
        let mut file = image();
        let mut table = gptman::GPT::new_from(&mut file, SECTOR, [7; 16]).unwrap();
        let (first, last) = (table.header.first_usable_lba, table.header.last_usable_lba);
        table[1] = gptman::GPTPartitionEntry {
            partition_type_guid: [5; 16],
            unique_partition_guid: [6; 16],
            starting_lba: first,
            ending_lba: last,
            attribute_bits: 0,
            partition_name: "quay".into(),
        };
        table.write_into(&mut file).unwrap();
        file.write_all_at(&[0x53, 0xef], first * SECTOR + 0x438).unwrap();
        file
    }

    #[test]
    fn a_partition_is_found_by_its_table_and_known_by_its_mark() {
        let found = partitions(&mut with_gpt(), SIZE).unwrap();
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].number, found[0].filesystem), (1, Filesystem::Ext4));
        assert_eq!(partitions(&mut image(), SIZE).unwrap(), [], "an empty image has none");
        // As much of the image as a copy that was cut off has.
        let cut_off = partitions(&mut with_gpt(), SIZE / 2).unwrap();
        assert_eq!(cut_off[0].filesystem, Filesystem::CutOff);
    }

    #[test]
    fn a_table_that_claims_no_end_of_entries_is_refused() {
        let mut file = with_gpt();
        let mut header = gptman::GPT::read_from(&mut file, SECTOR).unwrap().header;
        header.number_of_partition_entries = u32::MAX;
        header.crc32_checksum = header.generate_crc32_checksum();
        let mut bytes = vec![0; 92];
        file.read_exact_at(&mut bytes, SECTOR).unwrap();
        bytes[80..84].copy_from_slice(&u32::MAX.to_le_bytes());
        bytes[16..20].copy_from_slice(&header.crc32_checksum.to_le_bytes());
        file.write_all_at(&bytes, SECTOR).unwrap();
        let said = partitions(&mut file, SIZE).unwrap_err().to_string();
        assert_eq!(said, "its partition table claims more than 1024 entries");
    }

    /// A partition within an extended one, whose sectors add up to more than there are numbers for.
    #[test]
    fn a_table_that_leads_out_of_the_image_leads_to_nothing() {
        let mut file = image();
        let entry = |kind: u8, start: u32, sectors: u32| {
            let mut entry = vec![0, 0, 0, 0, kind, 0, 0, 0];
            entry.extend(start.to_le_bytes());
            entry.extend(sectors.to_le_bytes());
            entry
        };
        let sector = |entries: &[Vec<u8>]| {
            let mut sector = vec![0; 446];
            sector.extend(entries.concat());
            sector.resize(510, 0);
            sector.extend([0x55, 0xaa]);
            sector
        };
        file.write_all(&sector(&[entry(0x05, 16, 4000), entry(0x83, u32::MAX, u32::MAX)])).unwrap();
        file.write_all_at(&sector(&[entry(0x83, u32::MAX, 8), entry(0x05, u32::MAX, 8)]), 16 * SECTOR)
            .unwrap();
        let found = partitions(&mut file, SIZE).unwrap_or_default();
        assert!(found.iter().all(|partition| partition.filesystem == Filesystem::CutOff), "{found:?}");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn a_damaged_table_is_refused_or_read_within_the_image(
            changes in proptest::collection::vec((0_u64..2048, any::<u8>()), 1..24),
        ) {
            let mut file = with_gpt();
            for (at, byte) in changes {
                file.write_all_at(&[byte], at).unwrap();
            }
            for partition in partitions(&mut file, SIZE).unwrap_or_default() {
                let is_within = partition.start.checked_add(partition.size).is_some_and(|end| end <= SIZE);
                prop_assert_eq!(is_within, partition.filesystem != Filesystem::CutOff);
            }
        }
    }
}
