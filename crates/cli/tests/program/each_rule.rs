//! Every rule fires at the right place, and alone: a sheet for each, with « and » around the part that is meant.

use std::collections::BTreeSet;

use serde_json::Value;

use crate::support::{Workspace, clustered, host, marked, packaged, paired, right_sheet, with_password};

/// A rule, the machine that its finding names, and a sheet that breaks it.
struct Case {
    rule: &'static str,
    machine: Option<&'static str>,
    sheet: String,
}

fn case(rule: &'static str, machine: impl Into<Option<&'static str>>, sheet: String) -> Case {
    Case { rule, machine: machine.into(), sheet }
}

/// The right sheet with one host, a part of it replaced.
fn with(part: &str, replacement: &str) -> String {
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11"));
    assert!(sheet.contains(part), "{part}");
    sheet.replacen(part, replacement, 1)
}

/// The sample sheet, a part of it replaced.
fn harbor(part: &str, replacement: &str) -> String {
    let sheet = Workspace::new().read("harbor.toml");
    assert!(sheet.contains(part), "{part}");
    sheet.replacen(part, replacement, 1)
}

fn two(second: &str) -> String {
    right_sheet(&(host("gauge-01", "10.64.10.11") + second))
}

#[allow(clippy::too_many_lines, reason = "a table of all rules")]
fn cases() -> Vec<Case> {
    let gauge = "gauge-01";
    let address = "\"10.64.10.11\"";
    let link = "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }";
    let slip = "[subnet.slip]\nprefix = «\"10.64.30.0/24\"»\n";
    vec![
        case("sheet-syntax", gauge, with(address, "«10.64.10.11»")),
        case("sheet-empty", None, "«format = 1\n".to_owned()),
        case("sheet-format-unknown", None, with("format = 1", "format = «2»")),
        case("sheet-key-unknown", gauge, with("address =", "«adress» =")),
        case("sheet-key-misplaced", None, with("[account.keeper]", "[account.keeper]\n«dns» = \"none\"")),
        case("sheet-key-missing", gauge, with(link, "link.eth0 = «{ address = \"10.64.10.11\" }»")),
        case("sheet-value-wrong-type", gauge, with(address, "«11»")),
        case("pattern-malformed", "gauge-{01", with("\"gauge-01\"", "«\"gauge-{01\"»")),
        case(
            "pattern-lengths-differ",
            "gauge-{1..2}",
            with("\"gauge-01\"", "\"gauge-{1..2}\"").replace(address, "«\"10.64.10.{11..13}\"»"),
        ),
        case(
            "ssh-key-expired",
            None,
            with("\"keys/keeper.pub\"", "«\"keys/expired.pub\"», \"keys/keeper.pub\""),
        ),
        case("login-by-certificate-only", None, with("\"keys/keeper.pub\"", "«\"keys/authority.pub\"»")),
        case("rows-malformed", "{name}", harbor("\"lamps.csv\"", "«\"lamp.csv\"»")),
        case("rows-in-another-form", "{name}", harbor("\"lamps.csv\"", "«\"semicolons.csv\"»")),
        case("rows-field-missing", "{name}", harbor("\"{address}\"", "«\"{adress}\"»")),
        case("rows-empty", "{name}", harbor("\"lamps.csv\"", "«\"none.csv\"»")),
        case("prefix-malformed", None, with("\"10.64.10.0/24\"", "«\"10.64.10.0\"»")),
        case("prefix-has-host-bits", None, with("\"fd64:10::/64\"", "«\"fd64:10::1/64\"»")),
        case("netmask-not-contiguous", None, with("\"10.64.10.0/24\"", "«\"10.64.10.0/0xff00ff00\"»")),
        case("subnet-overlap", None, two("[subnet.mole]\nprefix = «\"10.64.0.0/16\"»\n")),
        case("subnet-undefined", gauge, with("subnet = \"quay\"", "subnet = «\"mole\"»")),
        case("address-range-malformed", None, with("\"10.64.10.2-10.64.10.9\"", "«\"10.64.10.2-9\"»")),
        case(
            "dhcp-range-outside-subnet",
            None,
            with(
                "10.64.10.200-10.64.10.239\"",
                "10.64.10.200-10.64.10.201\", «\"10.64.9.200-10.64.10.239\"»",
            ),
        ),
        case("gateway-outside-subnet", None, with("\"fd64:10::1\"", "«\"fd64:11::1\"»")),
        case(
            "gateway-missing",
            None,
            two(&format!("{slip}{}", host("gauge-02", "10.64.30.11").replace("quay", "slip"))),
        ),
        case(
            "default-route-duplicate",
            gauge,
            with(
                link,
                "link.enp1s0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.«enp2s0» = { subnet = \"quay\", address = \"10.64.10.12\" }",
            ),
        ),
        case("link-name-invalid", gauge, with("link.eth0", "link.«enx0264100000110»")),
        case("address-malformed", gauge, with(address, "«\"10.64.10.11.12\"»")),
        case("address-missing", gauge, with(link, "link.«eth0» = { subnet = \"quay\" }")),
        case("address-outside-subnet", gauge, with(address, "«\"10.64.11.11\"»")),
        case("netmask-disagrees", gauge, with(address, "«\"10.64.10.11/0xffffff80\"»")),
        case("address-is-network", gauge, with(address, "«\"10.64.10.0\"»")),
        case("address-is-broadcast", gauge, with(address, "«\"10.64.10.255\"»")),
        case("address-is-gateway", gauge, with(address, "\"10.64.10.11\", address6 = «\"fd64:10::1\"»")),
        case("address-in-dhcp-range", gauge, with(address, "«\"10.64.10.200\"»")),
        case("address-kept-free", gauge, with(address, "«\"10.64.10.9\"»")),
        case("address-in-use", gauge, with(address, "«\"10.64.10.40\"»")),
        case(
            "address-duplicate",
            "gauge-02",
            two(&host("gauge-02", "10.64.10.11").replace(address, "«\"10.64.10.11\"»")),
        ),
        case("hostname-malformed", "-gauge", with("\"gauge-01\"", "«\"-gauge\"»")),
        case("hostname-too-long", LONG, with("\"gauge-01\"", &format!("«\"{LONG}\"»"))),
        case(
            "hostname-duplicate",
            "gauge-01",
            two(&host("gauge-01", "10.64.10.12").replace("\"gauge-01\"", "«\"gauge-01\"»")),
        ),
        case(
            "hostname-duplicate",
            "gauge-02",
            two(&host("gauge-02", "10.64.10.12").replace("link", "hostname = «\"GAUGE-01\"»\nlink"))
                .replace("GAUGE", "gauge"),
        ),
        case("domain-malformed", None, with("\"capovetro.example\"", "«\"capovetro.example.\"»")),
        case(
            "search-malformed",
            None,
            with("[\"capovetro.example\"]", "[\"capovetro.example\", «\"harbor office\"»]"),
        ),
        case("dns-missing", None, with("[\"10.64.10.53\", \"10.64.10.54\"]", "«[]»")),
        case("dns-not-an-address", None, with("\"10.64.10.54\"", "«\"10.64.10.54:53\"»")),
        case("dns-duplicate", None, with("\"10.64.10.54\"", "«\"10.64.10.53\"»")),
        case(
            "dns-family-mismatch",
            gauge,
            with("[\"10.64.10.53\", \"10.64.10.54\"]", "[«\"fd64:10::53\"», \"none\"]"),
        ),
        case(
            "ntp-name-needs-dns",
            None,
            with("[\"10.64.10.53\", \"10.64.10.54\"]", "\"none\"")
                .replace("\"clock.capovetro.example\"", "«\"clock.capovetro.example\"»"),
        ),
        case("domain-reserved-for-mdns", None, with("\"capovetro.example\"", "«\"harbor.local\"»")),
        case(
            "timezone-fixed-offset",
            gauge,
            with("name = \"gauge-01\"", "name = \"gauge-01\"\ntimezone = «\"Etc/GMT-1\"»"),
        ),
        case(
            "ntp-missing",
            gauge,
            with("ntp      = [\"10.64.10.121\", \"10.64.10.122\", \"clock.capovetro.example\"]\n", "")
                .replace("\"gauge-01\"", "«\"gauge-01\"»"),
        ),
        case("ntp-malformed", None, with("\"10.64.10.121\"", "«\"10.64.10\"»")),
        case(
            "timezone-missing",
            gauge,
            with("timezone = \"Europe/Rome\"\n", "").replace("\"gauge-01\"", "«\"gauge-01\"»"),
        ),
        case(
            "timezone-unknown",
            gauge,
            with("name = \"gauge-01\"", "name = \"gauge-01\"\ntimezone = «\"CEST\"»"),
        ),
        case(
            "host-without-login",
            gauge,
            with("[account.keeper]", "[account.keeper]\nhosts = []")
                .replace("\"gauge-01\"", "«\"gauge-01\"»"),
        ),
        case("account-name-invalid", None, two("[account.«Pilot»]\nssh_keys = [\"keys/pilot.pub\"]\n")),
        case(
            "account-unused",
            None,
            two("[account.«pilot»]\nssh_keys = [\"keys/pilot.pub\"]\nhosts = [\"buoy-*\"]\n"),
        ),
        case(
            "ssh-key-malformed",
            None,
            with("\"keys/keeper.pub\"", "\"keys/keeper.pub\", «\"ssh-ed25519 AAAA\"»"),
        ),
        case("property-unknown", "logbook", harbor("\"node.role\"  ", "«\"node.roles\"»  ")),
        case(
            "property-not-settable",
            "logbook",
            harbor("\"node.number\"", "«\"build.channel\"» = \"test\"\n\"node.number\""),
        ),
        case("property-wrong-type", "logbook", harbor("\"node.number\"   = 1", "\"node.number\"   = «-1»")),
        case(
            "reference-dangling",
            "logbook",
            harbor("{ take = \"dns\", join = \",\" }", "«{ take = \"dns\" }»"),
        ),
    ]
}

