//! Network files that would be merged with ours, win over it, or set the same links up.

use impostazione_rootfs::{Change, OddPath, RootfsPath, Subject, Want};

use super::super::survey::name_servers::LookUpKind;
use super::super::survey::network::{Effect, Reader};
use super::super::survey::units::{ETC_UNITS, Unit};
use super::edits::edited;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use super::rewriting::set_aside_or_hide;
use crate::host::{HEADER, RESOLVED_PATH};

const INTERFACES: &str = "etc/network/interfaces";
/// Where programs look for DNS servers.
const RESOLV_CONF: &str = "etc/resolv.conf";
/// Where systemd-resolved keeps them for those (`systemd-resolved.service(8)`).
const STUB: &str = "../run/systemd/resolve/stub-resolv.conf";

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    for file in &inputs.survey.network_files {
        let effect = file.effect_once_placed(inputs.is_for_manager());
        if !effect.is_in_the_way() {
            continue;
        }
        let path = file.path.as_str();
        match file.reader {
            Reader::Interfaces if path == INTERFACES => {
                let text = format!("{HEADER}auto lo\niface lo inet loopback\n");
                let want = edited(inputs.view, path, text, 0o644)?;
                let why = "ifup would configure links too; only the loopback stays with it";
                plan.changes.push(Change::new(RootfsPath::new(path)?, Subject::Network, want).because(why));
            }
            Reader::Dhcpcd => {
                mask(plan, "dhcpcd.service", Subject::Network, "it would run DHCP on every link")?;
            }
            _ => {
                let why = match effect {
                    Effect::Merges => "netplan would merge it with our file".to_owned(),
                    Effect::Wins => "it would override what netplan generates from our file".to_owned(),
                    _ => format!("{} would use it to configure links too", file.reader.word()),
                };
                set_aside_or_hide(inputs.view, path, Subject::Network, &why, plan)?;
            }
        }
    }
    name_servers(inputs, plan)?;
    for renderer in &inputs.survey.renderers {
        if renderer.unit == "connman.service" && renderer.is_enabled {
            mask(plan, renderer.unit, Subject::Network, "it would configure links by itself")?;
        }
    }
    wifi_switches(inputs, plan)?;
    resolv_conf(inputs, plan)
}

/// Lists of several files add up. Ours empties them first; a file that sorts after it would add to it.
fn name_servers(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let says = inputs.output.text(RESOLVED_PATH).is_some_and(|text| text.lines().any(|line| line == "DNS="));
    let servers = inputs.survey.name_servers.iter().filter(|line| line.kind == LookUpKind::Servers);
    let mut paths: Vec<&str> = servers.map(|line| line.path.as_str()).collect();
    paths.dedup();
    // The main file is read before all drop-ins.
    for path in paths.into_iter().filter(|path| says && path.contains("resolved.conf.d/")) {
        set_aside_or_hide(
            inputs.view,
            path,
            Subject::Network,
            "its DNS servers and domains would be used as well as ours",
            plan,
        )?;
    }
    Ok(())
}

/// Where systemd keeps which Wi-Fi interfaces were switched off (`systemd-rfkill(8)`).
const RADIOS: &str = "var/lib/systemd/rfkill";

/// A Wi-Fi interface that was switched off stays so from boot to boot; images keep theirs off until a country is set.
fn wifi_switches(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    if !inputs.output.text(crate::host::NETPLAN_PATH).is_some_and(|text| text.contains("wifis:")) {
        return Ok(());
    }
    for name in inputs.view.list(RADIOS)?.into_iter().filter(|name| name.ends_with(":wlan")) {
        let path = format!("{RADIOS}/{name}");
        if inputs.view.text(&path)?.is_some_and(|text| text.trim() == "1") {
            let want = edited(inputs.view, &path, "0\n", 0o644)?;
            let why = "Wi-Fi would stay switched off";
            plan.changes.push(Change::new(RootfsPath::new(path)?, Subject::Network, want).because(why));
        }
    }
    Ok(())
}

/// Keeps a unit from ever starting.
pub(super) fn mask(plan: &mut Plan, unit: &str, subject: Subject, why: &str) -> Result<(), OddPath> {
    let want = Want::Link("/dev/null".to_owned());
    plan.changes
        .push(Change::new(RootfsPath::new(format!("{ETC_UNITS}/{unit}"))?, subject, want).because(why));
    Ok(())
}

/// DNS servers of networkd come to programs through systemd-resolved only.
fn resolv_conf(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let has_resolved = Unit::find(inputs.view, "systemd-resolved.service")?.is_some();
    if !has_resolved || inputs.is_for_manager() {
        return Ok(());
    }
    let target = inputs.view.target(RESOLV_CONF)?.unwrap_or_default();
    if !target.contains("run/systemd/resolve/") {
        let why = if inputs.view.look(RESOLV_CONF)?.is_some() {
            "it names other DNS servers"
        } else {
            "programs then use systemd-resolved, which knows the DNS servers of each link"
        };
        let path = RootfsPath::fixed(RESOLV_CONF);
        plan.changes.push(Change::new(path, Subject::Network, Want::Link(STUB.to_owned())).because(why));
    }
    Ok(())
}
