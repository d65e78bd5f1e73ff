#!/bin/sh
# One host from the sample site: checking its sheet and rendering it, as whole processes, beside one run of
# `netplan generate` on the result. Needs netplan and hyperfine. Prints the mean times and their ratio.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
program=$top/target/release/impostazione
"$program" demo --into "$work/site" >/dev/null
cd "$work/site"
export IMPOSTAZIONE_KEY=harbor.key
cp -a output/gauge-01/rootfs "$work/rootfs"
hyperfine --shell none --style none --warmup 3 --runs 20 --export-json "$work/times.json" \
    -n check --prepare true "$program check harbor.toml" \
    -n render --prepare "rm -rf '$work/new'" "$program render harbor.toml --only gauge-01 --into '$work/new'" \
    -n netplan --prepare "rm -rf '$work/rootfs/run'" "netplan generate --root-dir '$work/rootfs'" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
awk '
    /"command"/ { name = $2; gsub(/[",]/, "", name) }
    /"mean"/    { mean[name] = $2 + 0 }
    END {
        printf "check             %7.1f ms\n", mean["check"] * 1000
        printf "render            %7.1f ms\n", mean["render"] * 1000
        printf "netplan generate  %7.1f ms\n", mean["netplan"] * 1000
        printf "netplan generate takes %.0f times as long as check and render together\n",
            mean["netplan"] / (mean["check"] + mean["render"])
    }' "$work/times.json"