/// Rules on appliances, their packages and clusters.
#[allow(clippy::too_many_lines, reason = "a table of rules")]
fn cases_of_appliances() -> Vec<Case> {
    let package =
        |rule, name: &str| case(rule, "logbook", packaged(&format!("«\"packages/{name}.ovf\"»"), "", "", ""));
    let keyed = |rule, name: &str, keys: &str| {
        case(rule, "logbook", packaged(&format!("\"packages/{name}.ovf\""), keys, "", ""))
    };
    let answered = |rule, name: &str, answers: &str| {
        case(rule, "logbook", packaged(&format!("\"packages/{name}.ovf\""), "", "", answers))
    };
    // Where nothing is answered, the appliance's name is the place.
    let unanswered = |rule, name: &str| {
        case(
            rule,
            "logbook",
            packaged(&format!("\"packages/{name}.ovf\""), "", "", "")
                .replace("name = \"logbook\"", "name = «\"logbook\"»"),
        )
    };
    let member = |name: &str, address: u8, keys: &str| {
        format!(
            "[[appliance]]\nname = \"{name}\"\ncluster = \"logbook\"\npackage = \"packages/whole.ovf\"\n{keys}\n\
             link.management = {{ subnet = \"quay\", address = \"10.64.10.{address}\" }}\n"
        )
    };
    vec![
        answered("mail-address-malformed", "asks", "\"alert_mail\" = «\"watch at capovetro.example\"»"),
        answered("proxy-malformed", "asks", "\"proxy\" = «\"http://10.64.10.8:0\"»"),
        answered("server-malformed", "asks", "\"license_server\" = «\"27000@licenses_1\"»"),
        answered("answer-malformed", "asks", "\"license_key\" = «\"CHANGE-ME\"»"),
        answered("answer-in-another-form", "asks", "\"net.netmask\" = «\"/24\"»"),
        answered("answer-of-another-kind", "asks", "\"timezone\" = «{ take = \"domain\" }»"),
        answered("answer-differs-from-sheet", "asks", "\"hostname\" = «\"tide-table\"»"),
        answered("answer-address-taken", "asks", "\"remark\" = «\"10.64.10.255\"»"),
        answered("answer-looks-wrong", "asks", "\"remark\" = «\"255.255.0.255\"»"),
        answered(
            "answer-without-link",
            "two-groups",
            "\"public.address\" = { take = \"address\" }\n\"public.netmask\" = { take = \"netmask\" }\n\
             \"public.gateway\" = { take = \"gateway\" }\n\"oob.address\" = «\"10.64.99.61\"»\n\
             \"oob.netmask\" = \"255.255.255.0\"\n\"oob.gateway\" = \"\"",
        ),
        answered("server-is-self", "asks", "\"proxy\" = «\"http://10.64.10.61:3128\"»"),
        answered("dhcp-beside-address", "asks", "\"use_dhcp\" = «true»"),
        answered("https-switched-off", "asks", "\"enable_https\" = «false»"),
        case(
            "ssh-switched-off",
            "logbook",
            packaged(
                "\"packages/asks.ovf\"",
                "meanings = \"packages/asks.meanings.toml\"",
                "",
                "\"enable_ssh\" = «false»",
            ),
        ),
        case("cluster-count-differs", "logbook", paired("\"node.count\" = «3»")),
        case("cluster-peer-wrong", "logbook", paired("\"node.peers\" = «\"10.64.10.61\"»")),
        package("package-missing", "none"),
        case("package-not-looked-at", "logbook", packaged("«\"drive/logbook.ovf\"»", "", "", "")),
        case("package-unreadable", "logbook", packaged("«\"keys/keeper.pub\"»", "", "", "")),
        package("package-file-missing", "torn"),
        package("package-file-size", "short"),
        package("package-digest-mismatch", "damaged"),
        package("package-digest-missing", "bare"),
        package("package-files-not-read", "large"),
        package("package-signature-invalid", "signed"),
        package("package-path-unsafe", "outside"),
        keyed("meanings-unreadable", "whole", "meanings = «\"packages/torn.meanings.toml\"»"),
        keyed("meanings-outdated", "whole", "meanings = «\"packages/older.meanings.toml\"»"),
        keyed("package-system-unknown", "pair", "system = «\"scrib\"»"),
        keyed("deployment-option-unknown", "sizes", "deployment_option = «\"medium\"»"),
        package("deployment-option-missing", "sizes"),
        case(
            "package-network-unknown",
            "logbook",
            packaged("\"packages/whole.ovf\"", "", "network = «\"Data\"», ", ""),
        ),
        case(
            "package-network-unmapped",
            "logbook",
            packaged("«\"packages/two-networks.ovf\"»", "", "network = \"Signals\", ", ""),
        ),
        case(
            "hypervisor-network-missing",
            "logbook",
            packaged("\"packages/whole.ovf\"", "", "", "").replace(
                "[subnet.quay]",
                "[subnet.mole]\nprefix = \"10.64.30.0/24\"\nhypervisor_network = \"mole\"\n[subnet.«quay»]",
            ),
        ),
        keyed("package-disks-too-large", "disks", "storage_free = «\"63 GiB\"»"),
        keyed("package-license-not-accepted", "licensed", "accept_licenses = «false»"),
        package("package-transport-missing", "silent"),
        unanswered("property-unanswered", "numbered"),
        unanswered("property-needs-secret", "secured"),
        unanswered("property-meaning-unsure", "unsure"),
        unanswered("property-default-disagrees", "defaults"),
        unanswered("property-password-at-default", "preset"),
        package("property-repeated", "repeated"),
        answered("property-too-short", "limits", "\"code\" = «\"ABC\"»"),
        answered("property-too-long", "limits", "\"code\" = «\"ABCDEFG\"»"),
        answered("property-not-a-choice", "limits", "\"mode\" = «\"striped\"»"),
        case("cluster-too-small", None, clustered("size = «3»", 2, "")),
        case("cluster-too-large", None, clustered("allowed_sizes = «\"pair\"»", 3, "")),
        case("cluster-even-members", None, clustered("allowed_sizes = «\"odd\"»", 4, "")),
        case(
            "cluster-number-duplicate",
            "logbook-2",
            clustered("", 2, "[appliance.answer]\n\"node.id\" = «7»\n").replace("whole.ovf", "numbered.ovf"),
        ),
        case(
            "cluster-member-differs",
            "logbook-2",
            right_sheet(&format!(
                "[cluster.logbook]\n{}{}",
                member("logbook-1", 61, ""),
                member("logbook-2", 62, "timezone = «\"Etc/UTC\"»")
            )),
        ),
    ]
}

