//! A DNS server that knows the names of a site.

use std::collections::{BTreeMap, BTreeSet};
use std::net::{IpAddr, Ipv4Addr};
use std::sync::Arc;

use hickory_proto::op::{Message, MessageType, ResponseCode};
use hickory_proto::rr::rdata::{A, AAAA, PTR};
use hickory_proto::rr::{Name, RData, Record, RecordType};

/// How long an answer may be remembered, in seconds.
const TTL: u32 = 60;
/// What every name outside the site leads to (RFC 5737).
const OUTSIDE: Ipv4Addr = Ipv4Addr::new(192, 0, 2, 1);

/// What DNS servers of a site know.
#[derive(Clone, Debug, Default)]
pub(super) struct Zone {
    /// Names in small letters, without the dot at the end.
    pub(super) addresses: BTreeMap<String, Vec<IpAddr>>,
    /// Names of addresses.
    pub(super) names: BTreeMap<IpAddr, String>,
    /// Domains of the site.
    pub(super) domains: BTreeSet<String>,
    /// Domains of the site that DNS does not know.
    pub(super) unknown_domains: BTreeSet<String>,
}

/// How a DNS server answers.
#[derive(Clone, Debug)]
pub(super) struct NameServing {
    pub(super) zone: Arc<Zone>,
    /// Whether it refuses to answer.
    pub(super) refuses: bool,
    /// Whether it finds names outside the site.
    pub(super) finds_outside: bool,
}

impl NameServing {
    /// The answer to a question; nothing to what is none.
    pub(super) fn answer(&self, bytes: &[u8]) -> Option<Vec<u8>> {
        let question = Message::from_vec(bytes).ok()?;
        if question.metadata.message_type != MessageType::Query {
            return None;
        }
        let query = question.queries.first()?;
        let mut answer = Message::response(question.metadata.id, question.metadata.op_code);
        answer.metadata.recursion_desired = question.metadata.recursion_desired;
        answer.metadata.recursion_available = true;
        answer.add_query(query.clone());
        if self.refuses {
            answer.metadata.response_code = ResponseCode::Refused;
        } else {
            match self.records(query.name(), query.query_type()) {
                Some(records) => {
                    let owner = query.name().clone();
                    let records = records.into_iter();
                    answer.insert_answers(
                        records.map(|data| Record::from_rdata(owner.clone(), TTL, data)).collect(),
                    );
                }
                None => answer.metadata.response_code = ResponseCode::NXDomain,
            }
        }
        answer.to_vec().ok()
    }

    /// The records of a name, which may be none; `None` where there is no such name.
    fn records(&self, name: &Name, kind: RecordType) -> Option<Vec<RData>> {
        let text = name.to_ascii().to_ascii_lowercase();
        let text = text.strip_suffix('.').unwrap_or(&text);
        if kind == RecordType::PTR {
            let known = self.zone.names.iter().find(|(address, _)| Name::from(**address) == *name)?;
            let known = Name::from_ascii(format!("{}.", known.1)).ok()?;
            return Some(vec![RData::PTR(PTR(known))]);
        }
        if let Some(addresses) = self.zone.addresses.get(text) {
            let data = addresses.iter().filter_map(|address| match (address, kind) {
                (IpAddr::V4(four), RecordType::A) => Some(RData::A(A(*four))),
                (IpAddr::V6(six), RecordType::AAAA) => Some(RData::AAAA(AAAA(*six))),
                _ => None,
            });
            return Some(data.collect());
        }
        if self.zone.unknown_domains.contains(text) {
            return None;
        }
        // The root, and domains that have names below them, are there without records of their own.
        if text.is_empty() || self.zone.domains.contains(text) {
            return Some(Vec::new());
        }
        let is_below =
            |domain: &String| text.strip_suffix(domain.as_str()).is_some_and(|rest| rest.ends_with('.'));
        if self.zone.domains.iter().any(is_below) || !self.finds_outside {
            return None;
        }
        Some(if kind == RecordType::A { vec![RData::A(A(OUTSIDE))] } else { Vec::new() })
    }
}
