//! What each machine will be, for a person to agree to. It judges nothing: what could not be read is left out.

use impostazione_net::Family;
use impostazione_ovf::{Meaning, Question};
use impostazione_secret::HashMethod;
use impostazione_text::Stated;
use serde::{Serialize, Serializer};

use super::link_details::LinkDetails;
use super::setting_origins::ReviewedOrigin;

use crate::appliance::{Origin, answered_properties, harmless_url, told_appliance, told_appliances};
use crate::finding::{Finding, Severity};
use crate::machine::{AddressChoice, HostsFile, Ipv6Mode, Link, Machine, Site, TimeService};

/// A site as a person reviews it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Review {
    /// What the site is called.
    pub site: Option<String>,
    /// Its machines, in the order of the sheet.
    pub machines: Vec<ReviewedMachine>,
}

/// One machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedMachine {
    /// Its name as written; empty where the sheet gives none.
    pub name: String,
    /// `host` or `appliance`.
    pub kind: &'static str,
    /// Its host name.
    pub hostname: Option<String>,
    /// Its full name, where it has a domain.
    pub fqdn: Option<String>,
    /// Domain; a list, as the others, of none or one.
    pub domain: ReviewedValue,
    /// DNS servers.
    pub dns: ReviewedValue,
    /// Search domains.
    pub search: ReviewedValue,
    /// Time servers.
    pub ntp: ReviewedValue,
    /// Time zone.
    pub timezone: ReviewedValue,
    /// What else a host has from the sheet, or has by default; `null` for an appliance.
    pub host: Option<ReviewedHost>,
    /// What it is itself a server of.
    pub serves: Vec<&'static str>,
    /// The cluster that it belongs to.
    pub cluster: Option<String>,
    /// Its links.
    pub links: Vec<ReviewedLink>,
    /// Logins, of a host.
    pub accounts: Vec<ReviewedAccount>,
    /// Path of the package, of an appliance.
    pub package: Option<String>,
    /// The package's properties, or the questions of the console, of an appliance.
    pub properties: Vec<ReviewedProperty>,
    /// Where its settings come from, where that was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub origins: Vec<ReviewedOrigin>,
}

/// A login on a host.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedAccount {
    /// Its name.
    pub name: String,
    /// Whether it may act as root.
    pub admin: bool,
    /// How many SSH keys open it.
    pub ssh_keys: usize,
    /// Whether it has a password.
    pub password: bool,
    /// Whether the password has to be changed at the first login.
    pub change_at_first_login: bool,
}

/// What a sheet states of a setting.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum ReviewedValue {
    /// These values.
    Values(Vec<String>),
    /// That there is to be none.
    None,
    /// Nothing.
    Nothing,
    /// Something that could not be read.
    Unreadable,
}

impl Serialize for ReviewedValue {
    /// `{"state": …, "values": […]}`, the state being `stated`, `none`, `not-stated` or `unreadable`.
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Shape<'a> {
            state: &'static str,
            values: &'a [String],
        }
        let (state, values) = match self {
            Self::Values(values) => ("stated", values.as_slice()),
            Self::None => ("none", &[][..]),
            Self::Nothing => ("not-stated", &[][..]),
            Self::Unreadable => ("unreadable", &[][..]),
        };
        Shape { state, values }.serialize(serializer)
    }
}

/// What only a host has.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedHost {
    /// Domains with DNS servers of their own.
    pub dns_for: Vec<ReviewedDnsFor>,
    /// Whether names are looked up by LLMNR, where the sheet says it.
    pub llmnr: Option<bool>,
    /// Whether names are looked up by multicast DNS, where the sheet says it.
    pub multicast_dns: Option<bool>,
    /// Whose names its `/etc/hosts` has: `own` or `site`.
    pub hosts_file: &'static str,
    /// The program that sets the clock: `timesyncd` or `chrony`.
    pub time_service: &'static str,
    /// Language and formats.
    pub locale: ReviewedValue,
    /// Layout of the console's keyboard.
    pub keyboard: ReviewedValue,
    /// What is done with IPv6: `static`, `off` or `auto`.
    pub ipv6: &'static str,
    /// The program that netplan writes for.
    pub renderer: &'static str,
    /// Who may log in over SSH, and with what.
    pub ssh: ReviewedSsh,
    /// What becomes of logins that the image comes with: `lock`, `keep` or `refuse`.
    pub stock_logins: &'static str,
    /// How passwords of logins are hashed.
    pub password_hashing: ReviewedHashing,
}

