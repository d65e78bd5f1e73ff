//! Rules on host numbers, by which an address is counted from the start of its subnet.

use impostazione_net::Family;
use impostazione_text::Written;
use ipnet::IpNet;

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::host_number::HostNumberFault;

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&HOST_NUMBER_INVALID];

/// A host number that makes no address.
static HOST_NUMBER_INVALID: Rule = Rule {
    name: "host-number-invalid",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a host number does not make an address of its subnet",
    explanation: "host_number counts from the start of the subnet's prefix: 11 in 10.64.10.0/24 is 10.64.10.11. It is \
        decimal, or hexadecimal with 0x, and no larger than the prefix has room for. A link has an address or a host \
        number of a family, not both.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", host_number = \"300\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", host_number = \"11\" }\n",
    ..Rule::PLAIN
};

/// A host number that cannot be made an address of.
pub(crate) fn invalid(
    machine: Option<String>,
    key: &str,
    family: Family,
    written: &Written<String>,
    fault: &HostNumberFault,
) -> Finding {
    let text = &written.value;
    let (message, fix) = match fault {
        HostNumberFault::NotANumber => (
            format!("`{key}` is \"{text}\", which is not a number."),
            format!("write {key} = \"11\", or \"0x1f\""),
        ),
        HostNumberFault::TooLarge { prefix, most } => (
            format!("`{key}` is {text}, and {prefix} has no address with that number."),
            format!("write a number up to {most}, or correct the subnet"),
        ),
        HostNumberFault::NoPrefix(subnet) => {
            let prefix = if family == Family::V4 { "prefix" } else { "prefix6" };
            (
                format!("`{key}` counts from the start of `{prefix}`, and subnet {subnet} has none."),
                format!("add {prefix} to subnet {subnet}, or remove the line"),
            )
        }
        HostNumberFault::BesideAddress => {
            let address = if family == Family::V4 { "address" } else { "address6" };
            (format!("The link has `{key}` and `{address}`."), format!("remove {key} or {address}"))
        }
    };
    Finding::new(&HOST_NUMBER_INVALID, machine, written.place, message, fix)
}

/// The largest number that an address of a prefix can have, as messages show it.
pub(crate) fn most(prefix: IpNet) -> String {
    let bits = prefix.max_prefix_len() - prefix.prefix_len();
    match 1u128.checked_shl(u32::from(bits)) {
        Some(count) if bits <= 32 => (count - 1).to_string(),
        Some(count) => format!("{:#x}", count - 1),
        None => format!("{:#x}", u128::MAX),
    }
}
