#!/bin/sh
# What it costs to tell meanings: `inspect` of one descriptor with 500 properties, taken from all descriptors of the corpus,
# beside one with 10 of them. Needs GNU time. Prints the processor time of the quickest of ten runs of each.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program=$top/target/release/impostazione
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM

# A package with the first COUNT properties of the corpus, each key once.
package() {
    echo '<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1">'
    echo '<VirtualSystem ovf:id="quay"><Info>A machine</Info><ProductSection><Info>Settings</Info>'
    grep -h -o '<Property ovf:key="[^"]*".*</Property>' "$top"/crates/ovf/corpus/tuning/*.ovf "$top"/crates/ovf/corpus/kept/*.ovf \
        "$top"/crates/ovf/corpus/first-try/*/*.ovf | awk -v count="$1" '
        { match($0, /ovf:key="[^"]*"/); key = substr($0, RSTART, RLENGTH) }
        !(key in seen) && n < count { seen[key]; n++; print }'
    echo '</ProductSection></VirtualSystem></Envelope>'
}

for count in 10 500; do
    package "$count" >"$work/$count.ovf"
    runs=0
    while [ "$runs" -lt 10 ]; do
        /usr/bin/time -a -o "$work/$count.times" -f '%U %S' "$program" inspect "$work/$count.ovf" --no-digests --format json >"$work/$count.json"
        runs=$((runs + 1))
    done
    awk -v count="$count" '
        { spent = $1 + $2; if (NR == 1 || spent < least) least = spent }
        END { printf "%3d properties  %5.0f ms\n", count, least * 1000 }' "$work/$count.times"
    grep -c '"settable"' "$work/$count.json" | grep -qx "$count" || { echo "$count properties were not read"; exit 1; }
done
