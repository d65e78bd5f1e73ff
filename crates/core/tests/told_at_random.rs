//! Random sites whose appliances are answered rightly, by a judge that knows nothing of the rules: nothing is found. Then one
//! answer is changed at random: whatever the judge calls wrong is found at that answer, and nothing else is.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::HashMap;
use std::fmt::Write as _;
use std::net::Ipv6Addr;
use std::path::{Path, PathBuf};

use impostazione_core::assess::assess;
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::date;
use proptest::prelude::RngExt as _;
use proptest::test_runner::{RngAlgorithm, TestRng};
use rayon::prelude::*;

const SITES: u64 = 200;
const CHANGES_PER_SITE: usize = 14;
const LEAST_WRONG: usize = 2_000;

struct InMemory(HashMap<PathBuf, Vec<u8>>);

impl NamedFiles for InMemory {
    fn read(&self, path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        self.0.get(path).cloned().ok_or(ReadFault::Missing)
    }

    fn mode_for_others(&self, _path: &Path) -> Option<u32> {
        None
    }
}

/// A subnet, in numbers.
#[derive(Clone)]
struct Net {
    base: u32,
    length: u32,
    gateway: u32,
    leased: (u32, u32),
    kept: (u32, u32),
    used: u32,
    vlan: u32,
    /// The first address of its IPv6 prefix of 64 bits.
    six: u128,
}

impl Net {
    fn mask(&self) -> u32 {
        u32::MAX << (32 - self.length)
    }

    fn last(&self) -> u32 {
        self.base | !self.mask()
    }
}

/// What a property wants.
#[derive(Clone, Copy, PartialEq, Debug)]
enum Wants {
    Address,
    Mask,
    Length,
    Interface,
    Gateway,
    Hostname,
    FullName,
    Domain,
    NameServers,
    FirstServer,
    TimeServers,
    Zone,
    Vlan,
    Mtu,
    Count,
    Number,
    Peers,
    Shared,
    Key,
    Mail,
    Dhcp,
    Address6,
    Length6,
    Gateway6,
}

/// The ways in which packages ask for it: key, label, attributes.
fn ways(wants: Wants) -> &'static [(&'static str, &'static str, &'static str)] {
    const TEXT: &str = "ovf:type=\"string\" ovf:value=\"\"";
    match wants {
        Wants::Address => &[
            ("ip", "IP address", TEXT),
            ("net.address", "IPv4 address", TEXT),
            ("ipAddress", "IP-Adresse", TEXT),
        ],
        Wants::Mask => &[
            ("mask", "Netmask", TEXT),
            ("net.netmask", "Subnet mask", TEXT),
            ("maschera", "Maschera di rete", TEXT),
        ],
        Wants::Length => &[
            ("prefix", "Prefix length", TEXT),
            ("net.prefixLength", "Prefix length", "ovf:type=\"uint8\" ovf:value=\"24\""),
        ],
        Wants::Interface => &[("net.addressWithPrefix", "Address in CIDR notation", TEXT)],
        Wants::Gateway => &[("gw", "Default gateway", TEXT), ("net.gateway", "Gateway", TEXT)],
        Wants::Hostname => &[("hostname", "Host name", TEXT), ("rechnername", "Rechnername", TEXT)],
        Wants::FullName => &[("fqdn", "Fully qualified domain name", TEXT)],
        Wants::Domain => &[("domain", "Domain name", TEXT)],
        Wants::NameServers => &[("dns", "DNS servers, separated by commas", TEXT)],
        Wants::FirstServer => &[("dns1", "First DNS server", TEXT)],
        Wants::TimeServers => &[("ntp", "NTP servers, separated by commas", TEXT)],
        Wants::Zone => &[("timezone", "Time zone", TEXT)],
        Wants::Vlan => &[("vlan", "VLAN ID", TEXT)],
        Wants::Mtu => &[("mtu", "MTU", TEXT)],
        Wants::Count => &[("cluster.size", "Number of nodes in the cluster", TEXT)],
        Wants::Number => &[("node.number", "Number of this node", "ovf:type=\"string\" ovf:value=\"1\"")],
        Wants::Peers => &[("cluster.peers", "Cluster peers, separated by commas", TEXT)],
        Wants::Shared => &[("cluster.vip", "Virtual IP address of the cluster", TEXT)],
        Wants::Key => &[("ssh_key", "SSH public key", TEXT)],
        Wants::Mail => &[("alert_mail", "E-mail address for alerts", TEXT)],
        Wants::Dhcp => &[("use_dhcp", "Use DHCP", "ovf:type=\"string\" ovf:value=\"no\"")],
        Wants::Address6 => &[("ip6", "IPv6 address", TEXT), ("net.address6", "IPv6 address", TEXT)],
        Wants::Length6 => &[("net.prefix6", "IPv6 prefix length", TEXT)],
        Wants::Gateway6 => &[("net.gateway6", "IPv6 gateway", TEXT)],
    }
}

