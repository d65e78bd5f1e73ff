//! Rules on what was seen of the network: data alone. Only asking finds them.

use crate::finding::{Asked, Examples, Nature, Rule, Severity};

/// Every rule on what was seen of the network.
pub const RULES: &[&Rule] = &[
    &ADDRESS_TAKEN,
    &ALREADY_UP,
    &OLD_ADDRESS_ANSWERS,
    &GATEWAY_SILENT,
    &LEASE_OUTSIDE_RANGES,
    &DNS_SILENT,
    &DNS_TCP_SILENT,
    &DNS_REFUSES,
    &NAME_MISSING,
    &NAME_DIFFERS,
    &REVERSE_MISSING,
    &REVERSE_DIFFERS,
    &DOMAIN_MISSING,
    &OUTSIDE_NAME_MISSING,
    &NTP_SILENT,
    &NTP_UNSYNCHRONIZED,
    &NTP_KEY_DIFFERS,
    &CLOCK_DIFFERS,
    &SERVICE_SILENT,
    &NOT_LOOKED_AT,
];

/// How the stand-ins of a site show a network with a fault, and one without.
macro_rules! network {
    ($fault:literal) => {
        network!($fault, "")
    };
    ($fault:literal, $asked:literal) => {
        network!("# a network with the fault, played on this computer", $fault, $asked)
    };
    ($which:literal, $fault:literal, $asked:literal) => {
        concat!(
            $which,
            "\nimpostazione mock-site sheet.toml --map map.toml",
            $fault,
            "\nimpostazione probe before sheet.toml --through map.toml",
            $asked,
            "\n"
        )
    };
}

/// What a rule on the network is that says nothing else of itself.
const BEFORE: Rule = Rule {
    nature: Nature::Judgment,
    examples: Examples::Network,
    asked: &[Asked::Before],
    right: network!("# a network without it", "", ""),
    ..Rule::PLAIN
};

/// Somebody has an address already.
pub static ADDRESS_TAKEN: Rule = Rule {
    name: "probe-address-taken",
    summary: "somebody already has an address that the sheet gives to a machine",
    explanation: "Two machines with one address disturb each other: now one answers, now the other. The finding says who has \
        the address, as far as that can be seen: the MAC address, and the name that the DNS servers or the sheet give. Find that \
        machine and give it another address, or give another one to the machine of the sheet. If it is that machine \
        itself, already running, write its mac on the link, or waive the rule.",
    wrong: network!(" --fault taken=gauge-01"),
    ..BEFORE
};

/// The machine itself has it.
pub static ALREADY_UP: Rule = Rule {
    name: "probe-machine-already-up",
    severity: Severity::Note,
    summary: "a machine of the sheet already has its address",
    explanation: "The address is taken, by the MAC address that the sheet gives to this very machine. So it is running \
        already, with the settings of the sheet or with earlier ones.",
    wrong: network!(" --fault already-up=lamp-01"),
    ..BEFORE
};

/// Something is still where a machine was.
pub static OLD_ADDRESS_ANSWERS: Rule = Rule {
    name: "probe-old-address-answers",
    summary: "something still answers at the address that a machine had before",
    explanation: "replaces is the address that a machine had before. As long as something answers there, the old machine is \
        running, or somebody else has the address. Before the first boot that is a note: the old machine may still be in service.",
    wrong: network!(" --fault old-address=signal-tower"),
    ..BEFORE
};

/// No router.
pub static GATEWAY_SILENT: Rule = Rule {
    name: "probe-gateway-silent",
    summary: "the gateway of a subnet does not answer",
    explanation: "This computer is in the subnet, and nobody has the address of the gateway. Machines there would reach \
        nothing outside their subnet. Correct the gateway in the sheet, switch the router on, or look whether this computer is \
        connected to the right network.",
    wrong: network!(" --fault silent=10.64.10.1"),
    ..BEFORE
};

