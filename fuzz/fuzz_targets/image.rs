//! Any bytes as the first sectors of a disk's image: its partitions are told without a panic, and each lies where it says.
#![no_main]

use std::fs;

use impostazione_rootfs::RootfsImage;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let folder = tempfile::tempdir_in("/dev/shm").expect("a folder");
    let path = folder.path().join("disk.img");
    fs::write(&path, bytes).expect("written");
    let file = fs::File::options().write(true).open(&path).expect("opened");
    // What a table points at may be there, as zeros.
    file.set_len((bytes.len() as u64).max(4 * 1024 * 1024)).expect("room");
    let Ok(image) = RootfsImage::open(&path) else { return };
    for partition in image.partitions() {
        let _ = partition.to_string();
        assert!(partition.size > 0);
    }
    assert!(image.partitions().len() < 2048);
});