#[derive(Clone)]
struct Ask {
    wants: Wants,
    key: &'static str,
    label: &'static str,
    attributes: &'static str,
    /// What the sheet answers; nothing where it is left to its meaning.
    answer: Option<String>,
}

#[derive(Clone)]
struct Machine {
    name: String,
    net: usize,
    address: u32,
    address6: u128,
    cluster: Option<usize>,
    /// Which of the cluster's machines it is, from 1.
    place: usize,
    /// Whether it is set up at its console, and has questions in place of properties.
    is_at_console: bool,
    asks: Vec<Ask>,
}

#[derive(Clone)]
struct Cluster {
    net: usize,
    size: usize,
    shared: u32,
}

#[derive(Clone)]
struct World {
    nets: Vec<Net>,
    hosts: Vec<(usize, u32)>,
    clusters: Vec<Cluster>,
    machines: Vec<Machine>,
    name_servers: Vec<u32>,
    time_servers: Vec<u32>,
}

fn dotted(address: u32) -> String {
    let [a, b, c, d] = address.to_be_bytes();
    format!("{a}.{b}.{c}.{d}")
}

const ZONE: &str = "Europe/Rome";
const DOMAIN: &str = "capovetro.example";
const MTU: u32 = 1500;
const PUBLIC_KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75+P/XkUSUhM9wdyFkjQATU3vA5";

impl World {
    fn at_random(rng: &mut TestRng) -> Self {
        let count = rng.random_range(1..=3);
        let nets: Vec<Net> = (0..count).map(|at| net_at_random(rng, at)).collect();
        let mut taken: Vec<u32> = Vec::new();
        let mut free = |rng: &mut TestRng, net: &Net| loop {
            let address = rng.random_range(net.base + 1..net.last());
            let is_kept = |range: (u32, u32)| (range.0..=range.1).contains(&address);
            if !taken.contains(&address)
                && !is_kept(net.leased)
                && !is_kept(net.kept)
                && address != net.gateway
                && address != net.used
            {
                taken.push(address);
                return address;
            }
        };
        let name_servers = vec![free(rng, &nets[0]), free(rng, &nets[0])];
        let time_servers = (0..3).map(|_| free(rng, &nets[0])).collect();
        let hosts = (0..rng.random_range(1..4))
            .map(|_| {
                let net = rng.random_range(0..nets.len());
                (net, free(rng, &nets[net]))
            })
            .collect();
        let mut clusters = Vec::new();
        let mut machines = Vec::new();
        for _ in 0..rng.random_range(0..=1) {
            let net = rng.random_range(0..nets.len());
            let size = rng.random_range(2..=4);
            clusters.push(Cluster { net, size, shared: free(rng, &nets[net]) });
            let asks = asks_at_random(rng, true);
            for place in 1..=size {
                let address = free(rng, &nets[net]);
                let name = format!("member-{}-{place}", clusters.len());
                let cluster = Some(clusters.len() - 1);
                machines.push(Machine {
                    name,
                    net,
                    address,
                    address6: nets[net].six + u128::from(address),
                    cluster,
                    place,
                    is_at_console: false,
                    asks: asks.clone(),
                });
            }
        }
        let asks = asks_at_random(rng, false);
        for at in 0..rng.random_range(1..=2) {
            let net = rng.random_range(0..nets.len());
            let (name, address) = (format!("single-{at}"), free(rng, &nets[net]));
            let is_at_console = at == 1;
            let asks =
                asks.iter().filter(|ask| !is_at_console || taken_by(ask.wants).is_some()).cloned().collect();
            let address6 = nets[net].six + u128::from(address);
            machines.push(Machine {
                name,
                net,
                address,
                address6,
                cluster: None,
                place: 1,
                is_at_console,
                asks,
            });
        }
        let mut world = Self { nets, hosts, clusters, machines, name_servers, time_servers };
        for at in 0..world.machines.len() {
            for ask in 0..world.machines[at].asks.len() {
                let right = world.right(&world.machines[at], world.machines[at].asks[ask].wants);
                let is_needed = matches!(world.machines[at].asks[ask].wants, Wants::Key | Wants::Mail);
                let is_answered = is_needed || rng.random_range(0..3) > 0;
                world.machines[at].asks[ask].answer = is_answered.then_some(right);
            }
        }
        world
    }

