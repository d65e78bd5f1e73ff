#!/bin/sh
# Makes the pictures in this folder from the sample site: the real program in xterm under Xvfb.
# Needs: xterm, xvfb, imagemagick (import), fonts-dejavu-core. Run from anywhere.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
top=$(cd "$here/../.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
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
export XDG_STATE_HOME="$work/state"
"$work/bin/impostazione" demo --into "$work/site" >/dev/null
export IMPOSTAZIONE_KEY=harbor.key
cat >"$work/site/older.yaml" <<'TEXT'
network:
  version: 2
  ethernets:
    eth0:
      dhcp4: true
      addresses: [10.64.10.77/24]
      gatway4: 10.64.10.1
TEXT

Xvfb "$display" -screen 0 1280x800x24 -nolisten tcp >/dev/null 2>&1 &
server=$!
tries=0
until DISPLAY=$display xset q >/dev/null 2>&1 || [ "$tries" -ge 100 ]; do
    tries=$((tries + 1))
    sleep 0.1
done

# shoot NAME POINTS COMMAND...: shows each command as typed and what comes back, in letters of this size (8, 10 or 12
# points), and takes the picture.
shoot() {
    name=$1
    points=$2
    case $points in
        8) size=179x58 ;;
        10) size=157x45 ;;
        *) size=125x38 ;;
    esac
    shift 2
    echo "cd '$work/site'" >"$work/script"
    for command in "$@"; do
        cat >>"$work/script" <<TEXT
printf '\033[1m$ %s\033[0m\n' '$command'
$command
TEXT
    done
    printf "touch '%s'\nsleep 60\n" "$work/done" >>"$work/script"
    rm -f "$work/done"
    PATH="$work/bin:$PATH" LC_ALL=C.UTF-8 DISPLAY=$display xterm -geometry "$size+0+0" \
        -fa 'DejaVu Sans Mono' -fs "$points" -bg '#10151c' -fg '#d8dee6' -b 12 +sb -e sh "$work/script" &
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

shoot check 12 'impostazione check slips.toml'
shoot review 8 'impostazione review harbor.toml --only "gauge-01" --only "lamp-north" --only "signal-*"'
shoot render 10 'impostazione render harbor.toml --into rendered' 'find rendered/signal-tower -not -type d | sort' \
    'cat rendered/gauge-01/rootfs/etc/netplan/60-impostazione.yaml'
shoot subnet 8 'impostazione subnet 10.64.10.0/24 --sheet harbor.toml'
cp "$work/site/older.yaml" "$work/site/rendered/gauge-01/rootfs/etc/netplan/90-older.yaml"
shoot inspect 8 'impostazione inspect rendered/signal-tower/rootfs' \
    'impostazione inspect rendered/gauge-01/rootfs/etc/netplan'
shoot rootfs 8 'impostazione inspect sd-card --color always | head -55'
shoot place 8 'impostazione place output sd-card --only gauge-01 --fresh-identity --dry-run --color always | head -55'
cp -a "$work/site/sd-card" "$work/site/placed-card"
"$work/bin/impostazione" place "$work/site/output" "$work/site/placed-card" --only gauge-01 --yes -q 2>/dev/null
echo '10.64.10.99 gauge-01' >>"$work/site/placed-card/etc/hosts"
echo 'network: {version: 2}' >"$work/site/placed-card/etc/netplan/90-by-hand.yaml"
sed 's/10.64.10.{11..16}/10.64.10.{21..26}/; s#Europe/Rome#Europe/Malta#' "$work/site/harbor.toml" >"$work/site/moved.toml"
cp -p "$work/site/harbor.secrets.age" "$work/site/moved.secrets.age"
shoot compare 10 'impostazione compare output placed-card' \
    'impostazione compare harbor.toml moved.toml --only gauge-01' 'impostazione compare output sd-card/etc'
shoot package 8 'impostazione inspect packages/logbook.ova'
# One appliance whose answers have slips in them.
sed -e 's/logbook-{1..3}/logbook-1/; s/10.64.10.{61..63}/10.64.10.61/; s/^size    = 3 .*/size = 1/; s/^allowed_sizes = "odd"//' \
    -e '/^"clock" /a "net.address.0" = "10.64.10.31"\n"net.netmask.0" = "255.0.255.0"\n"net.gateway.0" = "10.64.11.1"\n"hostname" = "logbook-1"\n"net.dns.0" = "10.64.10.53;10.64.10.54"' \
    "$work/site/harbor.toml" >"$work/slips.toml"
cp -a "$work/site" "$work/slips"
mv "$work/slips.toml" "$work/slips/harbor.toml"
shoot answers 8 'impostazione review ../slips/harbor.toml --only logbook-1 2>/dev/null | tail -n 18' \
    'impostazione check ../slips/harbor.toml --color always'
shoot appliances 8 'impostazione review harbor.toml --only logbook-1' 'cat rendered/tide-gate/typing-card.txt'
echo gulls-fly-over-the-mole >"$work/site/typed.secret"
shoot secrets 10 'impostazione secret generate harbor.toml keeper-login --renew --for gauge-01 --yes' 'impostazione secret list harbor.toml' \
    'impostazione secret check harbor.toml' \
    'impostazione secret enter harbor.toml keeper-login --for gauge-01 <typed.secret' \
    'impostazione secret recipients harbor.toml'
shoot explain 12 'impostazione explain gateway-outside-subnet'
