//! The interview without a terminal: what is asked, what is refused and by which rule, the way back, and going on later.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::BTreeMap;
use std::path::Path;

use impostazione_core::draft::{Desk, Interview, Known, Outcome, Start};
use impostazione_core::finding::{Finding, Severity};
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::date;
use proptest::prelude::*;

/// Files in memory.
#[derive(Default)]
struct Files(BTreeMap<&'static str, Vec<u8>>);

impl NamedFiles for Files {
    fn read(&self, path: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        self.0.get(path.to_str().unwrap()).cloned().ok_or(ReadFault::Missing)
    }
}

const KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAINdamAGCsQq31Uv+08lkBzoO4XLz2qYjJa8CGmj3B1Ea keeper@capovetro.example";

const LAMPS: &str = "name;Ort;IP-Adresse;Netzmaske;MAC-Adresse\n\
    lamp-north;Nordmole;10.64.20.11;255.255.255.0;02:64:20:00:00:11\n\
    lamp-south;Südmole;10.64.20.12;255.255.255.0;02:64:20:00:00:12\n";

fn files() -> Files {
    Files(BTreeMap::from([
        ("keys/keeper.pub", KEY.as_bytes().to_vec()),
        ("lamps.csv", LAMPS.as_bytes().to_vec()),
    ]))
}

fn desk(files: &Files) -> Desk<'_> {
    let known = Known {
        user: Some("keeper".to_owned()),
        public_keys: vec![("~/.ssh/id_ed25519.pub".to_owned(), KEY.to_owned())],
        timezone: Some("Europe/Rome".to_owned()),
        keyboard: Some("it".to_owned()),
    };
    Desk::new("gauge.toml", files, date(2026, 11, 29), known)
}

/// Gives a reply that has to be taken.
fn say(interview: &mut Interview<'_>, reply: &str) -> Vec<String> {
    let id = interview.question().id;
    match interview.reply(reply) {
        Outcome::Taken(told) => told,
        other => panic!("{id} = {reply}: {other:?}"),
    }
}

/// Gives a reply that has to be refused: by which rule, and the message with its fix.
fn refused(interview: &mut Interview<'_>, reply: &str) -> (Option<&'static str>, String) {
    match interview.reply(reply) {
        Outcome::Refused(refusal) => {
            (refusal.rule.map(|rule| rule.name), format!("{} {}", refusal.message, refusal.fix))
        }
        other => panic!("{reply} was not refused: {other:?}"),
    }
}

/// Replies by the questions, for a site with every kind of link and a file of rows.
const SITE: &[(&str, &str)] = &[
    ("scope", "site"),
    ("common.site", "Capo Vetro harbor"),
    ("common.purpose", "production"),
    ("common.keyboard", "it"),
    ("subnet.1", "quay"),
    ("subnet.quay.prefix", "10.64.10.11 255.255.255.0"),
    ("subnet.quay.gateway", "10.64.10.1"),
    ("subnet.quay.prefix6", "fd64:10::/64"),
    ("subnet.quay.gateway6", "fd64:10::1"),
    ("subnet.quay.vlan", "none"),
    ("subnet.quay.dhcp_ranges", "10.64.10.200 - 10.64.10.239"),
    ("subnet.2", "breakwater"),
    ("subnet.breakwater.prefix", "10.64.20.0/24"),
    ("subnet.breakwater.gateway", "10.64.20.1"),
    ("subnet.breakwater.prefix6", "none"),
    ("subnet.breakwater.vlan", "120"),
    ("subnet.breakwater.dhcp_ranges", "none"),
    ("subnet.3", "none"),
    ("common.domain", "capovetro.example"),
    ("common.dns", "10.64.10.53, 10.64.10.54"),
    ("common.search", ""),
    ("common.ntp", "10.64.10.121 10.64.10.122 10.64.10.123 clock.capovetro.example"),
    ("common.timezone", ""),
    ("common.locale", ""),
    ("common.ssh.host_key", "yes"),
    ("account.1", "keeper"),
    ("account.keeper.full_name", "Harbor keeper"),
    ("account.keeper.admin", "yes"),
    ("account.keeper.ssh_keys", "keys/keeper.pub"),
    ("account.keeper.password", "made-up"),
    ("account.keeper.password.per", "machine"),
    ("account.keeper.hosts", "all"),
    ("account.2", "none"),
    ("host.1", "gauge-{01..06}"),
    ("host.1.link.1", "ethernet"),
    ("host.1.link.1.port", "eth0"),
    ("host.1.link.1.subnet", "quay"),
    ("host.1.link.1.address", "10.64.10.11"),
    ("host.1.link.1.address6", "none"),
    ("host.1.link.2", "none"),
    ("host.2", "signal-tower"),
    ("host.2.link.1", "bond"),
    ("host.2.link.1.name", "uplink"),
    ("host.2.link.1.members", "02:64:10:00:00:21 02:64:10:00:00:22"),
    ("host.2.link.1.mode", "active-backup"),
    ("host.2.link.1.subnet", "quay"),
    ("host.2.link.1.address", "10.64.10.31"),
    ("host.2.link.1.address6", "fd64:10::31"),
    ("host.2.link.2", "vlan"),
    ("host.2.link.2.name", "radar"),
    ("host.2.link.2.over", "uplink"),
    ("host.2.link.2.subnet", "breakwater"),
    ("host.2.link.2.address", "10.64.20.31"),
    ("host.2.link.3", "none"),
    ("host.3", "lamps.csv"),
    ("host.3.field.all", "yes"),
    ("host.3.link.1", "wifi"),
    ("host.3.link.1.subnet", "breakwater"),
    ("subnet.breakwater.wifi", "breakwater"),
    ("subnet.breakwater.wifi.country", "it"),
    ("host.3.link.2", "none"),
    ("host.4", "none"),
    ("appliance.1", "none"),
];