    /// What a careful person answers.
    fn right(&self, machine: &Machine, wants: Wants) -> String {
        let net = &self.nets[machine.net];
        let list =
            |servers: &[u32]| servers.iter().map(|server| dotted(*server)).collect::<Vec<_>>().join(",");
        match wants {
            Wants::Address => dotted(machine.address),
            Wants::Mask => dotted(net.mask()),
            Wants::Length => net.length.to_string(),
            Wants::Interface => format!("{}/{}", dotted(machine.address), net.length),
            Wants::Gateway => dotted(net.gateway),
            Wants::Hostname => machine.name.clone(),
            Wants::FullName => format!("{}.{DOMAIN}", machine.name),
            Wants::Domain => DOMAIN.to_owned(),
            Wants::NameServers => list(&self.name_servers),
            Wants::FirstServer => dotted(self.name_servers[0]),
            Wants::TimeServers => list(&self.time_servers),
            Wants::Zone => ZONE.to_owned(),
            Wants::Vlan => net.vlan.to_string(),
            Wants::Mtu => MTU.to_string(),
            Wants::Count => machine.cluster.map_or(1, |cluster| self.clusters[cluster].size).to_string(),
            Wants::Number => machine.place.to_string(),
            Wants::Peers => {
                let others = self.machines.iter().filter(|other| {
                    other.cluster.is_some() && other.cluster == machine.cluster && other.name != machine.name
                });
                others.map(|other| dotted(other.address)).collect::<Vec<_>>().join(",")
            }
            Wants::Shared => {
                machine.cluster.map_or(String::new(), |cluster| dotted(self.clusters[cluster].shared))
            }
            Wants::Key => PUBLIC_KEY.to_owned(),
            Wants::Mail => format!("watch@{DOMAIN}"),
            Wants::Dhcp => "no".to_owned(),
            Wants::Address6 => Ipv6Addr::from(machine.address6).to_string(),
            Wants::Length6 => "64".to_owned(),
            Wants::Gateway6 => Ipv6Addr::from(net.six + 1).to_string(),
        }
    }

