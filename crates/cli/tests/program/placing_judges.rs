//! What the system's own programs, a full or a closed filesystem, and an image of a card say to placing. Those that mount
//! something need root for that, and take it away again.

use std::fs;
use std::path::Path;
use std::process::Command;

use crate::card::{CARD, Card, list, sheet, with_output, with_output_of};
use crate::support::{Workspace, unwrapped};

fn run(program: &str, arguments: &[&str]) -> String {
    let output =
        Command::new(program).args(arguments).output().unwrap_or_else(|error| panic!("{program}: {error}"));
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    assert!(
        output.status.success(),
        "{program} {arguments:?}: {}{}",
        text(&output.stdout),
        text(&output.stderr)
    );
    text(&output.stdout)
}

/// A filesystem mounted on the workspace's card, which is taken down when this is dropped.
struct Mount<'a>(&'a Path);

impl<'a> Mount<'a> {
    fn new(at: &'a Path, arguments: &[&str]) -> Self {
        fs::create_dir_all(at).unwrap();
        run("mount", &[arguments, &[&at.display().to_string()]].concat());
        Self(at)
    }
}

impl Drop for Mount<'_> {
    fn drop(&mut self) {
        // What other tests start meanwhile may hold a file of it open for the moment between fork and exec.
        for _ in 0..40 {
            if Command::new("umount").arg(self.0).output().unwrap().status.success() {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        run("umount", &[&self.0.display().to_string()]);
    }
}

#[test]
#[ignore = "needs pwck, grpck and sshd, which .ci/run installs"]
fn files_of_users_and_of_the_ssh_server_are_what_their_readers_take() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write(
        "etc/passwd",
        "root:x:0:0:root:/root:/bin/bash\nimage:x:1000:1000:Image:/home/image:/bin/bash",
    );
    card.write("etc/group", "root:x:0:\nsudo:x:27:image\nimage:x:1000:");
    card.write("etc/gshadow", "root:*::\nsudo:*::image\nimage:!::\n");
    card.write("etc/shadow", "root:*:19000:0:99999:7:::\nimage::19000:0:99999:7:::\n");
    fs::create_dir_all(card.top().join("home/image")).unwrap();
    fs::create_dir_all(card.top().join("root")).unwrap();
    card.write(
        "etc/ssh/sshd_config",
        "PermitRootLogin yes\nInclude /etc/ssh/sshd_config.d/*.conf\nPasswordAuthentication yes\n",
    );
    card.placed(&["--fresh-identity"]);
    let path = |path: &str| card.top().join(path).display().to_string();
    let (_, complaints) = {
        let output = Command::new("pwck").args(["-r", "-R", &path("")]).output().unwrap();
        (output.status, String::from_utf8_lossy(&output.stdout).into_owned())
    };
    assert!(!complaints.contains("keeper") && !complaints.contains("invalid"), "{complaints}");
    run("grpck", &["-r", "-R", &path("")]);
    // The server reads the drop-in at its place on the host: here, from the card.
    let main = card.read("etc/ssh/sshd_config").replace("/etc/ssh/", &path("etc/ssh/"));
    workspace.write("sshd_config", main);
    fs::create_dir_all("/run/sshd").unwrap();
    let key = path("etc/ssh/ssh_host_ed25519_key");
    let config = workspace.path().join("sshd_config").display().to_string();
    let says = run("/usr/sbin/sshd", &["-T", "-h", &key, "-f", &config]);
    for line in ["permitrootlogin no\n", "passwordauthentication no\n"] {
        assert!(says.contains(line), "{says}");
    }
}

