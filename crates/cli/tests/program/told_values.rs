//! What appliances are told, by what it means: right and wrong values for every meaning, at properties and at consoles.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use serde_json::Value;

use crate::page::Page;
use crate::support::Workspace;

/// One meaning, how a package and a console ask for it, and values. In a value, OWN and OWN6 are the machine's own addresses,
/// NAME is its name, and MATE and MATENAME are those of the other machine of its cluster.
struct Kind {
    meaning: &'static str,
    label: &'static str,
    /// Attributes of the property beside key, type and label.
    attributes: &'static str,
    right: &'static [&'static str],
    /// A value and the rule that it breaks.
    wrong: &'static [(&'static str, &'static str)],
}

const KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75+P/XkUSUhM9wdyFkjQATU3vA5 keeper@capovetro.example";
const CUT: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75";
const CHANGED: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75+P/XkUSUhM9wdyFkjQATU3v";

const fn kind(
    meaning: &'static str,
    label: &'static str,
    right: &'static [&'static str],
    wrong: &'static [(&'static str, &'static str)],
) -> Kind {
    Kind { meaning, label, attributes: "ovf:type=\"string\" ovf:value=\"\"", right, wrong }
}

const KINDS: &[Kind] = &[
    kind(
        "address",
        "IPv4 address",
        &["OWN"],
        &[
            ("10.64.1O.61", "address-malformed"),
            ("OWN/20", "address-malformed"),
            ("fd64:10::99", "address-malformed"),
            ("10.64.16.61", "address-outside-subnet"),
            ("192.168.7.7", "address-outside-subnet"),
            ("10.64.0.0", "address-is-network"),
            ("10.64.15.255", "address-is-broadcast"),
            ("10.64.0.1", "address-is-gateway"),
            ("10.64.15.7", "address-in-dhcp-range"),
            ("10.64.0.5", "address-kept-free"),
            ("10.64.0.40", "address-in-use"),
            ("10.64.0.11", "address-duplicate"),
            ("10.64.0.53", "address-is-server"),
            ("127.0.0.1", "address-special-purpose"),
            ("10.64.0.99", "answer-differs-from-sheet"),
            ("", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "address6",
        "IPv6 address",
        &["OWN6"],
        &[
            ("fd64:10:::61", "address-malformed"),
            ("OWN", "address-malformed"),
            ("fd64:11::61", "address-outside-subnet"),
            ("fd64:10::1", "address-is-gateway"),
            ("fd64:10::11", "address-duplicate"),
            ("fe80::61", "address-special-purpose"),
            ("fd64:10::99", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "netmask",
        "Netmask",
        &["255.255.240.0"],
        &[
            ("255.255.0.240", "netmask-not-contiguous"),
            ("0.0.15.255", "netmask-not-contiguous"),
            ("255.255.255.0", "netmask-disagrees"),
            ("255.255.0.0", "netmask-disagrees"),
            ("255.255.256.0", "prefix-malformed"),
            ("20", "answer-in-another-form"),
            ("0xfffff000", "answer-in-another-form"),
        ],
    ),
    kind(
        "prefix-length",
        "Prefix length",
        &["20"],
        &[
            ("24", "netmask-disagrees"),
            ("129", "prefix-malformed"),
            ("twenty", "prefix-malformed"),
            ("/20", "answer-in-another-form"),
            ("255.255.240.0", "answer-in-another-form"),
            ("020", "answer-in-another-form"),
        ],
    ),
    kind(
        "prefix-length6",
        "IPv6 prefix length",
        &["64"],
        &[
            ("48", "netmask-disagrees"),
            ("129", "prefix-malformed"),
            ("ffff::", "prefix-malformed"),
            ("/64", "answer-in-another-form"),
        ],
    ),
    kind(
        "address-with-prefix",
        "Address in CIDR notation",
        &["OWN/20"],
        &[
            ("OWN", "answer-in-another-form"),
            ("OWN/255.255.240.0", "answer-in-another-form"),
            ("OWN/24", "netmask-disagrees"),
            ("OWN/33", "prefix-malformed"),
            ("10.64.300.61/20", "address-malformed"),
            ("10.64.16.62/20", "address-outside-subnet"),
            ("10.64.0.11/20", "address-duplicate"),
        ],
    ),
    kind(
        "gateway",
        "Gateway",
        &["10.64.0.1"],
        &[
            ("10.64.0.1.1", "address-malformed"),
            ("10.64.16.1", "gateway-outside-subnet"),
            ("10.64.0.0", "address-is-network"),
            ("10.64.15.255", "address-is-broadcast"),
            ("OWN", "address-is-gateway"),
            ("127.0.0.1", "address-special-purpose"),
            ("10.64.0.254", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "gateway6",
        "IPv6 gateway",
        &["fd64:10::1"],
        &[
            ("fd64:10::1::", "address-malformed"),
            ("10.64.0.1", "address-malformed"),
            ("fd64:11::1", "gateway-outside-subnet"),
            ("OWN6", "address-is-gateway"),
            ("fd64:10::2", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "hostname",
        "Host name",
        &["NAME"],
        &[
            ("log!book", "hostname-malformed"),
            ("log_book", "hostname-malformed"),
            ("log book", "hostname-malformed"),
            ("gauge-01", "hostname-duplicate"),
            ("NAME.capovetro.example", "answer-in-another-form"),
            ("another", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "fqdn",
        "Fully qualified domain name",
        &["NAME.capovetro.example"],
        &[
            ("NAME", "answer-in-another-form"),
            ("NAME..example", "domain-malformed"),
            ("na me.capovetro.example", "domain-malformed"),
            ("NAME.capovetro.example.", "domain-malformed"),
            ("gauge-01.capovetro.example", "hostname-duplicate"),
            ("NAME.capovetra.example", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "domain",
        "Domain name",
        &["capovetro.example"],
        &[
            ("capovetro..example", "domain-malformed"),
            ("capo_vetro.example", "domain-malformed"),
            (".capovetro.example", "domain-malformed"),
            ("capovetra.example", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "dns",
        "DNS servers, separated by commas",
        &["10.64.0.53,10.64.0.54", "10.64.0.53, 10.64.0.54", "10.64.0.54"],
        &[
            ("10.64.0.53;10.64.0.54", "answer-in-another-form"),
            ("10.64.0.53,ns.capovetro.example", "dns-not-an-address"),
            ("10.64.0.53,10.64.0.300", "dns-not-an-address"),
            ("10.64.0.53,10.64.0.53", "dns-duplicate"),
            ("10.64.0.53,OWN", "server-is-self"),
            ("10.64.0.53,10.64.0.11", "address-is-server"),
            ("192.0.2.53", "address-for-documentation"),
            ("127.0.0.53", "address-special-purpose"),
            ("10.64.0.53,10.64.0.55", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "dns-1",
        "First DNS server",
        &["10.64.0.53"],
        &[
            ("ns.capovetro.example", "dns-not-an-address"),
            ("10.64.0.53,10.64.0.54", "answer-in-another-form"),
            ("10.64.0.", "dns-not-an-address"),
            ("10.64.0.55", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "dns-2",
        "Second DNS server",
        &["10.64.0.54"],
        &[
            ("10.64.O.54", "dns-not-an-address"),
            ("OWN", "server-is-self"),
            ("10.64.0.53 10.64.0.54", "answer-in-another-form"),
            ("fd64:99::54", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "search",
        "Search domains, separated by spaces",
        &["capovetro.example", "capovetro.example quay.capovetro.example"],
        &[
            ("capovetro.example, quay.capovetro.example", "answer-in-another-form"),
            ("capovetro..example", "search-malformed"),
            ("capo_vetro.example", "search-malformed"),
            ("harbor.example", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "ntp",
        "NTP servers, separated by spaces",
        &["10.64.0.121 10.64.0.122", "clock.capovetro.example"],
        &[
            ("10.64.0.121,10.64.0.122", "answer-in-another-form"),
            ("10.64.0.1211", "ntp-malformed"),
            ("clock_1.capovetro.example", "ntp-malformed"),
            ("OWN", "server-is-self"),
            ("10.64.0.125", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "ntp-1",
        "Primary NTP server",
        &["10.64.0.121"],
        &[
            ("10.64.0.121 10.64.0.122", "answer-in-another-form"),
            ("10.64.0", "ntp-malformed"),
            ("0.0.0.1", "address-special-purpose"),
            ("10.64.0.11", "address-is-server"),
        ],
    ),
    kind(
        "ntp-2",
        "Secondary NTP server",
        &["10.64.0.122"],
        &[
            ("clock!", "ntp-malformed"),
            ("10.64.0.122,10.64.0.123", "answer-in-another-form"),
            ("10.64.0.126", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "timezone",
        "Time zone",
        &["Europe/Rome"],
        &[
            ("Europe/Lodnon", "timezone-unknown"),
            ("europe/rome", "timezone-unknown"),
            ("Rome", "timezone-unknown"),
            ("Europe/London", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "username",
        "Administrator user name",
        &["keeper", "Keeper", "keeper@capovetro.example"],
        &[
            ("harbor keeper", "account-name-invalid"),
            ("keeper:1", "account-name-invalid"),
            ("-keeper", "account-name-invalid"),
        ],
    ),
    Kind {
        meaning: "ssh-enabled",
        label: "Enable SSH",
        attributes: "ovf:type=\"string\" ovf:value=\"yes\"",
        right: &["yes", "no"],
        wrong: &[
            ("true", "answer-in-another-form"),
            ("0", "answer-in-another-form"),
            ("maybe", "answer-malformed"),
        ],
    },
    kind(
        "ssh-key",
        "SSH public key",
        &[KEY],
        &[(CUT, "ssh-key-malformed"), (CHANGED, "ssh-key-malformed"), ("keeper", "ssh-key-malformed")],
    ),
    Kind {
        meaning: "ntp-enabled",
        label: "Enable NTP",
        attributes: "ovf:type=\"boolean\" ovf:value=\"true\"",
        right: &["true", "True"],
        wrong: &[
            ("yes", "property-wrong-type"),
            ("1", "property-wrong-type"),
            ("false", "answer-differs-from-sheet"),
        ],
    },
    Kind {
        meaning: "dhcp-enabled",
        label: "Use DHCP",
        attributes: "ovf:type=\"string\" ovf:value=\"no\" ovf:qualifiers='ValueMap{\"yes\",\"no\"}'",
        right: &["no"],
        wrong: &[
            ("yes", "dhcp-beside-address"),
            ("No", "property-not-a-choice"),
            ("false", "property-not-a-choice"),
        ],
    },
    Kind {
        meaning: "ipv6-enabled",
        label: "Enable IPv6",
        attributes: "ovf:type=\"string\" ovf:value=\"enabled\"",
        right: &["enabled"],
        wrong: &[
            ("disabled", "ipv6-off-has-address"),
            ("true", "answer-in-another-form"),
            ("six", "answer-malformed"),
        ],
    },
    Kind {
        meaning: "https-enabled",
        label: "Enable HTTPS",
        attributes: "ovf:type=\"string\" ovf:value=\"on\"",
        right: &["on"],
        wrong: &[
            ("off", "https-switched-off"),
            ("yes", "answer-in-another-form"),
            ("443", "answer-malformed"),
        ],
    },
    kind(
        "vlan",
        "VLAN ID",
        &["110"],
        &[
            ("4095", "vlan-out-of-range"),
            ("-1", "vlan-out-of-range"),
            ("quay", "vlan-out-of-range"),
            ("0110", "answer-in-another-form"),
            ("120", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "mtu",
        "MTU",
        &["1500"],
        &[
            ("67", "mtu-out-of-range"),
            ("70000", "mtu-out-of-range"),
            ("jumbo", "mtu-out-of-range"),
            ("9000", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "license-key",
        "License key",
        &["QUAY7-TIDE2-MAST4"],
        &[
            ("XXXXX-XXXXX-XXXXX", "answer-malformed"),
            ("CHANGE-ME", "answer-malformed"),
            (" QUAY7-TIDE2-MAST4", "answer-malformed"),
        ],
    ),
    kind(
        "license-server",
        "License server",
        &[
            "10.64.0.9",
            "licenses.capovetro.example:27000",
            "27000@licenses.capovetro.example",
            "[fd64:10::9]:27000",
        ],
        &[
            ("licenses.capovetro.example:270000", "server-malformed"),
            ("10.64.0.900", "server-malformed"),
            ("licenses_1", "server-malformed"),
            ("OWN:27000", "server-is-self"),
        ],
    ),
    kind(
        "mail-relay",
        "Mail relay",
        &["10.64.0.9", "mail.capovetro.example:25"],
        &[
            ("mail.capovetro.example:smtp", "server-malformed"),
            ("mail capovetro", "server-malformed"),
            (":25", "server-malformed"),
            ("OWN", "server-is-self"),
        ],
    ),
    kind(
        "mail-address",
        "E-mail address for alerts",
        &["watch@capovetro.example", "watch+quay@capovetro.example"],
        &[
            ("watch.capovetro.example", "mail-address-malformed"),
            ("watch@", "mail-address-malformed"),
            ("watch@capo_vetro.example", "mail-address-malformed"),
        ],
    ),
    kind(
        "proxy",
        "HTTP proxy",
        &["http://10.64.0.8:3128", "proxy.capovetro.example:3128"],
        &[
            ("htp://10.64.0.8:3128", "proxy-malformed"),
            ("http://10.64.0.8:99999", "proxy-malformed"),
            ("http:/10.64.0.8", "proxy-malformed"),
            ("http://OWN:3128", "server-is-self"),
        ],
    ),
    Kind {
        meaning: "role",
        label: "Role of the node",
        attributes: "ovf:type=\"string\" ovf:value=\"primary\" ovf:qualifiers='ValueMap{\"primary\",\"standby\"}'",
        right: &["primary", "standby"],
        wrong: &[
            ("Primary", "property-not-a-choice"),
            ("master", "property-not-a-choice"),
            ("stand by", "property-not-a-choice"),
        ],
    },
    kind(
        "locale",
        "Language",
        &["it_IT.UTF-8", "it_IT", "it"],
        &[
            ("xx_XX", "locale-unknown"),
            ("italian", "locale-unknown"),
            ("de_DE.UTF-8", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "keyboard",
        "Keyboard layout",
        &["it"],
        &[("italian", "keyboard-unknown"), ("xx", "keyboard-unknown"), ("gb", "answer-differs-from-sheet")],
    ),
    kind(
        "node-number",
        "Number of this node",
        &["1", "7"],
        &[("one", "answer-malformed"), ("-1", "answer-malformed"), ("01", "answer-in-another-form")],
    ),
    kind(
        "node-count",
        "Number of nodes in the cluster",
        &["2"],
        &[
            ("3", "cluster-count-differs"),
            ("1", "cluster-count-differs"),
            ("0", "answer-malformed"),
            ("two", "answer-malformed"),
        ],
    ),
    kind(
        "cluster-name",
        "Name of the cluster",
        &["CLUSTER"],
        &[
            ("CLUSTER ", "answer-malformed"),
            ("changeme", "answer-malformed"),
            ("another", "answer-differs-from-sheet"),
        ],
    ),
    kind(
        "peers",
        "Cluster peers, separated by commas",
        &["MATE", "MATENAME", "MATENAME.capovetro.example"],
        &[
            ("OWN", "cluster-peer-wrong"),
            ("MATE,10.64.0.11", "cluster-peer-wrong"),
            ("MATE;MATE", "answer-in-another-form"),
            ("10.64.0.3000", "cluster-peer-wrong"),
        ],
    ),
    kind(
        "virtual-address",
        "Virtual IP address of the cluster",
        &["SHARED"],
        &[
            ("10.64.0.6o", "address-malformed"),
            ("10.64.16.60", "address-outside-subnet"),
            ("10.64.0.11", "address-duplicate"),
            ("OWN", "address-duplicate"),
            ("10.64.15.9", "address-in-dhcp-range"),
            ("10.64.0.98", "answer-differs-from-sheet"),
        ],
    ),
];

/// Meanings that have to do with a cluster.
const OF_CLUSTER: [&str; 5] = ["node-number", "node-count", "cluster-name", "peers", "virtual-address"];

/// Meanings of values that a console can ask for by a word of `take`.
fn is_asked_at_consoles(meaning: &str) -> bool {
    !matches!(
        meaning,
        "username"
            | "ssh-enabled"
            | "ssh-key"
            | "ntp-enabled"
            | "dhcp-enabled"
            | "ipv6-enabled"
            | "https-enabled"
            | "license-key"
            | "license-server"
            | "mail-relay"
            | "mail-address"
            | "proxy"
            | "role"
    )
}

const SITE: &str = r#"format = 1
[common]
site = "Capo Vetro harbor"
domain = "capovetro.example"
dns = ["10.64.0.53", "10.64.0.54"]
search = ["capovetro.example", "quay.capovetro.example"]
ntp = ["10.64.0.121", "10.64.0.122", "10.64.0.123", "clock.capovetro.example"]
timezone = "Europe/Rome"
locale = "it_IT.UTF-8"
keyboard = "it"
[subnet.quay]
prefix = "10.64.0.0/20"
gateway = "10.64.0.1"
prefix6 = "fd64:10::/64"
gateway6 = "fd64:10::1"
vlan = 110
mtu = 1500
dhcp_ranges = ["10.64.15.0-10.64.15.200"]
kept_free = ["10.64.0.2-10.64.0.9"]
in_use = { "10.64.0.40" = "crane controller" }
[subnet.mole]
prefix = "10.64.16.0/24"
gateway = "10.64.16.1"
[account.keeper]
admin = true
ssh_keys = ["keys/keeper.pub"]
[[host]]
name = "gauge-01"
link.eth0 = { subnet = "quay", address = "10.64.0.11", address6 = "fd64:10::11" }
"#;

/// A value under test: where it is answered, and the rule that it breaks, if any.
struct Row {
    machine: String,
    meaning: &'static str,
    value: String,
    rule: Option<&'static str>,
}

fn descriptor(kind: &Kind) -> String {
    format!(
        r#"<?xml version="1.0" encoding="UTF-8"?>
<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1" xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">
  <NetworkSection><Info>Networks</Info><Network ovf:name="Management"/></NetworkSection>
  <VirtualSystem ovf:id="logbook"><Info>A log book</Info>
    <ProductSection><Info>Settings</Info><Product>Log book</Product><Version>2</Version>
      <Property ovf:key="{}" ovf:userConfigurable="true" {}><Label>{}</Label></Property>
    </ProductSection>
    <VirtualHardwareSection ovf:transport="iso"><Info>Hardware</Info>
      <Item><rasd:Connection>Management</rasd:Connection><rasd:InstanceID>1</rasd:InstanceID><rasd:ResourceType>10</rasd:ResourceType></Item>
    </VirtualHardwareSection>
  </VirtualSystem>
</Envelope>
"#,
        kind.meaning.replace('-', "_"),
        kind.attributes,
        kind.label
    )
}

fn questions(kind: &Kind) -> String {
    let form = match kind.meaning {
        "dns" | "peers" => "join = \",\"\n",
        "search" | "ntp" => "join = \" \"\n",
        "dns-1" | "ntp-1" => "position = 1\n",
        "dns-2" | "ntp-2" => "position = 2\n",
        _ => "",
    };
    format!(
        "format = 1\n[[question]]\nid = \"{}\"\nask = \"{}\"\ntake = \"{}\"\n{form}",
        kind.meaning.replace('-', "_"),
        kind.label,
        kind.meaning
    )
}

/// A sheet with an appliance for each value of the table, and what is expected of each.
fn sheet_of_all(kinds: &[&'static Kind], source: impl Fn(&Kind) -> String) -> (String, Vec<Row>) {
    let mut sheet = SITE.to_owned();
    let mut rows = Vec::new();
    for kind in kinds {
        let right = kind.right.iter().map(|value| (*value, None));
        let wrong = kind.wrong.iter().map(|(value, rule)| (*value, Some(*rule)));
        for (value, rule) in right.chain(wrong) {
            let number = rows.len();
            let name = format!("logbook-{number}");
            let address =
                |offset: usize| format!("10.64.{}.{}", 1 + offset + number / 200, 20 + number % 200);
            let address6 = |offset: usize| format!("fd64:10::{}:{number}", 1 + offset);
            let is_clustered = OF_CLUSTER.contains(&kind.meaning);
            let shared = format!("10.64.{}.{}", 9 + number / 200, 20 + number % 200);
            let value = value
                .replace("OWN6", &address6(0))
                .replace("OWN", &address(0))
                .replace("MATENAME", &format!("mate-{number}"))
                .replace("MATE", &address(5))
                .replace("SHARED", &shared)
                .replace("CLUSTER", &format!("cluster-{number}"))
                .replace("NAME", &name);
            let own_cluster = if is_clustered {
                writeln!(
                    sheet,
                    "[cluster.cluster-{number}]\nvirtual_address = {{ subnet = \"quay\", address = \"{shared}\" }}\n\
                     [[host]]\nname = \"mate-{number}\"\ncluster = \"cluster-{number}\"\n\
                     link.eth0 = {{ subnet = \"quay\", address = \"{}\", address6 = \"{}\" }}",
                    address(5),
                    address6(5)
                )
                .unwrap();
                format!("cluster = \"cluster-{number}\"\n")
            } else {
                String::new()
            };
            writeln!(
                sheet,
                "[[appliance]]\nname = \"{name}\"\n{own_cluster}{}\n\
                 link.management = {{ subnet = \"quay\", address = \"{}\", address6 = \"{}\" }}\n\
                 [appliance.answer]\n\"{}\" = {}",
                source(kind),
                address(0),
                address6(0),
                kind.meaning.replace('-', "_"),
                toml_text(&value)
            )
            .unwrap();
            rows.push(Row { machine: name, meaning: kind.meaning, value, rule });
        }
    }
    (sheet, rows)
}

fn toml_text(value: &str) -> String {
    format!("\"{}\"", value.replace('\\', "\\\\").replace('"', "\\\""))
}

/// What `check` finds, by machine.
fn findings(workspace: &Workspace) -> BTreeMap<String, Vec<Value>> {
    let run = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{}", run.stderr));
    let mut by_machine: BTreeMap<String, Vec<Value>> = BTreeMap::new();
    for finding in report["findings"].as_array().unwrap() {
        let machine = finding["machine"].as_str().unwrap_or_default().to_owned();
        by_machine.entry(machine).or_default().push(finding.clone());
    }
    by_machine
}

/// Each wrong value breaks its rule at the answer, alone and with a fix; each right one breaks none.
fn assert_rows(workspace: &Workspace, sheet: &str, rows: &[Row], subject: &'static str) {
    workspace.write("sheet.toml", sheet);
    let found = findings(workspace);
    let mut page = Page::on(subject);
    assert_eq!(found.get(""), None);
    let mut wrong = String::new();
    for row in rows {
        let own = found.get(&row.machine).map(Vec::as_slice).unwrap_or_default();
        let rules: Vec<&str> = own.iter().map(|finding| finding["rule"].as_str().unwrap()).collect();
        let expected: Vec<&str> = row.rule.into_iter().collect();
        if rules != expected {
            writeln!(wrong, "{} {:?}: {rules:?} for {expected:?}", row.meaning, row.value).unwrap();
        }
        page.findings(own);
        for finding in own {
            let line = usize::try_from(finding["line"].as_u64().unwrap()).unwrap();
            let text = sheet.lines().nth(line - 1).unwrap();
            assert!(
                text.starts_with(&format!("\"{}\" = ", row.meaning.replace('-', "_"))),
                "{finding}\n{text}"
            );
            assert!(!finding["fix"].as_str().unwrap().is_empty(), "{finding}");
            let id = format!("\"{}\"", row.meaning.replace('-', "_"));
            assert!(finding["message"].as_str().unwrap().contains(&id), "{finding}");
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
    page.keep();
}

#[test]
fn at_properties() {
    let workspace = Workspace::new();
    for kind in KINDS {
        workspace.write(&format!("packages/{}.ovf", kind.meaning), descriptor(kind));
        let run = workspace.run(&[
            "inspect",
            &format!("packages/{}.ovf", kind.meaning),
            "--no-digests",
            "--format",
            "json",
        ]);
        let report: Value = serde_json::from_str(&run.stdout).unwrap();
        let told = &report["properties"][0];
        assert_eq!(told["meaning"], kind.meaning, "{told}");
        assert!(told["confidence"].as_f64().unwrap() >= 0.8, "{told}");
    }
    let (sheet, rows) = sheet_of_all(&KINDS.iter().collect::<Vec<_>>(), |kind| {
        format!("package = \"packages/{}.ovf\"", kind.meaning)
    });
    assert_rows(&workspace, &sheet, &rows, "findings-answers");
}

#[test]
fn at_consoles() {
    let workspace = Workspace::new();
    let kinds: Vec<&'static Kind> = KINDS.iter().filter(|kind| is_asked_at_consoles(kind.meaning)).collect();
    for kind in &kinds {
        workspace.write(&format!("packages/{}.toml", kind.meaning), questions(kind));
    }
    let (sheet, rows) = sheet_of_all(&kinds, |kind| format!("meanings = \"packages/{}.toml\"", kind.meaning));
    assert_rows(&workspace, &sheet, &rows, "findings-answers-at-consoles");
}

/// Every meaning that there is stands in the table, with three wrong values or more.
#[test]
fn no_meaning_is_left_out() {
    let known: Vec<&str> = KINDS.iter().map(|kind| kind.meaning).collect();
    for meaning in impostazione_ovf::Meaning::ALL {
        // Passwords have rules of their own, on secrets; what means nothing is not judged by its meaning.
        if !matches!(meaning.word(), "password" | "other") {
            assert!(known.contains(&meaning.word()), "{meaning}");
        }
    }
    for kind in KINDS {
        assert!(kind.wrong.len() >= 3 && !kind.right.is_empty(), "{}", kind.meaning);
    }
}
