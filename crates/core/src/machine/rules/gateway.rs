//! Rules on the way out of a subnet.

use crate::finding::{Nature, Rule, Severity};

/// Two ways out.
pub(crate) static DEFAULT_ROUTE_DUPLICATE: Rule = Rule {
    name: "default-route-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has several default routes",
    explanation: "Only one link may have the default route. With two, replies leave through the wrong link and are \
        dropped on the way; netplan only warns. Write default_route = false on the others.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[[host]]\nname = \"gauge-01\"\nlink.enp1s0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.enp2s0 = { subnet = \"slip\", address = \"10.64.30.11\" }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[[host]]\nname = \"gauge-01\"\nlink.enp1s0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.enp2s0 = { subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\n",
    ..Rule::PLAIN
};
