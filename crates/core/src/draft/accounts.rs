//! Questions about logins.

use super::common::explanation_of;
use super::desk::Desk;
use super::put::{Reply, put};
use super::question::{Question, Refusal};
use super::state::{Scope, State};
use super::topic::{AccountKey, Topic};
use crate::edit::{TablePath, quoted, quoted_list};
use crate::sheet::{ACCOUNT, KeySpec, SECRET};

/// What is asked about a login, in order.
pub(super) const KEYS: [AccountKey; 6] = [
    AccountKey::FullName,
    AccountKey::Admin,
    AccountKey::SshKeys,
    AccountKey::Password,
    AccountKey::Per,
    AccountKey::Hosts,
];

/// How public keys begin (RFC 4253, section 6.6; OpenSSH's own).
const KEY_WORDS: [&str; 3] = ["ssh-", "ecdsa-", "sk-"];

fn table_of(name: &str) -> TablePath {
    TablePath::named("account", name)
}

/// The next question about logins, which hosts alone have.
pub(super) fn next(state: &State) -> Option<Topic> {
    let names = state.text.names("account");
    for name in &names {
        if let Some(key) = KEYS.into_iter().find(|key| is_open(state, name, *key)) {
            return Some(Topic::Account(name.clone(), key));
        }
    }
    let is_wanted = match state.scope {
        Some(Scope::Appliance) => false,
        Some(Scope::Site) => true,
        _ => names.is_empty(),
    };
    let another = Topic::NextAccount(names.len() + 1);
    (is_wanted && !state.is_settled(&another.id())).then_some(another)
}

/// The table that a key is written in: what is asked about the password may be said of its secret.
fn place_of(name: &str, key: AccountKey) -> (TablePath, &'static str) {
    match key {
        AccountKey::Per => (TablePath::named("secret", &secret_of(name)), "per"),
        _ => (table_of(name), key.name()),
    }
}

/// The secret that is the password of a login.
fn secret_of(name: &str) -> String {
    format!("{name}-login")
}

/// Whether a key of a login is still to be asked about.
pub(super) fn is_open(state: &State, name: &str, key: AccountKey) -> bool {
    let (table, written) = place_of(name, key);
    let is_made_up =
        || state.reply_to(&Topic::Account(name.to_owned(), AccountKey::Password).id()) == Some("made-up");
    let is_wanted = match key {
        AccountKey::FullName | AccountKey::Admin | AccountKey::Hosts => state.is_site(),
        AccountKey::SshKeys | AccountKey::Password => true,
        AccountKey::Per => {
            state.is_site() && (is_made_up() || state.text.marked(&table).iter().any(|open| open == "per"))
        }
    };
    is_wanted && !state.is_key_settled(&Topic::Account(name.to_owned(), key).id(), &table, written)
}

/// Where a key is remarked as open, and which it is.
pub(super) fn mark_of(name: &str, key: AccountKey) -> (TablePath, Option<&'static KeySpec>) {
    let (table, written) = place_of(name, key);
    (table, if key == AccountKey::Per { SECRET.key(written) } else { ACCOUNT.key(written) })
}

/// Whether there is another login.
pub(super) fn question_next(state: &State, desk: &Desk<'_>, number: usize) -> Question {
    let id = Topic::NextAccount(number).id();
    let explanation = "A login is made on the hosts by this name. At least one of each host must be able to become root, or nobody \
        can look after it. In the sheet: [account.keeper]";
    if state.text.names("account").is_empty() {
        let line = match state.scope {
            Some(Scope::Host) => "Who logs in on the host? A name for the login",
            _ => "Who logs in on the hosts? A name for the login, or none where there are only appliances",
        };
        let question = Question::new(id, line).proposing(desk.known.user.clone()).explained(explanation);
        return if state.is_site() { question.or_none() } else { question };
    }
    Question::new(id, "Another login? Its name, or none")
        .proposing(Some("none".to_owned()))
        .or_none()
        .explained(explanation)
}

/// Takes the name of another login.
pub(super) fn take_next(
    state: &mut State,
    desk: &Desk<'_>,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let Some(name) = reply.text else { return Ok(Vec::new()) };
    if state.text.names("account").iter().any(|known| known == name) {
        return Err(Refusal::new(
            format!("The sheet has a login {name} already."),
            "reply with another name",
        ));
    }
    let table = table_of(name);
    state.text.add_table(&table);
    // What the rules say of the name stands at the header, where no value is.
    let after = desk.judge(state.text.as_str());
    let extent = state.text.extent(&table);
    let is_here = |place: impostazione_text::Place| {
        extent.as_ref().is_some_and(|extent| place.span.meets(extent.clone().into()))
    };
    let error = after
        .findings
        .iter()
        .find(|finding| finding.is_in_the_way() && !finding.rule.about_absence && is_here(finding.place));
    match error {
        Some(error) => Err(super::put::refusal_of(error)),
        None => {
            // A single login that cannot become root is of no use.
            if !state.is_site() {
                state.text.set(&table, "admin", "true", None);
            }
            Ok(Vec::new())
        }
    }
}

