//! Folders of several files that are made up at random: of equal names in several folders, hidden, empty, about the same links.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use crate::counts::Counts;
use crate::release::RELEASES;

/// Numbers that look random, and are the same in every run.
pub(crate) struct Dice(u64);

impl Dice {
    pub(crate) fn new(seed: u64) -> Self {
        Self(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    /// A number below another one.
    pub(crate) fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 >> 16).unwrap() % end
    }

    /// One of some.
    pub(crate) fn one<'l, T>(&mut self, of: &'l [T]) -> &'l T {
        &of[self.below(of.len())]
    }

    /// Whether something with so many chances in a hundred happens.
    fn happens(&mut self, percent: usize) -> bool {
        self.below(100) < percent
    }
}

const FOLDERS: [&str; 3] = ["lib/netplan", "etc/netplan", "run/netplan"];
const NAMES: [&str; 6] =
    ["10-image.yaml", "50-cloud.yaml", "60-impostazione.yaml", "zz.yaml", ".hidden.yaml", "notes.yml"];
const PORTS: [&str; 4] = ["eth0", "eth1", "lan0", "lan1"];

/// What is said of a link, each line indented by six.
fn body(dice: &mut Dice) -> String {
    let lines = [
        "addresses: [10.64.10.11/24]",
        "addresses: [10.64.10.12/24, \"fd64:10::12/64\"]",
        "addresses: [10.64.20.11/24, 10.64.10.11/24]",
        "dhcp4: true",
        "dhcp4: no",
        "dhcp6: yes",
        "mtu: 1400",
        "mtu: 9000",
        "gateway4: 10.64.10.1",
        "routes: [{to: default, via: 10.64.10.1}]",
        "routes: [{to: 0.0.0.0/0, via: 10.64.10.1}, {to: 10.64.96.0/20, via: 10.64.10.2, metric: 50}]",
        "routes: [{to: default, via: 10.64.10.3, metric: 900}]",
        "routes: [{to: 10.64.99.0/24, type: blackhole}, {to: default, via: 10.64.10.9, table: 140}]",
        "routes: [{to: 10.64.98.0/24, scope: link}, {to: 10.64.97.1, via: 10.64.10.8, on-link: true, from: 10.64.10.11}]",
        "nameservers: {addresses: [10.64.10.53]}",
        "nameservers: {addresses: [10.64.10.54, 10.64.10.53], search: [capovetro.example]}",
        "nameservers: {search: [\"~lab.capovetro.example\"]}",
        "optional: true",
    ];
    let mut text = String::new();
    let mut said: Vec<&str> = Vec::new();
    for _ in 0..=dice.below(5) {
        let line = *dice.one(&lines);
        let key = line.split(':').next().unwrap();
        if !said.contains(&key) {
            said.push(key);
            let _ = writeln!(text, "      {line}");
        }
    }
    text
}

fn file(dice: &mut Dice) -> String {
    if dice.happens(10) {
        return (*dice.one(&["", "# nothing\n", "network: {}\n", "network:\n  version: 2\n"])).to_owned();
    }
    let mut text = "network:\n  version: 2\n".to_owned();
    if dice.happens(20) {
        let _ = writeln!(text, "  renderer: {}", dice.one(&["networkd", "NetworkManager"]));
    }
    let mut sections = vec!["ethernets"];
    for section in ["bonds", "bridges", "vlans"] {
        if dice.happens(35) {
            sections.insert(dice.below(sections.len() + 1), section);
        }
    }
    for section in sections {
        let _ = writeln!(text, "  {section}:");
        match section {
            "ethernets" => {
                for port in PORTS {
                    if dice.happens(70) {
                        let _ = write!(text, "    {port}:\n{}", body(dice));
                    }
                }
                let _ = writeln!(text, "    spare: {{}}");
            }
            "bonds" | "bridges" => {
                let id = if section == "bonds" { "uplink" } else { "br0" };
                let members: Vec<&str> = PORTS.into_iter().filter(|_| dice.happens(30)).collect();
                let _ = writeln!(text, "    {id}:\n      interfaces: [{}]", members.join(", "));
                if section == "bonds" && dice.happens(60) {
                    let mode = dice.one(&["active-backup", "802.3ad", "balance-rr"]);
                    let _ = writeln!(text, "      parameters: {{mode: {mode}}}");
                }
                text += &body(dice);
            }
            _ => {
                let over = dice.one(&["eth0", "lan0", "spare"]);
                let _ = write!(
                    text,
                    "    radar:\n      id: {}\n      link: {over}\n{}",
                    dice.below(4),
                    body(dice)
                );
            }
        }
    }
    text
}

#[test]
#[ignore = "needs root, debootstrap and chroot, which .ci/run has"]
fn folders_of_several_files_come_to_what_netplan_makes_of_them() {
    for release in RELEASES {
        let mut counts = Counts::default();
        let mut seed = 1;
        while counts.accepted < 200 {
            assert!(seed < 4000, "{} accepted of so many", counts.accepted);
            let mut dice = Dice::new(seed);
            let mut files = BTreeMap::new();
            for _ in 0..=dice.below(5) {
                files.insert(format!("{}/{}", dice.one(&FOLDERS), dice.one(&NAMES)), file(&mut dice));
            }
            // One that is read is there always.
            files.entry("etc/netplan/10-image.yaml".to_owned()).or_insert_with(|| file(&mut dice));
            counts.look_at(&format!("folder {seed}"), release, &files);
            seed += 1;
        }
        counts.print(&format!("random folders, netplan {}", release.netplan));
        counts.assert(200, 20, 400);
    }
}
