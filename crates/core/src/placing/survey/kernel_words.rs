//! Words on the kernel's command line by which something else runs, or other settings hold, than what is placed.

use impostazione_rootfs::{BOOT_FOLDERS, KERNEL_LINE, RootfsFault, View};

use super::rewriting::{Remedy, Rewriter};

/// What such a line is called.
const KERNEL_LINE_UNIT: &str = "the kernel's command line";

/// Words that have systemd run a program at boot (`systemd-run-generator(8)`), and go on as that program is done; that have it
/// start other units, or none of ours; and that set what the sheet sets (`kernel-command-line(7)`).
const WORDS: [&str; 12] = [
    "systemd.run=",
    "systemd.run_success_action=",
    "systemd.run_failure_action=",
    "systemd.unit=",
    "systemd.wants=",
    "systemd.mask=",
    "systemd.hostname=",
    "systemd.debug_shell",
    "systemd.debug-shell",
    "systemd.set_credential",
    "systemd.import_credentials=",
    "init=",
];

/// Files of other programs that start the kernel.
const OTHER_FILES: [&str; 6] = [
    "boot/grub/grub.cfg",
    "boot/extlinux/extlinux.conf",
    "boot/firmware/extlinux/extlinux.conf",
    "etc/default/grub",
    "etc/kernel/cmdline",
    "etc/default/u-boot",
];

/// Whether a word is one of those.
fn is_one(word: &str) -> bool {
    if let Some(program) = word.strip_prefix("init=") {
        let name = program.rsplit('/').next().unwrap_or_default();
        return !matches!(name, "init" | "systemd");
    }
    if let Some(unit) = word.strip_prefix("systemd.unit=") {
        return !matches!(unit, "multi-user.target" | "graphical.target" | "default.target");
    }
    WORDS.iter().any(|known| word.starts_with(known))
}

/// A word as it is shown: a credential may be a password.
fn shown(word: &str) -> &str {
    if word.contains("credential") { word.split('=').next().unwrap_or(word) } else { word }
}

/// Words of a text that are such.
fn words(text: &str) -> Vec<&str> {
    let words = text.split(|c: char| c.is_whitespace() || c == '"' || c == '\'');
    words.filter(|word| is_one(word)).collect()
}

/// The lines of the kernel's that have such words.
pub(super) fn rewriters(view: View<'_>, found: &mut Vec<Rewriter>) -> Result<(), RootfsFault> {
    let lines = BOOT_FOLDERS.map(|folder| (format!("{folder}/{KERNEL_LINE}"), Remedy::KernelWords));
    let mut others: Vec<(String, Remedy)> =
        OTHER_FILES.iter().map(|path| ((*path).to_owned(), Remedy::Refuse)).collect();
    for folder in ["boot/loader/entries", "boot/efi/loader/entries"] {
        let names = view.list(folder)?;
        others.extend(names.into_iter().map(|name| (format!("{folder}/{name}"), Remedy::Refuse)));
    }
    for (path, remedy) in lines.into_iter().chain(others) {
        if !view.has(&path) {
            continue;
        }
        let text = view.text(&path)?.unwrap_or_default();
        let text =
            text.lines().filter(|line| !line.trim_start().starts_with('#')).collect::<Vec<_>>().join("\n");
        let words = words(&text);
        if words.is_empty() {
            continue;
        }
        let first = words.iter().find(|word| word.starts_with("systemd.run=") || word.starts_with("init="));
        let why = match first.and_then(|word| word.split_once('=')) {
            Some(("init", program)) => format!("it makes the kernel start {program} instead of systemd"),
            Some((_, program)) => format!("it makes systemd run {program}"),
            None => format!("it says {}", words.iter().map(|word| shown(word)).collect::<Vec<_>>().join(" ")),
        };
        found.push(Rewriter { unit: KERNEL_LINE_UNIT.to_owned(), path, why, remedy });
    }
    Ok(())
}

/// A command line without those words.
pub(crate) fn without_words(line: &str) -> String {
    let words = line.split(' ').filter(|word| !is_one(word.trim_end()));
    let mut text = words.collect::<Vec<_>>().join(" ");
    if line.ends_with('\n') && !text.ends_with('\n') {
        text.push('\n');
    }
    text
}

#[cfg(test)]
mod tests {
    use super::without_words;

    #[test]
    fn a_command_line_keeps_all_words_but_those() {
        let line = "console=tty1 root=LABEL=writable systemd.run=/boot/setup.sh systemd.run_success_action=reboot systemd.unit=kernel-command-line.target\n";
        assert_eq!(without_words(line), "console=tty1 root=LABEL=writable\n");
        assert_eq!(without_words("quiet  splash\n"), "quiet  splash\n", "blanks stay as they are");
        assert_eq!(without_words("init=/usr/lib/image/setup quiet"), "quiet");
        assert_eq!(
            without_words("init=/lib/systemd/systemd systemd.unit=multi-user.target"),
            "init=/lib/systemd/systemd systemd.unit=multi-user.target"
        );
    }
}