/// The right sheet with one host of these links, and more before it.
fn linked(before: &str, links: &str) -> String {
    right_sheet(&format!("{before}[[host]]\nname = \"gauge-01\"\n{links}\n"))
}

#[allow(clippy::too_many_lines, reason = "a table of rules")]
fn cases_of_links() -> Vec<Case> {
    let gauge = "gauge-01";
    let eth = "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }";
    let lans = "link.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }";
    let slip = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\nvlan = 130\n";
    let in_quay = "subnet = \"quay\", address = \"10.64.10.11\"";
    let bond =
        |rest: &str| linked("", &format!("{lans}\nlink.uplink = {{ kind = \"bond\", {rest}, {in_quay} }}"));
    let radar = "kind = \"vlan\", over = \"eth0\", subnet = \"slip\", default_route = false";
    let wifi = |wifi: &str, links: &str| {
        let subnet = format!("[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n{wifi}\n");
        let named = |name: &str| {
            wifi.contains(&format!("secret = \"{name}\"")) || wifi.contains(&format!("«\"{name}\"»"))
        };
        let secrets: Vec<String> = ["slip", "short"]
            .into_iter()
            .filter(|name| named(name))
            .map(|name| format!("[secret.{name}]\nfrom = \"file\"\npath = \"{name}.secret\"\n"))
            .collect();
        linked(&format!("{subnet}{}", secrets.concat()), links)
    };
    let radio = "link.wifi0 = { kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }";
    let joins = "wifi = { ssid = \"slip\", passphrase = { secret = \"slip\" } }";
    vec![
        case(
            "link-name-kernel",
            gauge,
            linked("", &format!("link.«eth0» = {{ mac = \"02:64:10:00:00:21\", {in_quay} }}")),
        ),
        case(
            "link-by-name-only",
            gauge,
            linked("", &format!("link.lan0 = {{ port = «\"only\"», {in_quay} }}")),
        ),
        case(
            "link-setting-needs-mac",
            gauge,
            linked("", &format!("link.enp1s0 = {{ wake_on_lan = «true», {in_quay} }}")),
        ),
        case(
            "link-undefined",
            gauge,
            linked(
                slip,
                &format!(
                    "{eth}\nlink.radar = {{ kind = \"vlan\", over = «\"eth1\"», subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
                ),
            ),
        ),
        case(
            "link-has-two-parents",
            gauge,
            bond("members = [\"lan0\", \"lan1\", «\"lan0\"»], mode = \"active-backup\""),
        ),
        case(
            "link-loop",
            gauge,
            linked(
                "",
                &format!(
                    "link.«one» = {{ kind = \"bridge\", members = [\"other\"] }}\nlink.other = {{ kind = \"bridge\", members = [\"one\"] }}\n{eth}"
                ),
            ),
        ),
        case(
            "link-member-has-address",
            gauge,
            linked(
                "",
                "link.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = «\"10.64.10.11\"» }\nlink.inner = { kind = \"bridge\", members = [\"lan0\"], address = \"none\" }",
            ),
        ),
        case(
            "mac-malformed",
            gauge,
            linked("", &format!("link.lan0 = {{ mac = «\"0264.1000.0021\"», {in_quay} }}")),
        ),
        case(
            "mac-duplicate",
            gauge,
            linked(
                "",
                &format!(
                    "link.lan0 = {{ mac = \"02:64:10:00:00:21\", {in_quay} }}\nlink.lan1 = {{ mac = «\"02:64:10:00:00:21\"», address = \"none\" }}"
                ),
            ),
        ),
        case(
            "mac-not-unicast",
            gauge,
            linked("", &format!("link.lan0 = {{ mac = «\"ff:ff:ff:ff:ff:ff\"», {in_quay} }}")),
        ),
        case(
            "bond-without-members",
            gauge,
            linked("", &format!("link.«uplink» = {{ kind = \"bond\", mode = \"802.3ad\", {in_quay} }}")),
        ),
        case(
            "bond-only-one-member",
            gauge,
            linked(
                "",
                &format!(
                    "link.lan0 = {{ mac = \"02:64:10:00:00:21\" }}\nlink.uplink = {{ kind = \"bond\", members = [«\"lan0\"»], mode = \"802.3ad\", {in_quay} }}"
                ),
            ),
        ),
        case("bond-mode-unknown", gauge, bond("members = [\"lan0\", \"lan1\"], mode = «\"lacp\"»")),
        case(
            "bond-option-without-effect",
            gauge,
            bond("members = [\"lan0\", \"lan1\"], mode = \"active-backup\", lacp_rate = «\"fast\"»"),
        ),
        case("vlan-out-of-range", None, two("[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = «0»\n")),
        case("vlan-duplicate", None, two(&format!("{slip}[pool.inner]\nvlan = «130»\n"))),
        case(
            "vlan-missing",
            gauge,
            linked(
                &slip.replace("vlan = 130\n", ""),
                &format!(
                    "{eth}\nlink.radar = {{ {}, address = \"10.64.30.11\" }}",
                    radar.replace("\"slip\"", "«\"slip\"»")
                ),
            ),
        ),
        case(
            "vlan-twice-on-link",
            gauge,
            linked(
                slip,
                &format!(
                    "{eth}\nlink.radar = {{ {radar}, address = \"10.64.30.11\" }}\nlink.«sonar» = {{ {radar}, address = \"10.64.30.12\" }}"
                ),
            ),
        ),
        case(
            "mtu-out-of-range",
            gauge,
            linked(
                "",
                "link.eth0 = { subnet = \"quay\", address6 = \"fd64:10::11\", mtu = «1000», more_addresses = [\"10.64.10.11\"] }",
            ),
        ),
        case(
            "mtu-above-parent",
            gauge,
            linked(
                slip,
                &format!("{eth}\nlink.radar = {{ {radar}, address = \"10.64.30.11\", mtu = «1600» }}"),
            ),
        ),
        case("wifi-settings-missing", gauge, wifi("", &radio.replace("\"slip\"", "«\"slip\"»"))),
        case("wifi-ssid-length", None, wifi(&joins.replace("ssid = \"slip\"", "ssid = «\"\"»"), radio)),
        case(
            "wifi-passphrase-length",
            None,
            wifi(&joins.replace("secret = \"slip\"", "secret = «\"short\"»"), radio),
        ),
        case(
            "wifi-country-unknown",
            None,
            wifi("wifi = { ssid = \"slip\", passphrase = \"none\", country = «\"it\"» }", radio),
        ),
        case(
            "wifi-in-bridge",
            gauge,
            wifi(
                joins,
                &format!(
                    "{eth}\nlink.wifi0 = {{ kind = \"wifi\" }}\nlink.inner = {{ kind = \"bridge\", members = [«\"wifi0\"»], address = \"none\" }}"
                ),
            ),
        ),
        case(
            "secret-undefined",
            None,
            wifi(&joins.replace("secret = \"slip\"", "secret = «\"slp\"»"), radio),
        ),
        case("secret-missing", None, with_password("from = \"file\"\npath = «\"none.secret\"»")),
        case(
            "secret-not-looked-at",
            None,
            with_password("from = \"env\"\nvariable = «\"A_VARIABLE_THAT_NOBODY_SETS\"»"),
        ),
        case(
            "wifi-passphrase-readable",
            None,
            wifi(&joins.replace(" } }", " }, sae = «true» }"), radio).replacen(
                "[[host]]\nname = \"gauge-01\"",
                "[[host]]\nname = \"gauge-01\"\nnetplan = \"1.1\"",
                1,
            ),
        ),
        case(
            "route-unreachable",
            gauge,
            linked(
                "",
                &format!(
                    "link.eth0 = {{ {in_quay}, routes = [{{ to = \"fd64:96::/64\", via = «\"fd64:10::2\"» }}] }}"
                ),
            ),
        ),
        case(
            "route-to-own-subnet",
            gauge,
            linked(
                "",
                &format!(
                    "link.eth0 = {{ {in_quay}, routes = [{{ to = «\"10.64.10.64/26\"», via = \"10.64.10.2\" }}] }}"
                ),
            ),
        ),
        case(
            "default-route-second",
            gauge,
            linked(
                "",
                &format!(
                    "link.eth0 = {{ {in_quay}, routes = [{{ to = «\"0.0.0.0/0\"», via = \"10.64.10.2\", metric = 900 }}] }}"
                ),
            ),
        ),
        case(
            "vlan-over-member",
            gauge,
            linked(
                slip,
                &format!(
                    "{lans}\nlink.uplink = {{ kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", {in_quay} }}\n\
                     link.radar = {{ kind = \"vlan\", over = «\"lan0\"», subnet = \"slip\", address = \"10.64.30.11\", default_route = false }}"
                ),
            ),
        ),
        case("wifi-kind-missing", gauge, linked("", &format!("link.«wlp1s0» = {{ {in_quay} }}"))),
        case(
            "gateway-unused",
            gauge,
            linked("", &format!("link.«eth0» = {{ {in_quay}, default_route = false }}")),
        ),
        case(
            "address-is-router-anycast",
            gauge,
            linked(
                "[subnet.six]\nprefix6 = \"fd64:30::/64\"\ngateway6 = \"fd64:30::1\"\n",
                &format!(
                    "link.eth0 = {{ {in_quay} }}\nlink.enp2s0 = {{ subnet = \"six\", address6 = «\"fd64:30::\"», default_route = false }}"
                ),
            ),
        ),
        case(
            "route-duplicate",
            gauge,
            linked(
                "",
                &format!(
                    "link.eth0 = {{ {in_quay}, routes = [{{ to = «\"0.0.0.0/0\"», via = \"10.64.10.2\" }}] }}"
                ),
            ),
        ),
        case(
            "routing-table-duplicate",
            gauge,
            linked(
                slip,
                &format!(
                    "{eth}\nlink.lan1 = {{ subnet = \"slip\", address = \"10.64.30.11\", routing_table = 7 }}\nlink.lan2 = {{ subnet = \"slip\", address = \"10.64.30.12\", routing_table = «7» }}"
                ),
            ),
        ),
        case(
            "routing-table-without-gateway",
            gauge,
            linked(
                &slip.replace("\"10.64.30.1\"", "\"none\""),
                &format!(
                    "{eth}\nlink.lan1 = {{ subnet = \"slip\", address = \"10.64.30.11\", routing_table = «7» }}"
                ),
            ),
        ),
        case(
            "renderer-lacks-setting",
            gauge,
            linked("", &format!("renderer = \"NetworkManager\"\nmulticast_dns = «true»\n{eth}")),
        ),
        case(
            "netplan-too-old",
            gauge,
            linked(
                slip,
                &format!(
                    "renderer = \"NetworkManager\"\n{eth}\nlink.lan1 = {{ subnet = \"slip\", address = \"10.64.30.11\", routing_table = «7» }}"
                ),
            ),
        ),
    ]
}

