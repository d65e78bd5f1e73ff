//! The examples of rules on told values: one appliance, and what it is answered.

/// An appliance of the package `asks.ovf` with these answers.
macro_rules! answered {
    ($($lines:literal),+) => {
        concat!(
            "[[appliance]]\nname = \"logbook\"\npackage = \"packages/asks.ovf\"\n",
            "link.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n",
            $($lines, "\n"),+
        )
    };
}

/// Two such appliances that are a cluster.
macro_rules! answered_in_cluster {
    ($($lines:literal),+) => {
        concat!(
            "[cluster.logbook]\nsize = 2\n[[appliance]]\nname = \"logbook-{1..2}\"\ncluster = \"logbook\"\n",
            "package = \"packages/asks.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..62}\" }\n",
            "[appliance.answer]\n",
            $($lines, "\n"),+
        )
    };
}

pub(super) use {answered, answered_in_cluster};