/// Leases that may clash.
pub static LEASE_OUTSIDE_RANGES: Rule = Rule {
    name: "probe-lease-outside-ranges",
    summary: "a DHCP server offers an address that the sheet does not count as leased",
    explanation: "A DHCP server that leases addresses outside dhcp_ranges may lease the address of a machine of this sheet to \
        somebody else. Write the server's whole range in dhcp_ranges, or have the server changed. Asking takes \
        --ask-dhcp, as root, on a computer in the subnet; the offer is not accepted.",
    wrong: network!(" --fault lease=10.64.10.90", " --ask-dhcp"),
    right: network!("# a network without it", " --fault lease=10.64.10.210", " --ask-dhcp"),
    ..BEFORE
};

/// No names.
pub static DNS_SILENT: Rule = Rule {
    name: "probe-dns-silent",
    summary: "a DNS server does not answer",
    explanation: "Machines that ask this server wait for every name until they try the next one. Names were not looked up \
        there. Correct the address in the sheet, or have the server started or the firewall opened (port 53, UDP).",
    wrong: network!(" --fault silent=10.64.10.54"),
    ..BEFORE
};

/// Only short answers.
pub static DNS_TCP_SILENT: Rule = Rule {
    name: "probe-dns-tcp-silent",
    severity: Severity::Warning,
    summary: "a DNS server answers over UDP but not over TCP",
    explanation: "An answer that is too long for UDP is asked for again over TCP (RFC 7766). Without it some names seem not to exist. \
        Have port 53 opened for TCP too.",
    wrong: network!(" --fault no-tcp=10.64.10.54"),
    ..BEFORE
};

/// No answer to us.
pub static DNS_REFUSES: Rule = Rule {
    name: "probe-dns-refuses",
    summary: "a DNS server refuses to answer for the site's names",
    explanation: "The server answers, but with REFUSED, SERVFAIL or another failure. Usually it does not serve this domain and does \
        not ask others for this computer, or its own servers cannot be reached. If it answers the machines and only refuses this \
        computer, waive the rule.",
    wrong: network!(" --fault refuses=10.64.10.54"),
    ..BEFORE
};

/// A name without a record.
pub static NAME_MISSING: Rule = Rule {
    name: "probe-name-missing",
    summary: "a name of the sheet is not in DNS",
    explanation: "Many products look up their own name at their first start and stop if it is missing. All records to add are listed \
        together below the findings. If the machines do without DNS, waive the rule.",
    wrong: network!(" --fault no-name=gauge-01"),
    ..BEFORE
};

/// A name of something else.
pub static NAME_DIFFERS: Rule = Rule {
    name: "probe-name-differs",
    summary: "DNS gives another address for a machine's name than the sheet",
    explanation: "Whoever connects by this name comes to another machine, or to none. Often the record is of the machine's \
        predecessor. Change the record in DNS, or the address in the sheet.",
    wrong: network!(" --fault other-name=gauge-01"),
    ..BEFORE
};

/// An address without a name.
pub static REVERSE_MISSING: Rule = Rule {
    name: "probe-reverse-missing",
    severity: Severity::Warning,
    summary: "DNS has no name for a machine's address",
    explanation: "Reverse lookup is what logs, mail servers and some cluster products use to learn who is calling. Add a PTR record; all \
        records to add are listed together below the findings.",
    wrong: network!(" --fault no-reverse=gauge-01"),
    ..BEFORE
};

/// An address with somebody else's name.
pub static REVERSE_DIFFERS: Rule = Rule {
    name: "probe-reverse-differs",
    severity: Severity::Warning,
    summary: "DNS gives another name for a machine's address than the sheet",
    explanation: "The PTR record names another machine. Either it is left over from an earlier owner of the address, or the \
        address still belongs to that machine. Find out which, then change the record or the sheet.",
    wrong: network!(" --fault other-reverse=gauge-01"),
    ..BEFORE
};