fn cases_of_settings() -> Vec<Case> {
    let gauge = "gauge-01";
    let dns = "[\"10.64.10.53\", \"10.64.10.54\"]";
    let ntp = "ntp      = [\"10.64.10.121\", \"10.64.10.122\", \"clock.capovetro.example\"]";
    let waiver = |rule: &str, until: &str| {
        two(&format!("[[waiver]]\nrule = {rule}\nreason = \"until the cable is laid\"\nuntil = {until}\n"))
    };
    let own = |lines: &str| with("name = \"gauge-01\"", &format!("name = \"gauge-01\"\n{lines}"));
    vec![
        case(
            "ipv6-off-has-address",
            gauge,
            own("ipv6 = \"off\"").replace("\"10.64.10.11\"", "\"10.64.10.11\", address6 = «\"fd64:10::11\"»"),
        ),
        case("servers-left-behind", None, with("\"10.64.10.54\"", "«\"10.96.10.54\"»")),
        case("ntp-duplicate", None, with("\"10.64.10.122\"", "«\"10.64.10.121\"»")),
        case(
            "server-unreachable",
            gauge,
            own("dns = [«\"10.64.20.53\"», \"10.64.20.54\"]\nntp = \"none\"").replace(
                "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }",
                "link.eth0 = { subnet = \"islet\", address = \"10.64.30.11\" }\n[subnet.islet]\nprefix = \"10.64.30.0/24\"\ngateway = \"none\"",
            ),
        ),
        case(
            "account-of-system",
            None,
            two("[account.«www-data»]\nssh_keys = [\"keys/pilot.pub\"]\n"),
        ),
        case("address-special-purpose", None, with("\"10.64.10.54\"", "«\"127.0.0.53\"»")),
        case("address-for-documentation", None, with("\"10.64.10.54\"", "«\"2001:db8::53\"»")),
        case("prefix-not-private", None, two("[subnet.slip]\nprefix6 = «\"2a00:64::/64\"»\n")),
        case("address-is-server", gauge, with("\"10.64.10.11\"", "«\"10.64.10.121\"»")),
        case(
            "subnet-full",
            None,
            two("[subnet.slip]\nprefix = «\"10.64.30.0/29\"»\ndhcp_ranges = [\"10.64.30.1-10.64.30.6\"]\n"),
        ),
        case("pool-overlap", None, two("[pool.inner]\nprefix6 = «\"fd64::/16\"»\n")),
        case("hostname-numeric", gauge, own("hostname = «\"0x12\"»")),
        case("hostname-uppercase", "Gauge-01", with("\"gauge-01\"", "«\"Gauge-01\"»")),
        case(
            "hostname-breaks-pattern",
            gauge,
            own("name_pattern = \"^lamp-\"").replace("name = \"gauge-01\"", "name = «\"gauge-01\"»"),
        ),
        case(
            "fqdn-too-long",
            gauge,
            own(&format!("domain = \"{}.example\"", [LONG; 4].map(|label| &label[..59]).join(".")))
                .replace("name = \"gauge-01\"", "name = «\"gauge-01\"»"),
        ),
        case(
            "domain-single-label",
            None,
            with("domain   = \"capovetro.example\"", "domain   = «\"harbor\"»"),
        ),
        case("dns-only-one", None, with(dns, "[«\"10.64.10.53\"»]")),
        case(
            "dns-too-many",
            None,
            with(dns, "[\"10.64.10.53\", \"10.64.10.54\", \"10.64.10.55\", «\"10.64.10.56\"»]"),
        ),
        case("dns-is-self", gauge, own("serves = [\"dns\"]\ndns = [«\"10.64.10.11\"», \"none\"]")),
        case(
            "dns-for-conflict",
            gauge,
            own(
                "dns_for = { \"crane.example\" = [\"10.64.10.98\"], «\"mole.example\"» = [\"10.64.10.99\"] }",
            ),
        ),
        case("dns-public", None, with(dns, "[«\"9.9.9.9\"», \"2620:fe::fe\"]")),
        case("ntp-too-few", None, with(ntp, "ntp = [«\"10.64.10.121\"»]")),
        case(
            "ntp-is-self",
            gauge,
            own("serves = [\"ntp\"]\nntp = [«\"10.64.10.11\"», \"10.64.10.121\", \"10.64.10.122\"]"),
        ),
        case(
            "ntp-key-missing",
            None,
            with(ntp, "ntp = [{ server = \"10.64.10.121\", key = «\"harbor\"» }, \"none\"]"),
        ),
        case("locale-unknown", None, with("[common]", "[common]\nlocale = «\"it_IT\"»")),
        case("keyboard-unknown", None, with("[common]", "[common]\nkeyboard = «\"italian\"»")),
        case("ssh-key-weak", None, with("\"keys/keeper.pub\"", "\"keys/keeper.pub\", «\"keys/weak.pub\"»")),
        case("ssh-root-login-allowed", None, with("[common]", "[common]\nssh = { root_login = «true» }")),
        case("ssh-disabled", gauge, own("ssh = { enabled = «false» }")),
        case(
            "host-without-administrator",
            gauge,
            with("admin = true", "admin = false").replace("name = \"gauge-01\"", "name = «\"gauge-01\"»"),
        ),
        case("reference-loop", gauge, own("ntp = [«{ take = \"ntp-1\", of = \"gauge-01\" }», \"none\"]")),
        case("waiver-expired", None, waiver("\"ntp-too-few\"", "«2020-06-30»")),
        case("waiver-unmatched", None, waiver("«\"ntp-too-few\"»", "2099-06-30")),
        case("waiver-not-allowed", None, waiver("«\"sheet-syntax\"»", "2099-06-30")),
    ]
}

