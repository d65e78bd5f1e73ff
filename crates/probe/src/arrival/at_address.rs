//! What was met at one address of a machine.

use impostazione_core::finding::Finding;
use impostazione_core::network::rules::{
    ADDRESS_TAKEN, CERTIFICATE_DIFFERS, CERTIFICATE_NOT_VALID, HOST_KEY_DIFFERS, HOST_KEY_UNPROVED,
    PLAIN_HTTP, SERVICE_DIFFERS, TLS_TOO_OLD,
};
use impostazione_text::visible::harmless;
use jiff::Timestamp;
use ssh_key::{HashAlg, PublicKey};

use super::stage::{SeenHostKey, Unseen};
use super::visit::Knocked;
use crate::answer::{Certificate, Door, ShownKey, SshGreeting, TlsGreeting};
use crate::judge::{Reason, Unknown};
use crate::question::{ExpectedAt, ExpectedMachine, HostKeys, Way};

/// The last version of TLS that is too old (RFC 8996).
const LAST_OLD_TLS: u16 = 0x0302;
/// What an alert of TLS begins with.
const ALERT: u8 = 21;

/// What was met at an address.
#[derive(Debug)]
pub(super) enum Met<'a> {
    /// The machine, as far as it was asked: in a few words, how.
    Right(String),
    /// Nothing came back: how that shows.
    Silent(&'static str),
    /// Somebody is there, and not ready: how that shows.
    NotReady(String),
    /// Something that time will not change.
    Wrong(String, Box<Finding>),
    /// Something that cannot be told.
    Unknown(String, Box<Unseen<'a>>),
}

/// What was met, and what was shown.
#[derive(Debug)]
pub(super) struct AtAddress<'a> {
    pub(super) met: Met<'a>,
    /// What is worth a word although it is right.
    pub(super) remarks: Vec<Finding>,
    pub(super) host_key: Option<SeenHostKey>,
    pub(super) certificate: Option<Certificate>,
    pub(super) is_remembered: bool,
}

/// What the address is judged by.
pub(super) struct Looking<'a, 'p> {
    pub(super) expected: &'p ExpectedMachine<'a>,
    pub(super) at: ExpectedAt,
    /// The digest of the certificate that was remembered.
    pub(super) remembered: Option<&'p str>,
    pub(super) now: Timestamp,
}

impl<'a> AtAddress<'a> {
    fn of(met: Met<'a>) -> Self {
        Self { met, remarks: Vec::new(), host_key: None, certificate: None, is_remembered: false }
    }
}

