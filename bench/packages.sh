#!/bin/sh
# Packages of large disks, side by side in one run: verifying against `openssl dgst`, making a new package against `cp`,
# and answering without digests. Needs openssl, GNU time, and about 7 GiB where TMPDIR points, best in memory.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program="$top/target/release/impostazione"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
cd "$work"
size=1073741824

# The sample site, with disks of 1 GiB each in the log book.
"$program" demo --into site >/dev/null
mkdir two one
tar -xf site/packages/logbook.ova -C two
rm two/logbook-system.img two/logbook-entries.img
# Not zeros alone, which some systems copy faster than others.
head -c 67108864 /dev/urandom >block
for disk in system entries; do
    for part in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16; do cat block; done >"two/logbook-$disk.img"
done
rm block
sed -i -e "s/ovf:size=\"262144\"/ovf:size=\"$size\"/" -e "s/ovf:size=\"131072\"/ovf:size=\"$size\"/" two/logbook.ovf
manifest() {
    (cd "$1" && for file in *.ovf *.img; do
        echo "SHA256($file)= $(openssl dgst -sha256 -r "$file" | cut -d' ' -f1)"
    done >logbook.mf)
}
manifest two
sed -e '/logbook-entries.img/d' -e '/diskId="entries"/,/\/>/d' two/logbook.ovf >one/logbook.ovf
ln two/logbook-system.img one/
manifest one

# seconds COMMAND...: the median of five runs, in seconds.
seconds() {
    for run in 1 2 3 4 5; do
        /usr/bin/env time -f %e -o time.txt "$@" >/dev/null 2>&1
        cat time.txt
    done | sort -n | sed -n 3p
}
ratio() { awk "BEGIN { printf \"%.2f\", $1 / $2 }"; }

both=$(seconds openssl dgst -sha256 two/logbook-system.img two/logbook-entries.img)
ours=$(seconds "$program" inspect two/logbook.ovf -q)
echo "two disks of 1 GiB: openssl dgst $both s, inspect $ours s, $(ratio "$ours" "$both") of it"
single=$(seconds openssl dgst -sha256 two/logbook-system.img)
ours=$(seconds "$program" inspect one/logbook.ovf -q)
echo "one disk of 1 GiB: openssl dgst $single s, inspect $ours s, $(ratio "$ours" "$single") of it"
/usr/bin/env time -f %M -o time.txt "$program" inspect two/logbook.ovf -q >/dev/null
echo "peak memory of inspect: $(($(cat time.txt) / 1024)) MiB"

(cd two && tar -cf ../site/packages/logbook.ova logbook.ovf logbook.mf logbook-system.img logbook-entries.img)
ours=$(seconds "$program" inspect site/packages/logbook.ova --no-digests)
echo "inspect --no-digests of an archive of 2 GiB: $ours s"

# The copy alone: the time of a run with a new package less that of one which finds it there.
cp_time=$(for run in 1 2 3 4 5; do
    rm -f copy
    sync
    /usr/bin/env time -f %e -o time.txt cp --reflink=never site/packages/logbook.ova copy
    cat time.txt
done | sort -n | sed -n 3p)
rm -f copy
made=$(for run in 1 2 3 4 5; do
    rm -rf out
    sync
    /usr/bin/env time -f %e -o time.txt "$program" render site/harbor.toml --into out --packages --only logbook-1 -q
    whole=$(cat time.txt)
    /usr/bin/env time -f %e -o time.txt "$program" render site/harbor.toml --into out --packages --only logbook-1 -q
    awk "BEGIN { print $whole - $(cat time.txt) }"
done | sort -n | sed -n 3p)
echo "a new package of 2 GiB: cp $cp_time s, ours $made s, $(ratio "$cp_time" "$made") of the speed of cp"
/usr/bin/env time -f %M -o time.txt "$program" render site/harbor.toml --into out2 --packages --only logbook-1 -q
echo "peak memory of render --packages: $(($(cat time.txt) / 1024)) MiB"
