#!/bin/sh
# Placing one host of the sample site on its sample card: processor time of the whole process, as the mean of 20, beside
# a plain loop that copies as many files; and the memory in use over 1,000 placements in one process.
# Needs perl for the clock of processes.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml" --workspace --examples --bins
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
program=$top/target/release/impostazione
"$program" demo --into "$work/site" >/dev/null 2>&1
cd "$work/site"
cat >"$work/measure.pl" <<'PERL'
my ($count, $before, @command) = @ARGV;
my $sum = 0;
for (1 .. $count) {
    system($before) == 0 or die if $before;
    my @start = times;
    system(@command) == 0 or die "@command";
    my @end = times;
    $sum += $end[2] + $end[3] - $start[2] - $start[3];
}
printf "%.1f ms\n", $sum / $count * 1000;
PERL
export LC_ALL=C
restore="rm -rf card; cp -a sd-card card"
printf 'place                      '
perl "$work/measure.pl" 20 "$restore" "$program" -q place output card --only gauge-01 --yes 2>/dev/null
printf 'place, nothing to change   '
perl "$work/measure.pl" 20 "" "$program" -q place output card --only gauge-01 --yes 2>/dev/null
printf 'undo                       '
perl "$work/measure.pl" 20 "$restore; $program -q place output card --only gauge-01 --yes 2>/dev/null" "$program" -q undo card --yes
printf 'cp -a of the same files    '
perl "$work/measure.pl" 20 "rm -rf copy" cp -a output/gauge-01 copy
sh -c "$restore"
"$top/target/release/examples/place-often" output gauge-01 card 1000
