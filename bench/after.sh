#!/bin/sh
# A thousand machines that have started, played on loopback by mock-site with a host key each: asking them once. Needs GNU time. Prints the
# seconds and the memory of three runs, and how many machines were right.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program="$top/target/release/impostazione"
work=$(mktemp -d)
site=
# Ends only what was started here.
end() {
    [ -z "$site" ] || kill -INT "$site" 2>/dev/null || true
    rm -rf "$work"
}
trap end EXIT INT TERM
cd "$work"
export XDG_STATE_HOME="$work/state" IMPOSTAZIONE_KEY=sheet.key
mkdir keys
cp "$top/demo/keys/keeper.pub" keys/
awk 'BEGIN {
    print "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.0.53\", \"10.64.0.54\"]\nsearch = [\"capovetro.example\"]"
    print "ntp = [\"10.64.0.121\", \"10.64.0.122\", \"10.64.0.123\"]\ntimezone = \"Europe/Rome\"\nssh = { host_key = true }"
    print "[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]"
    print "[subnet.roads]\nprefix = \"10.64.0.0/16\"\ngateway = \"10.64.0.1\"\nprefix6 = \"fd64::/64\"\ngateway6 = \"fd64::1\""
    for (n = 1; n <= 4; n++)
        print "[[host]]\nname = \"buoy-" n "-{001..250}\"\nlink.eth0 = { subnet = \"roads\", address = \"10.64." n ".{1..250}\", address6 = \"fd64::" n ":{0x01..0xfa}\" }"
}' >sheet.toml
"$program" secret recipients sheet.toml --new-key sheet.key >/dev/null
"$program" secret generate sheet.toml >/dev/null
"$program" mock-site sheet.toml --map map.toml -q &
site=$!
tries=0
until [ -e map.toml ] || [ "$tries" -ge 300 ]; do
    tries=$((tries + 1))
    sleep 0.1
done
for run in 1 2 3; do
    /usr/bin/env time -f "%e s, %M KiB" "$program" probe after sheet.toml --through map.toml | tail -n 1
done
