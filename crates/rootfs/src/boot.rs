//! The boot partition of an image: a FAT filesystem, which is read and written here and not by the kernel, since not every
//! kernel knows FAT, and nothing is to be mounted.
//!
//! A file that is there is changed in place: its content is written over the old, and only then is the rest cut off. Nobody
//! but the firmware reads it, after the image is on a card.

use std::fs::File;
use std::io::{self, Read as _, Seek, SeekFrom, Write as _};

use impostazione_text::FileBytes;

use super::boot_list::KERNEL_LINE;
use super::digest::digest;
use super::folder::{FAT_MODE, Found, Kind, RootfsFault};
use super::state::State;

/// The kernel takes no longer command line than a few kilobytes.
const FILE_LIMIT: u64 = 64 * 1024;
/// Reads and writes that one lookup may take: a damaged list of clusters may lead in a circle.
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
            mode: FAT_MODE,
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
            mode: FAT_MODE,
            uid: 0,
            gid: 0,
            size: bytes.len() as u64,
            sha256: digest(&bytes),
            access_list: None,
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
                "files on a boot partition are only changed, never added",
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
        let mut window = Window {
            file: self.image.try_clone()?,
            start: self.start,
            size: self.size,
            position: 0,
            steps_left: STEP_LIMIT,
        };
        refuse_odd_layout(&mut window)?;
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