/// Answers what is asked by the list, as far as `most` questions.
fn answer(interview: &mut Interview<'_>, replies: &[(&str, &str)], most: usize) {
    for _ in 0..most {
        if interview.is_at_summary() {
            return;
        }
        let id = interview.question().id;
        let (_, reply) = replies
            .iter()
            .find(|(known, _)| *known == id)
            .unwrap_or_else(|| panic!("{id} was not to be asked"));
        say(interview, reply);
    }
}

#[test]
fn one_host_takes_fourteen_replies_and_eight_of_them_are_empty() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let replies = [
        ("scope", ""),
        ("common.keyboard", ""),
        ("subnet.lan.prefix", "10.64.10.21 0xffffff00"),
        ("subnet.lan.gateway", ""),
        ("subnet.lan.dhcp_ranges", "10.64.10.200-10.64.10.239"),
        ("common.dns", "10.64.10.53 10.64.10.54"),
        ("common.ntp", "10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124"),
        ("common.timezone", ""),
        ("account.1", ""),
        ("account.keeper.ssh_keys", ""),
        ("account.keeper.password", ""),
        ("host.1", "gauge-01.capovetro.example"),
        ("host.1.link.1.port", ""),
    ];
    for (id, reply) in replies {
        assert_eq!(interview.question().id, id);
        say(&mut interview, reply);
    }
    assert!(matches!(interview.reply(""), Outcome::Accepted));
    assert_eq!(
        interview.finished_text(),
        format!(
            r#"format = 1

[common]
domain = "capovetro.example"
dns = ["10.64.10.53", "10.64.10.54"]
ntp = ["10.64.10.121", "10.64.10.122", "10.64.10.123", "10.64.10.124"]
timezone = "Europe/Rome"
keyboard = "it"

[subnet.lan]
prefix = "10.64.10.0/24"
gateway = "10.64.10.1"
dhcp_ranges = ["10.64.10.200-10.64.10.239"]

[account.keeper]
admin = true
ssh_keys = ["{KEY}"]

[[host]]
name = "gauge-01"
link.lan0 = {{ port = "only", subnet = "lan", address = "10.64.10.21" }}
"#
        )
    );
    let judged = interview.judged();
    let wrong: Vec<_> =
        judged.findings.iter().filter(|finding| finding.severity() != Severity::Note).collect();
    assert!(wrong.is_empty(), "{wrong:?}");
}

