//! Rules on the MTU.

use impostazione_net::Family;
use impostazione_text::Stated;

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::rules::mtu::MTU_OUT_OF_RANGE;
use crate::machine::{Ipv6Mode, LinkKind};

pub(super) const CHECKS: &[Check] =
    &[Check::new(&MTU_OUT_OF_RANGE, check_range), Check::new(&MTU_ABOVE_PARENT, check_parent)];

/// The least that IPv6 works with (RFC 8200, section 5).
const LEAST_FOR_IPV6: u32 = 1280;
/// What an interface has by itself.
const USUAL: u32 = 1500;

/// A packet that is too large.
static MTU_ABOVE_PARENT: Rule = Rule {
    name: "mtu-above-parent",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a vlan has a larger MTU than the link it is on",
    explanation: "The packets of a vlan pass through the link it is on. The kernel refuses a larger MTU than that \
        link has, and the vlan keeps the smaller one.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\nmtu = 9000\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\nmtu = 9000\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", mtu = 9000 }\nlink.radar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

fn check_range(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge) {
        let uses_ipv6 = link.has_family(Family::V6) || machine.settings.ipv6() == Ipv6Mode::Auto;
        let Some(mtu) = site.mtu_of(link).filter(|mtu| uses_ipv6 && mtu.value < LEAST_FOR_IPV6) else {
            continue;
        };
        judge.on_machine(
            &MTU_OUT_OF_RANGE,
            machine,
            mtu.place,
            format!(
                "{} has IPv6, which needs an MTU of at least {LEAST_FOR_IPV6}, but its `mtu` is {}.",
                link.name.value, mtu.value
            ),
            format!("write {LEAST_FOR_IPV6} or more, or remove IPv6 from the link"),
        );
    }
}

fn check_parent(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge) {
        let LinkKind::Vlan(Stated::Value(over)) = &link.kind else { continue };
        let (Some(mtu), Some(parent)) = (site.mtu_of(link), machine.link_named(&over.value)) else {
            continue;
        };
        let of_parent = site.mtu_of(parent).map_or(USUAL, |mtu| mtu.value);
        if mtu.value > of_parent {
            judge.on_machine(
                &MTU_ABOVE_PARENT,
                machine,
                mtu.place,
                format!(
                    "The vlan {} has MTU {}, but {}, which it is on, has MTU {of_parent}.",
                    link.name.value, mtu.value, parent.name.value
                ),
                judge.say(
                    format!("write mtu = {} on {}, or {of_parent} here", mtu.value, parent.name.value),
                    format!("write mtu: {} for {}, or {of_parent} here", mtu.value, parent.name.value),
                ),
            );
        }
    }
}