/// Rules on secrets and logins.
fn cases_of_credentials() -> Vec<Case> {
    let gauge = "gauge-01";
    let keeper = |lines: &str| with("[account.keeper]", &format!("[account.keeper]\n{lines}"));
    let file = |name: &str, more: &str| {
        with_password(&format!("from = \"file\"\npath = \"{name}.secret\"\n{more}"))
            .replace("[secret.keeper-login]", "[secret.«keeper-login»]")
    };
    let two_logins = |second: &str| {
        with_password("from = \"file\"\npath = \"keeper-login.secret\"")
            + &format!(
                "[account.pilot]\nssh_keys = [\"keys/pilot.pub\"]\npassword = {{ secret = \"pilot-login\" }}\n[secret.«pilot-login»]\nfrom = \"file\"\npath = \"{second}.secret\"\n"
            )
    };
    let readable =
        packaged("\"packages/secured.ovf\"", "", "", "\"admin.password\" = { secret = \"harbor-admin\" }");
    vec![
        case("account-without-login", None, two("[account.«pilot»]\nfull_name = \"Pilot on duty\"\n")),
        case("account-setting-invalid", None, keeper("shell = «\"bash\"»")),
        case("password-change-without-password", None, keeper("change_at_first_login = «true»")),
        case("stock-login-kept", None, with("[common]", "[common]\nstock_logins = «\"keep\"»")),
        case(
            "secret-unused",
            None,
            two("[secret.«spare»]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n"),
        ),
        case("secret-in-sheet", gauge, keeper("password = «\"nine gulls on a mole\"»")),
        case(
            "secret-file-readable-by-others",
            None,
            with_password("from = \"file\"\npath = «\"for-all-to-read.secret\"»"),
        ),
        case("secret-store-cannot-open", None, with_password("from = «\"store\"»")),
        case("secret-too-short", gauge, file("keeper-login", "min_length = 40")),
        case("secret-too-long", gauge, file("keeper-login", "max_length = 14")),
        case("secret-lacks-kind", gauge, file("keeper-login", "require = [\"digit\"]")),
        case("secret-forbidden-character", gauge, file("keeper-login", "forbid = \"xyz e\"")),
        case("secret-well-known", gauge, file("well-known", "")),
        case("secret-contains-name", gauge, file("of-the-keeper", "")),
        case("secret-weak", gauge, file("weak", "")),
        case("secret-reused", gauge, two_logins("keeper-login")),
        case(
            "secret-shared",
            None,
            file("keeper-login", "")
                .replace("\"gauge-01\"", "\"gauge-{01..02}\"")
                .replace("10.11\"", "10.{11..12}\""),
        ),
        case("secret-keyboard-dependent", gauge, file("keeper-login", "typed_on = [\"us\", \"fr\"]")),
        case("secret-limits-contradict", None, file("keeper-login", "min_length = 30\nmax_length = 25")),
        case(
            "secret-stays-readable",
            "logbook",
            readable.replace("[appliance.answer]", "«[appliance.answer]»"),
        ),
    ]
}