#[test]
#[ignore = "needs sshd and root, which .ci/run has: sshd wants the folder /run/sshd"]
fn sshd_listens_on_one_port_whatever_the_image_says() {
    let with_port = sheet("").replace("name = \"gauge-01\"", "name = \"gauge-01\"\nssh = { port = 2222 }");
    let workspace = with_output_of(&with_port);
    let card = Card::new(&workspace);
    card.write(
        "etc/ssh/sshd_config",
        "Port 22\nListenAddress 0.0.0.0:2200\nInclude /etc/ssh/sshd_config.d/*.conf\nListenAddress ::\nListenAddress 0.0.0.0\n",
    );
    card.write("etc/ssh/sshd_config.d/50-image.conf", "Port=2201\nListenAddress [::]:2202\n");
    let before = card.list();
    card.placed(&["--fresh-identity"]);
    let path = |path: &str| card.top().join(path).display().to_string();
    let main = card.read("etc/ssh/sshd_config").replace("/etc/ssh/", &path("etc/ssh/"));
    workspace.write("sshd_config", main);
    fs::create_dir_all("/run/sshd").unwrap();
    let config = workspace.path().join("sshd_config").display().to_string();
    let says = run("/usr/sbin/sshd", &["-T", "-h", &path("etc/ssh/ssh_host_ed25519_key"), "-f", &config]);
    let listening =
        says.lines().filter(|line| line.starts_with("port ") || line.starts_with("listenaddress "));
    assert_eq!(
        listening.collect::<Vec<_>>(),
        ["port 2222", "listenaddress [::]:2222", "listenaddress 0.0.0.0:2222"]
    );
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.list(), before);
}

#[test]
#[ignore = "makes devices, which needs root"]
fn a_device_in_place_of_a_file_is_never_opened() {
    for (path, number) in [
        ("etc/hosts", "1 3"),
        ("etc/passwd", "1 5"),
        ("etc/netplan/60-impostazione.yaml", "1 8"),
        ("etc/localtime", "1 7"),
    ] {
        let workspace = with_output();
        let card = Card::new(&workspace);
        let _ = fs::remove_file(card.top().join(path));
        let at = card.top().join(path).display().to_string();
        let (major, minor) = number.split_once(' ').unwrap();
        run("mknod", &[&at, "c", major, minor]);
        let before = card.list();
        let placed = card.place(&["--yes"]);
        assert_eq!(placed.code, 3, "{path}");
        assert!(
            placed.stderr.contains(&format!("/{path} on the rootfs is a device, and must be a file")),
            "{}",
            placed.stderr
        );
        assert_eq!(card.list(), before);
    }
}

#[test]
#[ignore = "mounts a small filesystem, which needs root"]
fn a_full_filesystem_is_told_beforehand_and_leaves_nothing_behind() {
    let workspace = with_output();
    let at = workspace.path().join(CARD);
    let _mount = Mount::new(&at, &["-t", "tmpfs", "-o", "size=1M", "none"]);
    let card = Card::new(&workspace);
    // Room for all but a little: the rule speaks, and names both amounts.
    let room = || {
        let free = run("stat", &["-f", "-c", "%a %S", &at.display().to_string()]);
        free.split_whitespace().map(|number| number.parse::<u64>().unwrap()).product::<u64>()
    };
    card.write("filler", vec![0; usize::try_from(room() - 40 * 1024).unwrap()]);
    let before = card.list();
    let run = card.place(&["--yes"]);
    assert_eq!(run.code, 1, "{}", run.stderr);
    assert!(
        run.stderr.contains("error rootfs-no-space") && run.stderr.contains("has 40 KiB free"),
        "{}",
        run.stderr
    );
    assert_eq!(card.list(), before);
}

#[test]
#[ignore = "mounts a small filesystem, which needs root"]
fn a_filesystem_that_fills_up_meanwhile_is_as_it_was() {
    let workspace = with_output();
    let at = workspace.path().join(CARD);
    let _mount = Mount::new(&at, &["-t", "tmpfs", "-o", "size=4M,nr_inodes=400", "none"]);
    let card = Card::new(&workspace);
    let mut refused = 0;
    // Another program takes the rest while the placement is laid ready: it gets less and less.
    for number in 0..40 {
        let before = card.list();
        let filler = card.top().join("filler");
        let child =
            workspace.command(&["place", "output", "--only", "gauge-01", CARD, "--yes"]).spawn().unwrap();
        std::thread::sleep(std::time::Duration::from_millis(number));
        let _ = fs::write(&filler, vec![0; 8 * 1024 * 1024]);
        let output = child.wait_with_output().unwrap();
        let _ = fs::remove_file(&filler);
        if output.status.code() == Some(0) {
            assert_eq!(card.undo(&[]).code, 0);
        } else {
            refused += 1;
            let left = card.has("var/lib/impostazione");
            if left {
                assert_eq!(card.undo(&[]).code, 0, "what was left is cleared by the next command");
            }
        }
        let names = |list: Vec<String>| {
            list.into_iter().map(|line| line.split(' ').next().unwrap_or("").to_owned()).collect::<Vec<_>>()
        };
        assert_eq!(names(card.list()), names(before), "{number}");
    }
    assert!(refused > 0, "the filesystem was never full at the wrong moment");
}

