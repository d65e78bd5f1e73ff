//! Partition tables of the older kind: four entries in the first sector of a disk, and, in an extended partition, a chain of
//! tables with one entry each (UEFI specification 2.10, section 5.2.1; Linux, `block/partitions/msdos.c`).
//!
//! Whatever a table says, reading it ends: a chain that leads back or out of the file is followed no further.

use std::fs::File;
use std::io::{self, Read as _, Seek as _, SeekFrom};

use super::partitions::SECTOR;

/// Kinds of partitions that hold a chain of further ones.
const EXTENDED: [u8; 3] = [0x05, 0x0f, 0x85];
/// Where the entries stand, and how long each is.
const FIRST_ENTRY: usize = 446;
const ENTRY: usize = 16;
/// What a table ends with.
const MARK: [u8; 2] = [0x55, 0xaa];
/// How many partitions of a chain are followed: the kernel numbers no more.
const CHAIN_LIMIT: u32 = 255;

/// A partition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Entry {
    /// From 1; those of a chain from 5.
    pub(super) number: u32,
    /// Its first sector.
    pub(super) start: u64,
    /// How many it has.
    pub(super) sectors: u64,
}

/// The partitions of a file of that many bytes; none where it has no such table.
pub(super) fn entries(file: &mut File, length: u64) -> io::Result<Vec<Entry>> {
    let Some(table) = table_at(file, 0, length)? else { return Ok(Vec::new()) };
    let mut found = Vec::new();
    let mut chain = None;
    for (number, raw) in (1..).zip(table) {
        if raw.sectors == 0 || raw.kind == 0 {
            continue;
        }
        if EXTENDED.contains(&raw.kind) {
            // At the first sector is the table itself.
            chain = chain.or((raw.start > 0).then_some(raw.start));
        } else {
            found.push(Entry { number, start: raw.start, sectors: raw.sectors });
        }
    }
    let Some(first) = chain else { return Ok(found) };
    let mut at = first;
    for number in 5..5 + CHAIN_LIMIT {
        let Some([own, next, ..]) = table_at(file, at, length)? else { break };
        if own.sectors > 0 && own.kind != 0 && !EXTENDED.contains(&own.kind) {
            found.push(Entry { number, start: at.saturating_add(own.start), sectors: own.sectors });
        }
        // Each table lies behind the one before.
        let further = first.saturating_add(next.start);
        if next.sectors == 0 || next.start == 0 || further <= at {
            break;
        }
        at = further;
    }
    Ok(found)
}

#[derive(Clone, Copy, Default)]
struct Raw {
    kind: u8,
    start: u64,
    sectors: u64,
}

/// The table in a sector; nothing where none is, or where the sector is beyond the end.
fn table_at(file: &mut File, sector: u64, length: u64) -> io::Result<Option<[Raw; 4]>> {
    let at = sector.saturating_mul(SECTOR);
    let mut bytes = [0; 512];
    if at.saturating_add(SECTOR) > length {
        return Ok(None);
    }
    file.seek(SeekFrom::Start(at))?;
    match file.read_exact(&mut bytes) {
        Ok(()) => {}
        Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => return Ok(None),
        Err(error) => return Err(error),
    }
    if !bytes.ends_with(&MARK) {
        return Ok(None);
    }
    let mut table = [Raw::default(); 4];
    let entries = bytes.get(FIRST_ENTRY..).unwrap_or_default().chunks_exact(ENTRY);
    for (raw, entry) in table.iter_mut().zip(entries) {
        if let [_, _, _, _, kind, _, _, _, a, b, c, d, e, f, g, h] = *entry {
            *raw = Raw {
                kind,
                start: u32::from_le_bytes([a, b, c, d]).into(),
                sectors: u32::from_le_bytes([e, f, g, h]).into(),
            };
        }
    }
    Ok(Some(table))
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::FileExt as _;

    use super::*;

    /// A table: its sector, and of each entry kind, first sector and length.
    type Table<'a> = (u64, &'a [(u8, u32, u32)]);

    fn disk(tables: &[Table<'_>]) -> (File, u64) {
        let file = tempfile::tempfile().unwrap();
        let length = 4096 * SECTOR;
        file.set_len(length).unwrap();
        for (sector, entries) in tables {
            for (index, (kind, start, sectors)) in entries.iter().enumerate() {
                let mut entry = [0; ENTRY];
                entry[4] = *kind;
                entry[8..12].copy_from_slice(&start.to_le_bytes());
                entry[12..].copy_from_slice(&sectors.to_le_bytes());
                let at = sector * SECTOR + (FIRST_ENTRY + index * ENTRY) as u64;
                file.write_all_at(&entry, at).unwrap();
            }
            file.write_all_at(&MARK, sector * SECTOR + 510).unwrap();
        }
        (file, length)
    }

    fn found(tables: &[Table<'_>]) -> Vec<(u32, u64, u64)> {
        let (mut file, length) = disk(tables);
        entries(&mut file, length)
            .unwrap()
            .iter()
            .map(|entry| (entry.number, entry.start, entry.sectors))
            .collect()
    }

    #[test]
    fn partitions_of_the_table_and_of_its_chain() {
        assert_eq!(
            found(&[
                (0, &[(0x0c, 8, 100), (0, 0, 0), (0x05, 1000, 2000), (0x83, 200, 300)]),
                (1000, &[(0x83, 8, 50), (0x05, 500, 100)]),
                (1500, &[(0x83, 8, 60)]),
            ]),
            [(1, 8, 100), (4, 200, 300), (5, 1008, 50), (6, 1508, 60)]
        );
        assert_eq!(found(&[]), []);
    }

    #[test]
    fn whatever_a_table_says_reading_it_ends() {
        // A partition at sector 0, chains that lead to themselves, back, and out of the file.
        assert_eq!(found(&[(0, &[(0x83, 0, u32::MAX)])]), [(1, 0, u64::from(u32::MAX))]);
        assert_eq!(found(&[(0, &[(0x05, 0, 10)])]), []);
        assert_eq!(found(&[(0, &[(0x05, 100, 10)]), (100, &[(0x83, 1, 1), (0x05, 0, 10)])]), [(5, 101, 1)]);
        let looping: &[Table<'_>] = &[
            (0, &[(0x05, 100, 10)]),
            (100, &[(0x83, 1, 1), (0x05, 50, 10)]),
            (150, &[(0x83, 1, 1), (0x05, 20, 10)]),
        ];
        assert_eq!(found(looping), [(5, 101, 1), (6, 151, 1)]);
        assert_eq!(found(&[(0, &[(0x05, u32::MAX, u32::MAX)])]), []);
    }
}
