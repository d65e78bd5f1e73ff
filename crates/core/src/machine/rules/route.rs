//! Rules on routes other than the default route, and on routing tables.

use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// A way twice.
pub(crate) static ROUTE_DUPLICATE: Rule = Rule {
    name: "route-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has two routes to the same network",
    explanation: "Of two routes to the same network with the same metric, one wins, and the sheet cannot say which. \
        A route to 0.0.0.0/0 repeats the default route, and a route to the subnet of a link repeats the link itself.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }, { to = \"10.64.96.0/20\", via = \"10.64.10.3\" }] }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }, { to = \"10.64.96.0/20\", via = \"10.64.10.3\", metric = 200 }] }\n",
    ..Rule::PLAIN
};

/// A route to `default`, which is the subnet's business.
pub(crate) fn to_default(machine: Option<String>, written: &Written<String>) -> Finding {
    Finding::new(
        &ROUTE_DUPLICATE,
        machine,
        written.place,
        "The default route comes from the gateway of the link's subnet.",
        "remove this route; for a second default route, write to = \"0.0.0.0/0\" with a metric",
    )
}
