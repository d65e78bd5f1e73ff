#!/bin/sh
# Makes the pictures in this folder from the sample site: the real program in xterm under Xvfb.
# Needs: xterm, xvfb, imagemagick (import), fonts-dejavu-core. Run from anywhere.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
top=$(cd "$here/../.." && pwd)
cargo build --release --quiet --manifest-path "$top/Cargo.toml"
work=$(mktemp -d)
display=:$((90 + $$ % 900))
server=
cleanup() {
    [ -z "$server" ] || kill "$server" 2>/dev/null || true
    rm -rf "$work"
}
trap cleanup EXIT INT TERM

mkdir "$work/bin"
cp "$top/target/release/impostazione" "$work/bin/"
"$work/bin/impostazione" demo --into "$work/site" >/dev/null

Xvfb "$display" -screen 0 1280x800x24 -nolisten tcp >/dev/null 2>&1 &
server=$!
tries=0
until DISPLAY=$display xset q >/dev/null 2>&1 || [ "$tries" -ge 100 ]; do
    tries=$((tries + 1))
    sleep 0.1
done

# shoot NAME COMMAND...: shows each command as typed and what comes back, and takes the picture.
shoot() {
    name=$1
    shift
    echo "cd '$work/site'" >"$work/script"
    for command in "$@"; do
        cat >>"$work/script" <<TEXT
printf '\033[1m$ %s\033[0m\n' '$command'
$command
TEXT
    done
    printf "touch '%s'\nsleep 60\n" "$work/done" >>"$work/script"
    rm -f "$work/done"
    PATH="$work/bin:$PATH" LC_ALL=C.UTF-8 DISPLAY=$display xterm -geometry 124x42+0+0 -fa 'DejaVu Sans Mono' -fs 12 \
        -bg '#10151c' -fg '#d8dee6' -b 12 +sb -e sh "$work/script" &
    terminal=$!
    tries=0
    until [ -e "$work/done" ] || [ "$tries" -ge 100 ]; do
        tries=$((tries + 1))
        sleep 0.1
    done
    sleep 0.5
    DISPLAY=$display import -window root "$here/$name.png"
    kill "$terminal"
    wait "$terminal" 2>/dev/null || true
}

shoot check 'impostazione check slips.toml'
shoot review 'impostazione review harbor.toml'
shoot render 'impostazione render harbor.toml --into rendered' 'find rendered/signal-tower -not -type d | sort' \
    'cat rendered/signal-tower/rootfs/etc/netplan/60-impostazione.yaml'
shoot explain 'impostazione explain gateway-outside-subnet'
