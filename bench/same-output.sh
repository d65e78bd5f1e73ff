#!/usr/bin/env bash
# Whether the sample site gives the same output as at an earlier commit: bench/same-output.sh [COMMIT]. Each side reads its own
# demo/harbor.toml, since keys may have other names by now; secrets, salts and host keys are the same for both.
set -euo pipefail
cd "$(dirname "$0")/.."
before=${1:-HEAD~1}
work=$(mktemp -d)
trap 'rm -rf "$work"; git worktree prune' EXIT
git worktree add --quiet --detach "$work/before" "$before"
CARGO_TARGET_DIR=${BEFORE_TARGET:-$work/target} cargo build --quiet --locked --bin impostazione \
    --manifest-path "$work/before/Cargo.toml"
cargo build --quiet --locked --bin impostazione
old=${BEFORE_TARGET:-$work/target}/debug/impostazione
new=${CARGO_TARGET_DIR:-$PWD/target}/debug/impostazione
export XDG_STATE_HOME="$work/state" IMPOSTAZIONE_KEY=harbor.key
"$old" demo --into "$work/old" >/dev/null
"$new" demo --into "$work/new" >/dev/null
cp "$work/old/harbor.secrets.age" "$work/old/harbor.key" "$work/new/"
for side in old new; do
    program=${!side}
    (cd "$work/$side" && rm -rf output && "$program" secret check harbor.toml --accept-store -q >/dev/null &&
        "$program" render harbor.toml --into output --packages -q)
done
echo "$(find "$work/old/output" -type f | wc -l) files before, $(find "$work/new/output" -type f | wc -l) now"
if diff --no-dereference --recursive --brief "$work/old/output" "$work/new/output"; then
    echo "the same to the byte"
else
    diff --no-dereference --recursive --text --unified=0 "$work/old/output" "$work/new/output" | head -n 60
    exit 1
fi