/// The question about a key of a login.
pub(super) fn question(state: &State, desk: &Desk<'_>, name: &str, key: AccountKey) -> Question {
    let table = table_of(name);
    let id = Topic::Account(name.to_owned(), key).id();
    let ask =
        |line: String| Question::new(id.clone(), line).explained(explanation_of(ACCOUNT.key(key.name())));
    match key {
        AccountKey::FullName => ask(format!("Who is {name}? The full name"))
            .proposing(state.text.string(&table, "full_name").or_else(|| Some("none".to_owned())))
            .or_none(),
        AccountKey::Admin => {
            let is_first = state.text.names("account").first().is_some_and(|first| first == name);
            let proposal = match state.text.literal(&table, "admin") {
                Some("true") => "yes",
                None if is_first => "yes",
                _ => "no",
            };
            ask(format!("May {name} become root?"))
                .proposing(Some(proposal.to_owned()))
                .choosing(&[("yes", "with sudo"), ("no", "no more than an ordinary user")])
        }
        AccountKey::SshKeys => {
            let known: Vec<&str> = desk.known.public_keys.iter().map(|(path, _)| path.as_str()).collect();
            let so_far = state.text.strings(&table, "ssh_keys").map(|keys| keys.join(", "));
            let is_first = state.text.names("account").first().is_some_and(|first| first == name);
            let proposal =
                so_far.or_else(|| known.first().filter(|_| is_first).map(|path| (*path).to_owned()));
            let shown = (known.len() > 1).then(|| format!("your public keys: {}", known.join(", ")));
            ask(format!("Which SSH public keys open {name}? Files, or a key itself"))
                .proposing(proposal)
                .or_none()
                .showing(shown)
        }
        AccountKey::Password => {
            let has_key = state.text.literal(&table, "ssh_keys").is_some();
            let proposal =
                state.reply_to(&id).map_or(if has_key { "none" } else { "made-up" }, |reply| reply);
            ask(format!("Which password should {name} have?"))
                .proposing(Some(proposal.to_owned()))
                .choosing(&[
                    ("none", "a key alone opens it"),
                    ("made-up", "a random one is made and kept in the encrypted store"),
                    ("typed", "you type it when the sheet is done; it is kept in the encrypted store"),
                ])
                .or_none()
        }
        AccountKey::Per => {
            Question::new(id, format!("One password of {name} for all hosts, or one for each?"))
                .proposing(Some("machine".to_owned()))
                .choosing(&[("machine", "each host has its own"), ("site", "all hosts have the same")])
                .explained(explanation_of(SECRET.key("per")))
        }
        AccountKey::Hosts => {
            let so_far = state.text.strings(&table, "hosts").map(|hosts| hosts.join(", "));
            ask(format!("On which hosts is {name}? Names, * for any letters (gauge-*), or all"))
                .proposing(so_far.or_else(|| Some("all".to_owned())))
        }
    }
}

/// Takes a reply about a login.
pub(super) fn take(
    state: &mut State,
    desk: &Desk<'_>,
    name: &str,
    key: AccountKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let table = table_of(name);
    let secret = secret_of(name);
    let secret_table = TablePath::named("secret", &secret);
    match (key, reply.text) {
        (AccountKey::Password, None | Some("none")) => {
            if state.text.literal(&table, "ssh_keys").is_none() {
                return Err(Refusal::new(
                    format!("{name} has neither a key nor a password, so nobody can log in by it."),
                    "reply made-up or typed, or go back and name a key",
                ));
            }
            state.text.remove(&table, "password");
            Ok(Vec::new())
        }
        (AccountKey::Password, Some(word)) => {
            if !state.text.has(&secret_table) {
                state.text.set(&secret_table, "from", &quoted("store"), None);
            }
            say_who_makes(state, &secret, word == "typed");
            put(state, desk, &table, "password", &format!("{{ secret = {} }}", quoted(&secret)), reply)
        }
        (AccountKey::Per, Some("site") | None) => {
            state.text.remove(&secret_table, "per");
            Ok(Vec::new())
        }
        (AccountKey::Per, Some(word)) => put(state, desk, &secret_table, "per", &quoted(word), reply),
        (AccountKey::Hosts, Some("all")) | (_, None) => {
            state.text.remove(&table, key.name());
            Ok(Vec::new())
        }
        (AccountKey::Hosts, Some(_)) => put(state, desk, &table, "hosts", &quoted_list(reply.words()), reply),
        (AccountKey::FullName, Some(text)) => put(state, desk, &table, "full_name", &quoted(text), reply),
        (AccountKey::Admin, Some("yes")) => put(state, desk, &table, "admin", "true", reply),
        (AccountKey::Admin, Some(_)) => {
            state.text.remove(&table, "admin");
            Ok(Vec::new())
        }
        (AccountKey::SshKeys, Some(text)) => {
            let keys = keys_of(desk, text);
            put(state, desk, &table, "ssh_keys", &quoted_list(keys.iter().map(String::as_str)), reply)
        }
    }
}

/// Says in the sheet whether the value of a secret is made up, or typed by somebody: today or on another day.
pub(super) fn say_who_makes(state: &mut State, secret: &str, is_typed: bool) {
    let table = TablePath::named("secret", secret);
    state.typed_secrets.retain(|typed| typed != secret);
    if is_typed {
        state.typed_secrets.push(secret.to_owned());
        state.text.set(&table, "generated", "false", None);
    } else {
        state.text.remove(&table, "generated");
    }
}

/// The keys that are named. A key of this user is written out, since the sheet may be used elsewhere.
fn keys_of(desk: &Desk<'_>, text: &str) -> Vec<String> {
    if KEY_WORDS.iter().any(|word| text.starts_with(word)) {
        return vec![text.to_owned()];
    }
    let words = text.split([',', ' ']).filter(|word| !word.is_empty());
    words
        .map(|word| {
            let known = desk.known.public_keys.iter().find(|(path, _)| path == word);
            known.map_or_else(|| word.to_owned(), |(_, line)| line.clone())
        })
        .collect()
}
