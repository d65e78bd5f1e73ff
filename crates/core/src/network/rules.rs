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
    &MACHINE_SILENT,
    &MACHINE_NOT_READY,
    &SERVICE_DIFFERS,
    &HOST_KEY_DIFFERS,
    &HOST_KEY_UNPROVED,
    &KNOWN_HOSTS_OLD,
    &CERTIFICATE_DIFFERS,
    &CERTIFICATE_OF_ANOTHER,
    &CERTIFICATE_NOT_VALID,
    &TLS_TOO_OLD,
    &PLAIN_HTTP,
    &MEMBER_MISSING,
    &VIRTUAL_ADDRESS_SILENT,
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

/// The same of a network after the machines have started.
macro_rules! started {
    ($which:literal, $fault:literal) => {
        concat!(
            $which,
            "\nimpostazione mock-site sheet.toml --map map.toml",
            $fault,
            "\nimpostazione probe after sheet.toml --through map.toml\n"
        )
    };
    ($fault:literal) => {
        started!("# a network with the fault, played on this computer", $fault)
    };
}

/// What a rule on machines that have started is that says nothing else of itself.
const AFTER: Rule = Rule {
    nature: Nature::Judgment,
    examples: Examples::Network,
    asked: &[Asked::After],
    right: started!("# a network without it", ""),
    ..Rule::PLAIN
};

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
    asked: &[Asked::Before, Asked::After],
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
        running, or somebody else has the address. Before the first boot that is a note: the old machine may still be in service. After it \
        that is an error.",
    wrong: network!(" --fault old-address=signal-tower"),
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
    ..BEFORE
};

/// A name without a record.
pub static NAME_MISSING: Rule = Rule {
    name: "probe-name-missing",
    summary: "a name of the sheet is not in DNS",
    explanation: "Many products look up their own name at their first start and stop if it is missing. All records to add are listed \
        together below the findings. If the machines do without DNS, waive the rule.",
    wrong: network!(" --fault no-name=gauge-01"),
    asked: &[Asked::Before, Asked::After],
    ..BEFORE
};

/// A name of something else.
pub static NAME_DIFFERS: Rule = Rule {
    name: "probe-name-differs",
    summary: "DNS gives another address for a machine's name than the sheet",
    explanation: "Whoever connects by this name comes to another machine, or to none. Often the record is of the machine's \
        predecessor. Change the record in DNS, or the address in the sheet.",
    wrong: network!(" --fault other-name=gauge-01"),
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
    ..BEFORE
};

