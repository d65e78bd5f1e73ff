#!/bin/sh
# A thousand machines with addresses in both families, none of them there: asking before their first boot, in network namespaces of its
# own. Needs root, dnsmasq, chronyd, iproute2 and GNU time. Prints the seconds and the memory of three runs.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program="$top/target/release/impostazione"
work=$(mktemp -d)
desk=capovetro-desk-$$
site=capovetro-site-$$
servers=
# Ends only what was started here.
end() {
    for server in $servers; do kill "$server" 2>/dev/null || true; done
    ip netns del "$desk" 2>/dev/null || true
    ip netns del "$site" 2>/dev/null || true
    rm -rf "$work"
}
trap end EXIT INT TERM
cd "$work"
"$program" demo --into site >/dev/null
cp -r site/keys .

ip netns add "$desk"
ip netns add "$site"
ip -n "$site" link add quay type veth peer name desk0 netns "$desk"
for address in 10.64.0.1/16 10.64.0.53/16 10.64.0.54/16 10.64.0.121/16 10.64.0.122/16 10.64.0.123/16; do
    ip -n "$site" addr add "$address" dev quay
done
ip -n "$site" addr add fd64::1/64 dev quay nodad
ip -n "$desk" addr add 10.64.0.100/16 dev desk0
ip -n "$desk" addr add fd64::100/64 dev desk0 nodad
for one in "$site quay" "$site lo" "$desk desk0" "$desk lo"; do ip -n "${one% *}" link set "${one#* }" up; done

awk 'BEGIN {
    print "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.0.53\", \"10.64.0.54\"]"
    print "search = [\"capovetro.example\"]\nntp = [\"10.64.0.121\", \"10.64.0.122\", \"10.64.0.123\"]"
    print "timezone = \"Europe/Rome\"\n[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]"
    print "[subnet.roads]\nprefix = \"10.64.0.0/16\"\ngateway = \"10.64.0.1\"\nprefix6 = \"fd64::/64\"\ngateway6 = \"fd64::1\""
    for (n = 1; n <= 4; n++)
        print "[[host]]\nname = \"buoy-" n "-{001..250}\"\nlink.eth0 = { subnet = \"roads\", address = \"10.64." n ".{1..250}\", address6 = \"fd64::" n ":{0x01..0xfa}\" }"
}' >sheet.toml
for n in 1 2 3 4; do
    for m in $(seq 1 250); do
        printf 'host-record=buoy-%s-%03d.capovetro.example,10.64.%s.%s,fd64::%s:%x\n' $n $m $n $m $n $m
    done
done >names.conf
echo 'address=/#/' >>names.conf
within() {
    nsenter --net="/run/netns/$site" "$@" >/dev/null 2>&1 &
    servers="$servers $!"
}
for at in 53 54; do
    within dnsmasq --keep-in-foreground --conf-file=names.conf --pid-file= --user=root --no-resolv --no-hosts --bind-interfaces \
        --listen-address=10.64.0.$at --dns-forward-max=1000
done
for at in 121 122 123; do
    printf 'local stratum 3\nallow all\ncmdport 0\nbindcmdaddress /\nbindaddress 10.64.0.%s\npidfile %s/%s.pid\n' $at "$work" $at >$at.conf
    within chronyd -x -d -u root -f $at.conf
done
sleep 2
for run in 1 2 3; do
    ip -n "$desk" neigh flush all
    nsenter --net="/run/netns/$desk" /usr/bin/env time -f "%e s, %M KiB" "$program" probe before sheet.toml | tail -n 1
done
