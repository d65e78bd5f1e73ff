#!/bin/sh
# Ten thousand hosts: checking a sheet with settings of subnets, host numbers and hosts that differ (one in fifty; another number is
# the first argument), beside the same sheet without. The two run in turn. Needs GNU time. Prints the medians and their ratio.
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
    awk -v with="$1" -v step="${2:-50}" 'BEGIN {
        print "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.0.53\", \"10.64.0.54\"]"
        print "search = [\"capovetro.example\"]\nntp = [\"10.64.0.121\", \"10.64.0.122\", \"10.64.0.123\"]"
        print "timezone = \"Europe/Rome\"\n[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]"
        for (n = 1; n <= 40; n++) {
            print "[subnet.roads-" n "]\nprefix = \"10.64." n ".0/24\"\ngateway = \"10.64." n ".1\""
            if (with) print "timezone = \"Europe/Malta\"\nsearch = [\"roads-" n ".capovetro.example\"]"
            print "[[host]]\nname = \"buoy-" n "-{001..250}\""
            if (with) print "link.eth0 = { subnet = \"roads-" n "\", host_number = \"{2..251}\" }"
            else print "link.eth0 = { subnet = \"roads-" n "\", address = \"10.64." n ".{2..251}\" }"
            if (with) for (m = step; m <= 250; m += step) print "[host.differs.buoy-" n "-" sprintf("%03d", m) "]\ntimezone = \"Etc/UTC\"\nlink.eth0.mtu = 1400"
        }
    }'
}
sheet 0 >plain.toml
sheet 1 "${1:-50}" >settings.toml
"$program" check plain.toml
"$program" check settings.toml

for run in 1 2 3 4 5 6 7 8 9 10 11; do
    for name in plain settings; do
        /usr/bin/env time -f %e -o time.txt "$program" check "$name.toml" >/dev/null
        cat time.txt >>"$name.times"
    done
done
median() { sort -n "$1.times" | sed -n 6p; }
awk -v plain="$(median plain)" -v settings="$(median settings)" 'BEGIN {
    printf "plain %s s, with settings, numbers and differences %s s: %.2f times\n", plain, settings, settings / plain
}'