/// No time yet.
pub static NTP_UNSYNCHRONIZED: Rule = Rule {
    name: "probe-ntp-unsynchronized",
    summary: "a time server says that its own clock is not synchronized",
    explanation: "Clients do not take the time from a server in this state (RFC 5905, section 7.3). It may have just been started: \
        ask again in a few minutes. Otherwise its own sources cannot be reached.",
    wrong: network!(" --fault unsynchronized=10.64.10.122"),
    asked: &[Asked::Before, Asked::After],
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
    asked: &[Asked::Before, Asked::After],
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

/// Nothing.
pub static MACHINE_SILENT: Rule = Rule {
    name: "probe-machine-silent",
    summary: "a machine does not answer after its first start",
    explanation: "Nothing comes back from any of its addresses. It may be switched off, not connected, in another network than the sheet says, \
        or still starting: --wait 15m asks again until it answers. The machine's console shows what it does; `impostazione review` \
        shows what it was given.",
    wrong: started!(" --fault silent=gauge-01"),
    ..AFTER
};

/// A start that is not over.
pub static MACHINE_NOT_READY: Rule = Rule {
    name: "probe-machine-not-ready",
    summary: "a machine's address answers, but its SSH or administration port does not",
    explanation: "Somebody has the address, and the service that the machine is administered by does not accept connections. While a machine \
        starts that is usual: --wait 15m asks again. Otherwise the service has failed, listens elsewhere, or a firewall is \
        in between.",
    wrong: started!(" --fault not-ready=gauge-01"),
    ..AFTER
};

/// Another service.
pub static SERVICE_DIFFERS: Rule = Rule {
    name: "probe-other-service",
    summary: "the port at which a machine is administered speaks something else than it should",
    explanation: "A host should speak SSH at its port and an appliance HTTPS. Something else there means another machine, another port than the \
        meanings file or the sheet says, or a machine of another kind.",
    wrong: started!(" --fault other-service=gauge-01"),
    ..AFTER
};

/// Another host.
pub static HOST_KEY_DIFFERS: Rule = Rule {
    name: "probe-host-key-differs",
    nature: Nature::Fault,
    summary: "a host shows another SSH host key than the one that was prepared for it",
    explanation: "The key is not the one in the store of the sheet, or in the file given with --known-hosts. Either the host was not started from what was \
        placed, or another machine answers at its address. Do not log in there, and send no password, before you know which.",
    wrong: started!(" --fault other-key=gauge-01"),
    ..AFTER
};

/// A key without its owner.
pub static HOST_KEY_UNPROVED: Rule = Rule {
    name: "probe-host-key-unproved",
    nature: Nature::Fault,
    summary: "a host shows an SSH host key and does not prove that it has it",
    explanation: "Public host keys are known to everybody. Only who has the private half can sign what both sides have just agreed on, and the \
        signature is wrong. Somebody pretends to be the host, or something on the way changes what it says.",
    wrong: started!(" --fault unproved-key=gauge-01"),
    ..AFTER
};

/// An entry that stands in the way.
pub static KNOWN_HOSTS_OLD: Rule = Rule {
    name: "probe-known-hosts-old",
    severity: Severity::Warning,
    summary: "your own known_hosts has an older host key for a host",
    explanation: "Your SSH client keeps the keys of hosts that you have logged in to. It has another key for this name or address, of the machine that \
        had it before, and will refuse to log in. The fix is the command that removes that entry.",
    wrong: "# a network, and a line for 10.64.10.11 in ~/.ssh/known_hosts, with another key\nimpostazione probe after sheet.toml\n",
    right: "# a network, and no such line, or one with the key of the store\nimpostazione probe after sheet.toml\n",
    ..AFTER
};

/// Another appliance.
pub static CERTIFICATE_DIFFERS: Rule = Rule {
    name: "probe-certificate-differs",
    nature: Nature::Fault,
    summary: "an appliance shows another certificate than the one that was remembered",
    explanation: "`probe after --remember` has kept a certificate of this appliance beside the sheet, and now it shows another one. Either it \
        has been set up once more, has got a new certificate, or another machine answers at its address. If the change was meant, remove the entry \
        and remember the new one.",
    wrong: started!(" --fault other-certificate=logbook-2"),
    ..AFTER
};

/// A certificate of another machine.
pub static CERTIFICATE_OF_ANOTHER: Rule = Rule {
    name: "probe-certificate-of-another",
    summary: "an appliance shows a certificate that is made for another machine of the sheet",
    explanation: "The certificate has the name or address of another machine of the sheet, and none of its own. The two may have been deployed with each \
        other's settings or addresses, or one of them was copied from the other.",
    wrong: started!(" --fault certificate-of-another=logbook-1"),
    ..AFTER
};

/// Another day.
pub static CERTIFICATE_NOT_VALID: Rule = Rule {
    name: "probe-certificate-not-valid",
    severity: Severity::Warning,
    summary: "the certificate of an appliance is not valid today",
    explanation: "It has expired, or is valid only from a later day. An appliance that has just made its own certificate with a wrong clock shows \
        that: look at its time servers. Clients that check the certificate refuse it.",
    wrong: started!(" --fault expired=logbook-1"),
    ..AFTER
};

/// Old encryption.
pub static TLS_TOO_OLD: Rule = Rule {
    name: "probe-tls-too-old",
    severity: Severity::Warning,
    summary: "an appliance speaks only a version of TLS below 1.2",
    explanation: "It answers, but browsers of today refuse TLS 1.0 and 1.1 (RFC 8996), and its certificate was not looked at. Bring the appliance up to date, \
        or reach it from a network that nobody else is in.",
    wrong: started!(" --fault old-tls=logbook-1"),
    ..AFTER
};

/// No encryption.
pub static PLAIN_HTTP: Rule = Rule {
    name: "probe-plain-http",
    severity: Severity::Warning,
    summary: "an appliance is administered by HTTP without encryption",
    explanation: "It answers in plain HTTP, so that its password travels readable and nothing shows that it is the right machine. Switch HTTPS on, \
        if the appliance has it, before anybody logs in.",
    wrong: started!(" --fault plain-http=logbook-1"),
    ..AFTER
};

/// Fewer than meant.
pub static MEMBER_MISSING: Rule = Rule {
    name: "probe-member-missing",
    summary: "a machine of a cluster does not answer while others do",
    explanation: "The cluster runs with fewer machines than the sheet has. Some clusters start only once most of their machines are there, and others go on \
        without, and lose data when the next one fails.",
    wrong: started!(" --fault no-member=logbook-1"),
    ..AFTER
};

/// Members alone.
pub static VIRTUAL_ADDRESS_SILENT: Rule = Rule {
    name: "probe-virtual-address-silent",
    summary: "the virtual address of a cluster does not answer",
    explanation: "Whichever machine leads the cluster should answer there. The cluster may not have formed yet, or has been told another address.",
    wrong: started!(" --fault no-virtual-address=logbook"),
    ..AFTER
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
    asked: &[Asked::Before, Asked::After],
    ..BEFORE
};
