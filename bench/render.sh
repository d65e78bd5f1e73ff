#!/bin/sh
# Rendering 10,000 hosts into a new folder, beside a plain loop that writes the same bytes to the same paths, and beside
# a copy of the tree (`cp -a`), all on the filesystem of TMPDIR. Takes the median of three runs of each, and prints the
# ratios.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml" -p impostazione-core --example write-loop
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
program=$top/target/release/impostazione
"$program" demo --into "$work/site" >/dev/null
awk '/^\[\[host\]\]/ { exit } /^password|^ssh  / { next } { sub(/10\.64\.10\.0\/24/, "10.64.0.0/18"); gsub(/"10\.64\.20\./, "\"10.65.20."); gsub(/"10\.64\.40\./, "\"10.65.40."); print }' \
    "$work/site/harbor.toml" >"$work/site/many.toml"
awk 'BEGIN { for (i = 0; i < 10000; i++) printf \
    "[[host]]\nname = \"buoy-%05d\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.%d.%d\" }\n", \
    i, 11 + int(i / 250), 1 + i % 250 }' >>"$work/site/many.toml"
now() { date +%s%N; }
for run in 1 2 3; do
    rm -rf "$work/tree"
    start=$(now)
    "$program" render -q "$work/site/many.toml" --into "$work/tree" >/dev/null 2>&1
    echo "$(($(now) - start))" >>"$work/render"
    rm -rf "$work/copy"
    "$top/target/release/examples/write-loop" "$work/tree" "$work/copy" >>"$work/loop"
    rm -rf "$work/copy"
    start=$(now)
    cp -a "$work/tree" "$work/copy"
    echo "$(($(now) - start))" >>"$work/cp"
done
median() { sort -n "$1" | sed -n 2p; }
awk -v render="$(median "$work/render")" -v loop="$(median "$work/loop")" -v cp="$(median "$work/cp")" \
    -v files="$(find "$work/tree" -not -type d | wc -l)" 'BEGIN {
    printf "%d files\nrender      %6.2f s\nplain loop  %6.2f s   ratio %.2f\ncp -a       %6.2f s   ratio %.2f\n",
        files, render / 1e9, loop / 1e9, render / loop, cp / 1e9, render / cp }'