/// Refuses a layout that leads out of the partition: what reads it goes on reckoning with whatever is there. The places are
/// those of Microsoft's FAT specification 1.03, section 3.
fn refuse_odd_layout(window: &mut Window) -> io::Result<()> {
    let mut sector = [0; 64];
    window.rewind()?;
    window.read_exact(&mut sector)?;
    window.rewind()?;
    let number = |at: usize, bytes: usize| -> u64 {
        let bytes = sector.get(at..at + bytes).unwrap_or_default();
        bytes.iter().rev().fold(0, |sum, byte| sum << 8 | u64::from(*byte))
    };
    // The first of two places for a number; the other, for larger numbers, holds where this is 0.
    let either = |at: usize, other: usize| if number(at, 2) > 0 { number(at, 2) } else { number(other, 4) };
    let (of_sector, of_cluster) = (number(11, 2), number(13, 1));
    let (reserved, tables, entries) = (number(14, 2), number(16, 1), number(17, 2));
    let (sectors, of_table) = (either(19, 32), either(22, 36));
    let is_in_step = matches!(of_sector, 512 | 1024 | 2048 | 4096) && of_cluster.is_power_of_two();
    let before_files = reserved + tables * of_table + (entries * 32).div_ceil(of_sector.max(1));
    let is_in_place = reserved > 0 && matches!(tables, 1 | 2) && of_table > 0 && before_files < sectors;
    if is_in_step && is_in_place && sectors * of_sector <= window.size {
        Ok(())
    } else {
        Err(io::Error::new(io::ErrorKind::InvalidData, "its first sector describes no such partition"))
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
    use std::io::Write as _;
    use std::os::unix::fs::FileExt as _;

    use fatfs::{FatType, FileSystem, FormatVolumeOptions, FsOptions};
    use proptest::prelude::*;

    use super::{BootPartition, Window};

    const KINDS: [FatType; 3] = [FatType::Fat12, FatType::Fat16, FatType::Fat32];
    /// What lies before a partition, and what lies behind it.
    const AROUND: [u8; 1024] = [0xa5; 1024];
    const START: u64 = AROUND.len() as u64;
    const PATH: &str = "boot/firmware/cmdline.txt";
    const LINE: &str = "console=tty1 systemd.run=/boot/setup.sh quiet\n";

    /// The size of a partition of each kind, which goes by how many clusters there are.
    fn size_of(kind: FatType) -> u64 {
        let mebibytes = match kind {
            FatType::Fat12 => 1,
            FatType::Fat16 => 4,
            FatType::Fat32 => 40,
        };
        mebibytes * 1024 * 1024
    }

    fn window(file: &File, kind: FatType) -> Window {
        let (file, size) = (file.try_clone().unwrap(), size_of(kind));
        Window { file, start: START, size, position: 0, steps_left: u32::MAX }
    }

    /// An image with a boot partition of a kind, which holds two files.
    fn image(kind: FatType) -> File {
        let file = tempfile::tempfile().unwrap();
        file.write_all_at(&AROUND, 0).unwrap();
        file.write_all_at(&AROUND, START + size_of(kind)).unwrap();
        let options = FormatVolumeOptions::new().fat_type(kind).bytes_per_cluster(512);
        fatfs::format_volume(window(&file, kind), options).unwrap();
        let fat = FileSystem::new(window(&file, kind), FsOptions::new()).unwrap();
        assert_eq!(fat.fat_type(), kind);
        fat.root_dir().create_file("config.txt").unwrap().write_all(b"arm_64bit=1\n").unwrap();
        fat.root_dir().create_file("cmdline.txt").unwrap().write_all(LINE.as_bytes()).unwrap();
        fat.unmount().unwrap();
        file
    }

    fn is_untouched_around(file: &File, kind: FatType) -> bool {
        [0, START + size_of(kind)].into_iter().all(|at| {
            let mut bytes = [0; AROUND.len()];
            file.read_exact_at(&mut bytes, at).unwrap();
            bytes == AROUND
        })
    }

    #[test]
    fn a_file_is_changed_and_nothing_outside_its_partition() {
        for kind in KINDS {
            let file = image(kind);
            let boot = BootPartition::find(&file, START, size_of(kind)).unwrap().unwrap();
            let boot = boot.at("boot/firmware".to_owned());
            let name = boot.name_of(PATH).unwrap();
            for text in
                ["console=tty1 quiet\n".to_owned(), "word ".repeat(900), String::new(), LINE.to_owned()]
            {
                boot.write(PATH, name, text.as_bytes()).unwrap();
                assert_eq!(&*boot.read(PATH, "CMDLINE.TXT").unwrap().unwrap(), text.as_bytes(), "{kind:?}");
            }
            assert_eq!(boot.read(PATH, "config.txt").unwrap().unwrap().len(), 12);
            assert!(boot.write("boot/firmware/other.txt", "other.txt", b"x").is_err(), "no file is added");
            assert_eq!(boot.name_of("boot/other"), None);
            assert_eq!(boot.name_of("boot/firmwares/cmdline.txt"), None);
            assert!(is_untouched_around(&file, kind));
        }
    }

    /// As a placement and its undoing do it: words go, and come back.
    #[test]
    fn a_file_that_is_changed_back_leaves_the_partition_as_it_was_to_the_byte() {
        for kind in KINDS {
            let file = image(kind);
            let all = |file: &File| {
                let mut bytes = vec![0; usize::try_from(START + size_of(kind)).unwrap()];
                file.read_exact_at(&mut bytes, 0).unwrap();
                bytes
            };
            let before = all(&file);
            let boot = BootPartition::find(&file, START, size_of(kind)).unwrap().unwrap();
            boot.write(PATH, "cmdline.txt", b"console=tty1 quiet\n").unwrap();
            assert!(all(&file) != before);
            boot.write(PATH, "cmdline.txt", LINE.as_bytes()).unwrap();
            assert!(all(&file) == before, "{kind:?}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(96))]
        #[test]
        fn a_damaged_partition_is_refused_or_read_and_nothing_panics(
            kind in proptest::sample::select(KINDS.as_slice()),
            changes in proptest::collection::vec((0_u64..40_000, any::<u8>()), 1..12),
            head in proptest::collection::vec((0_u64..64, any::<u8>()), 0..3),
        ) {
            let file = image(kind);
            for (at, byte) in changes.into_iter().chain(head) {
                file.write_all_at(&[byte], START + at).unwrap();
            }
            if let Ok(Some(boot)) = BootPartition::find(&file, START, size_of(kind)) {
                let _ = boot.write(PATH, "cmdline.txt", b"quiet\n");
            }
            prop_assert!(is_untouched_around(&file, kind));
        }
    }
}
