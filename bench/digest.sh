#!/bin/sh
# The digest of a disk's image beside OpenSSL's, in turns, the file being in memory: the median of seven runs of each, and the
# ratio. Needs openssl.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program=${CARGO_TARGET_DIR:-$top/target}/release/impostazione
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
head -c 1073741824 /dev/urandom >"$work/disk.img"
digest=$(openssl dgst -sha256 -r "$work/disk.img" | cut -d ' ' -f 1)
seconds() {
    start=$(date +%s%N)
    "$@" >/dev/null
    echo $((($(date +%s%N) - start) / 1000000))
}
for turn in 1 2 3 4 5 6 7; do
    seconds "$program" -q inspect "$work/disk.img" --digest "$digest" >>"$work/ours"
    seconds openssl dgst -sha256 "$work/disk.img" >>"$work/theirs"
done
median() { sort -n "$1" | sed -n 4p; }
ours=$(median "$work/ours")
theirs=$(median "$work/theirs")
echo "1 GiB: impostazione $ours ms, openssl dgst $theirs ms, ratio $(awk "BEGIN { printf \"%.2f\", $ours / $theirs }")"