    /// Whether a value is right; `None` where people may disagree.
    #[allow(clippy::too_many_lines, reason = "a table of what is wanted")]
    fn is_right(&self, machine: &Machine, wants: Wants, value: &str) -> Option<bool> {
        if value.is_empty() {
            // Left empty on purpose: only an address is missed for certain.
            return matches!(wants, Wants::Address | Wants::Address6 | Wants::Interface).then_some(false);
        }
        // Where nothing asks for IPv6 by itself, an address of it may be meant.
        let is_six = |ask: &Ask| matches!(ask.wants, Wants::Address6 | Wants::Length6 | Wants::Gateway6);
        let has_six = machine.asks.iter().any(is_six);
        let says_four = machine.asks.iter().any(|ask| ask.wants == wants && ask.label.contains("IPv4"));
        let may_be_six = matches!(wants, Wants::Address | Wants::Gateway | Wants::Length);
        let is_of_six = value.parse::<Ipv6Addr>().is_ok() || value == "64";
        if may_be_six && is_of_six && !has_six && !says_four {
            return None;
        }
        let right = self.right(machine, wants);
        let items =
            |value: &str| -> Vec<String> { value.split(',').map(|item| item.trim().to_owned()).collect() };
        Some(match wants {
            // There is one address, mask, router, name and zone.
            Wants::Address
            | Wants::Mask
            | Wants::Interface
            | Wants::Gateway
            | Wants::Hostname
            | Wants::FullName
            | Wants::Domain
            | Wants::Zone
            | Wants::Mtu
            | Wants::Count
            | Wants::Shared
            | Wants::Vlan
            | Wants::Length6
            | Wants::Length => value == right,
            Wants::FirstServer => self.name_servers.iter().any(|server| dotted(*server) == value),
            Wants::NameServers => {
                let items = items(value);
                let known: Vec<String> = self.name_servers.iter().map(|server| dotted(*server)).collect();
                let is_twice = items.iter().enumerate().any(|(at, item)| items[..at].contains(item));
                items.iter().all(|item| known.contains(item)) && !is_twice
            }
            Wants::TimeServers => {
                let known: Vec<String> = self.time_servers.iter().map(|server| dotted(*server)).collect();
                items(value).iter().all(|item| known.contains(item))
            }
            Wants::Peers => {
                let (mut items, mut right) = (items(value), items(&right));
                items.sort();
                right.sort();
                // A member has a name and an IPv6 address, too.
                let is_otherwise = |item: &String| {
                    self.machines.iter().any(|other| {
                        other.name == *item || Ipv6Addr::from(other.address6).to_string() == *item
                    })
                };
                if items.iter().any(is_otherwise) {
                    return None;
                }
                items == right
            }
            Wants::Number => {
                let is_plain = value.chars().all(|digit| digit.is_ascii_digit())
                    && (value.len() == 1 || !value.starts_with('0'))
                    && value.parse::<u64>().is_ok();
                let is_taken = self.machines.iter().any(|other| {
                    let own = other.asks.iter().find(|ask| ask.wants == Wants::Number);
                    let number = own.map(|ask| ask.answer.clone().unwrap_or_else(|| other.place.to_string()));
                    other.cluster == machine.cluster
                        && other.name != machine.name
                        && number.as_deref() == Some(value)
                });
                is_plain && (machine.cluster.is_none() || !is_taken)
            }
            Wants::Key => {
                let mut words = value.split(' ');
                let own: Vec<&str> = PUBLIC_KEY.split(' ').collect();
                if words.next() == Some(own[0]) && words.next() == Some(own[1]) {
                    true
                } else {
                    // Another key of the same length may be one that can be read; a shorter or longer one is none.
                    let key = value.split(' ').nth(1).unwrap_or_default();
                    if value.starts_with("ssh-ed25519 ") && key.len() == own[1].len() {
                        return None;
                    }
                    false
                }
            }
            Wants::Mail => {
                let Some((mailbox, domain)) = value.split_once('@') else { return Some(false) };
                if domain == DOMAIN
                    && mailbox.chars().all(|letter| letter.is_ascii_lowercase())
                    && !mailbox.is_empty()
                {
                    true
                } else if mailbox.is_empty()
                    || domain.is_empty()
                    || domain.contains(['@', ' ', '!', ',', '_'])
                    || value.contains(' ')
                {
                    false
                } else {
                    return None;
                }
            }
            Wants::Dhcp => value.eq_ignore_ascii_case("no"),
            // An IPv6 address has many spellings.
            Wants::Address6 | Wants::Gateway6 => {
                value.parse::<Ipv6Addr>().is_ok_and(|found| found.to_string() == right)
            }
        })
    }

