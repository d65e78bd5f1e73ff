//! The boot partition of an image: a FAT filesystem, which is read and written here and not by the kernel, since not every
//! kernel knows FAT, and nothing is to be mounted.
//!
//! A file that is there is changed in place: its content is written over the old, and only then is the rest cut off. Nobody
//! but the firmware reads it, after the image is on a card.

use std::fs::File;
use std::io::{self, Read as _, Seek, SeekFrom, Write as _};

use super::folder::{Found, Kind, RootfsFault};
use super::state::State;
use super::survey::boot::KERNEL_LINE;
use crate::output::digest;
use crate::secret::FileBytes;

/// The kernel takes no longer command line than a few kilobytes.
const FILE_LIMIT: u64 = 64 * 1024;
/// As the kernel shows what lies on FAT, which knows neither owners nor modes (Linux, `Documentation/filesystems/vfat.rst`).
const MODE: u32 = 0o755;
/// Reads and writes that one look-up may take: a damaged list of clusters may lead in a circle.
const STEP_LIMIT: u32 = 1_000_000;

/// A boot partition, by where it is seen on the booted host.
#[derive(Debug)]
pub(super) struct BootPartition {
    image: File,
    start: u64,
    size: u64,
    mount_point: String,
}

impl BootPartition {
    /// The partition that lies there in an image, if the kernel reads its command line from it.
    pub(super) fn find(image: &File, start: u64, size: u64) -> io::Result<Option<Self>> {
        let found = Self { image: image.try_clone()?, start, size, mount_point: String::new() };
        Ok(found.read_bytes(KERNEL_LINE)?.map(|_| found))
    }

    /// The same, seen at a path of the booted host.
    #[must_use]
    pub(super) fn at(mut self, mount_point: String) -> Self {
        self.mount_point = mount_point;
        self
    }

    /// The name on it that a path of the booted host leads to; nothing for paths elsewhere.
    pub(super) fn name_of<'p>(&self, path: &'p str) -> Option<&'p str> {
        path.strip_prefix(&self.mount_point)?.strip_prefix('/')
    }

    /// Reads a file; nothing where there is none.
    pub(super) fn read(&self, path: &str, name: &str) -> Result<Option<FileBytes>, RootfsFault> {
        let bytes = self.read_bytes(name).map_err(refused("read", path))?;
        match bytes {
            Some(bytes) if bytes.len() as u64 > FILE_LIMIT => {
                Err(RootfsFault::TooLarge { path: path.to_owned(), size: bytes.len() as u64 })
            }
            bytes => Ok(bytes.map(FileBytes::new)),
        }
    }

    fn read_bytes(&self, name: &str) -> io::Result<Option<Vec<u8>>> {
        self.with_file(name, |file, _| {
            let mut bytes = Vec::new();
            file.take(FILE_LIMIT + 1).read_to_end(&mut bytes)?;
            Ok(bytes)
        })
    }

    /// What stands under a name.
    pub(super) fn look(&self, path: &str, name: &str) -> Result<Option<Found>, RootfsFault> {
        Ok(self.read(path, name)?.map(|bytes| Found {
            kind: Kind::File,
            mode: MODE,
            uid: 0,
            gid: 0,
            size: bytes.len() as u64,
            modified: (0, 0),
            accessed: (0, 0),
        }))
    }

    /// The state of what stands under a name.
    pub(super) fn state(&self, path: &str, name: &str) -> Result<State, RootfsFault> {
        Ok(self.read(path, name)?.map_or(State::Absent, |bytes| State::File {
            mode: MODE,
            uid: 0,
            gid: 0,
            size: bytes.len() as u64,
            sha256: digest(&bytes),
        }))
    }

    /// Writes the content of a file that is there; its time stays.
    pub(super) fn write(&self, path: &str, name: &str, bytes: &[u8]) -> Result<(), RootfsFault> {
        let written = self.with_file(name, |mut file, modified| {
            file.write_all(bytes)?;
            file.truncate()?;
            #[allow(
                deprecated,
                reason = "what is advised in its place would need the time before the file is opened"
            )]
            file.set_modified(modified);
            file.flush()
        });
        match written.and_then(|written| self.image.sync_all().map(|()| written)) {
            Ok(Some(())) => Ok(()),
            Ok(None) => Err(RootfsFault::Unreachable(
                path.to_owned(),
                "files are changed on a boot partition, and none is added to it",
            )),
            Err(error) => Err(refused("written", path)(error)),
        }
    }

    /// Does something with a file; nothing where there is none.
    fn with_file<T>(
        &self,
        name: &str,
        action: impl FnOnce(fatfs::File<'_, Window>, fatfs::DateTime) -> io::Result<T>,
    ) -> io::Result<Option<T>> {
        let window = Window {
            file: self.image.try_clone()?,
            start: self.start,
            size: self.size,
            position: 0,
            steps_left: STEP_LIMIT,
        };
        let fat = fatfs::FileSystem::new(window, fatfs::FsOptions::new())?;
        let mut result = None;
        for entry in fat.root_dir().iter() {
            let entry = entry?;
            if entry.is_file() && entry.file_name().eq_ignore_ascii_case(name) {
                result = Some(action(entry.to_file(), entry.modified())?);
                break;
            }
        }
        fat.unmount()?;
        Ok(result)
    }
}

fn refused(doing: &'static str, path: &str) -> impl FnOnce(io::Error) -> RootfsFault {
    move |source| RootfsFault::Refused { doing, path: path.to_owned(), source }
}

/// A part of a file.
struct Window {
    file: File,
    start: u64,
    size: u64,
    position: u64,
    steps_left: u32,
}

