//! One machine.

use std::sync::Arc;

use impostazione_net::{DomainName, Hostname};
use impostazione_secret::HostKey;
use impostazione_text::{Place, Stated, Written};

use super::appliance::Appliance;
use super::link::{Link, LinkKind};
use super::settings::Settings;
use crate::sheet::MachineKind;

/// A host or an appliance, with the site's defaults applied.
#[derive(Debug)]
pub struct Machine {
    /// Its name as written, right or wrong; `None` where the sheet gives none that can be read.
    pub label: Option<Box<str>>,
    /// Where its name stands, or else its header.
    pub place: Place,
    /// Its header in the sheet.
    pub header: Place,
    /// Its name, once that is a host name.
    pub hostname: Stated<Hostname>,
    /// Where its host name stands.
    pub name_place: Place,
    /// Its full name, where the sheet gives that as a whole.
    pub full_name: Option<Box<Written<DomainName>>>,
    /// What it is itself a server of.
    pub serves: Serves,
    /// Index in [`super::Site::clusters`], and where the sheet says so.
    pub cluster: Option<Box<Written<usize>>>,
    /// What it may have of its own or from `[common]`.
    pub settings: Arc<Settings>,
    /// Its network links.
    pub links: Vec<Link>,
    /// What only hosts, or only appliances, have.
    pub role: Role,
}

/// What a machine is itself a server of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Serves {
    /// Names.
    pub dns: bool,
    /// Time.
    pub ntp: bool,
}

/// What sets hosts and appliances apart.
#[derive(Debug)]
pub enum Role {
    /// A headless Linux machine.
    Host(Host),
    /// A virtual machine of an OVF package.
    Appliance(Box<Appliance>),
}

/// What only a host has.
#[derive(Debug, Default)]
pub struct Host {
    /// Indexes in [`super::Site::accounts`].
    pub accounts: Vec<usize>,
    /// The SSH host key that was made for it beforehand; `Faulty` where it is wanted and could not be had.
    pub host_key: Stated<HostKey>,
}

impl Machine {
    /// Whether it is a host or an appliance.
    pub fn kind(&self) -> MachineKind {
        match self.role {
            Role::Host(_) => MachineKind::Host,
            Role::Appliance(_) => MachineKind::Appliance,
        }
    }

    /// What only an appliance has, if it is one.
    pub fn appliance(&self) -> Option<&Appliance> {
        match &self.role {
            Role::Appliance(appliance) => Some(appliance),
            Role::Host(_) => None,
        }
    }

    /// What only a host has, if it is one.
    pub fn host(&self) -> Option<&Host> {
        match &self.role {
            Role::Host(host) => Some(host),
            Role::Appliance(_) => None,
        }
    }

    /// Its name as written, or an empty text.
    pub fn label(&self) -> &str {
        self.label.as_deref().unwrap_or_default()
    }

    /// What messages call it.
    pub fn called(&self) -> &str {
        self.label.as_deref().unwrap_or("a machine without a name")
    }

    /// Its full name: as a whole where the sheet gives it so, or host name and domain, where it has both.
    pub fn fqdn(&self) -> Option<String> {
        if let Some(full) = &self.full_name {
            return Some(full.value.to_string());
        }
        let hostname = self.hostname.value()?;
        let domain = self.settings.domain.value()?;
        Some(format!("{hostname}.{}", domain.value))
    }

    /// The domain of its full name.
    pub fn domain(&self) -> Option<&str> {
        match &self.full_name {
            Some(full) => full.value.as_str().split_once('.').map(|(_, domain)| domain),
            None => self.settings.domain.value().map(|domain| domain.value.as_str()),
        }
    }

    /// The link of this name.
    pub fn link_named(&self, name: &str) -> Option<&Link> {
        self.links.iter().find(|link| link.name.value.as_str() == name)
    }

    /// The bond or bridge that a link is a member of.
    pub fn parent_of(&self, link: &Link) -> Option<&Link> {
        let name = link.name.value.as_str();
        self.links.iter().find(|other| other.members().iter().any(|member| member.value == name))
    }

    /// Whether a vlan of the machine is carried by a link.
    pub fn carries_vlan(&self, link: &Link) -> bool {
        let name = link.name.value.as_str();
        self.links
            .iter()
            .any(|other| matches!(&other.kind, LinkKind::Vlan(Stated::Value(over)) if over.value == name))
    }
}