#[test]
#[ignore = "mounts a small filesystem, which needs root"]
fn what_cannot_be_made_to_the_end_is_put_back_at_once() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    // The home's own filesystem has room for the files of a home, and not for the names of them.
    let home = card.top().join("home");
    let _mount = Mount::new(&home, &["-t", "tmpfs", "-o", "nr_inodes=2", "none"]);
    let before = card.list();
    let run = card.place(&["--yes"]);
    assert_eq!(run.code, 3, "{}", run.stderr);
    assert!(run.stderr.contains("no space left on device; the changes were undone"), "{}", run.stderr);
    assert_eq!(card.list(), before);
}

#[test]
#[ignore = "mounts a filesystem read-only, which needs root"]
fn a_closed_filesystem_is_refused() {
    let workspace = with_output();
    let at = workspace.path().join(CARD);
    let _mount = Mount::new(&at, &["-t", "tmpfs", "none"]);
    let card = Card::new(&workspace);
    run("mount", &["-o", "remount,ro", &at.display().to_string()]);
    let placed = card.place(&["--yes"]);
    assert_eq!(placed.code, 1);
    assert!(placed.stderr.contains("error rootfs-read-only"), "{}", placed.stderr);
    assert!(placed.stderr.contains("mount -o remount,rw card"), "{}", placed.stderr);
    assert!(workspace.run(&["inspect", CARD]).stdout.contains(", read-only\n"));
}

#[test]
#[ignore = "makes an ext4 filesystem with mke2fs and mounts it, which needs root"]
fn immutable_files_access_lists_and_other_filesystems_below_are_respected() {
    let workspace = with_output();
    let at = workspace.path().join(CARD);
    let image = workspace.path().join("card.ext4").display().to_string();
    fs::File::create(&image).unwrap().set_len(64 * 1024 * 1024).unwrap();
    run("mke2fs", &["-q", "-F", "-t", "ext4", &image]);
    let _mount = Mount::new(&at, &["-o", "loop", &image]);
    let card = Card::new(&workspace);
    // A home of its own filesystem, to which nothing can be renamed from elsewhere.
    let home = at.join("home");
    let _home = Mount::new(&home, &["-t", "tmpfs", "none"]);
    card.write("home/keeper/.ssh/authorized_keys", "ssh-ed25519 AAAA somebody\n");
    let path = |path: &str| at.join(path).display().to_string();
    run("setfattr", &["-n", "user.harbor", "-v", "quay", &path("etc/hosts")]);
    run("chattr", &["+i", &path("etc/hosts")]);
    let before = card.list();
    let placed = card.place(&["--yes"]);
    assert_eq!(placed.code, 3);
    assert!(
        placed.stderr.contains("/etc/hosts on the rootfs has the attribute immutable")
            && placed.stderr.contains("`chattr -i`"),
        "{}",
        placed.stderr
    );
    assert_eq!(card.list(), before);
    run("chattr", &["-i", &path("etc/hosts")]);
    card.placed(&[]);
    assert!(
        run("getfattr", &["--absolute-names", "-n", "user.harbor", &path("etc/hosts")]).contains("\"quay\""),
        "what was beside mode and owner is kept"
    );
    assert!(card.read("home/keeper/.ssh/authorized_keys").contains("keeper@capovetro.example"));
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.list(), before);
    assert!(
        run("getfattr", &["--absolute-names", "-n", "user.harbor", &path("etc/hosts")]).contains("\"quay\"")
    );
}

