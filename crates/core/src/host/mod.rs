//! The files of a host: netplan's, the others under `/etc`, and the list of its logins.

mod accounts;
mod chrony;
mod header;
mod hostname;
mod hosts;
mod known_hosts;
mod locale;
mod localtime;
mod netplan;
mod resolved;
mod ssh;
mod ssh_config;
mod sudoers;
mod systemd_link;
mod timesyncd;
mod unwritable;

pub use accounts::{ACCOUNTS_PATH, HostAccount, HostAccounts, accounts_file};
pub use chrony::{CHRONY_KEYS_PATH, CHRONY_SOURCES_PATH, chrony_keys_file, chrony_sources_file};
pub use header::HEADER;
pub use hostname::{HOSTNAME_PATH, hostname_file};
pub use hosts::{HOSTS_PATH, SiteHost, hosts_file, site_hosts};
pub use known_hosts::{HOST_KEY_PATH, KNOWN_HOSTS_PATH, PUBLIC_HOST_KEY_PATH, known_hosts_file};
pub use locale::{DEBIAN_LOCALE_PATH, KEYBOARD_PATH, LOCALE_PATH, keyboard_file, locale_file};
pub use localtime::{LOCALTIME_PATH, TIMEZONE_PATH, localtime_target, timezone_file};
pub use netplan::{NETPLAN_PATH, netplan_file};
pub use resolved::{RESOLVED_PATH, multicast_dns_files, resolved_file};
pub use ssh::{SSH_MASKED, SSH_SOCKET_PATH, SSH_WANTED, SSHD_PATH, ssh_socket_file, sshd_file};
pub use ssh_config::{SSH_CONFIG_PATH, ssh_config_file};
pub use sudoers::{SUDOERS_PATH, sudoers_file};
pub use systemd_link::systemd_link_files;
pub use timesyncd::{TIMESYNCD_PATH, timesyncd_file};
pub use unwritable::Unwritable;