impl Window {
    /// Goes to its position, and tells how much of a length lies within it.
    fn step(&mut self, length: usize) -> io::Result<usize> {
        self.steps_left = self
            .steps_left
            .checked_sub(1)
            .ok_or_else(|| io::Error::new(io::ErrorKind::InvalidData, "its lists lead in a circle"))?;
        let left = self.size.saturating_sub(self.position);
        self.file.seek(SeekFrom::Start(self.start.saturating_add(self.position)))?;
        Ok(usize::try_from(left).unwrap_or(usize::MAX).min(length))
    }
}

impl io::Read for Window {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let most = self.step(buffer.len())?;
        let count = self.file.read(buffer.get_mut(..most).unwrap_or_default())?;
        self.position += count as u64;
        Ok(count)
    }
}

impl io::Write for Window {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let most = self.step(bytes.len())?;
        let count = self.file.write(bytes.get(..most).unwrap_or_default())?;
        self.position += count as u64;
        Ok(count)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Seek for Window {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let position = match to {
            SeekFrom::Start(position) => Some(position),
            SeekFrom::Current(by) => self.position.checked_add_signed(by),
            SeekFrom::End(by) => self.size.checked_add_signed(by),
        };
        self.position = position.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.position)
    }
}

#[cfg(test)]
mod tests {
    use std::fs::File;
    use std::io::{Seek as _, SeekFrom, Write as _};
    use std::os::unix::fs::FileExt as _;

    use fatfs::{FatType, FileSystem, FormatVolumeOptions, FsOptions};
    use proptest::prelude::*;

    use super::{BootPartition, Window};

    const SIZE: u64 = 4 * 1024 * 1024;
    /// Bytes before the partition.
    const START: u64 = 1024;
    const LINE: &str = "console=tty1 systemd.run=/boot/setup.sh quiet\n";

    fn window(file: &File) -> Window {
        Window {
            file: file.try_clone().unwrap(),
            start: START,
            size: SIZE,
            position: 0,
            steps_left: u32::MAX,
        }
    }

    /// An image with a boot partition of a kind, which holds one file.
    fn image(kind: FatType) -> File {
        let file = tempfile::tempfile().unwrap();
        file.set_len(START + SIZE + 1024).unwrap();
        let options = FormatVolumeOptions::new().fat_type(kind).bytes_per_cluster(512);
        fatfs::format_volume(window(&file), options).unwrap();
        let fat = FileSystem::new(window(&file), FsOptions::new()).unwrap();
        fat.root_dir().create_file("config.txt").unwrap().write_all(b"arm_64bit=1\n").unwrap();
        fat.root_dir().create_file("cmdline.txt").unwrap().write_all(LINE.as_bytes()).unwrap();
        fat.unmount().unwrap();
        file
    }

    fn bytes_of(file: &File) -> Vec<u8> {
        let mut bytes = vec![0; usize::try_from(START + SIZE + 1024).unwrap()];
        file.read_exact_at(&mut bytes, 0).unwrap();
        bytes
    }

    #[test]
    fn a_file_is_changed_and_nothing_outside_its_partition() {
        for kind in [FatType::Fat12, FatType::Fat16] {
            let file = image(kind);
            let before = bytes_of(&file);
            let boot =
                BootPartition::find(&file, START, SIZE).unwrap().unwrap().at("boot/firmware".to_owned());
            let path = "boot/firmware/cmdline.txt";
            let name = boot.name_of(path).unwrap();
            for text in ["console=tty1 quiet\n".to_owned(), "word ".repeat(900), LINE.to_owned()] {
                boot.write(path, name, text.as_bytes()).unwrap();
                assert_eq!(&*boot.read(path, "CMDLINE.TXT").unwrap().unwrap(), text.as_bytes(), "{kind:?}");
            }
            assert_eq!(boot.read(path, "config.txt").unwrap().unwrap().len(), 12);
            boot.write(path, name, b"console=tty1 quiet\n").unwrap();
            boot.write(path, name, LINE.as_bytes()).unwrap();
            let after = bytes_of(&file);
            let end = usize::try_from(START + SIZE).unwrap();
            assert_eq!(after[..1024], before[..1024], "what lies before it is not touched");
            assert_eq!(after[end..], before[end..], "nor what lies behind");
            assert!(boot.write("boot/firmware/other.txt", "other.txt", b"x").is_err(), "no file is added");
            assert_eq!(boot.name_of("boot/other"), None);
            assert_eq!(boot.name_of("boot/firmwares/cmdline.txt"), None);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn a_damaged_partition_is_refused_or_read_and_nothing_panics(
            is_small: bool,
            changes in proptest::collection::vec((0_usize..40_000, any::<u8>()), 1..12),
            head in proptest::collection::vec((0_usize..64, any::<u8>()), 0..3),
        ) {
            let mut file = image(if is_small { FatType::Fat12 } else { FatType::Fat16 });
            for (at, byte) in changes.into_iter().chain(head) {
                file.seek(SeekFrom::Start(START + at as u64)).unwrap();
                file.write_all(&[byte]).unwrap();
            }
            let before = bytes_of(&file);
            if let Ok(Some(boot)) = BootPartition::find(&file, START, SIZE) {
                let _ = boot.write("boot/cmdline.txt", "cmdline.txt", b"quiet\n");
                let after = bytes_of(&file);
                prop_assert!(after[..1024] == before[..1024]);
                prop_assert!(after[usize::try_from(START + SIZE).unwrap()..] == before[usize::try_from(START + SIZE).unwrap()..]);
            }
        }
    }
}
