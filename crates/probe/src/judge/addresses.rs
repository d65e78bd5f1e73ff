//! Whether the addresses of machines are free.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use impostazione_core::finding::{Asked, Finding, Nature, Severity};
use impostazione_core::machine::{Machine, Subnet};
use impostazione_core::network::rules::{ADDRESS_TAKEN, ALREADY_UP, OLD_ADDRESS_ANSWERS};
use impostazione_net::MacAddress;

use super::unlooked::{Reason, Unknown};
use super::{Judging, Subject, Verdict};
use crate::answer::{Found, Presence, Seen};
use crate::question::{ExpectedAddress, Lookup, Sought};

/// From so many on, addresses that answer in one way do so because somebody answers for all of them.
const MANY: usize = 3;

/// What is known of the links and of those who answer there, before single addresses are judged.
struct Surroundings<'a> {
    /// The subnets that were seen to be on a link of this computer: something of the sheet answers there.
    proven: HashSet<(*const Subnet, String)>,
    /// Hardware addresses that answer for others.
    proxies: BTreeSet<MacAddress>,
    /// Subnets behind a router where everything answers alike.
    uniform: HashSet<*const Subnet>,
    /// Whose hardware address it is in the sheet.
    macs: HashMap<MacAddress, &'a Machine>,
}

impl Surroundings<'_> {
    /// Whether a link was seen to lead to a subnet, so that silence there means something. Of an address that is in no subnet of the
    /// sheet it is enough that the link leads to one.
    fn leads_there(&self, link: &str, subnet: Option<&Subnet>) -> bool {
        self.proven.iter().any(|(known, by)| {
            by == link && subnet.is_none_or(|subnet| std::ptr::eq(*known, std::ptr::from_ref(subnet)))
        })
    }
}

impl<'a> Judging<'a> {
    /// Judges every address.
    pub(super) fn addresses(&mut self) {
        let surroundings = self.surroundings();
        let plan = self.plan;
        for machine in plan.without_address.iter().copied() {
            let reason = Reason::new(
                "the sheet gives none",
                "write its address in the sheet, or look yourself where it gets one",
            );
            self.unlooked.note(Unknown::Machine, machine.called(), &[machine], machine.place, reason);
            self.count(Subject::Addresses, Verdict::Unknown);
        }
        for expected in &plan.addresses {
            let verdict = self.address(expected, &surroundings);
            self.count(Subject::Addresses, verdict);
        }
    }