/// A domain with DNS servers of its own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedDnsFor {
    /// The domain.
    pub domain: String,
    /// Who is asked for names in it.
    pub servers: Vec<String>,
}

/// Who may log in over SSH.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the sheet")]
pub struct ReviewedSsh {
    /// Whether the service is on.
    pub enabled: bool,
    /// Whether a password opens a login.
    pub password_login: bool,
    /// Whether root may log in.
    pub root_login: bool,
    /// Whether the host key was prepared.
    pub host_key: bool,
    /// The TCP port on which the service listens.
    pub port: u16,
}

/// How passwords of logins are hashed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedHashing {
    /// `yescrypt` or `sha512`.
    pub algorithm: &'static str,
    /// The cost of yescrypt, from 1 to 11, or the rounds of SHA-512.
    pub cost: u32,
}

/// One link.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedLink {
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: &'static str,
    /// How it is found, what it is made of, and what else is said of it.
    #[serde(flatten)]
    pub details: LinkDetails,
    /// The bond or bridge that it is a member of.
    pub member_of: Option<String>,
    /// The package's network that it is on.
    pub network: Option<String>,
    /// Its subnet.
    pub subnet: Option<String>,
    /// Its addresses with their masks.
    pub addresses: ReviewedValue,
    /// The gateways that its default routes lead to.
    pub gateways: Vec<String>,
}

/// One property of a package, or one question of a console.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedProperty {
    /// `class.key.instance`
    pub id: String,
    /// The value that it gets; `null` for a password.
    pub value: Option<String>,
    /// Where the value comes from.
    pub from: ValueOrigin,
    /// What the property means, where that is certain.
    pub meaning: Option<&'static str>,
    /// What the value is, read as that.
    pub read_as: Option<String>,
    /// What is wrong with it.
    pub findings: Vec<ReviewedFinding>,
}

/// Something that is wrong with a value.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedFinding {
    /// The rule that it breaks.
    pub rule: &'static str,
    /// `error`, `warning` or `note`.
    pub severity: Severity,
    /// What is wrong.
    pub message: String,
}

/// Where the value of a property comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ValueOrigin {
    /// It stands in the sheet as it is.
    Answer,
    /// It is taken from elsewhere in the sheet.
    Taken,
    /// It is a secret.
    Secret,
    /// It is what the property means, taken from the sheet without an answer.
    Meaning,
    /// The package's default, which the sheet leaves.
    Default,
    /// The package's own, which nobody sets.
    Package,
    /// There is none.
    Unanswered,
}

/// Puts a site's machines, those that `wanted` picks by name, into that form.
pub fn review(site: &Site, wanted: impl Fn(&str) -> bool) -> Review {
    let machines = site.machines.iter().filter(|machine| wanted(machine.label()));
    Review { site: site.name.clone(), machines: machines.map(|machine| reviewed(site, machine)).collect() }
}

impl Review {
    /// Adds what each value of an appliance is once it is read as what it means, and what was found to be wrong with it.
    #[must_use]
    pub fn with_judgment(mut self, site: &Site, findings: &[Finding]) -> Self {
        for told in told_appliances(site) {
            let label = told.machine.label();
            let Some(machine) = self.machines.iter_mut().find(|machine| machine.name == label) else {
                continue;
            };
            for property in &mut machine.properties {
                if let Some(value) = told.values.iter().find(|value| value.id() == property.id) {
                    property.meaning = (value.meaning != Meaning::Other).then(|| value.meaning.word());
                    property.read_as = value
                        .typed()
                        .filter(|_| !value.is_confidential)
                        .map(ToString::to_string)
                        .filter(|text| !text.is_empty());
                }
            }
        }
        for finding in findings.iter().filter(|finding| !finding.is_waived()) {
            let Some(id) = &finding.property else { continue };
            let machine = self
                .machines
                .iter_mut()
                .find(|machine| Some(machine.name.as_str()) == finding.machine.as_deref());
            let property =
                machine.and_then(|machine| machine.properties.iter_mut().find(|property| property.id == *id));
            if let Some(property) = property {
                property.findings.push(ReviewedFinding {
                    rule: finding.rule.name,
                    severity: finding.severity(),
                    message: finding.message.clone(),
                });
            }
        }
        self
    }
}

