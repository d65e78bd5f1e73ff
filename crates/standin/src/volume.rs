//! Reading a file from an ISO 9660 volume, by its Joliet name.

/// Bytes of a sector.
const SECTOR: usize = 2048;

/// First sector of the volume descriptors.
const DESCRIPTORS: usize = 16;

/// Why a file cannot be read from a volume.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum VolumeFault {
    /// It is no volume, or it ends too early.
    #[error("it is not an ISO 9660 volume, or is truncated")]
    NotAVolume,
    /// It has no Joliet names.
    #[error("it has no Joliet names")]
    NoJoliet,
    /// The file is not in its root.
    #[error("{0} is not in its root")]
    NotThere(String),
}

/// The content of a file in the root of a volume.
pub fn file_in_volume(volume: &[u8], name: &str) -> Result<Vec<u8>, VolumeFault> {
    let descriptor = joliet_descriptor(volume)?;
    let (extent, length) = extent_of(descriptor.get(156..190).ok_or(VolumeFault::NotAVolume)?)?;
    let mut directory = part(volume, extent * SECTOR, length)?;
    while let Some((&size, _)) = directory.split_first() {
        let size = usize::from(size);
        if size == 0 {
            break;
        }
        let record = directory.get(..size).ok_or(VolumeFault::NotAVolume)?;
        if name_of(record).as_deref() == Some(name) {
            let (extent, length) = extent_of(record)?;
            return part(volume, extent * SECTOR, length).map(<[u8]>::to_vec);
        }
        directory = directory.get(size..).unwrap_or_default();
    }
    Err(VolumeFault::NotThere(name.to_owned()))
}

/// The supplementary descriptor whose escape sequence is one of Joliet's.
fn joliet_descriptor(volume: &[u8]) -> Result<&[u8], VolumeFault> {
    for sector in DESCRIPTORS..DESCRIPTORS + 32 {
        let descriptor = part(volume, sector * SECTOR, SECTOR)?;
        if descriptor.get(1..6) != Some(b"CD001") {
            return Err(VolumeFault::NotAVolume);
        }
        match descriptor.first() {
            Some(255) => break,
            Some(2) if matches!(descriptor.get(88..91), Some(b"%/@" | b"%/C" | b"%/E")) => {
                return Ok(descriptor);
            }
            _ => {}
        }
    }
    Err(VolumeFault::NoJoliet)
}

fn part(volume: &[u8], start: usize, length: usize) -> Result<&[u8], VolumeFault> {
    let end = start.checked_add(length).ok_or(VolumeFault::NotAVolume)?;
    volume.get(start..end).ok_or(VolumeFault::NotAVolume)
}

/// Where a directory record's file begins, in sectors, and its length. Both orders of the numbers must agree.
fn extent_of(record: &[u8]) -> Result<(usize, usize), VolumeFault> {
    let number = |at: usize| {
        let little = record.get(at..at + 4)?.try_into().ok().map(u32::from_le_bytes)?;
        let big = record.get(at + 4..at + 8)?.try_into().ok().map(u32::from_be_bytes)?;
        (little == big).then_some(little as usize)
    };
    number(2).zip(number(10)).ok_or(VolumeFault::NotAVolume)
}

/// A record's name in Joliet's letters, without its version.
fn name_of(record: &[u8]) -> Option<String> {
    let length = usize::from(*record.get(32)?);
    let units: Vec<u16> = record
        .get(33..33 + length)?
        .chunks_exact(2)
        .map(|pair| u16::from_be_bytes([pair[0], pair[1]]))
        .collect();
    let name = String::from_utf16(&units).ok()?;
    Some(name.split(';').next().unwrap_or_default().to_owned())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn what_is_no_volume_is_refused() {
        assert_eq!(file_in_volume(b"", "a"), Err(VolumeFault::NotAVolume));
        assert_eq!(file_in_volume(&vec![0; 60 * SECTOR], "a"), Err(VolumeFault::NotAVolume));
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(seed in proptest::collection::vec(any::<u8>(), 0..200)) {
            let mut volume = vec![0; 24 * SECTOR];
            volume[DESCRIPTORS * SECTOR..][..6].copy_from_slice(b"\x02CD001");
            volume[DESCRIPTORS * SECTOR + 88..][..3].copy_from_slice(b"%/E");
            let at = DESCRIPTORS * SECTOR + 156;
            volume[at..at + seed.len()].copy_from_slice(&seed);
            let _ = file_in_volume(&volume, "ovf-env.xml");
        }
    }
}
