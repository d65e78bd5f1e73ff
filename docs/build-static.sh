#!/bin/sh
# Builds one static binary for x86-64, which runs on any such Linux: in a rescue system, or on a card's own machine.
# Run from anywhere; DEBUG=1 builds it without optimizing. The last line says where it is.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
target=x86_64-unknown-linux-gnu
profile=release
[ -z "${DEBUG:-}" ] || profile=dev
# With --target the flag is for the program alone, and not for what the compiler loads.
RUSTFLAGS='-C target-feature=+crt-static' cargo build --quiet --locked --profile "$profile" --target "$target" \
    --manifest-path "$top/Cargo.toml" --package impostazione
[ "$profile" = release ] || profile=debug
echo "${CARGO_TARGET_DIR:-$top/target}/$target/$profile/impostazione"