#[test]
fn a_site_is_asked_in_the_order_in_which_people_think() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    for (id, reply) in SITE {
        assert_eq!(interview.question().id, *id);
        say(&mut interview, reply);
    }
    assert!(interview.is_at_summary());
    let judged = interview.judged();
    let wrong: Vec<_> = judged.findings.iter().filter(|finding| finding.is_in_the_way()).collect();
    assert!(wrong.is_empty(), "{wrong:?}\n{}", interview.finished_text());
    let text = interview.finished_text();
    assert!(text.contains(r#"link.eth0 = { subnet = "quay", address = "10.64.10.{11..16}" }"#), "{text}");
    assert!(text.contains(r#"address = "{IP-Adresse}/{Netzmaske}""#), "{text}");
    assert!(text.contains("default_route = false"), "{text}");
    assert!(text.starts_with("# Build sheet of Capo Vetro harbor.\nformat = 1\n"), "{text}");
    assert_eq!(interview.typed_secrets(), ["breakwater-wifi"]);
    // On the sheet that it has written there is nothing left to ask, and nothing changes.
    let mut again = Interview::new(&desk, Some(&text), None).unwrap();
    assert!(again.is_at_summary(), "{}", again.question().id);
    assert!(matches!(again.reply("accept"), Outcome::Accepted));
    assert_eq!(again.finished_text(), text);
}

/// What is wrong with a reply is said at once, by the rule of `check` that it breaks. The right one is taken then.
#[test]
fn a_wrong_reply_is_refused_by_the_rule_that_it_breaks() {
    let files = files();
    let desk = desk(&files);
    let wrong: &[(&str, &str, Option<&str>)] = &[
        ("common.keyboard", "italian", Some("keyboard-unknown")),
        ("subnet.quay.prefix", "10.64.10.11", None),
        ("subnet.quay.prefix", "10.64.10.11/255.0.255.0", Some("netmask-not-contiguous")),
        ("subnet.quay.prefix", "10.64.10.300/24", Some("prefix-malformed")),
        ("subnet.quay.gateway", "10.64.11.1", Some("gateway-outside-subnet")),
        ("subnet.quay.gateway", "router", Some("address-malformed")),
        ("subnet.quay.vlan", "5000", Some("vlan-out-of-range")),
        ("subnet.quay.dhcp_ranges", "10.64.11.200-10.64.11.239", Some("dhcp-range-outside-subnet")),
        ("subnet.2", "quay", None),
        ("subnet.breakwater.prefix", "10.64.10.128/25", Some("subnet-overlap")),
        ("common.domain", "capo vetro", Some("domain-malformed")),
        ("common.dns", "dns.capovetro.example", Some("dns-not-an-address")),
        ("common.dns", "10.64.10.53 10.64.10.53", Some("dns-duplicate")),
        ("common.timezone", "Europe/Roma", Some("timezone-unknown")),
        ("common.locale", "italian", Some("locale-unknown")),
        ("account.1", "Harbor Keeper", Some("account-name-invalid")),
        ("account.keeper.ssh_keys", "keys/nobody.pub", Some("ssh-key-malformed")),
        ("host.1", "gauge_{01..06}", Some("hostname-malformed")),
        ("host.1", "gauge-{01..", Some("pattern-malformed")),
        ("host.1.link.1.port", "02:64:10:00:00:2x", None),
        ("host.1.link.1.address", "10.64.11.11", Some("address-outside-subnet")),
        ("host.1.link.1.address", "10.64.10.1", Some("address-is-gateway")),
        ("host.1.link.1.address", "10.64.10.198", Some("address-in-dhcp-range")),
        ("host.2", "gauge-01", Some("hostname-duplicate")),
        ("host.2.link.1.members", "02:64:10:00:00:21", None),
        ("host.2.link.1.address", "10.64.10.11", Some("address-duplicate")),
        ("host.2.link.1.address6", "fd64:11::31", Some("address-outside-subnet")),
        ("subnet.breakwater.wifi.country", "Italy", Some("wifi-country-unknown")),
    ];
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let mut tried = 0;
    for (id, right) in SITE {
        let before = interview.finished_text();
        for (_, reply, rule) in wrong.iter().filter(|(at, _, _)| at == id) {
            let (found, message) = refused(&mut interview, reply);
            assert_eq!(found, *rule, "{id} = {reply}: {message}");
            assert_eq!(interview.question().id, *id);
            tried += 1;
        }
        assert_eq!(interview.finished_text(), before, "{id}: what is refused is not written");
        say(&mut interview, right);
    }
    assert_eq!(tried, wrong.len());
    assert!(interview.is_at_summary());
}

#[test]
fn a_doubted_reply_is_kept_at_the_second_time_with_the_reason() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let until = SITE.iter().position(|(id, _)| *id == "common.dns").unwrap();
    answer(&mut interview, SITE, until);
    assert_eq!(refused(&mut interview, "10.64.10.53").0, Some("dns-only-one"));
    say(&mut interview, "10.64.10.53");
    let text = interview.finished_text();
    let line = text.lines().find(|line| line.starts_with("dns = ")).unwrap();
    assert!(line.starts_with("dns = [\"10.64.10.53\"]  # kept although: "), "{line}");
}

#[test]
fn zones_are_offered_for_a_city_and_for_letters() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let until = SITE.iter().position(|(id, _)| *id == "common.timezone").unwrap();
    answer(&mut interview, SITE, until);
    let _ = refused(&mut interview, "london");
    let question = interview.question();
    assert_eq!(question.proposal.as_deref(), Some("Europe/London"));
    assert_eq!(question.choices[0].about, "UTC+0, in summer UTC+1");
    let told = say(&mut interview, "1");
    assert_eq!(told, ["Europe/London: UTC+0, in summer UTC+1"]);
}

#[test]
fn back_returns_to_the_sheet_before() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let mut texts = Vec::new();
    for (_, reply) in SITE {
        texts.push((interview.question().id, interview.finished_text()));
        say(&mut interview, reply);
    }
    for (id, text) in texts.iter().rev() {
        assert!(matches!(interview.reply("back"), Outcome::WentBack));
        assert_eq!((interview.question().id, interview.finished_text()), (id.clone(), text.clone()));
    }
    assert!(matches!(interview.reply("back"), Outcome::NothingBefore));
    answer(&mut interview, SITE, usize::MAX);
    assert!(interview.is_at_summary());
}

