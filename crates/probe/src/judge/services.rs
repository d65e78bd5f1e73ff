//! Whether servers that appliances are told to use accept connections.

use std::net::{IpAddr, SocketAddr};

use impostazione_core::finding::Finding;
use impostazione_core::network::rules::{NAME_MISSING, SERVICE_SILENT};
use impostazione_net::ServerName;

use super::clocks::no_address;
use super::unlooked::{Reason, Unknown};
use super::{Judging, Subject, Verdict};
use crate::answer::Connection;
use crate::question::ExpectedService;

impl<'a> Judging<'a> {
    /// Judges every server.
    pub(super) fn services(&mut self) {
        let plan = self.plan;
        for expected in &plan.services {
            let verdict = self.service(expected);
            self.count(Subject::Services, verdict);
        }
    }

    fn service(&mut self, expected: &'a ExpectedService<'a>) -> Verdict {
        let kind = expected.kind.word();
        let mut name = Verdict::Right;
        let addresses = match &expected.name {
            ServerName::Address(address) => vec![*address],
            ServerName::Name(server) => {
                let label = expected.machine.label.as_deref().map(str::to_owned);
                name = self.name_of_server(
                    kind,
                    server.as_str(),
                    &expected.resolvers,
                    &[expected.machine],
                    |message, fix| {
                        Finding::new(&NAME_MISSING, label.clone(), expected.place, message, fix)
                            .about_property(&*expected.property)
                    },
                    expected.place,
                );
                self.count(Subject::Names, name);
                self.answers.addresses_of_name(server.as_str(), &expected.resolvers)
            }
        };
        let Some(port) = expected.port else {
            let reason = Reason::new(
                "the answer names no port",
                "write the port behind the server, as in 10.64.10.9:27000, if the product takes that",
            );
            return self.unknown_service(expected, reason);
        };
        if addresses.is_empty() {
            // That the name is missing has its finding.
            return if name == Verdict::Wrong {
                Verdict::Unknown
            } else {
                self.unknown_service(expected, no_address())
            };
        }
        let verdicts = addresses.into_iter().map(|address| self.connection(expected, address, port));
        verdicts.fold(Verdict::Right, Verdict::and)
    }

    fn connection(&mut self, expected: &'a ExpectedService<'a>, address: IpAddr, port: u16) -> Verdict {
        let how = match self.answers.connections.get(&SocketAddr::new(address, port)) {
            Some(Connection::Accepted) => return Verdict::Right,
            None => return self.unknown_service(expected, Reason::not_asked()),
            Some(Connection::NotLooked(obstacle)) => {
                return self.unknown_service(expected, Reason::obstacle(obstacle));
            }
            Some(_) if expected.is_of_sheet => {
                self.not_yet(expected.kind.word(), address);
                return Verdict::Right;
            }
            Some(Connection::Refused) => "refuses connections",
            Some(Connection::Silent) => "does not answer",
            Some(Connection::Unreachable) => "cannot be reached",
        };
        let called = match &expected.name {
            ServerName::Address(_) => address.to_string(),
            ServerName::Name(name) => format!("{name} ({address})"),
        };
        let message = format!("The {} {called} {how} on TCP port {port}.", expected.kind.word());
        let fix = format!("correct the answer, or have the service started and port {port} opened");
        let label = expected.machine.label.as_deref().map(str::to_owned);
        let finding = Finding::new(&SERVICE_SILENT, label, expected.place, message, fix);
        self.report(finding.about_property(&*expected.property));
        Verdict::Wrong
    }

    fn unknown_service(&mut self, expected: &'a ExpectedService<'a>, reason: Reason) -> Verdict {
        let name = match &expected.name {
            ServerName::Address(address) => address.to_string(),
            ServerName::Name(name) => name.to_string(),
        };
        let thing = format!("the {} {name}", expected.kind.word());
        self.unlooked.note(Unknown::Service, thing, &[expected.machine], expected.place, reason);
        Verdict::Unknown
    }
}