#[test]
#[ignore = "needs setpriv of util-linux and root, to act as somebody who is not root"]
fn somebody_who_is_not_root_places_on_a_folder_of_their_own_and_is_told_what_stays_theirs() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let top = workspace.path().display().to_string();
    run("chown", &["-R", "65534:65534", &top]);
    let before = card.list();
    let as_nobody = |arguments: &[&str]| {
        let program = workspace.command(&[]).get_program().to_owned();
        let output = Command::new("setpriv")
            .args(["--reuid", "65534", "--regid", "65534", "--clear-groups", "--"])
            .arg(program)
            .args(arguments)
            .current_dir(workspace.path())
            .output()
            .unwrap();
        (output.status.code(), String::from_utf8_lossy(&output.stderr).into_owned())
    };
    let place = ["-v", "place", "output", "--only", "gauge-01", CARD, "--yes"];
    let (code, stderr) = as_nobody(&place);
    assert_eq!(code, Some(0), "{stderr}");
    let told = "more are owned by you instead of their real owners, because only root can change owners";
    assert!(stderr.contains(told), "{stderr}");
    assert!(stderr.contains("belongs to you: /etc/netplan/60-impostazione.yaml\n"), "{stderr}");
    assert_eq!(as_nobody(&place), (Some(0), String::new()), "a second time changes nothing");
    assert_eq!(as_nobody(&["undo", CARD, "--yes"]).0, Some(0));
    assert_eq!(card.list(), before);
    let image = image_of(&workspace, &card, "dos");
    run("chown", &["65534:65534", &image]);
    let (code, stderr) = as_nobody(&["place", "output", "--only", "gauge-01", &image, "--yes"]);
    assert_eq!(code, Some(3), "{stderr}");
    assert!(stderr.contains("must be mounted, which only root can do"), "{stderr}");
}

/// The image of a card: a FAT partition, and the root filesystem behind it.
fn image_of(workspace: &Workspace, card: &Card<'_>, label: &str) -> String {
    let image = workspace.path().join(format!("{label}.img")).display().to_string();
    fs::File::create(&image).unwrap().set_len(128 * 1024 * 1024).unwrap();
    let kind = if label == "gpt" { "L" } else { "83" };
    let table = format!("label: {label}\nstart=2048, size=65536\nstart=67584, size=180000, type={kind}\n");
    let mut child =
        Command::new("sfdisk").args(["-q", &image]).stdin(std::process::Stdio::piped()).spawn().unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), table.as_bytes()).unwrap();
    assert!(child.wait().unwrap().success());
    let offset = format!("offset={}", 67584 * 512);
    run(
        "mke2fs",
        &[
            "-q",
            "-F",
            "-t",
            "ext4",
            "-b",
            "4096",
            "-E",
            &offset,
            "-d",
            &card.top().display().to_string(),
            &image,
            "22500",
        ],
    );
    image
}

/// The loop devices of an image that are left when the kernel has had a moment to take down those that are done with.
fn devices_of(image: &str) -> Vec<String> {
    let mut left = Vec::new();
    for _ in 0..20 {
        let shown = run("losetup", &["--list", "--noheadings", "--output", "NAME", "--associated", image]);
        left = shown.lines().map(str::to_owned).collect();
        if left.is_empty() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    left
}

/// What is on the root filesystem of an image, mounted read-only for the purpose.
fn list_of_image(workspace: &Workspace, image: &str) -> Vec<String> {
    let at = workspace.path().join("look");
    let options = format!("loop,ro,offset={},sizelimit={}", 67584 * 512, 180_000 * 512);
    let _mount = Mount::new(&at, &["-o", &options, image]);
    list(&at)
}

#[test]
#[ignore = "makes images with sfdisk and mke2fs and mounts them, which needs root"]
fn an_image_of_a_card_is_placed_on_and_let_go_of() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    for label in ["dos", "gpt"] {
        let image = image_of(&workspace, &card, label);
        let before = list_of_image(&workspace, &image);
        let place = |more: &[&str]| {
            workspace.run(&[&["place", "output", "--only", "gauge-01", &image, "--yes"], more].concat())
        };
        let placed = place(&[]);
        assert_eq!(placed.code, 0, "{label}: {}", placed.stderr);
        assert!(placed.stdout.contains(&format!("undo {image}")), "{}", placed.stdout);
        let is_there = |lines: &[String]| {
            lines.iter().any(|line| line.starts_with("etc/netplan/60-impostazione.yaml 100600 0:0 "))
        };
        assert!(is_there(&list_of_image(&workspace, &image)), "{label}");
        // A refusal lets go of it too.
        assert_eq!(workspace.run(&["place", "output", "--only", "gauge-02", &image, "--yes"]).code, 1);
        let undone = workspace.run(&["undo", &image, "--yes"]);
        assert_eq!(undone.code, 0, "{}", undone.stderr);
        assert_eq!(list_of_image(&workspace, &image), before, "{label}");
        assert!(devices_of(&image).is_empty(), "{label}: no loop device is left");
        assert!(!run("cat", &["/proc/mounts"]).contains(&image), "{label}");
        assert!(!run("e2fsck", &["-fn", &format!("{image}?offset={}", 67584 * 512)]).contains("WARNING"));
    }
}

