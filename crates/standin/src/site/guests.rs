//! The ports at which the machines of a simulated site are administered once they have started.

use std::io::{self, Write as _};
use std::net::{IpAddr, TcpStream};

use impostazione_core::machine::{Cluster, Link, Machine, Site, Ssh};
use impostazione_core::network::Transport;

use super::fault::Fault;
use super::places::Places;
use super::ports::Ports;
use super::ssh_server::SshServing;
use super::web_server::WebServing;

/// The port of administration where nothing says otherwise.
const USUAL_PORT: u16 = 443;
/// What a service says that is not one of those that are meant.
const OTHER_SERVICE: &[u8] = b"220 mail.capovetro.example is here\r\n";

/// Starts what the machines of a site speak, and enters it in the places.
pub(super) fn start(site: &Site, faults: &[Fault], places: &mut Places, ports: &mut Ports) -> io::Result<()> {
    for machine in &site.machines {
        let Some(port) = port_of(site, machine) else { continue };
        let is = |of: fn(String) -> Fault| faults.contains(&of(machine.label().to_owned()));
        if is(Fault::NotReady) {
            continue;
        }
        let addresses: Vec<IpAddr> =
            machine.links.iter().flat_map(Link::addresses).map(|own| own.address.value).collect();
        if addresses.is_empty() {
            continue;
        }
        let at = if is(Fault::OtherService) {
            ports.greet_each(|stream| stream.write_all(OTHER_SERVICE))?
        } else if machine.host().is_some() {
            let serving = ssh_of(machine, faults)?;
            ports.greet_each(move |stream| serving.greet(stream))?
        } else {
            let serving = page_of(site, machine, &addresses, faults)?;
            ports.greet_each(move |stream| serving.greet(stream))?
        };
        for address in addresses {
            places.map_port(address, Transport::Tcp, port, at);
        }
    }
    for (index, cluster) in site.clusters.iter().enumerate() {
        let Some(port) = site.members(index).find_map(|member| port_of(site, member)) else { continue };
        let at = ports.greet_each(|_: &mut TcpStream| Ok(()))?;
        for shared in Cluster::addresses(cluster) {
            places.map_port(shared.address.value, Transport::Tcp, port, at);
        }
    }
    Ok(())
}

/// The port of a machine; nothing where it has none.
fn port_of(site: &Site, machine: &Machine) -> Option<u16> {
    if machine.host().is_some() {
        return machine.settings.ssh.is_enabled().then(|| Ssh::port(&machine.settings.ssh));
    }
    let of_meanings = || site.meanings_of(machine.appliance()?)?.administration.as_ref()?.port;
    Some(of_meanings().unwrap_or(USUAL_PORT))
}

fn ssh_of(machine: &Machine, faults: &[Fault]) -> io::Result<SshServing> {
    let label = machine.label();
    let is = |of: fn(String) -> Fault| faults.contains(&of(label.to_owned()));
    let of_store = machine.host().and_then(|host| host.host_key.value()).and_then(|key| {
        let file = key.private_file(label).ok()?;
        SshServing::with_file(file.reveal())
    });
    let made_up = || SshServing::with_word(&format!("host key of {label}"));
    let serving = if is(Fault::OtherKey) {
        SshServing::with_word(&format!("another host key of {label}"))
    } else {
        of_store.or_else(made_up)
    };
    let mut serving = serving.ok_or_else(|| io::Error::other("a host key cannot be used"))?;
    serving.proves = !is(Fault::UnprovedKey);
    Ok(serving)
}

fn page_of(site: &Site, machine: &Machine, addresses: &[IpAddr], faults: &[Fault]) -> io::Result<WebServing> {
    let label = machine.label();
    let is = |of: fn(String) -> Fault| faults.contains(&of(label.to_owned()));
    if is(Fault::PlainHttp) {
        return Ok(WebServing::Plain);
    }
    if is(Fault::OldTls) {
        return Ok(WebServing::OldTls);
    }
    let which = if is(Fault::OtherCertificate) { "another certificate" } else { "certificate" };
    let is_other = |other: &&Machine| other.label() != label && other.fqdn().is_some();
    let other = site.machines.iter().filter(|_| is(Fault::CertificateOfAnother)).find(is_other);
    let names: Vec<String> = other.unwrap_or(machine).fqdn().into_iter().collect();
    let addresses = if other.is_some() { &[] } else { addresses };
    WebServing::with_word(&format!("{which} of {label}"), &names, addresses, is(Fault::Expired))
}
