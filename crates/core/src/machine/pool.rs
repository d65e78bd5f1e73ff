//! Addresses that an appliance hands out itself.

use impostazione_text::Written;
use ipnet::IpNet;

/// Addresses or a VLAN that an appliance hands out itself, and that nothing else may use.
#[derive(Debug)]
pub struct Pool {
    /// Its name in the sheet.
    pub name: Written<String>,
    /// Its addresses, of either family or both.
    pub prefixes: Vec<Written<IpNet>>,
    /// Its tag.
    pub vlan: Option<Written<u16>>,
}
