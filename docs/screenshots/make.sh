#!/bin/sh
# Takes the pictures that `pictures` lists: the real program in xterm under Xvfb, 1280x800, 140 columns. At the end it keeps
# what the program said, with which a test compares. `make.sh NAME...` takes only these.
# Needs: xterm, xvfb, x11-xserver-utils (xset), imagemagick (import), fonts-dejavu-core. Run from anywhere.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
top=$(cd "$here/../.." && pwd)
cargo build --quiet --locked --manifest-path "$top/Cargo.toml"
work=$(mktemp -d)
display=:$((90 + $$ % 900))
server=
cleanup() {
    [ -z "$server" ] || kill "$server" 2>/dev/null || true
    rm -rf "$work"
}
trap cleanup EXIT INT TERM

mkdir "$work/bin"
cp "${CARGO_TARGET_DIR:-$top/target}/debug/impostazione" "$work/bin/"
export PATH="$work/bin:$PATH" XDG_STATE_HOME="$work/state" IMPOSTAZIONE_KEY=harbor.key LC_ALL=C.UTF-8
impostazione demo --into "$work/site" >/dev/null
cd "$work/site"
"$here/prepare.sh"

Xvfb "$display" -screen 0 1280x800x24 -nolisten tcp >/dev/null 2>&1 &
server=$!
tries=0
until DISPLAY=$display xset q >/dev/null 2>&1 || [ "$tries" -ge 100 ]; do
    tries=$((tries + 1))
    sleep 0.1
done

# Shows each command as typed and what comes back, a blank line before each prompt, and takes the picture.
# `NAME@7` takes it after seven seconds, while the last command still runs.
shoot() {
    name=${1%@*}
    after=
    [ "$name" = "$1" ] || after=${1#*@}
    printf 'cd %s\nexport CLICOLOR_FORCE=1\n' "'$work/site'" >"$work/script"
    printf '%s\n' "$2" | sed 's/ && /\n/g' | while IFS= read -r command; do
        shown=$(printf '%s' "$command" | sed 's/^typing [^ ]* //')
        printf "printf '\\\\n\\\\033[1m\$ %%s\\\\033[0m\\\\n' '%s'\n%s\n" "$shown" "$command" >>"$work/script"
    done
    printf "touch '%s'\nsleep 60\n" "$work/done" >>"$work/script"
    rm -f "$work/done"
    DISPLAY=$display xterm -geometry 140x40+0+0 -fa 'DejaVu Sans Mono' -fs 11 -bg '#10151c' -fg '#d8dee6' -b 12 +sb \
        -e sh "$work/script" &
    terminal=$!
    [ -z "$after" ] || { sleep "$after"; touch "$work/done"; }
    tries=0
    until [ -e "$work/done" ] || [ "$tries" -ge 200 ]; do
        tries=$((tries + 1))
        sleep 0.1
    done
    sleep 0.5
    DISPLAY=$display import -window root "$here/$name.png"
    kill "$terminal"
    wait "$terminal" 2>/dev/null || true
}

grep -v '^#' "$here/pictures" | while IFS= read -r line; do
    name=${line%%: *}
    case " $* " in
        "  " | *" ${name%@*} "*) shoot "$name" "${line#*: }" </dev/null ;;
    esac
done
cd "$top"
UPDATE_PICTURES=1 cargo test --quiet --locked -p impostazione --test program pictures >/dev/null
