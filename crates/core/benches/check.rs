//! How long judging a sheet takes, by the number of hosts that it writes out one by one.

use std::fmt::Write as _;
use std::path::Path;

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use impostazione_core::assess::assess;
use impostazione_core::beside::{Beside, ReadFault};
use jiff::civil::{Date, date};

/// Waivers are counted by it.
const TODAY: Date = date(2026, 11, 25);

struct Key;

impl Beside for Key {
    fn read(&self, _path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        Ok(include_bytes!("../../../demo/keys/keeper.pub").to_vec())
    }
}

fn sheet(hosts: u32) -> String {
    let mut text =
        "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.0.53\", \"10.64.0.54\"]\n\
        ntp = [\"10.64.0.121\"]\ntimezone = \"Europe/Rome\"\n[subnet.roads]\nprefix = \"10.64.0.0/14\"\n\
        gateway = \"10.64.0.1\"\n[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n"
            .to_owned();
    for number in 0..hosts {
        let address = std::net::Ipv4Addr::from_bits(0x0a40_0100 + number);
        let _ = writeln!(
            text,
            "[[host]]\nname = \"buoy-{number:06}\"\nlink.eth0 = {{ subnet = \"roads\", address = \"{address}\" }}"
        );
    }
    text
}

fn check(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("check");
    group.sample_size(20);
    for hosts in [1_000, 10_000, 100_000] {
        let text = sheet(hosts);
        group.throughput(Throughput::Elements(u64::from(hosts)));
        group.bench_with_input(BenchmarkId::new("hosts", hosts), &text, |bencher, text| {
            bencher.iter(|| {
                let assessment = assess("sheet.toml", text.as_bytes().to_vec(), &Key, TODAY);
                assert!(assessment.proved().is_some());
                assessment
            });
        });
    }
    group.finish();
}

criterion_group!(benches, check);
criterion_main!(benches);
