#!/bin/sh
# Ten thousand hosts: checking a sheet with settings of subnets, host numbers and hosts that differ, beside the same sheet without.
# Needs GNU time. Prints the medians of five runs and their ratio.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program="$top/target/release/impostazione"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
cd "$work"
"$program" demo --into site >/dev/null
cp -r site/keys .

# sheet WITH: forty subnets of 250 hosts, an entry each; WITH is 1 for the settings and the differences.
sheet() {
    awk -v with="$1" 'BEGIN {
        print "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.0.53\", \"10.64.0.54\"]"
        print "search = [\"capovetro.example\"]\nntp = [\"10.64.0.121\", \"10.64.0.122\", \"10.64.0.123\"]"
        print "timezone = \"Europe/Rome\"\n[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]"
        for (n = 1; n <= 40; n++) {
            print "[subnet.roads-" n "]\nprefix = \"10.64." n ".0/24\"\ngateway = \"10.64." n ".1\""
            if (with) print "timezone = \"Europe/Malta\"\nsearch = [\"roads-" n ".capovetro.example\"]"
            print "[[host]]\nname = \"buoy-" n "-{001..250}\""
            if (with) print "link.eth0 = { subnet = \"roads-" n "\", host_number = \"{2..251}\" }"
            else print "link.eth0 = { subnet = \"roads-" n "\", address = \"10.64." n ".{2..251}\" }"
            if (with) for (m = 10; m <= 250; m += 10) print "[host.differs.buoy-" n "-" sprintf("%03d", m) "]\ntimezone = \"Etc/UTC\"\nlink.eth0.mtu = 1400"
        }
    }'
}
sheet 0 >plain.toml
sheet 1 >settings.toml
"$program" check plain.toml
"$program" check settings.toml

seconds() {
    for run in 1 2 3 4 5; do
        /usr/bin/env time -f %e -o time.txt "$@" >/dev/null 2>&1
        cat time.txt
    done | sort -n | sed -n 3p
}
plain=$(seconds "$program" check plain.toml)
settings=$(seconds "$program" check settings.toml)
awk -v plain="$plain" -v settings="$settings" 'BEGIN {
    printf "plain %s s, with settings, numbers and differences %s s: %.2f times\n", plain, settings, settings / plain
}'