    /// The sheet, and the line of each answer.
    fn sheet(&self) -> (String, HashMap<(usize, usize), usize>) {
        let list = |servers: &[u32]| {
            servers.iter().map(|server| format!("\"{}\"", dotted(*server))).collect::<Vec<_>>().join(", ")
        };
        let mut sheet = format!(
            "format = 1\n[common]\ndomain = \"{DOMAIN}\"\ndns = [{}]\nntp = [{}]\nsearch = \"none\"\ntimezone = \"{ZONE}\"\n\
             [account.keeper]\nadmin = true\nssh_keys = [\"{PUBLIC_KEY}\"]\n",
            list(&self.name_servers),
            list(&self.time_servers)
        );
        for (at, net) in self.nets.iter().enumerate() {
            writeln!(
                sheet,
                "[subnet.net{at}]\nprefix = \"{}/{}\"\ngateway = \"{}\"\ndhcp_ranges = [\"{}-{}\"]\nkept_free = [\"{}-{}\"]\n\
                 in_use = {{ \"{}\" = \"crane\" }}\nvlan = {}\nmtu = {MTU}\n\
                 prefix6 = \"{}/64\"\ngateway6 = \"{}\"",
                dotted(net.base),
                net.length,
                dotted(net.gateway),
                dotted(net.leased.0),
                dotted(net.leased.1),
                dotted(net.kept.0),
                dotted(net.kept.1),
                dotted(net.used),
                net.vlan,
                Ipv6Addr::from(net.six),
                Ipv6Addr::from(net.six + 1)
            )
            .unwrap();
        }
        for (at, (net, address)) in self.hosts.iter().enumerate() {
            writeln!(
                sheet,
                "[[host]]\nname = \"host-{at}\"\nlink.eth0 = {{ subnet = \"net{net}\", address = \"{}\" }}",
                dotted(*address)
            )
            .unwrap();
        }
        for (at, cluster) in self.clusters.iter().enumerate() {
            writeln!(
                sheet,
                "[cluster.c{at}]\nsize = {}\nvirtual_address = {{ subnet = \"net{}\", address = \"{}\" }}",
                cluster.size,
                cluster.net,
                dotted(cluster.shared)
            )
            .unwrap();
        }
        let mut lines = HashMap::new();
        for (at, machine) in self.machines.iter().enumerate() {
            let cluster =
                machine.cluster.map_or(String::new(), |cluster| format!("cluster = \"c{cluster}\"\n"));
            writeln!(
                sheet,
                "[[appliance]]\nname = \"{}\"\n{cluster}{} = \"{}\"\nlink.lan = {{ subnet = \"net{}\", address = \"{}\", address6 = \"{}\" }}\n[appliance.answer]",
                machine.name,
                if machine.is_at_console { "meanings" } else { "package" },
                package_of(machine),
                machine.net,
                dotted(machine.address),
                Ipv6Addr::from(machine.address6)
            )
            .unwrap();
            for (number, ask) in machine.asks.iter().enumerate() {
                let Some(answer) = &ask.answer else { continue };
                writeln!(
                    sheet,
                    "\"{}\" = \"{}\"",
                    ask.key,
                    answer.replace('\\', "\\\\").replace('"', "\\\"")
                )
                .unwrap();
                lines.insert((at, number), sheet.lines().count());
            }
        }
        (sheet, lines)
    }

    fn files(&self) -> InMemory {
        let mut files = HashMap::new();
        for machine in &self.machines {
            let text =
                if machine.is_at_console { questions(&machine.asks) } else { descriptor(&machine.asks) };
            files.insert(PathBuf::from(package_of(machine)), text.into_bytes());
        }
        InMemory(files)
    }

