//! The pages under `docs/` that are made from what the code holds: a test keeps them in step.

use std::fmt::Write as _;

use impostazione_text::capital;
use serde::Serialize;

use crate::finding::{Examples, Nature, Rule, Severity};
use crate::sheet::KEYS;

/// Rules as other programs get them.
#[derive(Debug, Serialize)]
pub struct ExplainedRules {
    /// The rules.
    pub rules: Vec<ExplainedRule>,
}

/// A rule as other programs get it.
#[derive(Debug, Serialize)]
pub struct ExplainedRule {
    rule: &'static str,
    severity: Severity,
    /// Whether a waiver may set it aside.
    waivable: bool,
    about_credentials: bool,
    message: &'static str,
    explanation: &'static str,
    wrong: &'static str,
    right: &'static str,
}

impl ExplainedRule {
    /// Puts a rule into that form.
    pub fn of(rule: &'static Rule) -> Self {
        Self {
            rule: rule.name,
            severity: rule.severity,
            waivable: rule.nature != Nature::Fault,
            about_credentials: rule.about_credentials,
            message: rule.summary,
            explanation: rule.explanation,
            wrong: rule.wrong,
            right: rule.right,
        }
    }
}

/// First line of a page that is made.
const MADE: &str = "<!-- Made by `cargo run -p impostazione-core --example write-docs`; changes belong into the code. -->\n\n";

/// `docs/rules.md`: every rule with its explanation and examples.
pub fn rules_page(rules: &[&Rule]) -> String {
    let mut page = format!(
        "{MADE}# Rules\n\nA rule is a named check of a build sheet. Its name never changes its meaning, so that scripts may rely \
         on it. An\nerror keeps `render` from writing anything. The examples are pieces of a sheet; each is tested: the wrong \
         one breaks\nits rule and no other, the right one breaks none. Examples of rules on root filesystems are paths with what is \
         in them\n(`false`: nothing is there), laid over a right one. Rules on the network show how `mock-site` plays a network with \
         the fault,\nand those on the inside of hosts what makes it on a booted one.\n\n| rule | severity | finds |\n|---|---|---|\n"
    );
    // Writing to a String does not fail.
    for rule in rules {
        let _ =
            writeln!(page, "| [`{0}`](#{0}) | {1} | {2} |", rule.name, rule.severity.word(), rule.summary);
    }
    for rule in rules {
        let language = match rule.examples {
            Examples::NetplanFiles => "yaml",
            Examples::Sheet | Examples::Rootfs => "toml",
            Examples::Network | Examples::BootedHost => "sh",
        };
        let _ = write!(
            page,
            "\n## {}\n\n{}: {}.\n\n{}\n\nWrong:\n\n```{language}\n{}```\n\nRight:\n\n```{language}\n{}```\n",
            rule.name,
            capital(rule.severity.word()),
            rule.summary,
            rule.explanation,
            rule.wrong,
            rule.right
        );
    }
    page
}

const PATTERNS: &str = "
## Patterns

In every text of a `[[host]]` or `[[appliance]]` entry a range in braces makes several machines:

| range | gives |
|---|---|
| `{8..11}` | 8, 9, 10, 11 |
| `{08..11}` | 08, 09, 10, 11: leading zeros give the width |
| `{0x0a..0x1f}` | 0a to 1f, in hexadecimal |
| `{10.64.32.11..10.64.35.250}` | whole addresses |

Several ranges in one entry advance together and must have the same number of values. `{{` and `}}` are literal braces. Keys without
a range are the same for all machines of the entry.

```toml
[[host]]
name = \"gauge-{01..12}\"
link.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..22}\" }
```

## Rows

With `rows` an entry makes one machine for each row of a CSV file, and `{field}` in a text is replaced by the row's value in that
field. Ranges and rows do not mix in one entry. The file is UTF-8 with a header, separated by commas; put a value with a comma, a quote
or a line break in quotes. Files with semicolons or tabs, in UTF-16 or Windows-1252, as spreadsheets write them, are read too, and a
note says so. Empty rows and columns are ignored; a row with a mistake makes no machine, and is an error of its own. A finding
about a value of a row points into the file. If several values of a row cannot be read, that is one finding.

```toml
[[host]]
rows = \"lamps.csv\"            # name,address
name = \"{name}\"
link.eth0 = { subnet = \"breakwater\", address = \"{address}\" }
```

## One machine that differs

Below an entry, `[host.differs.NAME]` or `[appliance.differs.NAME]` says what is different for one of its machines:

```toml
[[host]]
name = \"gauge-{01..12}\"
link.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..22}\" }
[host.differs.gauge-12]
timezone = \"Europe/Malta\"
link.eth0.mtu = 1400
```
";

/// The tables of a build sheet with their keys, for other pages about them.
pub fn sheet_tables() -> impl Iterator<Item = SheetTable> {
    KEYS.iter().map(|table| SheetTable {
        header: table.header,
        about: table.about,
        keys: table
            .keys
            .iter()
            .map(|key| SheetKey { name: key.name, takes: key.takes, about: key.about, example: key.example })
            .collect(),
    })
}

/// A table of a build sheet.
#[derive(Clone, Debug)]
pub struct SheetTable {
    /// How its header is written.
    pub header: &'static str,
    /// What it is for.
    pub about: &'static str,
    /// Its keys.
    pub keys: Vec<SheetKey>,
}

/// A key of a build sheet.
#[derive(Clone, Copy, Debug)]
pub struct SheetKey {
    /// The key.
    pub name: &'static str,
    /// What kind of value it takes.
    pub takes: &'static str,
    /// What it means, with code between backticks.
    pub about: &'static str,
    /// A line with it.
    pub example: &'static str,
}

/// `docs/sheet.md`: every table and key of a build sheet.
pub fn sheet_page() -> String {
    let mut page = format!(
        "{MADE}# The build sheet\n\nA build sheet is a TOML 1.1 file in UTF-8 that one administrator writes and another can read. \
         Unknown keys are errors.\nIn TOML a key belongs to the header above it, so the keys of a machine come before its \
         `[host.link.…]` and\n`[appliance.…]` headers. `impostazione demo` writes a whole sheet to begin from.\n"
    );
    page.push_str(PATTERNS);
    for table in KEYS {
        let _ = write!(page, "\n## `{}`\n\n{}\n", table.header, table.about);
        if table.keys.is_empty() {
            continue;
        }
        page.push_str("\n| key | takes | meaning |\n|---|---|---|\n");
        for key in table.keys {
            let _ = writeln!(
                page,
                "| `{}` | {} | {}<br>`{}` |",
                key.name,
                key.takes,
                key.about,
                key.example.replace('|', "\\|")
            );
        }
    }
    page
}
