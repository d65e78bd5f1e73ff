//! The network of this computer.

use std::collections::HashMap;
use std::io;
use std::net::{IpAddr, SocketAddr};
use std::path::Path;
use std::sync::Mutex;

use impostazione_core::network::Transport;

use super::echo::echoes;
use super::kernel_tables::{KernelLink, KernelTables, Way};
use super::neighbors::look;
use super::network::{Network, Reach, Standing};
use crate::answer::{Doubt, Leases, Presence};
use crate::obstacle::Obstacle;
use crate::offer;
use crate::stop::Stop;
use crate::target::Target;

/// The network of this computer.
pub struct RealNetwork {
    tables: Mutex<KernelTables>,
    links: HashMap<u32, KernelLink>,
}

impl RealNetwork {
    /// The network as the kernel knows it now.
    pub fn open() -> io::Result<Self> {
        let tables = KernelTables::open()?;
        let links = tables.links()?;
        Ok(Self { tables: Mutex::new(tables), links })
    }

    fn way_to(&self, address: IpAddr) -> io::Result<Way> {
        let tables = self.tables.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        tables.way_to(address)
    }

    fn name(&self, index: u32) -> String {
        self.links.get(&index).map_or_else(|| format!("link {index}"), |link| link.name.clone())
    }

    /// The name of the link that has an address of this computer.
    fn own_link(&self, address: IpAddr) -> String {
        let tables = self.tables.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let index = tables.link_of_own(address).ok().flatten();
        drop(tables);
        index.map_or_else(|| "one of its links".to_owned(), |index| self.name(index))
    }
}

/// Whether a link of this computer is a radio, as the kernel shows it.
fn is_radio(link: &str) -> bool {
    let folder = Path::new("/sys/class/net").join(link);
    ["wireless", "phy80211"].into_iter().any(|sign| folder.join(sign).exists())
}

impl Network for RealNetwork {
    fn standing(&self, target: Target) -> Standing {
        let address = target.address;
        match self.way_to(target.near) {
            // Which router of its own link an address of this computer has, is asked like any other.
            Ok(Way::Own) if target.near != address => Standing::Known(Presence::NotLooked(Obstacle::NoRoute)),
            Ok(Way::Own) => Standing::Known(Presence::ThisComputer(self.own_link(address))),
            Ok(Way::Link(index)) => match self.links.get(&index) {
                Some(link) if link.has_neighbors => Standing::Attached,
                _ => Standing::Known(Presence::CannotTell(Doubt::NoNeighbors(self.name(index)))),
            },
            Ok(Way::Router) => Standing::BehindRouter,
            Ok(Way::None) => Standing::Known(Presence::NotLooked(Obstacle::NoRoute)),
            Err(error) => Standing::Known(Presence::NotLooked(Obstacle::of(&error))),
        }
    }

    fn look_at_neighbors(&self, targets: &[Target], stop: &Stop, settled: &mut dyn FnMut(Target, Presence)) {
        let mut on_links = Vec::with_capacity(targets.len());
        for target in targets {
            match self.way_to(target.near) {
                Ok(Way::Link(index)) => on_links.push((*target, index)),
                Ok(_) => settled(*target, Presence::NotLooked(Obstacle::NoRoute)),
                Err(error) => settled(*target, Presence::NotLooked(Obstacle::of(&error))),
            }
        }
        look(&on_links, &|index| self.name(index), stop, &mut |target, presence| {
            let presence = match presence {
                Presence::Nobody(link) if is_radio(&link) => Presence::CannotTell(Doubt::Radio(link)),
                other => other,
            };
            settled(target, presence);
        });
    }

    fn reach(&self, _: Transport, to: SocketAddr) -> Reach {
        // What a name leads to is a stranger's word.
        let ip = to.ip();
        let is_odd =
            ip.is_unspecified() || ip.is_multicast() || matches!(ip, IpAddr::V4(four) if four.is_broadcast());
        if is_odd { Reach::Barred(Obstacle::NoRoute) } else { Reach::At(to) }
    }

    fn echoes(&self, address: IpAddr) -> Option<bool> {
        echoes(address)
    }

    fn offers(&self, near: IpAddr, stop: &Stop) -> Leases {
        match self.way_to(near) {
            Ok(Way::Link(index)) => match self.links.get(&index) {
                Some(link) => offer::ask(&link.name, &link.hardware, stop),
                None => Leases::NotAttached,
            },
            Ok(_) => Leases::NotAttached,
            Err(error) => Leases::NotLooked(Obstacle::of(&error)),
        }
    }
}
