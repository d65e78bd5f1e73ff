//! Secrets at random places of sheets that are broken at random: no sentence, no JSON, no SARIF and no line that is shown
//! has one in it.

use impostazione_core::assess::{Assessment, assess};
use impostazione_core::catalog;
use impostazione_core::finding::sarif::SarifLog;
use impostazione_core::finding::{Corrections, Report};
use impostazione_text::files::Folder;
use jiff::civil::date;
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};

use crate::support::{Workspace, right_sheet};

/// Of words that nothing else here has, and that no list of refused passwords says anything about.
const SECRETS: [&str; 4] = ["Zq7oxbow-Vellum", "9999182736450", "gulls on tall masts", "zx/vw.kelp:77"];

/// Places where somebody writes a secret though it does not belong there, or writes it wrongly.
const PLACES: [&str; 24] = [
    "[account.pilot]\npassword = \"…\"\n",
    "[account.pilot]\npassword = …\n",
    "[account.pilot]\npassword: …\n",
    "[account.pilot]\npassword = { secret = \"…\" }\n",
    "[account.pilot]\npassword = { …: \"…\" }\n",
    "[account.pilot]\npassword = { value: \"…\" }\n",
    "[account.pilot]\npassword = [\"…\"]\n",
    "[account.pilot]\npasword = \"…\"\n",
    "[account.pilot]\nadmin = true, password = \"…\"\n",
    "[account.pilot]\npassword \"…\"\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"loft\", passphrase = \"…\" }\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"loft\", passphrase: \"…\" }\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"loft\" passphrase = \"…\" }\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"loft\", passphrase = … }\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = \"…\"\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = …\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = [\"loft\", \"…\"]\n",
    "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi.passphrase = \"…\"\nwifi.pasphrase = \"…\"\n",
    "[time_key.harbor]\nnumber = 10\nvalue = \"…\"\n",
    "[time_key.harbor]\nnumber = 10\nkey = …\n",
    "[secret.keeper-login]\nfrom = \"env\"\nvariable = \"…\"\n",
    "[secret.keeper-login]\nvalue = \"…\"\n",
    "[secret.keeper-login]\nfrom = \"…\"\n",
    "[[appliance]]\nname = \"logbook\"\npackage = \"packages/secured.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"admin.password\" = \"…\"\n",
];

/// What is done to a text to break it.
#[derive(Clone, Debug)]
enum Slip {
    Insert(usize, char),
    Remove(usize),
    JoinLines(usize),
    Double(usize),
}

fn slips() -> impl Strategy<Value = Vec<Slip>> {
    let at = 0..10_000_usize;
    let sign = prop::sample::select("\"'=:,{}[]#\\\n .".chars().collect::<Vec<char>>());
    prop::collection::vec(
        prop_oneof![
            4 => (at.clone(), sign).prop_map(|(at, sign)| Slip::Insert(at, sign)),
            3 => at.clone().prop_map(Slip::Remove),
            1 => at.clone().prop_map(Slip::JoinLines),
            1 => at.prop_map(Slip::Double),
        ],
        0..4,
    )
}

/// The sheet with the slips, none of them within a secret or the word before it, where nobody could tell it any more.
fn broken(text: &str, secret: &str, slips: &[Slip]) -> String {
    let mut text = text.to_owned();
    for slip in slips {
        let positions: Vec<usize> = text.char_indices().map(|(at, _)| at).collect();
        let near = |wanted: usize| positions[wanted % positions.len()];
        let is_free = |at: usize| {
            text.match_indices(secret).all(|(start, _)| {
                // The key stands before it on the line.
                let line = text[..start].rfind('\n').map_or(0, |end| end + 1);
                at < line.saturating_sub(1) || at > start + secret.len()
            })
        };
        match *slip {
            Slip::Insert(at, sign) if is_free(near(at)) => text.insert(near(at), sign),
            Slip::Remove(at) if is_free(near(at)) => {
                text.remove(near(at));
            }
            Slip::JoinLines(at) => {
                if let Some(end) =
                    text[near(at)..].find('\n').map(|end| near(at) + end).filter(|end| is_free(*end))
                {
                    text.replace_range(end..=end, " ");
                }
            }
            Slip::Double(at) => {
                let start = text[..near(at)].rfind('\n').map_or(0, |end| end + 1);
                let end = text[start..].find('\n').map_or(text.len(), |end| start + end + 1);
                let line = text[start..end].to_owned();
                text.insert_str(start, &line);
            }
            Slip::Insert(..) | Slip::Remove(_) => {}
        }
    }
    text
}

fn sheets() -> impl Strategy<Value = (String, &'static str)> {
    (prop::sample::select(PLACES.to_vec()), prop::sample::select(SECRETS.to_vec()), any::<bool>(), slips()).prop_map(
        |(place, secret, is_first, slips)| {
            let place = place.replace('…', secret);
            let right = right_sheet("[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n");
            let text = if is_first {
                right.replacen("[subnet.quay]", &format!("{place}[subnet.quay]"), 1)
            } else {
                right + &place
            };
            (broken(&text, secret, &slips), secret)
        },
    )
}

fn judged(workspace: &Workspace, sheet: &str) -> Assessment {
    assess("sheet.toml", sheet.as_bytes().to_vec(), &Folder::new(workspace.path()), date(2026, 6, 1))
}

#[test]
fn no_report_repeats_a_secret_of_a_broken_sheet() {
    let workspace = Workspace::new().with_example_packages();
    let mut runner = TestRunner::new(Config { cases: 1500, failure_persistence: None, ..Config::default() });
    let result = runner.run(&sheets(), |(sheet, secret)| {
        let assessment = judged(&workspace, &sheet);
        let report = Report::new(&assessment.sources, 0, &assessment.findings);
        let sarif = SarifLog::new(
            catalog::all(),
            &assessment.sources,
            &assessment.findings,
            &Corrections::of(&assessment.sources, &assessment.findings),
        );
        for said in [serde_json::to_string(&report).unwrap(), serde_json::to_string(&sarif).unwrap()] {
            prop_assert!(!said.contains(secret), "{secret} of {sheet}\n{said}");
        }
        Ok(())
    });
    assert!(result.is_ok(), "{}", result.unwrap_err());
}

/// The same of what a person is shown, with the lines of the sheet.
#[test]
fn no_line_that_is_shown_has_a_secret_of_a_broken_sheet() {
    let workspace = Workspace::new().with_example_packages();
    let mut runner = TestRunner::new(Config { cases: 150, failure_persistence: None, ..Config::default() });
    let result = runner.run(&sheets(), |(sheet, secret)| {
        workspace.write("sheet.toml", &sheet);
        for command in [&["check", "sheet.toml", "-v"][..], &["review", "sheet.toml"]] {
            let run = workspace.run(command);
            let said = run.stdout + &run.stderr;
            prop_assert!(!said.contains(secret), "{secret} of {sheet}\n{said}");
        }
        Ok(())
    });
    assert!(result.is_ok(), "{}", result.unwrap_err());
}