    fn surroundings(&self) -> Surroundings<'a> {
        let mut proven = HashSet::new();
        let mut owners: BTreeMap<MacAddress, BTreeSet<String>> = BTreeMap::new();
        let mut proxies = BTreeSet::new();
        let mut kinds: HashMap<*const Subnet, Vec<&Presence>> = HashMap::new();
        let macs: HashMap<MacAddress, &Machine> = self
            .plan
            .site
            .machines
            .iter()
            .flat_map(|machine| machine.links.iter().map(move |link| (link.mac(), machine)))
            .filter_map(|(mac, machine)| Some((mac?.value, machine)))
            .collect();
        for gateway in &self.plan.gateways {
            let Some(presence) = self.answers.presence(gateway.target()) else { continue };
            if let Presence::Somebody(Seen::Neighbor { link, mac }) = presence {
                proven.insert((std::ptr::from_ref(gateway.subnet), link.clone()));
                proxies.extend(*mac);
            }
        }
        for witness in &self.plan.witnesses {
            if let Some(Presence::Somebody(Seen::Neighbor { link, .. })) =
                self.answers.presence(witness.address)
            {
                proven.insert((std::ptr::from_ref(witness.subnet), link.clone()));
            }
        }
        for expected in &self.plan.addresses {
            let Some(presence) = self.answers.presence(expected.address) else { continue };
            if let Some(mac) = presence.mac()
                && !macs.contains_key(&mac)
            {
                owners.entry(mac).or_default().insert(expected.owner.called());
            }
            if let Some(subnet) = expected.subnet {
                kinds.entry(std::ptr::from_ref(subnet)).or_default().push(presence);
            }
        }
        // A neighbor that is not a router's stand-in shows that the link leads there, too.
        proxies.extend(owners.iter().filter(|(_, owners)| owners.len() >= MANY).map(|(mac, _)| *mac));
        for expected in &self.plan.addresses {
            let presence = self.answers.presence(expected.address);
            if let (Some(subnet), Some(Presence::Somebody(Seen::Neighbor { link, mac }))) =
                (expected.subnet, presence)
                && mac.is_some_and(|mac| !proxies.contains(&mac))
            {
                proven.insert((std::ptr::from_ref(subnet), link.clone()));
            }
        }
        let is_uniform = |presences: &Vec<&Presence>| {
            let all = |is: fn(&Seen) -> bool| {
                presences.iter().all(|presence| matches!(presence, Presence::Somebody(seen) if is(seen)))
            };
            presences.len() >= MANY
                && (all(|seen| matches!(seen, Seen::Refused(_)))
                    || all(|seen| matches!(seen, Seen::Accepted(_)))
                    || all(|seen| matches!(seen, Seen::Echo)))
        };
        let uniform = kinds.iter().filter(|(_, presences)| is_uniform(presences)).map(|(subnet, _)| *subnet);
        Surroundings { proven, proxies, uniform: uniform.collect(), macs }
    }

    fn address(&mut self, expected: &'a ExpectedAddress<'a>, around: &Surroundings<'a>) -> Verdict {
        let address = expected.address;
        let Some(presence) = self.answers.presence(address) else {
            return self.unknown(expected, Reason::not_asked());
        };
        match presence {
            Presence::Nobody(link) if around.leads_there(link, expected.subnet) => Verdict::Right,
            Presence::Nobody(link) => {
                let (subnet, fix) = match expected.subnet {
                    Some(subnet) => (
                        format!("in subnet {}", subnet.name.value),
                        format!(
                            "connect this computer to subnet {}, or look why its gateway does not answer",
                            subnet.name.value
                        ),
                    ),
                    None => ("there".to_owned(), "run this on a computer in the same network".to_owned()),
                };
                let reason = Reason::new(
                    format!(
                        "nothing that the sheet has {subnet} answers on {link}, so this computer may be connected to \
                         another network"
                    ),
                    fix,
                );
                self.unknown(expected, reason)
            }
            Presence::ThisComputer(link) => {
                self.taken(expected, &format!("this computer itself has it, on {link}"), None)
            }
            Presence::Somebody(seen) => self.somebody(expected, seen, around),
            Presence::CannotTell(doubt) => self.unknown(expected, Reason::doubt(doubt, expected.subnet)),
            Presence::NotLooked(obstacle) => self.unknown(expected, Reason::obstacle(obstacle)),
        }
    }

    fn somebody(
        &mut self,
        expected: &'a ExpectedAddress<'a>,
        seen: &Seen,
        around: &Surroundings<'a>,
    ) -> Verdict {
        let is_uniform =
            expected.subnet.is_some_and(|subnet| around.uniform.contains(&std::ptr::from_ref(subnet)));
        match seen {
            Seen::Neighbor { mac: Some(mac), link } => {
                let whose = around.macs.get(mac).copied();
                let is_own = whose.is_some_and(|machine| {
                    expected.owner.machines().iter().any(|own| std::ptr::eq(*own, machine))
                });
                if is_own && !expected.is_old {
                    self.already_up(expected, *mac);
                    return Verdict::Right;
                }
                if whose.is_none() && around.proxies.contains(mac) {
                    let reason = Reason::new(
                        format!(
                            "{mac} answers for it on {link} and for other addresses too, as a router does for others"
                        ),
                        "have proxy ARP switched off on that router, or look into its table of neighbors",
                    );
                    return self.unknown(expected, reason);
                }
                let who = format!("{mac} answers for it on {link}");
                self.taken(expected, &who, whose)
            }
            Seen::Neighbor { mac: None, link } => {
                self.taken(expected, &format!("somebody answers for it on {link}"), None)
            }
            _ if is_uniform => {
                let reason = Reason::new(
                    "every address there answers in the same way, as where a firewall answers for all",
                    "run this on a computer in the same subnet",
                );
                self.unknown(expected, reason)
            }
            Seen::Accepted(port) => {
                self.taken(expected, &format!("it accepts connections on TCP port {port}"), None)
            }
            Seen::Refused(port) => self.taken(
                expected,
                &format!("it refuses connections on TCP port {port}, so somebody is there"),
                None,
            ),
            Seen::Echo => self.taken(expected, "it answers ICMP echo requests", None),
        }
    }

    fn already_up(&mut self, expected: &ExpectedAddress<'_>, mac: MacAddress) {
        let who = expected.owner.called();
        let message = format!(
            "{who} already has {}: the answer comes from {mac}, which is its own MAC address in the sheet.",
            expected.address
        );
        let fix = "nothing, if it is meant to be running; otherwise switch it off before the first boot";
        self.report(on_owner(&ALREADY_UP, expected, message, fix.to_owned()));
    }

    fn taken(&mut self, expected: &ExpectedAddress<'_>, how: &str, whose: Option<&Machine>) -> Verdict {
        let (address, owner) = (expected.address, expected.owner.called());
        let mut message = if expected.is_old {
            format!("Something answers at {address}, which {owner} had before: {how}.")
        } else {
            format!("{address} of {owner} is taken: {how}.")
        };
        if let Some(machine) = whose {
            message = format!("{message} That is the MAC address of {} in the sheet.", machine.called());
        }
        if let Some(name) = self.name_in_dns(expected) {
            message = format!("{message} DNS calls it {name}.");
        }
        if expected.is_old {
            if self.plan.when == Asked::After {
                let fix = "switch the old machine off, or find who has the address now";
                self.report(on_owner(&OLD_ADDRESS_ANSWERS, expected, message, fix.to_owned()));
                return Verdict::Wrong;
            }
            let fix = "switch the old machine off before the new one takes over; after the first boot nothing may answer there";
            let finding = on_owner(&OLD_ADDRESS_ANSWERS, expected, message, fix.to_owned());
            self.report(finding.weighing(Severity::Note, Nature::Judgment));
            return Verdict::Right;
        }
        let fix =
            format!("find that machine and give it another address, or write another address for {owner}");
        self.report(on_owner(&ADDRESS_TAKEN, expected, message, fix));
        Verdict::Wrong
    }

    /// What DNS calls an address, where that is not the owner's own name.
    fn name_in_dns(&self, expected: &ExpectedAddress<'_>) -> Option<String> {
        let own: Vec<String> = expected
            .owner
            .machines()
            .iter()
            .filter_map(|machine| machine.fqdn())
            .map(|name| name.to_ascii_lowercase())
            .collect();
        self.plan.name_servers.iter().find_map(|server| {
            let lookup = Lookup::new(server.address, Sought::Names(expected.address));
            match self.answers.lookup(&lookup)?.records()? {
                Found::Names(names) => names.iter().find(|name| !own.contains(name)).cloned(),
                Found::Addresses(_) | Found::Domain(_) => None,
            }
        })
    }

    fn unknown(&mut self, expected: &'a ExpectedAddress<'a>, reason: Reason) -> Verdict {
        let machines = expected.owner.machines();
        self.unlooked.note(Unknown::Address, expected.address.to_string(), machines, expected.place, reason);
        Verdict::Unknown
    }
}

fn on_owner(
    rule: &'static impostazione_core::finding::Rule,
    expected: &ExpectedAddress<'_>,
    message: String,
    fix: String,
) -> Finding {
    let mut labels =
        expected.owner.machines().iter().map(|machine| machine.label.as_deref().map(str::to_owned));
    let mut finding = Finding::new(rule, labels.next().flatten(), expected.place, message, fix);
    finding.also = labels.flatten().collect();
    finding
}
