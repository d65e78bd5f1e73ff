//! How far an interview has come.

use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

use super::taken_rows::TakenRows;
use super::topic::Topic;
use crate::edit::{OPEN_MARK, SheetText, TablePath};

/// How much is to be prepared, by which some questions are left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Scope {
    /// One host.
    Host,
    /// One appliance.
    Appliance,
    /// Several machines.
    Site,
}

impl Scope {
    /// The words for them, with what they stand for.
    pub(super) const CHOICES: [(&'static str, &'static str); 3] = [
        ("host", "one headless host"),
        ("appliance", "one virtual appliance"),
        ("site", "several machines, or more subnets than one"),
    ];

    pub(super) fn of(word: &str) -> Self {
        match word {
            "host" => Self::Host,
            "appliance" => Self::Appliance,
            _ => Self::Site,
        }
    }
}

/// What was replied so far, and the sheet that has come of it.
#[derive(Clone, Debug)]
pub(super) struct State {
    /// The sheet.
    pub(super) text: SheetText,
    /// How much is prepared; nothing before that is said.
    pub(super) scope: Option<Scope>,
    /// The replies, by the questions, in their order.
    pub(super) replies: Vec<(String, String)>,
    /// The address that was named to say what a subnet is.
    pub(super) named_address: Option<IpAddr>,
    /// Whether the sheet was there before the interview began.
    pub(super) is_resumed: bool,
    /// A question that is asked again because somebody wants to change the reply.
    pub(super) again: Option<Topic>,
    /// Secrets whose values are to be typed, in their order.
    pub(super) typed_secrets: Vec<String>,
    /// How many machines an entry of hosts makes, by its index.
    pub(super) counts: BTreeMap<usize, usize>,
    /// The names of links, by the index of the host and the number of the link.
    pub(super) links: BTreeMap<(usize, usize), String>,
    /// Hosts that were found without a name, by their index.
    pub(super) nameless: BTreeSet<usize>,
    /// Packages that were named before their appliances are, in their order.
    pub(super) packages: Vec<String>,
    /// The files of rows that entries of hosts are made of, by the index of the host.
    pub(super) rows: BTreeMap<usize, TakenRows>,
    /// What included files say of subnets, by the name of each.
    pub(super) included: BTreeMap<String, BTreeMap<&'static str, String>>,
    /// The questions that are behind us.
    settled: BTreeSet<String>,
    /// The questions that nobody answered, and that stay open.
    pub(super) skipped: Vec<Topic>,
    /// Those of them that were declined without being asked.
    declined: BTreeSet<String>,
    /// The tables that were there before: nothing is asked about them but what they mark as open.
    finished: BTreeSet<TablePath>,
}

impl State {
    /// Before the first question, with a sheet that is empty or was there before.
    pub(super) fn new(text: SheetText) -> Self {
        Self {
            text,
            scope: None,
            replies: Vec::new(),
            named_address: None,
            is_resumed: false,
            again: None,
            typed_secrets: Vec::new(),
            counts: BTreeMap::new(),
            links: BTreeMap::new(),
            nameless: BTreeSet::new(),
            packages: Vec::new(),
            rows: BTreeMap::new(),
            included: BTreeMap::new(),
            settled: BTreeSet::new(),
            declined: BTreeSet::new(),
            skipped: Vec::new(),
            finished: BTreeSet::new(),
        }
    }

    /// Takes a table as finished, but for what it marks as open.
    pub(super) fn finish(&mut self, table: TablePath) {
        self.finished.insert(table);
    }

    /// Whether the sheet says at its end that there is to be something more of a kind.
    pub(super) fn is_marked_at_the_end(&self, topic: &Topic) -> bool {
        let header = match topic {
            Topic::NextSubnet(_) => "[subnet",
            Topic::NextAccount(_) => "[account",
            Topic::NextHost(_) => "[[host",
            Topic::NextAppliance(_) => "[[appliance",
            _ => return false,
        };
        self.text
            .as_str()
            .lines()
            .any(|line| line.strip_prefix(OPEN_MARK).is_some_and(|rest| rest.starts_with(header)))
    }

    /// Whether a table is one about which nothing is asked but what it marks as open.
    pub(super) fn is_finished(&self, table: &TablePath) -> bool {
        self.finished.contains(table)
    }

    /// Whether a question is behind us.
    pub(super) fn is_settled(&self, id: &str) -> bool {
        self.settled.contains(id)
    }

    /// Whether a question about a key is behind us, or needs not be asked.
    pub(super) fn is_key_settled(&self, id: &str, table: &TablePath, key: &str) -> bool {
        if self.settled.contains(id) {
            return true;
        }
        if self.finished.contains(table) {
            return !self.text.marked(table).iter().any(|open| open == key);
        }
        // What was begun before is gone on with.
        self.is_resumed && self.text.literal(table, key).is_some()
    }

    /// Puts a question behind us that was not asked.
    pub(super) fn pass(&mut self, id: &str) {
        self.settled.insert(id.to_owned());
    }

    /// Puts a question behind us that was not asked, as if it had been declined.
    pub(super) fn decline(&mut self, id: &str) {
        self.settled.insert(id.to_owned());
        self.declined.insert(id.to_owned());
    }

    /// Passes a question over, which stays open.
    pub(super) fn skip(&mut self, topic: Topic) {
        self.decline(&topic.id());
        self.again = None;
        self.skipped.push(topic);
    }

    /// Whether another one was declined.
    pub(super) fn is_declined(&self, id: &str) -> bool {
        self.declined.contains(id) || self.reply_to(id) == Some("none")
    }

    /// Puts a question behind us, with its reply.
    pub(super) fn settle(&mut self, id: &str, reply: &str) {
        self.declined.remove(id);
        self.settled.insert(id.to_owned());
        match self.replies.iter_mut().find(|(known, _)| known == id) {
            Some((_, known)) => reply.clone_into(known),
            None => self.replies.push((id.to_owned(), reply.to_owned())),
        }
    }

    /// What was replied to a question.
    pub(super) fn reply_to(&self, id: &str) -> Option<&str> {
        self.replies.iter().find(|(known, _)| known == id).map(|(_, reply)| reply.as_str())
    }

    /// The names of the subnets, those of included files behind the sheet's own.
    pub(super) fn subnet_names(&self) -> Vec<String> {
        let mut names = self.text.names("subnet");
        let more: Vec<String> = self.included.keys().filter(|name| !names.contains(name)).cloned().collect();
        names.extend(more);
        names
    }

    /// What is said of a subnet in this sheet or in an included file, without its quotes.
    pub(super) fn subnet_says(&self, name: &str, key: &str) -> Option<String> {
        let own = TablePath::named("subnet", name);
        self.text
            .string(&own, key)
            .or_else(|| self.text.literal(&own, key).map(str::to_owned))
            .or_else(|| self.included.get(name)?.get(key).cloned())
    }

    /// Whether several machines are prepared.
    pub(super) fn is_site(&self) -> bool {
        self.scope == Some(Scope::Site)
    }
}
