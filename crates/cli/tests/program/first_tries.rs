//! What people write who have not read the manual, and what they are told: each fix names what to write, with their own value
//! where that is no secret.

use crate::given::Given;
use crate::support::host;

const MOLE: &str = "[subnet.mole]\nprefix = \"10.64.20.0/24\"\ngateway = \"10.64.20.1\"\n";
const WIFI_HOST: &str = "[[host]]\nname = \"gauge-02\"\nlink.wlan0 = { kind = \"wifi\", subnet = \"mole\", address = \"10.64.20.11\" }\n";

#[test]
fn what_people_try_first_is_answered_with_what_to_write() {
    let a_host = |keys: &str| format!("[[host]]\nname = \"gauge-01\"\n{keys}\n");
    let a_link = |keys: &str| a_host(&format!("link.eth0 = {{ subnet = \"quay\", {keys} }}"));
    let hosts = |name: &str, address: &str| {
        format!("[[host]]\nname = \"{name}\"\nlink.eth0 = {{ subnet = \"quay\", address = \"{address}\" }}\n")
    };
    let wifi =
        |keys: &str| format!("{MOLE}wifi = {{ ssid = \"mole\", {keys}, country = \"IT\" }}\n{WIFI_HOST}");
    let mut given = Given::a_site();
    for (about, end) in [
        ("DHCP", a_link("address = \"dhcp\"")),
        ("a range of addresses", hosts("gauge-{1..3}", "10.64.10.11-13")),
        ("a range of IPv6 addresses", a_link("address6 = \"fd64:10::11-fd64:10::13\"")),
        ("a range in brackets", hosts("gauge-[1-3]", "10.64.10.{11..13}")),
        ("a range with a hyphen", hosts("gauge-{1-3}", "10.64.10.{11..13}")),
        ("one address for a pattern", hosts("gauge-{1..3}", "10.64.10.11")),
        ("one name for a pattern", hosts("gauge-01", "10.64.10.{11..13}")),
        ("one name without a number", hosts("gauge", "10.64.10.{11..13}")),
        ("a passphrase in another word", wifi("psk = { secret = \"radio\" }")),
        ("a passphrase itself", wifi("password = \"seven lamps behind\"")),
        ("a key of a network", wifi("key = \"seven lamps behind\"")),
        (
            "a secret's value",
            format!("[secret.pilot]\nvalue = \"seven lamps behind\"\n{}", host("gauge-01", "10.64.10.11")),
        ),
        (
            "a password beside the secret's name",
            format!(
                "[account.pilot]\npassword = {{ secret = \"pilot\", password = \"seven lamps behind\" }}\n[secret.pilot]\nfrom = \"store\"\n{}",
                host("gauge-01", "10.64.10.11")
            ),
        ),
        ("an IP", a_link("ip = \"10.64.10.11\"")),
        ("an IPv6 address", a_link("address = \"10.64.10.11\", ipv6 = \"fd64:10::11\"")),
        ("no further address", a_link("address = \"10.64.10.11\", more_addresses = [\"none\"]")),
        ("a host number that is leased", a_link("host_number = 210")),
        ("host numbers of which one is taken", hosts("gauge-{1..3}", "10.64.10.{21..23}") + &a_link("host_number = \"0x16\"").replace("gauge-01", "lamp")),
        ("a mask", a_link("address = \"10.64.10.11\", netmask = \"255.255.255.0\"")),
        ("a mask as a number", a_link("address = \"10.64.10.11\", prefix_length = 24")),
        ("a gateway", a_link("address = \"10.64.10.11\", gateway = \"10.64.10.1\"")),
        ("DNS servers", a_link("address = \"10.64.10.11\", nameservers = [\"10.64.10.53\"]")),
        ("an interface", a_host("interface = \"enp3s0\"\naddress = \"10.64.10.11\"")),
        ("a link without its word", a_host("enp3s0 = { subnet = \"quay\", address = \"10.64.10.11\" }")),
        (
            "a link's header without the host's",
            a_host("[link.eth0]\nsubnet = \"quay\"\naddress = \"10.64.10.11\""),
        ),
        (
            "one machine of a pattern again",
            hosts("gauge-{1..3}", "10.64.10.{11..13}") + &hosts("gauge-2", "10.64.10.15"),
        ),
        (
            "a console without a meanings file",
            "[[appliance]]\nname = \"gate\"\nlink.lan = { subnet = \"quay\", address = \"10.64.10.71\" }\n[appliance.answer]\n\
             \"admin password\" = { secret = \"gate\" }\n\"address\" = { take = \"address\" }\n[secret.gate]\nfrom = \"store\"\n"
                .to_owned(),
        ),
        ("no brace", a_host("link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\"")),
        ("no comma", a_host("link.eth0 = { subnet = \"quay\" address = \"10.64.10.11\" }")),
    ] {
        given = given
            .about(about)
            .file("sheet.toml", crate::support::right_sheet(&end))
            .when_hiding("seven lamps", "check sheet.toml")
            .ends_with(1)
            .and();
    }
    given.kept_as("what-people-try-first");
}

#[test]
fn a_meanings_file_is_begun_without_a_package() {
    let given = Given::a_sheet(
        "[[appliance]]\nname = \"gate\"\nmeanings = \"gate.meanings.toml\"\nlink.lan = { subnet = \"quay\", address = \"10.64.10.71\" }\n\
         [appliance.answer]\n\"password\" = { secret = \"gate\" }\n[secret.gate]\nfrom = \"file\"\npath = \"gate.secret\"\n",
    );
    given
        .file("gate.secret", "Tq7-rope-Harbor-41\n")
        .mode("gate.secret", 0o600)
        .when("inspect --save-meanings gate.meanings.toml")
        .ends_with(0)
        .when("inspect --save-meanings gate.meanings.toml")
        .ends_with(3)
        .when("inspect --save-meanings other.toml --netplan 1.1")
        .ends_with(2)
        .does_not_make("other.toml")
        .when("inspect")
        .ends_with(2)
        .when("check sheet.toml")
        .ends_with(0)
        .when("render sheet.toml --into out")
        .ends_with(0)
        .makes("out/gate/typing-card.txt");
}

#[test]
fn what_is_no_address_is_not_repeated_as_one() {
    // A value beside a familiar key is shown where it is an address, and only there.
    Given::a_sheet("[[host]]\nname = \"gauge-01\"\ninterface = \"seven lamps\"\nip = \"seven lamps\"\n")
        .when("check sheet.toml")
        .ends_with(1)
        .does_not_show("link.seven")
        .does_not_show("address = \"seven");
}
