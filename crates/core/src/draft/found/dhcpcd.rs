//! Links from `/etc/dhcpcd.conf` (`dhcpcd.conf(5)`).

use super::found_host::FoundHost;
use super::host_files::HostFiles;

const PATH: &str = "etc/dhcpcd.conf";

/// Reads the file. Whether it makes links.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) -> bool {
    let Some(text) = files.text(PATH) else { return false };
    let before = host.links.len();
    let mut current: Option<String> = None;
    for line in text.lines().map(str::trim).filter(|line| !line.starts_with('#')) {
        if let Some(name) = line.strip_prefix("interface ") {
            current = Some(name.trim().to_owned());
        } else if line.starts_with("profile ") || line.starts_with("ssid ") {
            current = None;
        } else if let (Some(rest), Some(name)) = (line.strip_prefix("static "), &current) {
            let Some((key, value)) = rest.split_once('=') else { continue };
            let name = name.clone();
            let link = host.link(&name);
            let words = || value.split_whitespace();
            match key.trim() {
                "ip_address" | "ip6_address" => {
                    if let Ok(address) = value.trim().parse() {
                        link.add_address(address);
                    }
                }
                "routers" => {
                    for gateway in words().filter_map(|word| word.parse().ok()) {
                        link.add_gateway(gateway);
                    }
                }
                "domain_name_servers" => link.dns.extend(words().map(str::to_owned)),
                "domain_search" => link.search.extend(words().map(str::to_owned)),
                other => host.left_out.push(format!("{PATH}: {other} of {name}")),
            }
        }
    }
    host.links.len() > before
}
