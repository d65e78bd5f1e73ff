//! What is near a breach and is none: for every rule on sheets a sheet at its limit, of which nothing at all is said.

use std::collections::BTreeSet;

use crate::support::{READABLE, Workspace, clustered, host, packaged, paired, right_sheet, with_password};

/// A rule, and a sheet that does not quite break it.
type NearMiss = (&'static str, String);

/// The right sheet with one host, parts of it replaced.
fn with(replacements: &[(&str, &str)]) -> String {
    replaced(right_sheet(&host("gauge-01", "10.64.10.11")), replacements)
}

/// The sample sheet, parts of it replaced.
fn harbor(replacements: &[(&str, &str)]) -> String {
    replaced(Workspace::new().read("harbor.toml"), replacements)
}

fn replaced(mut sheet: String, replacements: &[(&str, &str)]) -> String {
    for (part, replacement) in replacements {
        assert!(sheet.contains(part), "{part}");
        sheet = sheet.replacen(part, replacement, 1);
    }
    sheet
}

/// The right sheet with one host, and more after it.
fn and(more: &str) -> String {
    right_sheet(&(host("gauge-01", "10.64.10.11") + more))
}

/// The right sheet with one host of these settings and links, a tagged subnet and a wireless one.
fn linked(lines: &str) -> String {
    // A subnet with a radio where one is in it, or where a cable is said to lead there.
    let (start, rest) = SUBNETS.split_once("wifi = ").unwrap();
    let (_, rest) = rest.split_once('\n').unwrap();
    let wired = format!("{start}{}", rest.split("[secret.slip]").next().unwrap());
    let has_radio = lines.contains("kind = \"wifi\"") || lines.contains("kind = \"ethernet\"");
    let subnets = if has_radio { SUBNETS } else { &wired };
    right_sheet(&format!("{subnets}[[host]]\nname = \"gauge-01\"\n{lines}\n"))
}

/// The same with one link in the subnet of the quay, which has these keys besides.
fn link(keys: &str) -> String {
    linked(&format!("link.lan0 = {{ {keys}, {IN_QUAY} }}"))
}

/// A host in a subnet of its own.
fn in_subnet(subnet: &str, address: &str) -> String {
    right_sheet(&format!(
        "[subnet.mole]\n{subnet}\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = {{ subnet = \"mole\", {address} }}\n"
    ))
}

const IN_QUAY: &str = "subnet = \"quay\", address = \"10.64.10.11\"";
const ETH: &str = "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }";
const ADDRESS: &str = "\"10.64.10.11\"";
const NAME: &str = "name = \"gauge-01\"";
const DNS: &str = "[\"10.64.10.53\", \"10.64.10.54\"]";
const LANS: &str =
    "link.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\n";
const SUBNETS: &str = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\nvlan = 130\n\
    wifi = { ssid = \"12345678901234567890123456789012\", passphrase = { secret = \"slip\" } }\n\
    [secret.slip]\nfrom = \"file\"\npath = \"slip.secret\"\n";

/// The table of the secret that those use.
const SLIP: &str = "[secret.slip]\nfrom = \"file\"\npath = \"slip.secret\"\n";

fn near_misses_of_the_sheet() -> Vec<NearMiss> {
    let two = |more: &str| with(&[("\"gauge-01\"", "\"gauge-{09..10}\""), (ADDRESS, more)]);
    vec![
        ("sheet-syntax", with(&[("[\"capovetro.example\"]", "[\n  # in which names are looked up\n  'capovetro.example',\n]")])),
        ("sheet-empty", harbor(&[]).split("[[appliance]]").next().unwrap().to_owned()),
        ("sheet-format-unknown", with(&[("format = 1", "format = 0x1")])),
        ("sheet-key-unknown", with(&[("address =", "\"address\" =")])),
        ("sheet-key-misplaced", with(&[(NAME, "name = \"gauge-01\"\ndns = \"none\"\nntp = \"none\"")])),
        ("sheet-key-missing", linked(&format!("{ETH}\nlink.enp2s0 = {{ address = \"none\" }}"))),
        ("sheet-value-wrong-type", with(&[("[\"capovetro.example\"]", "\"none\"")])),
        ("pattern-malformed", with(&[(NAME, "name = \"gauge-{0x0a..0x0b}\""), (ADDRESS, "\"10.64.10.{99..100}\"")])),
        ("pattern-lengths-differ", two("\"10.64.10.{19..20}\"")),
        ("ssh-key-expired", with_keys("\"keys/future.pub\"")),
        ("login-by-certificate-only", with_keys("\"keys/authority.pub\", \"keys/keeper.pub\"")),
        ("rows-malformed", harbor(&[("\"lamps.csv\"", "\"quoted.csv\"")])),
        ("rows-in-another-form", harbor(&[("\"lamps.csv\"", "\"semicolon.csv\"")])),
        ("rows-value-over-lines", harbor(&[("\"lamps.csv\"", "\"quoted.csv\"")])),
        ("rows-field-missing", harbor(&[("\"lamps.csv\"", "\"wide.csv\"")])),
        ("rows-empty", harbor(&[("\"lamps.csv\"", "\"one.csv\"")])),
        ("reference-dangling", linked(&format!("ntp = [{{ take = \"address\", of = \"signal-tower\" }}, \"none\"]\n{ETH}\n{}", host("signal-tower", "10.64.10.31").replace("link", "serves = [\"ntp\"]\nlink")))),
        ("reference-loop", linked(&format!("ntp = [{{ take = \"ntp-1\", of = \"gauge-02\" }}, \"none\"]\n{ETH}\n{}", host("gauge-02", "10.64.10.12")))),
        ("waiver-expired", and("[[waiver]]\nrule = \"dns-only-one\"\nreason = \"one server until spring\"\nuntil = 2099-12-31\n").replace(DNS, "[\"10.64.10.53\"]")),
        ("waiver-unmatched", and("[[waiver]]\nrule = \"ssh-disabled\"\nmachines = [\"gauge-*\"]\nreason = \"a console server is beside it\"\nuntil = 2099-12-31\n").replace(NAME, "name = \"gauge-01\"\nssh = { enabled = false }")),
        ("waiver-not-allowed", and("[[waiver]]\nrule = \"prefix-not-private\"\nreason = \"the quay has a public prefix\"\nuntil = 2099-12-31\n[subnet.outer]\nprefix6 = \"2a00:64::/64\"\n")),
    ]
}

#[allow(clippy::too_many_lines, reason = "a table of rules")]
fn near_misses_of_subnets() -> Vec<NearMiss> {
    let quay = |from: &str, to: &str| with(&[(from, to)]);
    let at = |address: &str| with(&[(ADDRESS, &format!("\"{address}\""))]);
    let wide = "prefix = \"10.64.30.0/23\"\ngateway = \"10.64.30.1\"";
    vec![
        ("prefix-malformed", quay("\"10.64.10.0/24\"", "\"10.64.10.0/255.255.255.0\"")),
        (
            "prefix-has-host-bits",
            in_subnet(
                "prefix = \"10.64.30.192/26\"\ngateway = \"10.64.30.193\"",
                "address = \"10.64.30.194\"",
            ),
        ),
        (
            "netmask-not-contiguous",
            in_subnet(
                "prefix = \"10.64.30.0/255.255.255.252\"\ngateway = \"10.64.30.1\"",
                "address = \"10.64.30.2\"",
            ),
        ),
        (
            "prefix-not-private",
            and("[subnet.mole]\nprefix = \"172.31.255.0/24\"\n[subnet.pier]\nprefix6 = \"fdff:ffff::/64\"\n"),
        ),
        (
            "subnet-overlap",
            and(
                "[subnet.mole]\nprefix = \"10.64.11.0/24\"\n[subnet.pier]\nprefix = \"10.64.8.0/23\"\nprefix6 = \"fd64:11::/64\"\n",
            ),
        ),
        ("subnet-undefined", linked("link.eth0 = { subnet = \"slip\", address = \"10.64.30.11\" }")),
        (
            "wifi-kind-missing",
            linked("link.wired0 = { kind = \"ethernet\", subnet = \"slip\", address = \"10.64.30.11\" }"),
        ),
        ("servers-left-behind", with(&[("\"10.64.10.54\"", "\"9.9.9.9\"")])),
        ("ntp-duplicate", with(&[("\"10.64.10.122\"", "\"10.64.10.123\"")])),
        (
            "server-unreachable",
            linked(&format!(
                "{ETH}\nlink.enp2s0 = {{ subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
            )),
        ),
        (
            "gateway-unused",
            linked(&format!(
                "{ETH}\nlink.enp2s0 = {{ subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
            )),
        ),
        ("account-of-system", and("[account.backups]\nssh_keys = [\"keys/pilot.pub\"]\n")),
        (
            "route-to-own-subnet",
            link(
                "routes = [{ to = \"10.64.11.0/24\", via = \"10.64.10.2\" }, { to = \"10.64.0.0/16\", via = \"10.64.10.2\" }]",
            ),
        ),
        (
            "default-route-second",
            link("routes = [{ to = \"0.0.0.0/1\", via = \"10.64.10.2\", metric = 900 }]"),
        ),
        (
            "vlan-over-member",
            linked(&format!(
                "link.lan0 = {{ mac = \"02:64:10:00:00:21\" }}\nlink.lan1 = {{ mac = \"02:64:10:00:00:22\" }}\n\
                 link.uplink = {{ kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", {IN_QUAY} }}\n\
                 link.radar = {{ kind = \"vlan\", over = \"uplink\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
            )),
        ),
        (
            "address-is-router-anycast",
            in_subnet(
                "prefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\nprefix6 = \"fd64:30::/127\"\ngateway6 = \"fd64:30::1\"",
                "address = \"10.64.30.11\", address6 = \"fd64:30::\"",
            ),
        ),
        (
            "subnet-full",
            and("[subnet.mole]\nprefix = \"10.64.31.0/29\"\ndhcp_ranges = [\"10.64.31.1-10.64.31.5\"]\n"),
        ),
        (
            "pool-overlap",
            and(
                "[pool.inner]\nprefix = \"10.64.11.0/24\"\nprefix6 = \"fd64:11::/64\"\n[pool.outer]\nprefix = \"10.64.12.0/23\"\n",
            ),
        ),
        (
            "address-range-malformed",
            quay("\"10.64.10.2-10.64.10.9\"", "\"10.64.10.2-10.64.10.2\", \"10.64.10.9\""),
        ),
        ("dhcp-range-outside-subnet", quay("10.64.10.200-10.64.10.239", "10.64.10.240-10.64.10.254")),
        ("gateway-outside-subnet", quay("\"fd64:10::1\"", "\"fe80::1\"")),
        (
            "gateway-missing",
            linked(&format!(
                "{ETH}\nlink.enp2s0 = {{ subnet = \"mole\", address = \"10.64.31.11\", default_route = false }}\n[subnet.mole]\nprefix = \"10.64.31.0/24\""
            )),
        ),
        (
            "default-route-duplicate",
            linked(&format!(
                "{ETH}\nlink.enp2s0 = {{ subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
            )),
        ),
        ("address-malformed", at("10.64.10.11/24")),
        (
            "address-missing",
            linked(&format!("{ETH}\nlink.enp2s0 = {{ subnet = \"slip\", address = \"none\" }}")),
        ),
        ("address-outside-subnet", in_subnet(wide, "address = \"10.64.31.254\"")),
        ("netmask-disagrees", at("10.64.10.11/0xFFFFFF00")),
        ("address-is-network", in_subnet(wide, "address = \"10.64.31.0\"")),
        (
            "address-is-network",
            in_subnet("prefix = \"10.64.30.0/31\"\ngateway = \"10.64.30.1\"", "address = \"10.64.30.0\""),
        ),
        ("address-is-broadcast", in_subnet(wide, "address = \"10.64.30.255\"")),
        (
            "address-is-broadcast",
            in_subnet("prefix = \"10.64.30.7/32\"\ngateway = \"none\"", "address = \"10.64.30.7\"")
                .replace("name = \"gauge-01\"", "name = \"gauge-01\"\ndns = \"none\"\nntp = \"none\""),
        ),
        ("address-is-gateway", in_subnet(wide, "address = \"10.64.30.2\"")),
        ("address-in-dhcp-range", at("10.64.10.199")),
        ("address-in-dhcp-range", at("10.64.10.240")),
        ("address-kept-free", at("10.64.10.10")),
        ("address-in-use", at("10.64.10.41")),
        (
            "address-duplicate",
            and(
                "[subnet.mole]\nprefix = \"10.64.31.0/24\"\ngateway = \"10.64.31.1\"\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"mole\", address = \"10.64.31.11\" }\n",
            ),
        ),
        (
            "address-is-server",
            with(&[
                (ADDRESS, "\"10.64.10.121\""),
                (NAME, "name = \"gauge-01\"\nserves = [\"ntp\"]\nntp = [\"10.64.10.122\", \"none\"]"),
            ]),
        ),
        (
            "address-special-purpose",
            and("[subnet.mole]\nprefix6 = \"fd64:31::/64\"\ngateway6 = \"fe80::1\"\n"),
        ),
        ("address-for-documentation", quay(DNS, "[\"10.64.10.53\", \"fd64:10:2001:db8::53\"]")),
        (
            "vlan-out-of-range",
            and(
                "[subnet.mole]\nprefix = \"10.64.31.0/24\"\nvlan = 1\n[subnet.pier]\nprefix = \"10.64.32.0/24\"\nvlan = 4094\n",
            ),
        ),
        (
            "vlan-duplicate",
            and("[subnet.mole]\nprefix = \"10.64.31.0/24\"\nvlan = 131\n[pool.inner]\nvlan = 132\n"),
        ),
    ]
}

#[allow(clippy::too_many_lines, reason = "a table of rules")]
fn near_misses_of_links() -> Vec<NearMiss> {
    let bond = |keys: &str| linked(&format!("{LANS}link.uplink = {{ kind = \"bond\", {keys}, {IN_QUAY} }}"));
    let both = "members = [\"lan0\", \"lan1\"]";
    let radar = "kind = \"vlan\", subnet = \"slip\", default_route = false";
    let radio = "link.wifi0 = { kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }";
    let second = "subnet = \"slip\", address = \"10.64.30.11\"";
    vec![
        ("link-name-invalid", linked(&format!("link.enx026410000011 = {{ {IN_QUAY} }}"))),
        ("link-name-kernel", link("mac = \"02:64:10:00:00:21\"")),
        ("link-name-kernel", linked(&format!("link.eth0 = {{ {IN_QUAY} }}"))),
        ("link-by-name-only", linked(&format!("link.enp1s0 = {{ {IN_QUAY} }}"))),
        (
            "link-by-name-only",
            linked(&format!(
                "{ETH}\nlink.wlan0 = {{ kind = \"wifi\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
            )),
        ),
        (
            "link-setting-needs-mac",
            link("mac = \"02:64:10:00:00:21\", wake_on_lan = true, speed = 100, duplex = \"half\""),
        ),
        (
            "link-undefined",
            linked(&format!("{ETH}\nlink.radar = {{ {radar}, over = \"eth0\", address = \"10.64.30.11\" }}")),
        ),
        (
            "link-has-two-parents",
            linked(&format!(
                "{LANS}link.inner = {{ kind = \"bridge\", members = [\"lan0\"], {IN_QUAY} }}\nlink.outer = {{ kind = \"bridge\", members = [\"lan1\"], address = \"none\" }}"
            )),
        ),
        (
            "link-loop",
            linked(&format!(
                "{LANS}link.pair = {{ kind = \"bond\", {both}, mode = \"balance-rr\" }}\nlink.inner = {{ kind = \"bridge\", members = [\"pair\"], {IN_QUAY} }}\nlink.radar = {{ {radar}, over = \"inner\", address = \"10.64.30.11\" }}"
            )),
        ),
        (
            "link-member-has-address",
            linked(&format!(
                "link.lan0 = {{ mac = \"02:64:10:00:00:21\", address = \"none\" }}\nlink.inner = {{ kind = \"bridge\", members = [\"lan0\"], {IN_QUAY} }}"
            )),
        ),
        ("mac-malformed", link("mac = \"02:64:1a:00:00:ff\"")),
        ("mac-duplicate", bond(&format!("{both}, mode = \"broadcast\", mac = \"02:64:10:00:00:21\""))),
        ("mac-not-unicast", link("mac = \"fe:64:10:00:00:21\"")),
        ("bond-without-members", bond(&format!("{both}, mode = \"balance-rr\""))),
        ("bond-only-one-member", bond(&format!("{both}, mode = \"802.3ad\""))),
        ("bond-mode-unknown", bond(&format!("{both}, mode = \"balance-alb\""))),
        (
            "bond-option-without-effect",
            bond(&format!("{both}, mode = \"802.3ad\", lacp_rate = \"fast\", hash_policy = \"layer3+4\"")),
        ),
        ("bond-option-without-effect", bond(&format!("{both}, mode = \"balance-tlb\", primary = \"lan1\""))),
        (
            "vlan-missing",
            linked(&format!(
                "{ETH}\nlink.lan1 = {{ subnet = \"mole\", address = \"10.64.31.11\", default_route = false }}\n[subnet.mole]\nprefix = \"10.64.31.0/24\""
            )),
        ),
        (
            "vlan-twice-on-link",
            linked(&format!(
                "{ETH}\nlink.enp2s0 = {{ address = \"none\" }}\nlink.radar = {{ {radar}, over = \"eth0\", address = \"10.64.30.11\" }}\nlink.sonar = {{ {radar}, over = \"enp2s0\", address = \"10.64.30.12\" }}"
            )),
        ),
        ("mtu-out-of-range", link("mtu = 1280, address6 = \"fd64:10::11\"")),
        ("mtu-out-of-range", linked(&format!("ipv6 = \"off\"\nlink.lan0 = {{ mtu = 1279, {IN_QUAY} }}"))),
        (
            "mtu-above-parent",
            linked(&format!(
                "link.lan0 = {{ mtu = 9000, {IN_QUAY} }}\nlink.radar = {{ {radar}, over = \"lan0\", address = \"10.64.30.11\", mtu = 9000 }}"
            )),
        ),
        (
            "wifi-settings-missing",
            linked(&format!(
                "{radio}\nlink.wifi1 = {{ kind = \"wifi\", address = \"none\", subnet = \"slip\" }}"
            )),
        ),
        ("wifi-ssid-length", linked(radio)),
        (
            "wifi-passphrase-length",
            linked(radio).replace("secret = \"slip\"", "secret = \"least\"").replace(SLIP, "")
                + "[secret.least]\nfrom = \"file\"\npath = \"least.secret\"\n[secret.most]\nfrom = \"file\"\npath = \"most.secret\"\n[subnet.mole]\nprefix = \"10.64.31.0/24\"\nwifi = { ssid = \"mole\", passphrase = { secret = \"most\" } }\n",
        ),
        (
            "wifi-country-unknown",
            linked(radio).replace("{ secret = \"slip\" }", "\"none\", country = \"IT\"").replace(SLIP, ""),
        ),
        (
            "wifi-in-bridge",
            linked(&format!(
                "{LANS}link.inner = {{ kind = \"bridge\", {both}, {IN_QUAY} }}\n{}",
                radio.replace(" }", ", default_route = false }")
            )),
        ),
        (
            "secret-undefined",
            linked(radio)
                .replace("\"slip\"", "\"slip-2\"")
                .replace("[secret.slip]", "[secret.slip-2]")
                .replace("[subnet.slip]", "[subnet.slip-2]"),
        ),
        (
            "secret-missing",
            linked(radio).replace("path = \"slip.secret\"", "path = \"./keys/../slip.secret\""),
        ),
        ("secret-not-looked-at", linked(radio).replace("path = \"slip.secret\"", "path = \"./slip.secret\"")),
        (
            "ipv6-off-has-address",
            linked(&format!("ipv6 = \"off\"\nlink.lan0 = {{ {IN_QUAY}, address6 = \"none\" }}")),
        ),
        (
            "route-unreachable",
            link(
                "more_addresses = [\"fd64:10::11\"], routes = [{ to = \"fd64:96::/64\", via = \"fd64:10::2\" }, { to = \"10.64.96.0/20\", via = \"10.64.10.254\" }]",
            ),
        ),
        (
            "route-duplicate",
            link(
                "routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }, { to = \"10.64.96.0/20\", via = \"10.64.10.3\", metric = 200 }, { to = \"10.64.96.0/21\", via = \"10.64.10.3\" }]",
            ),
        ),
        (
            "routing-table-duplicate",
            linked(&format!(
                "{ETH}\nlink.lan1 = {{ {second}, routing_table = 7 }}\n[[host]]\nname = \"gauge-02\"\nlink.lan0 = {{ subnet = \"quay\", address = \"10.64.10.12\" }}\nlink.lan1 = {{ subnet = \"slip\", address = \"10.64.30.12\", routing_table = 7 }}"
            )),
        ),
        (
            "routing-table-without-gateway",
            linked(&format!("{ETH}\nlink.lan1 = {{ {second}, routing_table = 252 }}")),
        ),
        (
            "renderer-lacks-setting",
            linked(&format!("renderer = \"NetworkManager\"\nmulticast_dns = false\nipv6 = \"off\"\n{ETH}")),
        ),
        (
            "netplan-too-old",
            linked(&format!(
                "renderer = \"NetworkManager\"\nnetplan = \"1.1\"\n{ETH}\nlink.lan1 = {{ {second}, routing_table = 7 }}"
            )),
        ),
    ]
}

#[allow(clippy::too_many_lines, reason = "a table of rules")]
fn near_misses_of_settings() -> Vec<NearMiss> {
    let own = |lines: &str| with(&[(NAME, &format!("name = \"gauge-01\"\n{lines}"))]);
    let named = |name: &str| with(&[("\"gauge-01\"", &format!("\"{name}\""))]);
    let long = "a".repeat(63);
    // Eight bytes of `gauge-01`, a dot, and 244 of this.
    let far = format!("{}.{}.{}.{}.example", &long[..59], &long[..59], &long[..58], &long[..57]);
    vec![
        ("hostname-malformed", named("1-gauge--a")),
        ("hostname-too-long", named(&long)),
        ("hostname-duplicate", and(&host("gauge-1", "10.64.10.12"))),
        (
            "hostname-duplicate",
            and(&host("gauge-02", "10.64.10.12").replace("link", "hostname = \"gauge\"\nlink")),
        ),
        ("hostname-numeric", named("0x12g")),
        ("hostname-uppercase", own("fqdn = \"gauge-01.lights.capovetro.example\"")),
        ("hostname-breaks-pattern", own("name_pattern = \"^gauge-[0-9]{2}$\"")),
        ("fqdn-too-long", own(&format!("domain = \"{far}\"\nsearch = \"none\""))),
        ("domain-malformed", own("domain = \"3.dock-1.capovetro.example\"")),
        ("domain-single-label", own("domain = \"harbor.example\"")),
        ("domain-reserved-for-mdns", own("domain = \"local.capovetro.example\"")),
        ("search-malformed", own("search = [\"capovetro.example\", \"3.capovetro.example\"]")),
        ("dns-missing", own("dns = \"none\"\nntp = [\"10.64.10.121\", \"none\"]")),
        ("dns-only-one", own("dns = [\"10.64.10.53\", \"none\"]")),
        ("dns-too-many", own("dns = [\"10.64.10.53\", \"10.64.10.54\", \"10.64.10.55\"]")),
        ("dns-not-an-address", own("dns = [\"10.64.10.53\", \"fd64:10::10.64.10.54\"]")),
        ("dns-duplicate", own("dns = [\"10.64.10.53\", \"10.64.10.5\"]")),
        ("dns-family-mismatch", own("dns = [\"fd64:10::53\", \"10.64.10.53\"]")),
        ("dns-is-self", own("serves = [\"dns\"]\ndns = [\"10.64.10.12\", \"none\"]")),
        (
            "dns-for-conflict",
            own("dns_for = { \"crane.example\" = [\"10.64.10.98\"], \"mole.example\" = [\"10.64.10.98\"] }"),
        ),
        ("dns-public", own("dns = [\"9.9.9.9\", \"10.64.10.53\"]")),
        ("ntp-missing", own("ntp = \"none\"")),
        ("ntp-too-few", own("ntp = [\"10.64.10.121\", \"none\"]")),
        ("ntp-malformed", own("ntp = [\"fd64:10::121\", \"3.clock.example\", \"10.64.10.121\"]")),
        (
            "ntp-name-needs-dns",
            own("dns = \"none\"\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]"),
        ),
        ("ntp-is-self", own("serves = [\"ntp\"]\nntp = [\"10.64.10.12\", \"none\"]")),
        (
            "ntp-key-missing",
            own(
                "time_service = \"chrony\"\nntp = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"none\"]",
            ) + "[time_key.harbor]\nnumber = 10\nvalue = { secret = \"clock\" }\n[secret.clock]\nfrom = \"file\"\npath = \"clock.secret\"\n",
        ),
        (
            "timezone-missing",
            with(&[
                ("timezone = \"Europe/Rome\"\n", ""),
                (NAME, "name = \"gauge-01\"\ntimezone = \"Etc/UTC\""),
            ]),
        ),
        ("timezone-unknown", own("timezone = \"America/Argentina/Buenos_Aires\"")),
        ("timezone-fixed-offset", own("timezone = \"Etc/UTC\"")),
        ("locale-unknown", own("locale = \"it_IT.UTF-8\"")),
        ("keyboard-unknown", own("keyboard = \"it\"")),
        ("host-without-login", with(&[("[account.keeper]", "[account.keeper]\nhosts = [\"gauge-0?\"]")])),
        ("account-name-invalid", and("[account._pilot-2]\nssh_keys = [\"keys/pilot.pub\"]\n")),
        ("account-unused", and("[account.pilot]\nhosts = [\"*-01\"]\nssh_keys = [\"keys/pilot.pub\"]\n")),
        (
            "host-without-administrator",
            with(&[("admin = true", "admin = true\nhosts = [\"gauge-01\"]")])
                + "[account.pilot]\nssh_keys = [\"keys/pilot.pub\"]\n",
        ),
        ("ssh-key-malformed", with(&[("\"keys/keeper.pub\"", "\"keys/two.pub\"")])),
        ("ssh-key-weak", with(&[("\"keys/keeper.pub\"", "\"keys/strong.pub\"")])),
        ("ssh-root-login-allowed", own("ssh = { root_login = false, password_login = false }")),
        ("ssh-disabled", own("ssh = { enabled = true }")),
    ]
}

#[allow(clippy::too_many_lines, reason = "a table of rules")]
fn near_misses_of_packages() -> Vec<NearMiss> {
    let package = |name: &str| packaged(&format!("\"packages/{name}.ovf\""), "", "", "");
    let keyed = |name: &str, keys: &str, answers: &str| {
        packaged(&format!("\"packages/{name}.ovf\""), keys, "", answers)
    };
    vec![
        ("package-file-missing", package("whole")),
        ("package-file-size", keyed("watch", "system = \"viewer\"\n", "\"alerts\" = \"a@capovetro.example\"")),
        ("package-digest-mismatch", package("whole")),
        ("package-files-not-read", package("whole")),
        // A lone descriptor has nothing that a manifest could speak of.
        ("package-digest-missing", package("limits")),
        ("package-signature-invalid", package("whole")),
        ("package-path-unsafe", package("whole")),
        ("meanings-unreadable", keyed("whole", "meanings = \"packages/facts.meanings.toml\"\n", "")),
        ("meanings-outdated", keyed("whole", "meanings = \"packages/current.meanings.toml\"\n", "")),
        ("package-system-unknown", keyed("whole", "system = \"logbook\"\n", "")),
        ("deployment-option-unknown", keyed("sizes", "deployment_option = \"large\"\n", "")),
        ("deployment-option-missing", package("whole")),
        ("package-network-unmapped", packaged("\"packages/two-networks.ovf\"", "", "network = \"Management\", ", "")
            .replace("link.management", "link.signals = { network = \"Signals\", subnet = \"quay\", address = \"none\" }\nlink.management")),
        ("hypervisor-network-missing", package("whole").replace("[subnet.quay]", "[subnet.mole]\nprefix = \"10.64.30.0/24\"\n[subnet.quay]\nhypervisor_network = \"quay\"")),
        ("package-disks-too-large", keyed("disks", "storage_free = \"64 GiB\"\n", "")),
        ("package-license-not-accepted", keyed("licensed", "accept_licenses = true\n", "")),
        ("package-transport-missing", package("whole")),
        ("property-needs-secret", keyed("secured", "", "\"admin.password\" = { secret = \"harbor-admin\" }") + READABLE),
        ("property-meaning-unsure", keyed("unsure", "", "\"where\" = \"\"")),
        ("property-too-short", keyed("limits", "", "\"code\" = \"ABCD\"")),
        ("property-too-long", keyed("limits", "", "\"code\" = \"ABCDEF\"")),
        ("property-not-a-choice", keyed("limits", "", "\"mode\" = \"plain\"")),
        // It is a server of the sheet.
        ("property-default-disagrees", package("defaults").replace("[\"10.64.10.53\", \"10.64.10.54\"]", "[\"10.99.0.7\", \"10.99.0.8\"]")),
        ("property-repeated", package("limits")),
        ("property-password-at-default", keyed("preset", "", "\"admin.password\" = { secret = \"harbor-admin\" }") + READABLE),
        ("cluster-too-small", clustered("size = 3\nallowed_sizes = \"odd\"", 3, "")),
        ("cluster-too-large", clustered("size = 3", 3, "")),
        ("cluster-even-members", clustered("allowed_sizes = \"any\"", 4, "")),
        ("cluster-number-duplicate", clustered("", 2, "").replace("whole.ovf", "numbered.ovf")),
        ("cluster-member-differs", clustered("", 2, "ntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]\n")),
        ("package-missing", harbor(&[("\"packages/logbook.ovf\"", "\"./keys/../packages/logbook.ovf\"")])),
        ("package-not-looked-at", harbor(&[("\"packages/logbook.ovf\"", "\"keys/../packages/logbook.ovf\"")])),
        ("package-unreadable", harbor(&[("\"packages/logbook.ovf\"", "\"packages/bom.ovf\"")])),
        ("package-network-unknown", harbor(&[("network = \"Management\", ", "")])),
        ("property-unknown", harbor(&[("\"node.role\"     ", "\"keep_days\" = 30\n\"node.role\"     ")])),
        ("property-unanswered", harbor(&[("\"node.role\"     = \"primary\"", "")])),
        ("property-not-settable", harbor(&[])),
        ("property-wrong-type", harbor(&[("\"node.number\"   = 1", "\"node.number\"   = 255")])),
    ]
}

/// Values of appliances at the edge of what is right.
fn near_misses_of_told_values() -> Vec<NearMiss> {
    let answered = |answers: &str| packaged("\"packages/asks.ovf\"", "", "", answers);
    vec![
        ("mail-address-malformed", answered("\"alert_mail\" = \"night.watch+quay@capovetro.example\"")),
        ("proxy-malformed", answered("\"proxy\" = \"socks5://[fd64:10::8]:65535/\"")),
        ("server-malformed", answered("\"license_server\" = \"1@licenses-1,https://10.64.10.9:8443/api\"")),
        ("answer-malformed", answered("\"license_key\" = \"X1XXX-XXXXX\"")),
        (
            "answer-in-another-form",
            answered("\"dns\" = \"10.64.10.53, 10.64.10.54\"\n\"enable_ssh\" = \"TRUE\""),
        ),
        ("answer-of-another-kind", answered("\"mail_relay\" = { take = \"gateway\" }")),
        (
            "answer-differs-from-sheet",
            answered("\"dns\" = \"10.64.10.54\"\n\"net.gateway\" = \"\"\n\"hostname\" = \"logbook\""),
        ),
        // A server of the site, somebody outside the sheet, and a router's range are anybody's to name.
        ("answer-address-taken", answered("\"remark\" = \"10.64.10.53,10.64.10.40,10.64.10.5\"")),
        ("answer-looks-wrong", answered("\"remark\" = \"10.65.300.1\"")),
        (
            "answer-without-link",
            packaged(
                "\"packages/two-groups.ovf\"",
                "",
                "",
                "\"public.address\" = { take = \"address\" }\n\"public.netmask\" = { take = \"netmask\" }\n\
                 \"public.gateway\" = { take = \"gateway\" }\n\"oob.address\" = \"10.64.10.99\"\n\
                 \"oob.netmask\" = \"255.255.255.0\"\n\"oob.gateway\" = \"\"",
            ),
        ),
        ("server-is-self", answered("\"proxy\" = \"http://127.0.0.1:3128\"")),
        ("dhcp-beside-address", answered("\"use_dhcp\" = \"FALSE\"")),
        ("https-switched-off", answered("\"enable_https\" = true")),
        // It is not administered over SSH.
        ("ssh-switched-off", answered("\"enable_ssh\" = false")),
        ("cluster-count-differs", paired("\"node.count\" = 2")),
        ("cluster-peer-wrong", paired("\"node.peers\" = \"GAUGE-01.capovetro.example\"")),
    ]
}

fn all() -> Vec<NearMiss> {
    [
        near_misses_of_the_sheet(),
        near_misses_of_subnets(),
        near_misses_of_links(),
        near_misses_of_settings(),
        near_misses_of_credentials(),
        near_misses_of_packages(),
        near_misses_of_told_values(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

fn near_misses_of_credentials() -> Vec<NearMiss> {
    let keeper = |lines: &str| with(&[("[account.keeper]", &format!("[account.keeper]\n{lines}"))]);
    let file =
        |name: &str, more: &str| with_password(&format!("from = \"file\"\npath = \"{name}.secret\"\n{more}"));
    let pilot = "[account.pilot]\npassword = { secret = \"pilot-login\" }\n[secret.pilot-login]\nfrom = \"file\"\npath = \"pilot-login.secret\"\n";
    let console = "[[appliance]]\nname = \"tide-gate\"\nmeanings = \"packages/tidegate.meanings.toml\"\n\
        link.lan = { subnet = \"quay\", address = \"10.64.10.71\" }\n[appliance.answer]\n\
        \"gatekeeper-password\" = { secret = \"gate\" }\n[secret.gate]\nfrom = \"file\"\npath = \"gatekeeper.secret\"\n";
    vec![
        ("account-without-login", with(&[]) + pilot),
        (
            "account-setting-invalid",
            keeper("shell = \"/usr/local/bin/night-watch\"\ngroups = [\"dialout\", \"_ssh\"]"),
        ),
        (
            "password-change-without-password",
            file("keeper-login", "")
                .replace("[account.keeper]", "[account.keeper]\nchange_at_first_login = true"),
        ),
        ("stock-login-kept", with(&[("[common]", "[common]\nstock_logins = \"refuse\"")])),
        // A network that no machine of the sheet joins.
        ("secret-unused", with(&[]) + &SUBNETS.replace("12345678901234567890123456789012", "slip")),
        ("secret-in-sheet", keeper("full_name = \"Password of the tide\"")),
        ("secret-file-readable-by-others", file("keeper-login", "")),
        ("secret-store-cannot-open", with(&[("[common]", "[common]\nssh = { host_key = false }")])),
        ("secret-too-short", file("keeper-login", "min_length = 23")),
        ("secret-too-long", file("keeper-login", "max_length = 23")),
        (
            "secret-lacks-kind",
            file("harbor-admin", "require = [\"upper\", \"lower\", \"digit\", \"symbol\"]"),
        ),
        ("secret-forbidden-character", file("keeper-login", "forbid = \"mM'$\"")),
        ("secret-well-known", file("near-well-known", "")),
        ("secret-contains-name", file("near-the-keeper", "")),
        ("secret-weak", file("typed", "")),
        ("secret-reused", file("keeper-login", "") + pilot),
        // Who may change nothing may share a password.
        (
            "secret-shared",
            with(&[("\"gauge-01\"", "\"gauge-{01..02}\""), (ADDRESS, "\"10.64.10.{11..12}\"")]) + pilot,
        ),
        (
            "secret-keyboard-dependent",
            file(
                "typed",
                "typed_on = [\"us\", \"gb\", \"de\", \"fr\", \"it\", \"es\", \"pt\", \"ch\", \"se\"]",
            ),
        ),
        ("secret-limits-contradict", file("keeper-login", "min_length = 23\nmax_length = 23")),
        ("secret-stays-readable", with(&[]) + console),
        (
            "wifi-passphrase-readable",
            with(&[])
                + &SUBNETS.replace(" } }", " }, sae = false }")
                + "[[host]]\nname = \"lamp-1\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }\n",
        ),
    ]
}

/// An RSA key of 3072 bits, the shortest that is strong enough.
const STRONG_KEY: &str = "ssh-rsa AAAAB3NzaC1yc2EAAAADAQABAAABgQDyPrxQLvUAIIXAiXmOwNKhYa7dA3LQtuccvfaPdl/LDfobAe8FNPFQe+dxuC8V8Kxd9U5dTutX8Pj8Zl5RIE/RdhB/L4Oq5OGDbKTTcRXpbSqeSflSFDlmnQrwBDztMkRKKrAPqsUj1tGov9sfAC/yjS5h9SlRI4UaS5MU4O2ehwji1bYdJn8sNBiVgD89ur4o7jqWL+T3G0Bt4+D2w/lKtZO+TWKj+kvpByVZA23k+XDkM0SkOxm8SlKGWd3wChiBWYXce/uevyvm6IVdf7S43qfJtflKzxIsd2a+nFOqYJLcwqKGCYSMfjLSfNRZaXtLxWvq9rqLebZdxp4eMJc/AP3I4dZ/P1GSXuLHrIkc1r0qD7j4knuH1XlHruN7b3m9rqLXxV2+kjeWx4g9UZXl355bcQnI6zbuTh2mgNnSMTGebObCADoyWCTRTMlCNJrMgYW7gQ9NO/lLWu/ginUVzVADrJOFxD/1IQeHsjsHl+Hkl1d1XXzfVW740P74fuE= pilot@capovetro.example\n";

#[test]
fn what_is_near_a_breach_is_passed_in_silence() {
    let mut astray = Vec::new();
    for (rule, sheet) in all() {
        let workspace = Workspace::new().with_example_packages();
        workspace.write(
            "packages/facts.meanings.toml",
            "format = 1\nproduct = \"Log book\"\nversion = \"2.4\"\n[administration]\nport = 8443\n",
        );
        workspace.write("sheet.toml", &sheet);
        workspace.write("near-well-known.secret", "the password of gulls flies\n");
        workspace.write("near-the-keeper.secret", "a keepsake of eleven gulls\n");
        workspace.write("slip.secret", "a phrase for the slip\n");
        workspace.write("least.secret", "kW4-zrQ8\n");
        workspace.write("most.secret", "the tide turns at four and the gulls go home over the old crane\n");
        workspace
            .write("clock.secret", "HEX:0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef\n");
        let keys = workspace.read("keys/keeper.pub")
            + "\n# of the night watch\n"
            + &workspace.read("keys/pilot.pub");
        workspace.write("keys/two.pub", keys);
        workspace.write("keys/strong.pub", STRONG_KEY);
        workspace.write("packages/bom.ovf", format!("\u{feff}{}", workspace.read("packages/logbook.ovf")));
        workspace.write(
            "quoted.csv",
            "\u{feff}name,mac,address\r\n\"lamp-1\",\"02:64:20:00:00:11\",\"10.64.20.11\"\r\n\r\n",
        );
        workspace.write(
            "wide.csv",
            "name,note,mac,address\nlamp-1,\"red, \"\"old\"\"\",02:64:20:00:00:11,10.64.20.11\n",
        );
        workspace.write(
            "semicolon.csv",
            "name,mac,address,stands\nlamp-1,02:64:20:00:00:11,10.64.20.11,\"north; below; the; light\"\n",
        );
        let key = workspace.read("keys/keeper.pub");
        workspace.write("keys/future.pub", format!("expiry-time=\"20990630\" {key}"));
        workspace.write("keys/authority.pub", format!("cert-authority {key}"));
        workspace.write("one.csv", "name,mac,address\nlamp-1,02:64:20:00:00:11,10.64.20.11");
        let check = workspace.run(&["check", "sheet.toml"]);
        let waived = sheet.contains("[[waiver]]");
        if check.code != 0
            || !(check.stdout.ends_with("nothing wrong\n") || waived && check.stdout.contains("waived"))
        {
            astray.push(format!("near {rule}:\n{}", check.stdout));
        }
    }
    assert!(astray.is_empty(), "{}\n{}", astray.join("\n\n"), astray.len());
}

fn with_keys(keys: &str) -> String {
    crate::support::right_sheet(&host("gauge-01", "10.64.10.11")).replace("\"keys/keeper.pub\"", keys)
}

#[test]
fn no_rule_is_left_out_here() {
    let explained = Workspace::new().run(&["explain"]).stdout;
    let mut rules: BTreeSet<&str> = explained
        .lines()
        .take_while(|line| !line.is_empty())
        .filter_map(|line| line.split(' ').next())
        .collect();
    // Those on netplan files have theirs in `inspect.rs`.
    rules.retain(|rule| !rule.starts_with("netplan-") || *rule == "netplan-too-old");
    // Those on root filesystems have theirs in `rootfs_rules.rs`.
    rules.retain(|rule| !crate::rootfs_rules::is_of_rootfs(rule));
    assert_eq!(all().iter().map(|(rule, _)| *rule).collect::<BTreeSet<_>>(), rules);
}
