//! `subnet`

use std::net::IpAddr;

use impostazione_core::machine::Site;
use impostazione_core::views::subnet_map::{AddressMap, AddressPurpose, PrefixFacts, facts_of, prefix_facts};
use impostazione_net::{Family, MaskFault, PrefixFault};
use impostazione_secret::NotAsked;
use serde::Serialize;

use super::json;
use crate::args::{Format, SubnetArguments};
use crate::exit::{Exit, Failure};
use crate::sheet_file::assess_with_file;
use crate::terminal;

/// Free addresses that are named.
const FREE_SHOWN: usize = 8;

#[derive(Serialize)]
struct JsonReport {
    /// One, or, of a subnet of the sheet that has both families, two.
    prefixes: Vec<JsonPrefix>,
    /// Whether the sheet could be read in full; `null` where none was named.
    sheet_read_whole: Option<bool>,
    /// How many errors there are in the sheet, some of which may hide an address; `null` where none was named.
    sheet_errors: Option<usize>,
}

#[derive(Serialize)]
struct JsonPrefix {
    #[serde(flatten)]
    facts: PrefixFacts,
    #[serde(skip_serializing_if = "Option::is_none")]
    sheet: Option<Planned>,
}

#[derive(Serialize)]
struct Planned {
    subnets: Vec<String>,
    addresses: Vec<PlannedAddress>,
    next_free: Vec<IpAddr>,
}

#[derive(Serialize)]
struct PlannedAddress {
    address: IpAddr,
    #[serde(flatten)]
    purpose: AddressPurpose,
}

pub(crate) fn run(arguments: &SubnetArguments) -> Result<Exit, Failure> {
    let asked = arguments.prefix.join(" ");
    let assess = |sheet| assess_with_file(sheet, &NotAsked);
    let assessment = arguments.sheet.as_deref().map(assess).transpose()?;
    let site = assessment.as_ref().map(|assessment| &assessment.site);
    let facts = facts_asked_for(&asked, site)?;
    let is_whole = assessment.as_ref().map(|assessment| assessment.is_whole);
    let errors = assessment.as_ref().map(|assessment| assessment.summary().errors);
    if arguments.format == Format::Json {
        let prefixes = facts.into_iter().map(|facts| {
            let map = site.map(|site| AddressMap::new(site, facts.prefix));
            JsonPrefix { facts, sheet: map.as_ref().map(planned) }
        });
        json::print(&JsonReport {
            prefixes: prefixes.collect(),
            sheet_read_whole: is_whole,
            sheet_errors: errors,
        })?;
        return Ok(Exit::Done);
    }
    for (index, facts) in facts.into_iter().enumerate() {
        if index > 0 {
            terminal::print("\n")?;
        }
        let map = site.map(|site| AddressMap::new(site, facts.prefix));
        terminal::print(&terminal::show_subnet(&facts, map.as_ref(), FREE_SHOWN, terminal::width()))?;
    }
    if let (Some(is_whole), Some(errors @ 1..), Some(sheet)) = (is_whole, errors, &arguments.sheet) {
        let sheet = sheet.display();
        let why = if is_whole {
            format!("has {}", terminal::count(errors, "error", "errors"))
        } else {
            "cannot be read in full".to_owned()
        };
        terminal::say_warning(&format!(
            "{sheet} {why}, so more addresses may be taken; `impostazione check {sheet}` shows why"
        ));
    }
    Ok(Exit::Done)
}

fn planned(map: &AddressMap<'_>) -> Planned {
    let taken = map.taken().into_iter();
    Planned {
        subnets: map.subnets().into_iter().map(str::to_owned).collect(),
        addresses: taken.map(|(address, purpose)| PlannedAddress { address, purpose }).collect(),
        next_free: map.next_free(FREE_SHOWN),
    }
}

/// The prefix that was asked about, or those of the sheet's subnet of that name.
fn facts_asked_for(asked: &str, site: Option<&Site>) -> Result<Vec<PrefixFacts>, Failure> {
    let named = site.and_then(|site| site.subnets.iter().find(|subnet| subnet.name.value == asked));
    if let Some(subnet) = named {
        let sides = Family::BOTH.into_iter().filter_map(|family| subnet.family(family));
        let facts: Vec<PrefixFacts> =
            sides.map(|side| facts_of(side.prefix.value, side.prefix.value.network())).collect();
        if facts.is_empty() {
            return Err(Failure::Files(format!("subnet {asked} has no valid prefix: check the sheet first")));
        }
        return Ok(facts);
    }
    prefix_facts(asked).map(|facts| vec![facts]).map_err(|fault| {
        if !asked.contains(['.', ':', '/']) {
            return Failure::CommandLine(no_such_subnet(asked, site));
        }
        let reason = match fault {
            PrefixFault::NoMask => "it has no mask".to_owned(),
            PrefixFault::Address(fault) => format!("the address {}", fault.reason),
            PrefixFault::Mask(MaskFault::NotContiguous) => "its mask is not contiguous".to_owned(),
            PrefixFault::Mask(MaskFault::Inverted(length)) => {
                format!("its mask is inverted (a wildcard mask), perhaps for /{length}")
            }
            _ => "its mask cannot be read".to_owned(),
        };
        Failure::CommandLine(format!(
            "{asked}: {reason}; write an address and a mask, such as 10.64.10.0/24, 10.64.10.0/255.255.255.0 or 10.64.10.0/0xffffff00"
        ))
    })
}

/// What is wrong with a name.
fn no_such_subnet(asked: &str, site: Option<&Site>) -> String {
    let asked = terminal::harmless(asked);
    let Some(site) = site else {
        return format!("{asked} is not an address; name the sheet that has this subnet with --sheet");
    };
    let names: Vec<&str> = site.subnets.iter().map(|subnet| subnet.name.value.as_str()).collect();
    if names.is_empty() {
        return format!("{asked} is not an address, and the sheet has no subnets");
    }
    format!("the sheet has no subnet {asked}; it has {}", terminal::harmless(&names.join(", ")))
}