    /// The findings of the sheet: rule, machine and line.
    fn findings(&self, sheet: &str) -> Vec<(String, String, usize, String)> {
        let assessment = assess("sheet.toml", sheet.as_bytes().to_vec(), &self.files(), date(2026, 11, 25));
        let position = |offset: usize| sheet.get(..offset).unwrap_or_default().matches('\n').count() + 1;
        assessment
            .findings
            .iter()
            .map(|finding| {
                let line = position(finding.place.span.start());
                let machine = finding.machine.clone().unwrap_or_default();
                (finding.rule.name.to_owned(), machine, line, finding.message.clone())
            })
            .collect()
    }
}

/// Machines of a cluster, and those that stand alone, have one package each.
fn package_of(machine: &Machine) -> &'static str {
    match (machine.is_at_console, machine.cluster) {
        (true, _) => "console.toml",
        (false, Some(_)) => "cluster.ovf",
        (false, None) => "single.ovf",
    }
}

fn net_at_random(rng: &mut TestRng, at: usize) -> Net {
    let length = rng.random_range(22..=25);
    let mask = u32::MAX << (32 - length);
    let base = (0x0a40_0000 | u32::try_from(at).unwrap() << 12 | rng.random_range(0..0x1000)) & mask;
    let last = base | !mask;
    let gateway = if rng.random() { base + 1 } else { last - 1 };
    let leased = (last - 30, last - 11);
    let kept = (base + 2, base + 5);
    let six = 0xfd64_u128 << 112 | (0x10 + u128::try_from(at).unwrap()) << 96;
    Net {
        base,
        length,
        gateway,
        leased,
        kept,
        used: base + 9,
        vlan: u32::try_from(at).unwrap() * 1_000 + rng.random_range(1..1_000),
        six,
    }
}

fn asks_at_random(rng: &mut TestRng, is_clustered: bool) -> Vec<Ask> {
    let mut all = vec![
        Wants::Address,
        Wants::Mask,
        Wants::Gateway,
        Wants::Hostname,
        Wants::FullName,
        Wants::Domain,
        Wants::NameServers,
        Wants::FirstServer,
        Wants::TimeServers,
        Wants::Zone,
        Wants::Vlan,
        Wants::Mtu,
        Wants::Key,
        Wants::Mail,
        Wants::Dhcp,
        Wants::Address6,
        Wants::Length6,
        Wants::Gateway6,
    ];
    match rng.random_range(0..3) {
        0 => all[1] = Wants::Length,
        1 => {
            all[0] = Wants::Interface;
            all.remove(1);
        }
        _ => {}
    }
    if is_clustered {
        all.extend([Wants::Count, Wants::Number, Wants::Peers, Wants::Shared]);
    }
    let own = if is_clustered { [Wants::Number, Wants::Peers].as_slice() } else { [].as_slice() };
    let chosen = all.into_iter().filter(|wants| own.contains(wants) || rng.random_range(0..5) < 2);
    let chosen: Vec<Wants> = chosen.collect();
    // An address with a gateway and no mask is not certain to be wanted without its length.
    let has = |wants: Wants| chosen.contains(&wants);
    let is_open = has(Wants::Address) && has(Wants::Gateway) && !has(Wants::Mask) && !has(Wants::Length);
    let chosen: Vec<Wants> = if is_open { [Wants::Mask].into_iter().chain(chosen).collect() } else { chosen };
    // A first DNS server beside the whole list says nothing that the list does not.
    let has_list = chosen.contains(&Wants::NameServers);
    chosen
        .into_iter()
        .filter(|wants| !(has_list && *wants == Wants::FirstServer))
        .map(|wants| {
            let ways = ways(wants);
            let (key, label, attributes) = ways[rng.random_range(0..ways.len())];
            Ask { wants, key, label, attributes, answer: None }
        })
        .collect()
}

