//! How long judging a sheet takes, by the number of its hosts and the way in which they are written.

use std::fmt::Write as _;
use std::net::Ipv4Addr;
use std::path::Path;

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use impostazione_core::assess::assess;
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::{Date, date};

/// Waivers are counted by it.
const TODAY: Date = date(2026, 11, 25);

/// The folder of the sheet: a public key, and the rows of a CSV file.
struct Folder {
    rows: String,
}

impl NamedFiles for Folder {
    fn read(&self, path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        if path == Path::new("buoys.csv") {
            return Ok(self.rows.clone().into_bytes());
        }
        Ok(include_bytes!("../../../demo/keys/keeper.pub").to_vec())
    }
}

const SHARED: &str = "format = 1\n[common]\ndomain = \"capovetro.example\"\n\
    dns = [\"10.64.0.53\", \"10.64.0.54\"]\nntp = [\"10.64.0.121\", \"10.64.0.122\", \"10.64.0.123\"]\n\
    timezone = \"Europe/Rome\"\n[subnet.roads]\nprefix = \"10.64.0.0/14\"\ngateway = \"10.64.0.1\"\n\
    [account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n";

fn address(number: u32) -> Ipv4Addr {
    Ipv4Addr::from_bits(0x0a40_0100 + number)
}

/// Every host written out by itself.
fn one_by_one(hosts: u32) -> String {
    let mut text = SHARED.to_owned();
    for number in 0..hosts {
        let _ = writeln!(
            text,
            "[[host]]\nname = \"buoy-{number:06}\"\nlink.eth0 = {{ subnet = \"roads\", address = \"{}\" }}",
            address(number)
        );
    }
    text
}

/// All hosts from one pattern.
fn from_a_pattern(hosts: u32) -> String {
    format!(
        "{SHARED}[[host]]\nname = \"buoy-{{000000..{:06}}}\"\nlink.eth0 = {{ subnet = \"roads\", address = \"{{{}..{}}}\" }}\n",
        hosts - 1,
        address(0),
        address(hosts - 1)
    )
}

/// The same with settings of a subnet, numbers in place of addresses, and every hundredth host different.
fn that_differs(hosts: u32) -> String {
    let mut text = format!(
        "{}[[host]]\nname = \"buoy-{{000000..{:06}}}\"\nlink.eth0 = {{ subnet = \"roads\", host_number = \"{{256..{}}}\" }}\n",
        SHARED.replace(
            "gateway = \"10.64.0.1\"\n",
            "gateway = \"10.64.0.1\"\ndns = [\"10.64.0.55\", \"10.64.0.54\"]\ntimezone = \"Europe/Malta\"\n"
        ),
        hosts - 1,
        hosts + 255
    );
    for number in (0..hosts).step_by(100) {
        let _ =
            writeln!(text, "[host.differs.buoy-{number:06}]\ntimezone = \"Etc/UTC\"\nlink.eth0.mtu = 1400");
    }
    text
}

/// A host for each row of a CSV file.
fn from_rows() -> String {
    format!(
        "{SHARED}[[host]]\nrows = \"buoys.csv\"\nname = \"{{name}}\"\nlink.eth0 = {{ subnet = \"roads\", address = \"{{address}}\" }}\n"
    )
}

fn rows(hosts: u32) -> String {
    let mut text = "name,address\n".to_owned();
    for number in 0..hosts {
        let _ = writeln!(text, "buoy-{number:06},{}", address(number));
    }
    text
}

fn check(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("check");
    group.sample_size(20);
    for hosts in [1_000, 10_000, 100_000] {
        let folder = Folder { rows: rows(hosts) };
        group.throughput(Throughput::Elements(u64::from(hosts)));
        for (way, text) in [
            ("one-by-one", one_by_one(hosts)),
            ("pattern", from_a_pattern(hosts)),
            ("that-differs", that_differs(hosts)),
            ("rows", from_rows()),
        ] {
            group.bench_with_input(BenchmarkId::new(way, hosts), &text, |bencher, text| {
                bencher.iter(|| {
                    let assessment = assess("sheet.toml", text.as_bytes().to_vec(), &folder, TODAY);
                    assert!(assessment.findings.is_empty() && assessment.proved().is_some());
                    assessment
                });
            });
        }
    }
    group.finish();
}

criterion_group!(benches, check);
criterion_main!(benches);