#[test]
#[ignore = "makes images with sfdisk and mke2fs and mounts them, which needs root"]
fn an_image_lets_go_when_the_program_is_killed() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let image = image_of(&workspace, &card, "dos");
    let before = list_of_image(&workspace, &image);
    for time in 0..20 {
        let mut child = workspace
            .command(&["place", "output", "--only", "gauge-01", &image, "--yes"])
            .stdout(std::process::Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(10 + time * 4));
        let _ = child.kill();
        child.wait().unwrap();
        assert!(!run("cat", &["/proc/mounts"]).contains(&image));
        let undone = workspace.run(&["undo", &image, "--yes"]);
        assert!(undone.code == 0 || undone.stderr.contains("no placement"), "{}", undone.stderr);
    }
    let names = |list: Vec<String>| {
        list.into_iter().map(|line| line.split(' ').next().unwrap_or("").to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(names(list_of_image(&workspace, &image)), names(before));
    assert!(devices_of(&image).is_empty(), "not one of them has left its device");
}

/// Gives an image a boot partition whose command line for the kernel has systemd run a program.
fn with_boot_partition(workspace: &Workspace, image: &str) {
    let fat = format!("{image}@@{BOOT_START}");
    run("mformat", &["-i", &fat, "-T", "65536", "::"]);
    workspace.write("cmdline.txt", KERNEL_LINE);
    run("mcopy", &["-i", &fat, &workspace.path().join("cmdline.txt").display().to_string(), "::cmdline.txt"]);
}

/// The first byte of the boot partition of an image, and its size.
const BOOT_START: usize = 2048 * 512;
const BOOT_SIZE: usize = 65536 * 512;
const KERNEL_LINE: &str =
    "console=tty1 systemd.run=/boot/setup.sh quiet systemd.unit=kernel-command-line.target\n";

fn boot_partition_of(image: &str) -> Vec<u8> {
    fs::read(image).unwrap()[BOOT_START..BOOT_START + BOOT_SIZE].to_vec()
}

#[test]
#[ignore = "makes images with sfdisk, mke2fs and mtools and mounts them, which needs root"]
fn the_boot_partition_of_an_image_is_changed_and_put_back() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write("etc/fstab", "LABEL=root / ext4 defaults 0 1\nLABEL=boot /boot/firmware vfat defaults 0 2\n");
    fs::create_dir_all(card.top().join("boot/firmware")).unwrap();
    let image = image_of(&workspace, &card, "dos");
    with_boot_partition(&workspace, &image);
    let (boot_before, before) = (boot_partition_of(&image), list_of_image(&workspace, &image));
    let place = ["place", "output", "--only", "gauge-01", &image];
    let whole = fs::read(&image).unwrap();

    let shown = workspace.run(&["inspect", &image]);
    assert!(unwrapped(&shown.stdout).contains("it makes systemd run /boot/setup.sh"), "{}", shown.stdout);
    let tried = workspace.run(&[&place[..], &["--dry-run"]].concat());
    assert_eq!(tried.code, 0, "{}", tried.stderr);
    assert!(tried.stdout.contains("boot/firmware/cmdline.txt"), "{}", tried.stdout);
    assert!(fs::read(&image).unwrap() == whole, "looking changes not a byte of an image");

    let placed = workspace.run(&[&place[..], &["--yes"]].concat());
    assert_eq!(placed.code, 0, "{}", placed.stderr);
    let fat = format!("{image}@@{BOOT_START}");
    assert_eq!(run("mtype", &["-i", &fat, "::cmdline.txt"]), "console=tty1 quiet\n");
    let compared = workspace.run(&["compare", "output", &image]);
    assert_eq!((compared.code, compared.stderr.as_str()), (0, ""), "{}", compared.stdout);
    let again = workspace.run(&[&place[..], &["--yes"]].concat());
    assert!(again.stdout.contains("is placed already"), "{}{}", again.stdout, again.stderr);

    // The root partition alone is not enough to take it back.
    let at = workspace.path().join("root-partition");
    let options = format!("loop,offset={},sizelimit={}", 67584 * 512, 180_000 * 512);
    {
        let _mount = Mount::new(&at, &["-o", &options, &image]);
        let root = at.display().to_string();
        let refused = workspace.run(&["undo", &root, "--yes"]);
        assert_eq!(refused.code, 3);
        assert!(
            refused.stderr.contains("/boot/firmware/cmdline.txt was changed by the placement, and is on another filesystem that is not mounted at /boot/firmware"),
            "{}",
            refused.stderr
        );
        let placed = workspace.run(&["place", "output", "--only", "gauge-01", &root, "--yes"]);
        assert_eq!(placed.code, 1);
        assert!(placed.stderr.contains("error placement-drifted"), "{}", placed.stderr);
        assert!(placed.stderr.contains("rootfs-boot-partition-unseen"), "{}", placed.stderr);
    }

    let undone = workspace.run(&["undo", &image, "--yes"]);
    assert_eq!(undone.code, 0, "{}", undone.stderr);
    assert!(boot_partition_of(&image) == boot_before, "the boot partition is the same to the byte");
    assert_eq!(list_of_image(&workspace, &image), before);
}