/// Rules on netplan files, which `inspect` looks for; `tests/program/inspect.rs` has more of them.
fn cases_of_netplan() -> Vec<Case> {
    let file = |lines: &str| {
        format!("network:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n{lines}")
    };
    let way = "      routes: [{to: default, via: 10.64.10.1}]\n";
    let spare = |lines: &str| file(way).replace("    eth0:", &format!("    spare: {{}}\n{lines}    eth0:"));
    let more = |lines: &str| format!("{}{lines}", file(way));
    vec![
        case("netplan-malformed", None, file(&format!("{way}      mtu: «large»\n"))),
        case("netplan-key-unread", None, file(&format!("{way}      «neigh-suppress»: true\n"))),
        case("netplan-asks-dhcp", None, file(&format!("{way}      dhcp6: «true»\n"))),
        case("netplan-gateway-key", None, file("      gateway4: «10.64.10.1»\n")),
        case("netplan-second-network", None, file(way).replace("11/24]", "11/24, «10.64.30.11/24»]")),
        case("netplan-key-unknown", None, file(&format!("{way}      «vrf»: 7\n"))),
        case("netplan-key-twice", None, file(&format!("{way}      mtu: 1400\n      «mtu»: 1500\n"))),
        case("netplan-setting-missing", None, spare("    «lan1»: {set-name: lan1}\n")),
        case(
            "netplan-settings-clash",
            None,
            file(
                "      routes: [{to: default, via: 10.64.10.1}, {to: 10.64.96.0/20, via: «\"fd64:10::1\"»}]\n",
            ),
        ),
        case(
            "netplan-link-undefined",
            None,
            more("  bridges:\n    br0: {interfaces: [«lan7»], parameters: {stp: false}}\n"),
        ),
        case(
            "netplan-wants-openvswitch",
            None,
            more(
                "  openvswitch:\n    ports: [[«cable-a», cable-b]]\n  bridges:\n    br0: {interfaces: [cable-a]}\n    br1: {interfaces: [cable-b]}\n",
            ),
        ),
        case("netplan-part-unread", None, more("«---»\nnetwork: {}\n")),
        case(
            "netplan-value-ignored",
            None,
            file("      routes: [{to: default, via: 10.64.10.1}, {to: «10.64.96.0/99», via: 10.64.10.2}]\n"),
        ),
    ]
}

