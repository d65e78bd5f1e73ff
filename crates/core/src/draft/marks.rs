//! What is open in a sheet, as remarks at the places where it belongs.

use super::accounts;
use super::desk::Desk;
use super::interview::next_topic;
use super::state::{Scope, State};
use super::topic::{ApplianceKey, CommonKey, SubnetKey, Topic};
use crate::edit::{OPEN_MARK, SheetText, TablePath};
use crate::sheet::{APPLIANCE, COMMON, KeySpec, SUBNET_TABLE};

/// The most questions that are looked for.
const MOST: usize = 2000;

/// The questions that are open, as they are called.
fn open_topics(state: &State, desk: &Desk<'_>) -> Vec<Topic> {
    let mut state = state.clone();
    state.again = None;
    let mut open = state.skipped.clone();
    for _ in 0..MOST {
        let topic = next_topic(&state, desk);
        if topic == Topic::Summary {
            break;
        }
        if topic == Topic::Scope {
            state.scope = Some(Scope::Site);
            continue;
        }
        state.pass(&topic.id());
        // What is asked only where the reply is not none is open as well.
        let follows = match &topic {
            Topic::Common(CommonKey::Domain) => Some(Topic::Common(CommonKey::Search)),
            Topic::Subnet(name, SubnetKey::Prefix6) => Some(Topic::Subnet(name.clone(), SubnetKey::Gateway6)),
            _ => None,
        };
        open.push(topic);
        open.extend(follows);
    }
    open
}

/// The text of a sheet with what is open in it as remarks, and what the open questions are called. That nobody replied whether
/// there is another subnet, login, machine or link leaves nothing open, once there is one.
pub(super) fn marked(state: &State, desk: &Desk<'_>) -> (String, Vec<String>) {
    let mut text = state.text.without_marks();
    let mut open = Vec::new();
    let mut blocks = Vec::new();
    for topic in open_topics(state, desk) {
        let is_further = match topic {
            Topic::NextSubnet(number)
            | Topic::NextAccount(number)
            | Topic::NextHost(number)
            | Topic::NextLink(_, number) => number > 1,
            Topic::NextAppliance(number) => number > 1 || state.text.entries("host") > 0,
            _ => false,
        };
        if is_further && state.skipped.contains(&topic) {
            continue;
        }
        open.push(topic.id());
        match &topic {
            Topic::Common(key) => mark(&mut text, &TablePath::top("common"), spec_of_common(*key)),
            Topic::Subnet(name, key) => {
                mark(&mut text, &TablePath::named("subnet", name), SUBNET_TABLE.key(key.name()));
            }
            Topic::Account(name, key) => {
                let (table, spec) = accounts::mark_of(name, *key);
                mark(&mut text, &table, spec);
            }
            Topic::Appliance(index, key) => {
                let spec = match key {
                    ApplianceKey::DeploymentOption => APPLIANCE.key("deployment_option"),
                    ApplianceKey::Cluster => APPLIANCE.key("cluster"),
                    _ => None,
                };
                mark(&mut text, &TablePath::entry("appliance", *index), spec);
            }
            Topic::NextLink(host, _) => text.add_line(
                &TablePath::entry("host", *host),
                &format!("{OPEN_MARK}link.eth0 = {{ subnet = \"quay\", address = \"10.64.10.11\" }}  # A link of the host"),
            ),
            Topic::NextSubnet(_) => {
                blocks.push(["[subnet.quay]", r#"prefix = "10.64.10.0/24""#, r#"gateway = "10.64.10.1""#]);
            }
            Topic::NextAccount(_) => {
                blocks.push(["[account.keeper]", "admin = true", r#"ssh_keys = ["keys/keeper.pub"]"#]);
            }
            Topic::NextHost(_) => blocks.push([
                "[[host]]",
                r#"name = "gauge-{01..06}""#,
                r#"link.eth0 = { subnet = "quay", address = "10.64.10.{11..16}" }"#,
            ]),
            Topic::NextAppliance(_) => {
                blocks.push(["[[appliance]]", r#"name = "logbook""#, r#"package = "packages/logbook.ova""#]);
            }
            _ => {}
        }
    }
    for block in blocks {
        text.add_last(&format!("\n{OPEN_MARK}{}", block.join(&format!("\n{OPEN_MARK}"))));
    }
    (text.as_str().to_owned(), open)
}

fn spec_of_common(key: CommonKey) -> Option<&'static KeySpec> {
    COMMON.key(key.name())
}

/// Adds a remark with an example of a key and what it is for.
fn mark(text: &mut SheetText, table: &TablePath, spec: Option<&KeySpec>) {
    let Some(spec) = spec else { return };
    if !text.has(table) {
        text.add_table(table);
    }
    if text.literal(table, spec.name).is_some() || text.marked(table).iter().any(|open| open == spec.name) {
        return;
    }
    let about = spec.about.split(". ").next().unwrap_or_default().trim_end_matches('.');
    text.add_line(table, &format!("{OPEN_MARK}{}  # {about}", spec.example));
}
