//! What packages have brought, by the lists of Debian's package manager.

use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};

use impostazione_rootfs::View;

/// Where the lists lie (`dpkg(1)`).
const LISTS: &str = "var/lib/dpkg/info";

/// The list of what is installed.
const STATUS: &str = "var/lib/dpkg/status";
/// Where those who look after a distribution's packages have their mail.
const MAINTAINERS: [&str; 3] = ["debian.org", "ubuntu.com", "raspberrypi.com"];

/// The paths that packages have brought. The lists are read when they are first asked for.
pub(super) struct Owned<'a> {
    view: View<'a>,
    packages: OnceCell<HashMap<String, String>>,
    of_distribution: OnceCell<HashSet<String>>,
}

impl<'a> Owned<'a> {
    pub(super) fn new(view: View<'a>) -> Self {
        Self { view, packages: OnceCell::new(), of_distribution: OnceCell::new() }
    }

    fn packages(&self) -> &HashMap<String, String> {
        self.packages.get_or_init(|| {
            let mut packages = HashMap::new();
            // Without lists nothing is known to be a package's.
            for name in self.view.list(LISTS).unwrap_or_default() {
                let Some(package) = name.strip_suffix(".list") else { continue };
                let Ok(Some(text)) = self.view.text(&format!("{LISTS}/{name}")) else { continue };
                let package = package.split(':').next().unwrap_or(package);
                let kept = |path: &&str| {
                    [
                        "/systemd/",
                        "/init.d/",
                        "/cron",
                        "/udev/",
                        "/bin/",
                        "/sbin/",
                        "/lib/",
                        "/libexec/",
                        "/share/",
                    ]
                    .iter()
                    .any(|part| path.contains(part))
                };
                packages.extend(text.lines().filter(kept).map(|path| (unified(path), package.to_owned())));
            }
            packages
        })
    }

    /// Whether the package manager tells anything at all.
    pub(super) fn is_known(&self) -> bool {
        !self.packages().is_empty()
    }

    /// The package that has brought a path.
    pub(super) fn package(&self, path: &str) -> Option<&str> {
        self.packages().get(&unified(path)).map(String::as_str)
    }

    /// Whether a path belongs to a package that the distribution looks after, and no maker of images or appliances.
    pub(super) fn is_of_distribution(&self, path: &str) -> bool {
        self.package(path).is_some_and(|package| self.of_distribution().contains(package))
    }

    /// The packages whose maintainers are the distribution's, by the list of what is installed.
    fn of_distribution(&self) -> &HashSet<String> {
        self.of_distribution.get_or_init(|| {
            let text = self.view.text(STATUS).ok().flatten().unwrap_or_default();
            let field = |paragraph: &str, name: &str| {
                let line = paragraph.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'));
                line.map(|value| value.trim().to_owned())
            };
            let is_one = |maintainer: &String| {
                let (_, host) = maintainer.trim_end_matches('>').rsplit_once('@').unwrap_or_default();
                MAINTAINERS.iter().any(|known| {
                    host.strip_suffix(known).is_some_and(|rest| rest.is_empty() || rest.ends_with('.'))
                })
            };
            let paragraphs = text.split("\n\n");
            let names = paragraphs.filter_map(|paragraph| {
                field(paragraph, "Maintainer").filter(is_one)?;
                field(paragraph, "Package")
            });
            names.collect()
        })
    }

    /// The paths that a package has brought.
    pub(super) fn paths_of<'o>(&'o self, package: &'o str) -> impl Iterator<Item = &'o str> {
        self.packages().iter().filter(move |(_, of)| *of == package).map(|(path, _)| path.as_str())
    }
}

/// A path without the first slash, below `usr` where the folder leads there on merged systems.
fn unified(path: &str) -> String {
    let path = path.trim_start_matches('/');
    let is_merged = ["lib/", "bin/", "sbin/", "lib64/"].iter().any(|folder| path.starts_with(folder));
    if is_merged { format!("usr/{path}") } else { path.to_owned() }
}