#[test]
fn each_rule_on_netplan_files_fires_alone_and_at_its_place() {
    for Case { rule, sheet, .. } in cases_of_netplan() {
        let workspace = Workspace::new();
        let (text, line, column) = marked(&sheet);
        workspace.write("n.yaml", &text);
        let inspect = workspace.run(&["inspect", "n.yaml", "--format", "json"]);
        let report: Value = serde_json::from_str(&inspect.stdout).unwrap();
        let findings = report["findings"].as_array().unwrap();
        assert_eq!(findings.len(), 1, "{rule}: {}\n{text}", inspect.stdout);
        assert_eq!(
            (&findings[0]["rule"], &findings[0]["line"], &findings[0]["column"]),
            (&rule.into(), &line.into(), &column.into()),
            "{text}"
        );
    }
}

fn all_cases() -> Vec<Case> {
    [cases(), cases_of_links(), cases_of_settings(), cases_of_credentials(), cases_of_appliances()]
        .into_iter()
        .flatten()
        .collect()
}

/// An RSA key of 2048 bits.
const WEAK_KEY: &str = "ssh-rsa AAAAB3NzaC1yc2EAAAADAQABAAABAQCwtR1Ocbhg+FjuCFBFNWwgW5YEqWs2VqGvfQbjv5iJ3D6CK1nIpFIu7J54JobE+Y+skOI6dJjQEbwN3UtE/5RPsXQgyCiBeLPaAViCxqBbnEsb42FjFRcnlkdqnkiXPAJ+U9qqxCh5vUU4vH0KY0zyLXcVawSIJYqyvOQBG60M0V2rgwO/DisdRc5o5SQReWrHvjFKFjpyczjkvCzKyMN3gQmde+PbOTi7BOlYh4KVxDHHAA8mCZclO2VdmSXbz2mtlBgFvRYlDwo5nHL2UdflNfv7XxmTV+PUG5cPVgl4Eo/3/tjqSb3MEGv/iw0hJrHd+m6Ku7or3lz63raLVDIX pilot@capovetro.example\n";

