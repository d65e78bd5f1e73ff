//! Rules on what netplan, in the version that the hosts have, and its renderers can do.

use impostazione_net::Family;
use impostazione_text::{Place, Stated};

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Ipv6Mode, Link, LinkKind, Machine, NetplanVersion, Renderer};

pub(super) const CHECKS: &[Check] =
    &[Check::new(&RENDERER_LACKS_SETTING, check_renderer), Check::new(&NETPLAN_TOO_OLD, check_version)];

/// The version from which on netplan takes `regulatory-domain` and passes settings through to `NetworkManager`.
const PASSES_THROUGH: NetplanVersion = NetplanVersion::new(0, 106);
/// The version from which on netplan joins networks by SAE.
const KNOWS_SAE: NetplanVersion = NetplanVersion::new(1, 1);
/// The version from which on netplan writes routing rules for `NetworkManager`.
const RULES_FOR_NETWORK_MANAGER: NetplanVersion = NetplanVersion::new(1, 1);

/// A setting that would be lost.
static RENDERER_LACKS_SETTING: Rule = Rule {
    name: "renderer-lacks-setting",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "NetworkManager is the renderer for a setting that netplan does not write for it",
    explanation: "Netplan silently ignores some settings when NetworkManager is the renderer: IPv4 link-local \
        addresses in addition to a static one, and multicast DNS per link. The machine then comes up without them. \
        Use networkd, or remove the setting.",
    wrong: "[common]\nrenderer = \"NetworkManager\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", link_local4 = true }\n",
    right: "[common]\nrenderer = \"networkd\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", link_local4 = true }\n",
    ..Rule::PLAIN
};

/// A setting that the hosts do not know.
static NETPLAN_TOO_OLD: Rule = Rule {
    name: "netplan-too-old",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the hosts' netplan is too old for a setting",
    explanation: "netplan in [common] or on a host is the oldest version among the hosts, and no newer key is \
        written. The Wi-Fi country needs 0.106, and so does a link with one address family under NetworkManager; \
        SAE, and a routing table of a link under NetworkManager, need 1.1. An older netplan refuses the whole file, \
        or drops the setting.",
    wrong: "[common]\nnetplan = \"0.101\"\n[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" }, country = \"IT\" }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[common]\nnetplan = \"0.106\"\n[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" }, country = \"IT\" }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

fn check_renderer(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        if machine.host().is_none() || machine.settings.renderer() != Renderer::NetworkManager {
            continue;
        }
        for link in &machine.links {
            let local4 = link.options.as_ref().and_then(|options| options.link_local4.as_ref());
            let Some(local4) = local4.filter(|flag| flag.value && !matches!(link.address, Stated::Faulty))
            else {
                continue;
            };
            if link.has_family(Family::V4) {
                judge.on_machine(
                    &RENDERER_LACKS_SETTING,
                    machine,
                    local4.place,
                    format!(
                        "Under NetworkManager {} can have a static address or an IPv4 link-local address, not both.",
                        link.name.value
                    ),
                    "remove link_local4, or write renderer = \"networkd\"",
                );
            }
        }
        if let Some(multicast) = machine.settings.multicast_dns.value().filter(|flag| flag.value) {
            judge.on_setting(
                &RENDERER_LACKS_SETTING,
                machine,
                multicast.place,
                multicast.place,
                "Under NetworkManager netplan does not switch on multicast DNS.",
                "remove multicast_dns, or write renderer = \"networkd\"",
            );
        }
    }
}

fn report(judge: &mut Judge<'_>, machine: &Machine, place: Place, what: &str, needed: NetplanVersion) {
    let version = machine.settings.netplan();
    judge.on_machine(
        &NETPLAN_TOO_OLD,
        machine,
        place,
        format!("{what} needs netplan {needed}, and {} has {version}.", machine.called()),
        format!("write netplan = \"{needed}\" if all hosts have that version, or remove the setting"),
    );
}

fn check_version(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge).filter(|(machine, _)| machine.host().is_some()) {
        let settings = &machine.settings;
        let version = settings.netplan();
        let by_manager = settings.renderer() == Renderer::NetworkManager;
        if let Some(place) = place_of_country(judge, link).filter(|_| version < PASSES_THROUGH) {
            report(judge, machine, place, "The Wi-Fi country", PASSES_THROUGH);
        }
        let sae = judge.site.subnet_of(link).filter(|_| matches!(link.kind, LinkKind::Wifi));
        let sae = sae.and_then(|subnet| Some(subnet.wifi.value()?.sae.as_ref()?.place));
        if let Some(place) = sae.filter(|_| version < KNOWS_SAE) {
            report(judge, machine, place, "Wi-Fi with SAE", KNOWS_SAE);
        }
        let table = link.options.as_ref().and_then(|options| options.routing_table.as_ref());
        if let Some(table) = table.filter(|_| by_manager && version < RULES_FOR_NETWORK_MANAGER) {
            report(
                judge,
                machine,
                table.place,
                "A routing table per link under NetworkManager",
                RULES_FOR_NETWORK_MANAGER,
            );
        }
    }
    for machine in site.machines.iter().filter(|machine| machine.host().is_some()) {
        let settings = &machine.settings;
        if settings.renderer() != Renderer::NetworkManager || settings.netplan() >= PASSES_THROUGH {
            continue;
        }
        let lacks_family = |link: &&Link| {
            let has_both = link.has_family(Family::V4)
                && (link.has_family(Family::V6) || settings.ipv6() == Ipv6Mode::Auto);
            !has_both && machine.parent_of(link).is_none()
        };
        if let Some(link) = machine.links.iter().find(lacks_family) {
            let what = "A link with one address family under NetworkManager";
            report(judge, machine, link.name.place, what, PASSES_THROUGH);
        }
    }
}

fn place_of_country(judge: &Judge<'_>, link: &Link) -> Option<Place> {
    let subnet = judge.site.subnet_of(link).filter(|_| matches!(link.kind, LinkKind::Wifi))?;
    Some(subnet.wifi.value()?.country.value()?.place)
}
