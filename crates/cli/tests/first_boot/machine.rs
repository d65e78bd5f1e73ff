//! A host that boots in a virtual machine under software emulation: kernel modules, udev, time services, disks.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use crate::base::text;
use crate::container::{answers, show_if_panicking};
use crate::network::Network;
use crate::shell::{run, wait_until};

/// A network card: what its cable is plugged into, and its address.
pub(crate) struct Card {
    pub(crate) bridge: &'static str,
    pub(crate) mac: &'static str,
}

/// A machine that runs.
pub(crate) struct Machine {
    child: Child,
    pub(crate) network: Network,
    console: PathBuf,
}

/// Bytes at which the partition of the root filesystem begins, behind a small one that machines start from.
const ROOT_START: u64 = 64 * 1024 * 1024;

/// The version of the kernel that was installed for this.
fn kernel() -> String {
    let mut versions: Vec<String> = fs::read_dir("/boot")
        .unwrap()
        .filter_map(|entry| entry.unwrap().file_name().into_string().ok())
        .filter_map(|name| Some(name.strip_prefix("vmlinuz-")?.to_owned()))
        .filter(|version| version.contains("cloud"))
        .collect();
    versions.sort();
    versions.pop().expect("Debian's package linux-image-cloud-amd64 is installed")
}

/// Makes the image of a disk as a card has it: a partition table, a small FAT partition, and the root filesystem behind it.
pub(crate) fn disk_image(rootfs: &Path, image: &Path) {
    let version = kernel();
    let modules = rootfs.join("usr/lib/modules");
    fs::create_dir_all(&modules).unwrap();
    run("cp", &["-a", &format!("/lib/modules/{version}"), &text(&modules)]);
    run("depmod", &["-b", &text(rootfs), &version]);
    // A boot partition is there where the root filesystem has a folder for it.
    let boot = if rootfs.join("boot/firmware").is_dir() {
        "/dev/vda1 /boot/firmware vfat defaults 0 2\n"
    } else {
        ""
    };
    fs::write(rootfs.join("etc/fstab"), format!("/dev/vda2 / ext4 defaults 0 1\n{boot}")).unwrap();
    let size = 1600 * 1024 * 1024;
    fs::File::create(image).unwrap().set_len(size).unwrap();
    let table = format!(
        "label: dos\nstart=2048, size={}, type=c\nstart={}, type=83\n",
        ROOT_START / 512 - 2048,
        ROOT_START / 512
    );
    let (code, _, stderr) = crate::shell::ask("sfdisk", &["-q", &text(image)], &table);
    assert_eq!(code, 0, "{stderr}");
    let blocks = ((size - ROOT_START) / 4096).to_string();
    let offset = format!("offset={ROOT_START}");
    run(
        "mke2fs",
        &["-q", "-F", "-t", "ext4", "-b", "4096", "-E", &offset, "-d", &text(rootfs), &text(image), &blocks],
    );
}

/// Gives the image of a disk a boot partition with these files in it.
pub(crate) fn with_boot_files(image: &Path, files: &[(&str, &str)]) {
    let fat = boot_partition(image);
    run("mformat", &["-i", &fat, "-T", &(ROOT_START / 512 - 2048).to_string(), "::"]);
    for (name, content) in files {
        let file = image.with_file_name(name);
        fs::write(&file, content).unwrap();
        run("mcopy", &["-i", &fat, &text(&file), &format!("::{name}")]);
    }
}

/// A file of the boot partition of the image of a disk.
pub(crate) fn boot_file(image: &Path, name: &str) -> String {
    run("mtype", &["-i", &boot_partition(image), &format!("::{name}")])
}

/// The boot partition of an image, as mtools call it.
fn boot_partition(image: &Path) -> String {
    format!("{}@@{}", text(image), 2048 * 512)
}

impl Machine {
    /// Boots the image of a disk in a network, with a volume in the drive and more words for the kernel.
    pub(crate) fn boot(
        network: Network,
        image: &Path,
        volume: &Path,
        words: &str,
        cards: &[Card],
        ssh: &str,
    ) -> Self {
        let version = kernel();
        let console = image.with_extension("console");
        let mut command = Command::new("nsenter");
        command
            .arg(format!("--net=/run/netns/{}", network.name))
            .args([
                "qemu-system-x86_64",
                "-accel",
                "tcg,thread=multi",
                "-cpu",
                "max",
                "-smp",
                "2",
                "-m",
                "1024",
            ])
            .args(["-nodefaults", "-nographic", "-no-reboot", "-serial", "stdio"])
            .args([
                "-kernel",
                &format!("/boot/vmlinuz-{version}"),
                "-initrd",
                &format!("/boot/initrd.img-{version}"),
            ])
            .args([
                "-append",
                &format!("console=ttyS0 root=/dev/vda2 rw panic=-1 no_timer_check quiet {words}"),
            ])
            .args(["-drive", &format!("file={},if=virtio,format=raw,cache=unsafe", text(image))])
            .args(["-drive", &format!("file={},if=virtio,format=raw,readonly=on", text(volume))]);
        for (number, card) in cards.iter().enumerate() {
            let tap = format!("tap{number}");
            network.ip(&format!("tuntap add {tap} mode tap"));
            network.ip(&format!("link set {tap} master {} up", card.bridge));
            command
                .args(["-netdev", &format!("tap,id=n{number},ifname={tap},script=no,downscript=no")])
                .args(["-device", &format!("virtio-net-pci,netdev=n{number},mac={},romfile=", card.mac)]);
        }
        let output = fs::File::create(&console).unwrap();
        let child =
            command.stdin(Stdio::null()).stdout(output.try_clone().unwrap()).stderr(output).spawn().unwrap();
        let machine = Self { child, network, console };
        wait_until(
            &format!("SSH of the machine ({})", machine.console.display()),
            Duration::from_mins(7),
            || answers(&machine.network, ssh),
        );
        machine
    }
}

impl Drop for Machine {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
        show_if_panicking(&self.console);
    }
}