fn reviewed(site: &Site, machine: &Machine) -> ReviewedMachine {
    let settings = &machine.settings;
    let accounts = machine.host().map(|host| host.accounts.as_slice()).unwrap_or_default();
    let package =
        machine.appliance().and_then(|appliance| site.packages.get(appliance.package.value()?.value));
    ReviewedMachine {
        name: machine.label().to_owned(),
        kind: machine.kind().word(),
        hostname: machine.hostname.value().map(ToString::to_string),
        fqdn: machine.fqdn(),
        domain: match machine.domain() {
            Some(domain) => ReviewedValue::Values(vec![domain.to_owned()]),
            None => one(settings.domain.as_ref().and_then(|written| Some(written.value.to_string()))),
        },
        dns: many(settings.dns.as_ref().and_then(|list| Some((list.is_declined(), texts(list.values()))))),
        search: many(
            settings.search.as_ref().and_then(|list| Some((list.is_declined(), texts(list.values())))),
        ),
        ntp: many(settings.ntp.as_ref().and_then(|list| Some((list.is_declined(), texts(list.values()))))),
        timezone: one(settings.timezone.as_ref().and_then(|written| Some(written.value.to_string()))),
        host: machine.host().map(|_| reviewed_host(machine)),
        serves: [("dns", machine.serves.dns), ("ntp", machine.serves.ntp)]
            .into_iter()
            .filter_map(|(word, serves)| serves.then_some(word))
            .collect(),
        cluster: machine
            .cluster
            .as_ref()
            .and_then(|cluster| Some(site.clusters.get(cluster.value)?.name.value.clone())),
        links: machine.links.iter().map(|link| reviewed_link(site, machine, link)).collect(),
        accounts: accounts
            .iter()
            .filter_map(|index| site.accounts.get(*index))
            .map(|account| ReviewedAccount {
                name: account.name.value.to_string(),
                admin: account.is_admin,
                ssh_keys: account.keys.len(),
                password: account.has_password(),
                change_at_first_login: account.changes_password(),
            })
            .collect(),
        package: package.map(|package| package.path.clone()),
        properties: reviewed_properties(site, machine),
        origins: Vec::new(),
    }
}

fn reviewed_host(machine: &Machine) -> ReviewedHost {
    let settings = &machine.settings;
    let ssh = &settings.ssh;
    let special = settings.dns_for.iter().map(|special| ReviewedDnsFor {
        domain: special.domain.value.to_string(),
        servers: texts(special.servers.values()),
    });
    ReviewedHost {
        dns_for: special.collect(),
        llmnr: settings.llmnr.value().map(|flag| flag.value),
        multicast_dns: settings.multicast_dns.value().map(|flag| flag.value),
        hosts_file: match settings.hosts_file() {
            HostsFile::Site => "site",
            HostsFile::Own => "own",
        },
        time_service: match settings.time_service() {
            TimeService::Timesyncd => "timesyncd",
            TimeService::Chrony => "chrony",
        },
        locale: one(settings.locale.as_ref().and_then(|locale| Some(locale.value.as_str().to_owned()))),
        keyboard: one(settings.keyboard.as_ref().and_then(|layout| Some(layout.value.as_str().to_owned()))),
        ipv6: match settings.ipv6() {
            Ipv6Mode::Static => "static",
            Ipv6Mode::Off => "off",
            Ipv6Mode::Auto => "auto",
        },
        renderer: settings.renderer().word(),
        ssh: ReviewedSsh {
            enabled: ssh.is_enabled(),
            password_login: ssh.is_enabled() && ssh.allows_passwords(),
            root_login: ssh.is_enabled() && ssh.allows_root(),
            host_key: ssh.is_enabled() && ssh.has_made_key(),
            port: ssh.port(),
        },
        stock_logins: settings.stock_logins().word(),
        password_hashing: match settings.hash_method() {
            HashMethod::Yescrypt(cost) => ReviewedHashing { algorithm: "yescrypt", cost },
            HashMethod::Sha512(rounds) => ReviewedHashing { algorithm: "sha512", cost: rounds },
        },
    }
}