/// A domain that does not exist.
pub static DOMAIN_MISSING: Rule = Rule {
    name: "probe-domain-missing",
    severity: Severity::Warning,
    summary: "a domain that the sheet searches does not exist in DNS",
    explanation: "Short names are looked up in the domains of search, and names below a domain of dns_for at its own servers. The \
        server says that there is no such domain. It may be mistyped, or the wrong server is asked.",
    wrong: network!(" --fault no-domain=quay.capovetro.example"),
    ..BEFORE
};

/// No names of others.
pub static OUTSIDE_NAME_MISSING: Rule = Rule {
    name: "probe-outside-name-missing",
    summary: "a DNS server does not find the name given with --outside-name",
    explanation: "The server knows its own names but does not find those of others. Updates and licenses from outside would fail. \
        It may have no forwarder, or nobody outside may be asked. If the site has no way out on purpose, leave --outside-name away.",
    wrong: network!(" --fault no-outside=10.64.10.53", " --outside-name www.example.org"),
    right: network!("# a network without it", "", " --outside-name www.example.org"),
    ..BEFORE
};

/// No time.
pub static NTP_SILENT: Rule = Rule {
    name: "probe-ntp-silent",
    summary: "a time server does not answer",
    explanation: "Machines do not get the time from this server. Correct the address in the sheet, or have the server started or the \
        firewall opened (port 123, UDP). Some servers answer only known clients: if this computer is not one, waive the rule.",
    wrong: network!(" --fault silent=10.64.10.121"),
    ..BEFORE
};

/// No time yet.
pub static NTP_UNSYNCHRONIZED: Rule = Rule {
    name: "probe-ntp-unsynchronized",
    summary: "a time server says that its own clock is not synchronized",
    explanation: "Clients do not take the time from a server in this state (RFC 5905, section 7.3). It may have just been started: \
        ask again in a few minutes. Otherwise its own sources cannot be reached.",
    wrong: network!(" --fault unsynchronized=10.64.10.122"),
    ..BEFORE
};

/// Another key.
pub static NTP_KEY_DIFFERS: Rule = Rule {
    name: "probe-ntp-key-differs",
    summary: "a time server does not prove its answer with the sheet's key",
    explanation: "With a key the clients take only answers that are proved with it. The server has another key under this number, \
        another hash, or none. Compare number, algorithm and value with the server's own file.",
    wrong: network!(" --fault other-time-key=10.64.10.121"),
    ..BEFORE
};

/// Another time.
pub static CLOCK_DIFFERS: Rule = Rule {
    name: "probe-clock-differs",
    severity: Severity::Warning,
    summary: "a clock differs from the others",
    explanation: "Either a time server differs by more than a second from the other ones, or all of them agree and this computer \
        differs from them by more than ten seconds. Machines that follow different servers disagree on the time: logins, certificates and \
        clusters fail.",
    wrong: network!(" --fault clock-off=90s"),
    ..BEFORE
};

/// A service that is not there.
pub static SERVICE_SILENT: Rule = Rule {
    name: "probe-service-silent",
    summary: "a server that an appliance is told to use accepts no connection on its port",
    explanation: "A license server, mail relay or proxy in an answer of the sheet does not accept connections on the port that the answer \
        names. Correct the answer, or have the service started or the firewall opened.",
    wrong: network!(" --fault silent=10.64.10.9"),
    ..BEFORE
};

/// Not known.
pub static NOT_LOOKED_AT: Rule = Rule {
    name: "probe-not-looked-at",
    severity: Severity::Note,
    nature: Nature::Fault,
    summary: "something could not be seen from this computer",
    explanation: "What is listed was not looked at, or cannot be told from where the command runs: that nothing is said about it does not mean \
        that it is right. Whether an address is free can be told only on a computer in the same subnet; behind a router silence \
        means nothing.",
    wrong: network!(" --fault behind-router=quay"),
    not_looked_at: true,
    ..BEFORE
};