fn descriptor(asks: &[Ask]) -> String {
    let mut properties = String::new();
    for ask in asks {
        writeln!(
            properties,
            "<Property ovf:key=\"{}\" ovf:userConfigurable=\"true\" {}><Label>{}</Label></Property>",
            ask.key, ask.attributes, ask.label
        )
        .unwrap();
    }
    format!(
        "<Envelope xmlns=\"http://schemas.dmtf.org/ovf/envelope/1\" xmlns:ovf=\"http://schemas.dmtf.org/ovf/envelope/1\" \
         xmlns:rasd=\"http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData\">\
         <NetworkSection><Info/><Network ovf:name=\"Lan\"/></NetworkSection><VirtualSystem ovf:id=\"box\"><Info/>\
         <ProductSection><Info/><Product>Box</Product><Version>1</Version>{properties}</ProductSection>\
         <VirtualHardwareSection ovf:transport=\"iso\"><Info/><Item><rasd:Connection>Lan</rasd:Connection>\
         <rasd:ResourceType>10</rasd:ResourceType></Item></VirtualHardwareSection></VirtualSystem></Envelope>"
    )
}

/// What a console takes for it from the sheet, and what stands between several values.
fn taken_by(wants: Wants) -> Option<(&'static str, &'static str)> {
    Some(match wants {
        Wants::Address => ("address", ""),
        Wants::Mask => ("netmask", ""),
        Wants::Length => ("prefix-length", ""),
        Wants::Interface => ("address-with-prefix", ""),
        Wants::Gateway => ("gateway", ""),
        Wants::Hostname => ("hostname", ""),
        Wants::FullName => ("fqdn", ""),
        Wants::Domain => ("domain", ""),
        Wants::NameServers => ("dns", ","),
        Wants::FirstServer => ("dns-1", ""),
        Wants::TimeServers => ("ntp", ","),
        Wants::Zone => ("timezone", ""),
        Wants::Vlan => ("vlan", ""),
        Wants::Mtu => ("mtu", ""),
        Wants::Address6 => ("address6", ""),
        Wants::Length6 => ("prefix-length6", ""),
        Wants::Gateway6 => ("gateway6", ""),
        Wants::Count
        | Wants::Number
        | Wants::Peers
        | Wants::Shared
        | Wants::Key
        | Wants::Mail
        | Wants::Dhcp => {
            return None;
        }
    })
}

/// A meanings file with what a console asks.
fn questions(asks: &[Ask]) -> String {
    let mut file = String::from("format = 1\n");
    for ask in asks {
        let Some((word, join)) = taken_by(ask.wants) else { continue };
        writeln!(file, "[[question]]\nid = \"{}\"\nask = \"{}\"\ntake = \"{word}\"", ask.key, ask.label)
            .unwrap();
        if !join.is_empty() {
            writeln!(file, "join = \"{join}\"").unwrap();
        }
    }
    file
}

/// Another value: what belongs elsewhere, or the same with a slip of the fingers.
fn changed(rng: &mut TestRng, world: &World, machine: &Machine, right: &str) -> String {
    let net = &world.nets[machine.net];
    let any = &world.nets[rng.random_range(0..world.nets.len())];
    let other = &world.machines[rng.random_range(0..world.machines.len())];
    let elsewhere = [
        dotted(net.base),
        dotted(net.last()),
        dotted(net.gateway),
        dotted(net.leased.0 + 3),
        dotted(net.kept.1),
        dotted(net.used),
        dotted(any.base + 12),
        dotted(any.mask()),
        dotted(world.hosts[0].1),
        dotted(other.address),
        dotted(world.name_servers[1]),
        dotted(world.time_servers[2]),
        format!("{}/{}", dotted(machine.address), net.length),
        format!("{}/{}", dotted(machine.address), net.length - 1),
        net.length.to_string(),
        (net.length + 1).to_string(),
        "255.0.255.0".to_owned(),
        "Europe/Lodnon".to_owned(),
        "Europe/London".to_owned(),
        other.name.clone(),
        format!("{}.{DOMAIN}", other.name),
        "host-0".to_owned(),
        "yes".to_owned(),
        "none".to_owned(),
        String::new(),
        "3".to_owned(),
        "0".to_owned(),
        "fd64:10::7".to_owned(),
        "fd64:10::1".to_owned(),
        Ipv6Addr::from(other.address6).to_string(),
        Ipv6Addr::from(any.six).to_string(),
    ];
    if rng.random_range(0..3) == 0 {
        return elsewhere[rng.random_range(0..elsewhere.len())].clone();
    }
    let alphabet: Vec<char> = "0123456789abcOl.!_ ,;:/-@".chars().collect();
    let mut letters: Vec<char> = right.chars().collect();
    for _ in 0..rng.random_range(1..=2) {
        let at = rng.random_range(0..=letters.len());
        let letter = alphabet[rng.random_range(0..alphabet.len())];
        match rng.random_range(0..3) {
            0 if at < letters.len() => letters[at] = letter,
            1 if at < letters.len() => {
                letters.remove(at);
            }
            _ => letters.insert(at, letter),
        }
    }
    letters.into_iter().collect()
}