const LONG: &str = "gauge-at-the-northern-end-of-the-old-quay-behind-the-lighthouse-stairs";

#[test]
fn each_rule_fires_alone_and_at_its_place() {
    let astray: Vec<String> = all_cases().iter().filter_map(|case| prove(case).err()).collect();
    assert!(astray.is_empty(), "{}", astray.join("\n"));
}

/// Runs `check` and `render` on the sheet of a case, and says what is not as it should be.
fn prove(Case { rule, machine, sheet }: &Case) -> Result<(), String> {
    let workspace = Workspace::new().with_example_packages();
    let (text, line, column) = marked(sheet);
    workspace.write("sheet.toml", &text);
    workspace.write("none.csv", "name,address\n");
    workspace
        .write("semicolons.csv", workspace.read("lamps.csv").replace(", below", " below").replace(',', ";"));
    workspace.write("slip.secret", "a phrase for the slip\n");
    workspace.write("short.secret", "phrase\n");
    workspace.write("keys/weak.pub", WEAK_KEY);
    let key = workspace.read("keys/keeper.pub");
    workspace.write("keys/expired.pub", format!("expiry-time=\"20240630\" {key}"));
    workspace.write("keys/authority.pub", format!("cert-authority {key}"));
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&check.stdout).unwrap();
    let mut findings = report["findings"].as_array().unwrap().clone();
    // A note that belongs to every password of an appliance.
    findings.retain(|finding| *rule == "secret-stays-readable" || finding["rule"] != "secret-stays-readable");
    let [finding] = findings.as_slice() else {
        return Err(format!("{rule}: {} findings\n{}\n{text}", findings.len(), check.stdout));
    };
    let found = (finding["rule"].as_str(), finding["machine"].as_str(), &finding["line"], &finding["column"]);
    if found != (Some(*rule), *machine, &line.into(), &column.into()) {
        return Err(format!("{rule} at {line}:{column} is {finding}\n{text}"));
    }
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    // What could not be looked at is not rendered either.
    let is_refused = finding["severity"] == "error" || rule.ends_with("-not-looked-at");
    let ended = (render.code, workspace.exists("out"));
    if ended == (i32::from(is_refused), !is_refused) {
        Ok(())
    } else {
        Err(format!("{rule}: render ended {ended:?}"))
    }
}

#[test]
fn no_rule_is_left_out_here() {
    let explained = Workspace::new().run(&["explain"]).stdout;
    let rules: BTreeSet<&str> = explained
        .lines()
        .take_while(|line| !line.is_empty())
        .filter_map(|line| line.split(' ').next())
        .collect();
    let of_netplan = cases_of_netplan();
    let mut tested: BTreeSet<&str> = all_cases().iter().map(|case| case.rule).collect();
    tested.extend(of_netplan.iter().map(|case| case.rule));
    // tests/program/inspect.rs has this one, which takes two files.
    tested.insert("netplan-files-collide");
    // tests/program/rows.rs has this one, which is in the CSV file.
    tested.insert("rows-value-over-lines");
    // tests/program/rootfs_rules.rs has those on root filesystems.
    tested.extend(rules.iter().filter(|rule| crate::rootfs_rules::is_of_rootfs(rule)));
    assert_eq!(tested, rules);
}

/// Right sheets of many kinds: nothing at all is said.
#[test]
fn right_sheets_are_passed_in_silence() {
    let links = [
        "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }",
        "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11/24\", address6 = \"fd64:10::11/64\" }",
        "link.eth0 = { subnet = \"quay\", address = \"none\", address6 = \"fd64:10::11\" }",
        "link.eth0 = { subnet = \"quay\", address = \"none\" }",
        "[host.link.\"eth0.110\"]\nsubnet = \"quay\"\naddress = \"10.64.10.199\"",
    ];
    let settings = [
        "dns = [\"10.64.10.53\", \"fd64:10::53\"]",
        "dns = \"none\"\nntp = \"none\"",
        "dns = [\"10.64.10.53\", \"fd64:10::53\", \"none\"]\nsearch = \"none\"\nntp = [\"clock.capovetro.example\", \"none\"]",
        "dns = [\"fd64:10::53\", \"10.64.10.53\"]\ndomain = \"quay.capovetro.example\"\ntimezone = \"Etc/UTC\"",
    ];
    for link in links {
        for own in settings {
            let workspace = Workspace::new();
            workspace
                .write("sheet.toml", right_sheet(&format!("[[host]]\nname = \"gauge-01\"\n{own}\n{link}\n")));
            let check = workspace.run(&["check", "sheet.toml"]);
            assert_eq!(check.stdout, "sheet.toml: 1 machine, nothing wrong\n", "{own}\n{link}");
        }
    }
}