fn reviewed_link(site: &Site, machine: &Machine, link: &Link) -> ReviewedLink {
    let families = || Family::BOTH.into_iter();
    let given =
        |wanted: fn(&Stated<AddressChoice>) -> bool| families().any(|family| wanted(link.choice_in(family)));
    let addresses: Vec<String> = link
        .addresses()
        .map(|found| {
            let plain = found.address.value.to_string();
            site.with_mask(link, found).map_or(plain, |address| address.to_string())
        })
        .collect();
    let addresses = if !addresses.is_empty() {
        ReviewedValue::Values(addresses)
    } else if given(|choice| matches!(choice, Stated::Faulty)) {
        ReviewedValue::Unreadable
    } else if given(|choice| matches!(choice, Stated::Value(AddressChoice::Declined))) {
        ReviewedValue::None
    } else {
        ReviewedValue::Nothing
    };
    ReviewedLink {
        name: link.name.value.to_string(),
        kind: link.kind.word(),
        details: LinkDetails::of(site, link),
        member_of: machine.parent_of(link).map(|parent| parent.name.value.to_string()),
        network: link.network.as_ref().map(|network| network.value.clone()),
        subnet: site.subnet_of(link).map(|subnet| subnet.name.value.clone()),
        addresses,
        gateways: families()
            .filter_map(|family| Some(site.default_gateway(link, family)?.value.to_string()))
            .collect(),
    }
}

/// What the properties of its package get, or what is typed at the questions of its console.
fn reviewed_properties(site: &Site, machine: &Machine) -> Vec<ReviewedProperty> {
    let at_console = told_appliance(site, machine).filter(|told| told.is_at_console);
    let questions = at_console.iter().filter_map(|told| site.meanings_of(told.appliance));
    let questions: Vec<&Question> = questions.flat_map(|file| &file.question).collect();
    if let Some(told) = at_console.as_ref().filter(|_| !questions.is_empty()) {
        let typed = questions.into_iter().map(|question| {
            match told.values.iter().find(|value| value.id() == question.id) {
                Some(value) => {
                    let shown = (!value.is_confidential).then(|| value.text.reveal().to_owned());
                    reviewed_property(question.id.clone(), origin_of(value.origin), shown)
                }
                None if question.is_password => {
                    reviewed_property(question.id.clone(), ValueOrigin::Secret, None)
                }
                None => reviewed_property(question.id.clone(), ValueOrigin::Unanswered, Some(String::new())),
            }
        });
        return typed.collect();
    }
    let of_package = answered_properties(site, machine).into_iter().map(|answered| {
        let from = match answered.outcome.origin() {
            Some(origin) => origin_of(origin),
            None if answered.is_secret() => ValueOrigin::Secret,
            None => ValueOrigin::Unanswered,
        };
        let value = answered.outcome.text().unwrap_or_default();
        let value = (!answered.is_confidential()).then(|| value.to_owned());
        reviewed_property(answered.property.id(), from, value)
    });
    of_package.collect()
}

fn origin_of(origin: Origin) -> ValueOrigin {
    match origin {
        Origin::Literal => ValueOrigin::Answer,
        Origin::Taken => ValueOrigin::Taken,
        Origin::Secret(_) => ValueOrigin::Secret,
        Origin::Meaning | Origin::WhenMissing => ValueOrigin::Meaning,
        Origin::Default => ValueOrigin::Default,
        Origin::Package => ValueOrigin::Package,
    }
}

/// A property; a login in a URL is not shown.
fn reviewed_property(id: String, from: ValueOrigin, value: Option<String>) -> ReviewedProperty {
    let value = value.map(|text| harmless_url(&text));
    ReviewedProperty { id, value, from, meaning: None, read_as: None, findings: Vec::new() }
}

fn one(given: Stated<String>) -> ReviewedValue {
    many(given.and_then(|value| Some((false, vec![value]))))
}

fn many(given: Stated<(bool, Vec<String>)>) -> ReviewedValue {
    match given {
        Stated::Value((true, _)) => ReviewedValue::None,
        Stated::Value((false, values)) if values.is_empty() => ReviewedValue::Nothing,
        Stated::Value((false, values)) => ReviewedValue::Values(values),
        Stated::Absent => ReviewedValue::Nothing,
        Stated::Faulty => ReviewedValue::Unreadable,
    }
}

fn texts<'a, T: ToString + 'a>(values: impl Iterator<Item = &'a T>) -> Vec<String> {
    values.map(ToString::to_string).collect()
}