impl<'a> Looking<'a, '_> {
    /// Judges what came of knocking.
    pub(super) fn judge(&self, knocked: &Knocked) -> AtAddress<'a> {
        let (address, port) = (self.at.address, self.expected.way.port());
        AtAddress::of(match &knocked.door {
            Door::Silent if knocked.is_behind_router => Met::Silent("nothing comes back"),
            Door::Silent => Met::Silent("connections are not answered"),
            Door::Unreachable if knocked.is_behind_router => {
                Met::Silent("a router on the way cannot reach it")
            }
            Door::Unreachable => Met::Silent("nobody on this link has the address"),
            Door::Refused if knocked.is_plain => Met::NotReady(format!(
                "port {port} refuses connections, and port 80 speaks HTTP without encryption"
            )),
            Door::Refused => Met::NotReady(format!("port {port} refuses connections")),
            Door::Mute => Met::NotReady(format!("port {port} accepts connections and says nothing")),
            Door::ThisComputer(link) => {
                let message = format!(
                    "{address} of {} is taken: this computer itself has it, on {link}.",
                    self.called()
                );
                let fix = "take the address from this computer, or run this on another one";
                wrong("this computer has its address", self.finding(&ADDRESS_TAKEN, message, fix))
            }
            Door::Open => {
                let reason = Reason::new(
                    "somebody has it, but SSH is off, so that nothing shows who",
                    "look at the machine's console, or compare the MAC address in the neighbor table (`ip neighbor`)",
                );
                let thing = format!("{address} of {}", self.called());
                self.unknown("somebody has the address; SSH is off".to_owned(), Unknown::At, thing, reason)
            }
            Door::Ssh(greeting) => return self.ssh(greeting),
            Door::Tls(greeting) => return self.tls(greeting),
            Door::ForeignTls(version) => return self.foreign_tls(*version),
            Door::PlainHttp => return self.plain_http(port),
            Door::Other(begins) => self.other(begins),
            Door::NotLooked(obstacle) => {
                let reason = Reason::obstacle(obstacle);
                let thing = self.called().to_owned();
                self.unknown(obstacle.to_string(), Unknown::Arrival, thing, reason)
            }
        })
    }

    fn called(&self) -> &'a str {
        self.expected.machine.called()
    }

    fn finding(
        &self,
        rule: &'static impostazione_core::finding::Rule,
        message: String,
        fix: impl Into<String>,
    ) -> Finding {
        let label = self.expected.machine.label.as_deref().map(str::to_owned);
        Finding::new(rule, label, self.at.place, message, fix)
    }

    fn unknown(&self, says: String, unknown: Unknown, thing: String, reason: Reason) -> Met<'a> {
        let (machine, place) = (self.expected.machine, self.at.place);
        Met::Unknown(says, Box::new(Unseen { unknown, thing, machine, place, reason }))
    }

    fn ssh(&self, greeting: &SshGreeting) -> AtAddress<'a> {
        let (address, called) = (self.at.address, self.called());
        let keys = match &self.expected.way {
            Way::Ssh(_, keys) => keys,
            _ => &HostKeys::NoneSaid,
        };
        let key = match &greeting.key {
            ShownKey::Proved(key) => key,
            ShownKey::Unproved(key) => {
                let shown = fingerprint(key);
                let message = format!(
                    "{address} shows the host key {shown} for {called}, but does not prove that it has it."
                );
                let fix = "do not log in there; find out which machine answers, by its MAC address or at its console";
                let finding = self.finding(&HOST_KEY_UNPROVED, message, fix);
                return AtAddress {
                    host_key: Some(SeenHostKey { fingerprint: shown, is_known: false }),
                    ..AtAddress::of(wrong("a host key without its proof", finding))
                };
            }
            ShownKey::Cut(how) => {
                return AtAddress::of(Met::NotReady(format!(
                    "speaks SSH, and {how} before it has shown a key"
                )));
            }
            ShownKey::NotChecked(why) => {
                return AtAddress::of(match keys {
                    HostKeys::NoneSaid => Met::Right(format!("SSH; {why}")),
                    _ => {
                        let fix = "log in by hand and compare the host key, or have OpenSSH brought up to date there";
                        let reason = Reason::new(*why, fix);
                        self.unknown(format!("SSH; {why}"), Unknown::HostKey, called.to_owned(), reason)
                    }
                });
            }
        };
        let shown = fingerprint(key);
        let seen = |is_known| Some(SeenHostKey { fingerprint: shown.clone(), is_known });
        match keys {
            HostKeys::Known(known) if known.iter().any(|one| one.key_data() == key.key_data()) => AtAddress {
                host_key: seen(true),
                ..AtAddress::of(Met::Right("SSH, with its host key".to_owned()))
            },
            HostKeys::Known(known) => {
                let meant: Vec<String> = known.iter().map(fingerprint).collect();
                let message = format!(
                    "{address} answers as {called}, but with the host key {shown}; meant is {}.",
                    meant.join(" or ")
                );
                let fix = format!(
                    "do not log in there; if {called} was started from another image than the one that was placed, place \
                     it again, otherwise find the machine that has {address}"
                );
                let finding = self.finding(&HOST_KEY_DIFFERS, message, fix);
                AtAddress { host_key: seen(false), ..AtAddress::of(wrong("another host key", finding)) }
            }
            HostKeys::NoneSaid => AtAddress {
                host_key: seen(false),
                ..AtAddress::of(Met::Right("SSH, with a host key that nobody has said".to_owned()))
            },
            HostKeys::NotLooked(why) => {
                let fix = "open the store, or name a file with --known-hosts";
                let reason = Reason::new(why.clone(), fix);
                let says = "SSH; its host key was not checked".to_owned();
                AtAddress {
                    host_key: seen(false),
                    ..AtAddress::of(self.unknown(says, Unknown::HostKey, called.to_owned(), reason))
                }
            }
        }
    }

    fn tls(&self, greeting: &TlsGreeting) -> AtAddress<'a> {
        let (address, called, certificate) = (self.at.address, self.called(), &greeting.certificate);
        let shown = AtAddress { certificate: Some(certificate.clone()), ..AtAddress::of(Met::Silent("")) };
        let mut remarks = Vec::new();
        let is_remembered = self.remembered == Some(certificate.sha256.as_str());
        match self.remembered {
            Some(remembered) if !is_remembered => {
                let message = format!(
                    "{address} answers as {called}, but with the certificate {}; remembered is {remembered}.",
                    certificate.sha256
                );
                let fix = format!(
                    "find out which machine answers; if the certificate was changed on purpose, remove the entry of {called} \
                     from the file of certificates, and run this with --remember"
                );
                let finding = self.finding(&CERTIFICATE_DIFFERS, message, fix);
                return AtAddress { met: wrong("another certificate", finding), ..shown };
            }
            _ => {}
        }
        if !greeting.is_proved {
            let reason = Reason::new(
                "it was shown, but the connection came to nothing before it was proved",
                "open its page in a browser, and compare the certificate there",
            );
            let says = "HTTPS, with a certificate that it has not proved".to_owned();
            let met = self.unknown(says, Unknown::Certificate, called.to_owned(), reason);
            return AtAddress { met, ..shown };
        }
        if let Some((from, until)) = certificate.valid
            && !(from..=until).contains(&self.now)
        {
            let (what, when) =
                if self.now < from { ("is valid only from", from) } else { ("was valid until", until) };
            let message = format!("The certificate of {called} at {address} {what} {}.", day(when));
            let fix =
                "look whether its clock was right when it made the certificate, and have a new one made";
            remarks.push(self.finding(&CERTIFICATE_NOT_VALID, message, fix));
        }
        let says = match (self.remembered, remarks.is_empty()) {
            (Some(_), true) => "HTTPS, with its certificate",
            (None, true) => "HTTPS, with a certificate that nobody has remembered",
            (_, false) => "HTTPS, with a certificate that is not valid today",
        };
        AtAddress { met: Met::Right(says.to_owned()), remarks, is_remembered, ..shown }
    }

    fn foreign_tls(&self, version: u16) -> AtAddress<'a> {
        let word = match version {
            0x0300 => "SSL 3.0",
            0x0301 => "TLS 1.0",
            0x0302 => "TLS 1.1",
            _ => "TLS 1.2",
        };
        if version > LAST_OLD_TLS {
            let why = format!("it speaks {word} with ciphers that this program does not have");
            return self
                .without_certificate(format!("HTTPS by {word}; its certificate was not checked"), why);
        }
        let says = format!("answers, but {word} is too old");
        let met = match self.remembered {
            Some(_) => self.without_certificate(says, format!("it speaks only {word}")),
            None => AtAddress::of(Met::Right(says)),
        };
        AtAddress { remarks: vec![self.tls_too_old(word)], ..met }
    }

    /// A machine whose certificate could not be compared with anything.
    fn without_certificate(&self, says: String, why: String) -> AtAddress<'a> {
        let reason = Reason::new(why, "open its page in a browser, and find out why that is so");
        AtAddress::of(self.unknown(says, Unknown::Certificate, self.called().to_owned(), reason))
    }

    fn tls_too_old(&self, word: &str) -> Finding {
        let message = format!(
            "{} answers at {} port {}, but speaks only {word}; its certificate was not looked at.",
            self.called(),
            self.at.address,
            self.expected.way.port()
        );
        let fix = "bring the appliance up to date, or administer it from a network of its own";
        self.finding(&TLS_TOO_OLD, message, fix)
    }

    /// HTTP without encryption at a port.
    pub(super) fn plain_http(&self, port: u16) -> AtAddress<'a> {
        let message = format!(
            "{} answers at {} port {port} by HTTP without encryption.",
            self.called(),
            self.at.address
        );
        let fix = "switch HTTPS on before anybody logs in there";
        let finding = self.finding(&PLAIN_HTTP, message, fix);
        let says = format!("answers, but by HTTP without encryption (port {port})");
        let met = match self.remembered {
            Some(_) => self.without_certificate(says, "it speaks HTTP without encryption".to_owned()),
            None => AtAddress::of(Met::Right(says)),
        };
        AtAddress { remarks: vec![finding], ..met }
    }

    fn other(&self, begins: &[u8]) -> Met<'a> {
        let (way, called) = (&self.expected.way, self.called());
        let port = way.port();
        if let (Way::Https(_), [ALERT, 3, _, _, _, _, alert, ..]) = (way, begins) {
            return Met::NotReady(format!("port {port} speaks TLS and ends it with alert {alert}"));
        }
        let text: String = String::from_utf8_lossy(begins).lines().next().unwrap_or_default().to_owned();
        // What an SSH server says that has too many guests (`sshd_config(5)`, MaxStartups and PerSourcePenalties).
        let is_full =
            text.starts_with("Exceeded MaxStartups") || text.starts_with("Not allowed at this time");
        if matches!(way, Way::Ssh(..)) && is_full {
            return Met::NotReady(format!("port {port} takes no more guests at the moment"));
        }
        let what = if begins.starts_with(b"HTTP/") {
            "HTTP".to_owned()
        } else if begins.starts_with(b"SSH-") {
            "SSH".to_owned()
        } else if begins.first() == Some(&ALERT) || begins.first() == Some(&22) {
            "TLS".to_owned()
        } else {
            format!("\"{}\"", harmless(text.trim()))
        };
        let message = format!(
            "{} port {port} should speak {} as {called} does, and answers {what}.",
            self.at.address,
            way.word()
        );
        let fix = match way {
            Way::Https(_) => format!(
                "find out which machine answers; if it is {called}, write its port under [administration] in the meanings file"
            ),
            _ => format!(
                "find out which machine answers; if it is {called}, write its port as ssh = {{ port = … }} in the sheet"
            ),
        };
        wrong(&format!("port {port} speaks something else"), self.finding(&SERVICE_DIFFERS, message, fix))
    }
}

fn wrong<'a>(says: &str, finding: Finding) -> Met<'a> {
    Met::Wrong(says.to_owned(), Box::new(finding))
}

fn fingerprint(key: &PublicKey) -> String {
    key.fingerprint(HashAlg::Sha256).to_string()
}

/// A day, as the standard writes it.
fn day(time: Timestamp) -> String {
    time.strftime("%Y-%m-%d").to_string()
}