#[test]
fn what_is_left_half_way_goes_on_later_with_everything_kept() {
    let files = files();
    let desk = desk(&files);
    let whole = {
        let mut interview = Interview::new(&desk, None, None).unwrap();
        answer(&mut interview, SITE, usize::MAX);
        interview.finished_text()
    };
    // A sheet that is left in the middle of a host goes on with the link, so that no name of a port is lost.
    for (most, (at, _)) in SITE.iter().enumerate().skip(1) {
        let mut interview = Interview::new(&desk, None, None).unwrap();
        answer(&mut interview, SITE, most);
        let (left, open) = interview.open_text();
        assert!(!open.is_empty() || interview.is_at_summary(), "{most}");
        let mut later = Interview::new(&desk, Some(&left), None).unwrap();
        for _ in 0..SITE.len() {
            if later.is_at_summary() {
                break;
            }
            let id = later.question().id;
            let reply = SITE.iter().find(|(known, _)| *known == id).map_or("none", |(_, reply)| reply);
            if let Outcome::Refused(refusal) = later.reply(reply) {
                panic!("after {most}: {id} = {reply}: {}", refusal.message);
            }
        }
        assert!(later.is_at_summary(), "after {most}");
        let keys = |text: &str| {
            let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
            lines.sort();
            lines
        };
        assert_eq!(keys(&later.finished_text()), keys(&whole), "after {most}: {at}");
    }
}

#[test]
fn something_is_changed_and_added_from_the_summary() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    answer(&mut interview, SITE, usize::MAX);
    let shown = interview.question().shown;
    let line = shown.iter().find(|line| line.contains("subnet.quay.gateway: 10.64.10.1")).unwrap();
    let number = line.split_whitespace().next().unwrap().to_owned();
    say(&mut interview, &number);
    assert_eq!(interview.question().id, "subnet.quay.gateway");
    assert_eq!(interview.question().proposal.as_deref(), Some("10.64.10.1"));
    assert_eq!(refused(&mut interview, "10.64.10.11").0, Some("address-is-gateway"));
    say(&mut interview, "10.64.10.254");
    assert!(interview.is_at_summary());
    say(&mut interview, "host");
    assert_eq!(interview.question().id, "host.4");
    say(&mut interview, "buoy");
    say(&mut interview, "ethernet");
    say(&mut interview, "eth0");
    say(&mut interview, "quay");
    // The next address that nobody has: the router's old one.
    assert_eq!(interview.question().proposal.as_deref(), Some("10.64.10.1"));
    say(&mut interview, "");
    say(&mut interview, "none");
    say(&mut interview, "none");
    say(&mut interview, "none");
    assert!(interview.is_at_summary(), "{}", interview.question().id);
    let text = interview.finished_text();
    assert!(text.contains("gateway = \"10.64.10.254\""), "{text}");
    assert!(
        text.contains("name = \"buoy\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.1\" }"),
        "{text}"
    );
}