/// What one site had to say: how many changes were wrong, and where the judge and the rules disagree.
fn examine(seed: u64) -> (usize, Vec<String>) {
    let mut bytes = [0_u8; 32];
    bytes[..8].copy_from_slice(&seed.to_le_bytes());
    let mut rng = TestRng::from_seed(RngAlgorithm::ChaCha, &bytes);
    let world = World::at_random(&mut rng);
    let (sheet, _) = world.sheet();
    let mut disagreements: Vec<String> = world
        .findings(&sheet)
        .into_iter()
        .map(|finding| format!("site {seed} is right, and {finding:?}"))
        .collect();
    let mut wrong = 0;
    for _ in 0..CHANGES_PER_SITE {
        let at = rng.random_range(0..world.machines.len());
        let machine = &world.machines[at];
        if machine.asks.is_empty() {
            continue;
        }
        let number = rng.random_range(0..machine.asks.len());
        let wants = machine.asks[number].wants;
        let right = world.right(machine, wants);
        let value = changed(&mut rng, &world, machine, &right);
        let mut altered = world.clone();
        altered.machines[at].asks[number].answer = Some(value.clone());
        let Some(is_right) = altered.is_right(&altered.machines[at], wants, &value) else { continue };
        let (sheet, lines) = altered.sheet();
        let line = lines[&(at, number)];
        let mut found = altered.findings(&sheet);
        // That members differ is no word on which of them is right.
        found.retain(|(rule, ..)| rule != "cluster-member-differs");
        let name = &machine.name;
        let is_found = found.iter().any(|(_, machine, at, _)| *at == line && machine == name);
        // A number that two machines have is laid to the later one.
        let is_found = is_found || (wants == Wants::Number && !found.is_empty());
        wrong += usize::from(!is_right);
        if is_right && !found.is_empty() {
            disagreements.push(format!("site {seed}: {wants:?} {value:?} of {name} is right, and {found:?}"));
        } else if !is_right && !is_found {
            disagreements.push(format!(
                "site {seed}: {wants:?} {value:?} of {name} is wrong ({right}), and {found:?}"
            ));
        }
    }
    (wrong, disagreements)
}

#[test]
fn right_answers_pass_and_no_wrong_one_does() {
    let results: Vec<(usize, Vec<String>)> = (0..SITES).into_par_iter().map(examine).collect();
    let wrong: usize = results.iter().map(|(wrong, _)| wrong).sum();
    let disagreements: Vec<String> = results.into_iter().flat_map(|(_, found)| found).collect();
    assert!(
        disagreements.is_empty(),
        "{} disagreements:\n{}",
        disagreements.len(),
        disagreements.iter().take(30).cloned().collect::<Vec<_>>().join("\n")
    );
    assert!(wrong >= LEAST_WRONG, "{wrong} changes were wrong");
}
