#!/bin/sh
# Hashing the passwords of 1,000 logins with yescrypt at its usual cost: on one processor, and on all of them, in turns.
# Takes the median of three runs of each, and prints the ratio. A render that has no password to hash is subtracted from
# neither.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
program=$top/target/release/impostazione
cat >"$work/many.toml" <<'SHEET'
format = 1
[common]
domain   = "capovetro.example"
dns      = ["10.64.10.53", "10.64.10.54"]
ntp      = ["10.64.10.121", "10.64.10.122", "10.64.10.123"]
timezone = "Europe/Rome"
[subnet.quay]
prefix  = "10.64.64.0/20"
gateway = "10.64.64.1"
[account.keeper]
admin    = true
ssh_keys = ["keeper.pub"]
password = { secret = "keeper-login" }
[secret.keeper-login]
from = "store"
per  = "machine"
[[host]]
name = "buoy-{0001..1000}"
link.eth0 = { subnet = "quay", address = "{10.64.65.1..10.64.68.232}" }
SHEET
cp "$top/demo/keys/keeper.pub" "$work"
export IMPOSTAZIONE_KEY="$work/key"
"$program" secret recipients "$work/many.toml" --new-key "$work/key" -q
"$program" secret generate "$work/many.toml" -q
now() { date +%s%N; }
for run in 1 2 3; do
    for threads in 1 "$(nproc)"; do
        rm -rf "$work/tree"
        start=$(now)
        RAYON_NUM_THREADS=$threads "$program" render -q "$work/many.toml" --into "$work/tree"
        echo "$(($(now) - start))" >>"$work/threads-$threads"
    done
done
median() { sort -n "$1" | sed -n 2p; }
awk -v one="$(median "$work/threads-1")" -v all="$(median "$work/threads-$(nproc)")" -v count="$(nproc)" 'BEGIN {
    printf "1,000 passwords\none processor   %6.2f s\n%d processors   %6.2f s   ratio %.2f\n",
        one / 1e9, count, all / 1e9, one / all }'
