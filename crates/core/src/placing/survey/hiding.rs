//! Files of one name in several folders of systemd's, of which the first hides the others.

use impostazione_rootfs::{RootfsFault, View};

use super::network::OF_NETPLAN;
use super::units::has_end;

/// The administrator's folder.
const ETC: &str = "etc/systemd/";
/// The folders of packages, in the order in which they count.
const OF_PACKAGES: [&str; 3] = ["usr/local/lib/systemd/", "usr/lib/systemd/", "lib/systemd/"];

/// The link to nothing that keeps a file of systemd's from counting; nothing where it is enough that it leaves its folder. The
/// names of distributions' own network files sort behind those of netplan, and stay.
pub(crate) fn hides(view: View<'_>, path: &str) -> Result<Option<String>, RootfsFault> {
    if let Some(rest) = OF_PACKAGES.iter().find_map(|folder| path.strip_prefix(folder)) {
        return Ok(Some(format!("{ETC}{rest}")));
    }
    let Some(rest) = path.strip_prefix(ETC) else { return Ok(None) };
    let is_drop_in = rest.split('/').any(|part| has_end(part, "d"));
    let is_early = rest.strip_prefix("network/").is_some_and(|name| name < OF_NETPLAN);
    if !is_drop_in && !is_early {
        return Ok(None);
    }
    for folder in OF_PACKAGES {
        if view.look(&format!("{folder}{rest}"))?.is_some() {
            return Ok(Some(path.to_owned()));
        }
    }
    Ok(None)
}