#[test]
#[ignore = "makes images with sfdisk, mke2fs and mtools and mounts them, which needs root"]
fn a_boot_partition_comes_back_from_a_placement_that_is_killed() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    fs::create_dir_all(card.top().join("boot")).unwrap();
    let image = image_of(&workspace, &card, "gpt");
    with_boot_partition(&workspace, &image);
    let before = boot_partition_of(&image);
    let text_of = |image: &str| run("mtype", &["-i", &format!("{image}@@{BOOT_START}"), "::cmdline.txt"]);
    for time in 0..20 {
        let mut child = workspace
            .command(&["place", "output", "--only", "gauge-01", &image, "--yes"])
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(20 + time * 3));
        let _ = child.kill();
        child.wait().unwrap();
        let undone = workspace.run(&["undo", &image, "--yes"]);
        assert!(undone.code == 0 || undone.stderr.contains("no placement"), "{}", undone.stderr);
        assert_eq!(text_of(&image), KERNEL_LINE);
    }
    assert!(devices_of(&image).is_empty());
    let placed = workspace.run(&["place", "output", "--only", "gauge-01", &image, "--yes"]);
    assert_eq!(placed.code, 0, "{}", placed.stderr);
    assert_eq!(text_of(&image), "console=tty1 quiet\n");
    assert_eq!(workspace.run(&["undo", &image, "--yes"]).code, 0);
    assert!(boot_partition_of(&image) == before);
}

