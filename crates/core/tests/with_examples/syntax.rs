//! Slips in the TOML of a sheet.

use super::support::assess_text;

/// Line, column and message of each finding of a sheet that begins with `format = 1` and has the lines given.
fn slips(lines: &str) -> Vec<(usize, usize, String)> {
    let assessment = assess_text(&format!("format = 1\n{lines}\n"));
    let place = |finding: &impostazione_core::finding::Finding| assessment.sources.position(finding.place);
    let findings = assessment.findings.iter().filter(|finding| finding.rule.name == "sheet-syntax");
    findings.map(|finding| (place(finding).line, place(finding).column, finding.message.clone())).collect()
}

fn slip(lines: &str) -> (usize, usize, String) {
    let mut all = slips(lines);
    assert_eq!(all.len(), 1, "{lines}\n{all:?}");
    all.remove(0)
}

#[test]
fn each_slip_is_named_once_and_where_it_is() {
    assert_eq!(slip("a = 10.64.10.0/24"), (2, 5, "This value is not in quotes.".into()));
    assert_eq!(slip("a = [10.64.10.53, \"b\"]"), (2, 6, "This value is not in quotes.".into()));
    assert_eq!(slip("a = Europe/Rome # zone"), (2, 5, "This value is not in quotes.".into()));
    assert_eq!(slip("a = “gauge”").2, "This value is in typographic quotes.");
    assert_eq!(slip("a ="), (2, 1, "There is no value after the equals sign.".into()));
    assert_eq!(slip("a = \"b").2, "A text that starts here or earlier has no closing quote.");
    assert_eq!(slip("a = \"\"\"b\nc = 1"), (2, 5, slip("a = \"b").2));
    assert_eq!(slip("a = \"b\\q\"").2, "This text has a backslash sequence that TOML does not have.");
    assert_eq!(slip("a = \"b\" \"c\"").2, "There is something after the value that does not belong there.");
    assert_eq!(slip("a = [\"b\" \"c\"]"), (2, 10, "A comma is missing before this.".into()));
    assert_eq!(slip("a = [\"\"10.64.10.54\"]\nc = 1").0, 2);
    assert_eq!(slip("a = 1\na = 2"), (3, 1, "This key is twice in its table.".into()));
    for header in ["[[host]", "[account.keeper", "[subnet.quay]]", "[[host.link.eth0]"] {
        assert_eq!(slip(header), (2, 1, "The brackets on this line do not match.".into()), "{header}");
    }
    assert_eq!(slip("[[host]]\nname = \"a\"\n[[host]\nname = \"b\"\n[common]\ndns = \"none\"").0, 4);
    assert_eq!(slip("time zone = 1").2, "The part before the equals sign is not a key: a key has no spaces.");
    assert_eq!(slip("a: 1").2, "There is a colon between key and value; TOML needs an equals sign.");
    assert_eq!(slip("just words").2, "This line is not a setting (key = value).");
}

#[test]
fn a_bracket_left_open_is_one_slip_however_much_it_swallows() {
    let open = "The [ that opens here is not closed, so nothing below it can be read.";
    assert_eq!(slip("dns = [\"a\", \"b\"\nntp = [\"c\"]\n[[host]]\nname = \"d\""), (2, 7, open.into()));
    let open = "The { that opens here is not closed, so nothing below it can be read.";
    assert_eq!(
        slip("[[host]]\nlink.a = { b = \"c\"\n[[host]]\nname = \"d\"\n[x]\ny = 1"),
        (3, 10, open.into())
    );
    assert_eq!(slips("dns = [\n  \"a\",\n  \"b\", # ]\n]\nlink = {\n  a = \"}\",\n}"), []);
}