#[test]
fn a_sheet_of_somebody_s_own_keeps_its_comments_and_gets_a_host() {
    let files = files();
    let desk = desk(&files);
    let sheet = format!(
        "# Mine.\nformat = 1\n\n[common]   # of all\ndomain   = \"capovetro.example\"\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\", \"10.64.10.124\"]\ntimezone = \"Europe/Rome\"\n\n[subnet.quay] # the old wall\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n\n[account.keeper]\nadmin = true\nssh_keys = [\"{KEY}\"]\n\n# The first.\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = {{ subnet = \"quay\", address = \"10.64.10.2\" }}  # by hand\n"
    );
    let mut interview = Interview::new(&desk, Some(&sheet), Some(Start::Hosts)).unwrap();
    assert_eq!(interview.question().id, "host.2");
    for reply in ["gauge-02", "ethernet", "eth0", "", "none", "none"] {
        say(&mut interview, reply);
    }
    assert!(matches!(interview.reply("accept"), Outcome::Accepted));
    let added =
        "\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.3\" }\n";
    assert_eq!(interview.finished_text(), format!("{sheet}{added}"));
}

#[test]
fn what_is_open_stands_in_the_sheet_as_remarks() {
    let files = files();
    let desk = desk(&files);
    let interview = Interview::new(&desk, None, None).unwrap();
    let (text, open) = interview.open_text();
    assert!(open.contains(&"common.dns".to_owned()), "{open:?}");
    assert!(text.contains("#? dns = [\"10.64.10.53\", \"10.64.10.54\"]  # DNS servers"), "{text}");
    assert!(text.contains("#? [subnet.quay]\n#? prefix = \"10.64.10.0/24\""), "{text}");
    let mut later = Interview::new(&desk, Some(&text), None).unwrap();
    let mut asked = Vec::new();
    while !later.is_at_summary() && asked.len() < 100 {
        asked.push(later.question().id);
        later.skip();
    }
    assert!(asked.contains(&"common.dns".to_owned()) && asked.contains(&"subnet.1".to_owned()), "{asked:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever is typed, the sheet stays one that can be read, and what was refused is not in it.
    #[test]
    fn no_reply_breaks_the_sheet(typed in prop::collection::vec(
        prop_oneof![
            Just(String::new()), Just("back".to_owned()), Just("none".to_owned()), Just("?".to_owned()), Just("1".to_owned()),
            Just("site".to_owned()), Just("10.64.10.5/24".to_owned()), Just("gauge-{1..3}".to_owned()), Just("host".to_owned()),
            "[a-z]{1,8}", "\\PC{0,16}", "[\"'\\\\{}\\[\\]=#, ]{1,8}", "[0-9]{1,3}(\\.[0-9]{1,3}){3}(/[0-9]{1,2})?",
        ], 1..40)) {
        let files = files();
        let desk = desk(&files);
        let mut interview = Interview::new(&desk, None, None).unwrap();
        for reply in &typed {
            let before = interview.finished_text();
            match interview.reply(reply) {
                Outcome::Refused(_) | Outcome::Explained(_) | Outcome::NothingBefore => {
                    prop_assert_eq!(interview.finished_text(), before);
                }
                Outcome::Accepted | Outcome::Left => break,
                Outcome::Taken(_) | Outcome::WentBack => {}
            }
            prop_assert!(Interview::new(&desk, Some(&interview.finished_text()), None).is_ok());
            prop_assert!(Interview::new(&desk, Some(&interview.open_text().0), None).is_ok());
        }
    }
}

#[test]
fn a_host_may_have_a_switch_inside() {
    let files = files();
    let desk = desk(&files);
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let until = SITE.iter().position(|(id, _)| *id == "host.1.link.1").unwrap();
    answer(&mut interview, SITE, until);
    // What is behind it on the list is about other links.
    assert_eq!(interview.question().id, "host.1.link.1");
    assert!(matches!(interview.reply("back"), Outcome::WentBack));
    say(&mut interview, "mole-house");
    for reply in ["bridge", "", "02:64:10:00:00:41", "quay", "10.64.10.41", "none", "none", "none", "none"] {
        say(&mut interview, reply);
    }
    assert!(interview.is_at_summary(), "{}", interview.question().id);
    let text = interview.finished_text();
    assert!(
        text.contains(
            "kind = \"bridge\"\nsubnet = \"quay\"\naddress = \"10.64.10.41\"\nmembers = [\"lan0\"]"
        ),
        "{text}"
    );
    let judged = interview.judged();
    assert!(!judged.findings.iter().any(Finding::is_in_the_way), "{:?}", judged.findings);
}