#[test]
#[ignore = "makes images with sfdisk, mke2fs and mtools and mounts them, which needs root"]
fn an_image_that_is_not_clear_is_refused() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let image = image_of(&workspace, &card, "dos");
    with_boot_partition(&workspace, &image);
    let place = ["place", "output", "--only", "gauge-01", &image, "--yes"];
    // The bytes of a sector, as the boot partition has them.
    let file = fs::File::options().write(true).open(&image).unwrap();
    std::os::unix::fs::FileExt::write_all_at(&file, &[0xff, 0xff], BOOT_START as u64 + 11).unwrap();
    let damaged = workspace.run(&place);
    assert_eq!(damaged.code, 3);
    assert!(
        damaged.stderr.contains("the boot partition of ") && damaged.stderr.contains("cannot be read as FAT"),
        "{}",
        damaged.stderr
    );

    let offset = format!("offset={BOOT_START}");
    let top = card.top().display().to_string();
    run("mke2fs", &["-q", "-F", "-t", "ext4", "-b", "1024", "-E", &offset, "-d", &top, &image, "32768"]);
    let whole = fs::read(&image).unwrap();
    let several = workspace.run(&place);
    assert_eq!(several.code, 3);
    assert!(
        several.stderr.contains("has a root filesystem on each of its partitions 1 and 2"),
        "{}",
        several.stderr
    );
    assert!(fs::read(&image).unwrap() == whole, "neither is changed");
    assert!(devices_of(&image).is_empty());
}

#[test]
#[ignore = "attaches images to loop devices, which needs root"]
fn an_image_that_something_else_has_is_not_touched() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let image = image_of(&workspace, &card, "dos");
    let whole = fs::read(&image).unwrap();
    let place = ["place", "output", "--only", "gauge-01", &image, "--yes"];
    let device = run("losetup", &["--find", "--show", &image]).trim().to_owned();
    let refused = workspace.run(&place);
    let looked = workspace.run(&["inspect", &image]);
    run("losetup", &["--detach", &device]);
    assert_eq!(refused.code, 3);
    assert!(refused.stderr.contains(&format!("is already attached to {device}")), "{}", refused.stderr);
    assert_eq!(looked.code, 0, "{}", looked.stderr);

    let holder = fs::File::open(&image).unwrap();
    holder.lock().unwrap();
    for command in [&place[..], &["inspect", &image], &["undo", &image, "--yes"]] {
        let refused = workspace.run(command);
        assert_eq!(refused.code, 3);
        let says = format!(
            "error: another `place`, `undo` or `inspect` is running on {image}; wait until it is done\n"
        );
        assert_eq!(refused.stderr, says);
    }
    drop(holder);
    assert!(fs::read(&image).unwrap() == whole);

    // Two at a time: one of them places, and the other waits for it, or says that it is busy.
    let children: Vec<_> = (0..2)
        .map(|_| workspace.command(&place).stdout(std::process::Stdio::null()).spawn().unwrap())
        .collect();
    let codes: Vec<_> =
        children.into_iter().map(|child| child.wait_with_output().unwrap().status.code()).collect();
    assert!(codes.contains(&Some(0)), "{codes:?}");
    assert_eq!(workspace.run(&["undo", &image, "--yes"]).code, 0);
    assert!(!run("e2fsck", &["-fn", &format!("{image}?offset={}", 67584 * 512)]).contains("WARNING"));
}

#[test]
#[ignore = "makes a block device with losetup, which needs root"]
fn outputs_are_not_rendered_into_a_device_and_devices_are_no_images() {
    let workspace = with_output_of(&sheet(""));
    workspace.write("disk", vec![0; 1024 * 1024]);
    let disk = workspace.path().join("disk").display().to_string();
    let device = run("losetup", &["--find", "--show", &disk]).trim().to_owned();
    let rendered = workspace.run(&["render", "sheet.toml", "--into", &device]);
    let placed = workspace.run(&["place", "output", "--only", "gauge-01", &device, "--yes"]);
    let empty = workspace.run(&["place", "output", "--only", "gauge-01", "disk", "--yes"]);
    run("losetup", &["--detach", &device]);
    assert_eq!(rendered.code, 3);
    assert!(
        rendered
            .stderr
            .contains("is a device: render into a folder, then `place` the output on the card or its image"),
        "{}",
        rendered.stderr
    );
    assert_eq!(placed.code, 2);
    assert!(
        placed.stderr.contains("is a device, a pipe or a socket, not an image file"),
        "{}",
        placed.stderr
    );
    assert_eq!(empty.code, 2);
    assert!(
        empty.stderr.contains("disk is a file of an unknown kind; name the folder where a root"),
        "{}",
        empty.stderr
    );
}
