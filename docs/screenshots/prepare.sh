#!/bin/sh
# What the pictures need beside the sample site, in whose folder this runs: a card for each, a netplan file with a slip, a moved
# sheet, and one whose answers have slips.
set -eu
cp -a sd-card card
cp -a sd-card placed-card
impostazione place output placed-card --only gauge-01 --yes -q 2>/dev/null
echo '10.64.10.99 gauge-01' >>placed-card/etc/hosts
echo 'network: {version: 2}' >placed-card/etc/netplan/90-by-hand.yaml
cat >older.yaml <<'TEXT'
network:
  version: 2
  ethernets:
    eth0:
      dhcp4: true
      addresses: [10.64.10.77/24]
      gatway4: 10.64.10.1
TEXT
sed 's/10.64.10.{11..16}/10.64.10.{21..26}/; s#Europe/Rome#Europe/Malta#' harbor.toml >moved.toml
cp -p harbor.secrets.age moved.secrets.age
sed -e 's/logbook-{1..3}/logbook-1/; s/10.64.10.{61..63}/10.64.10.61/; s/^size    = 3 .*/size = 1/; s/^allowed_sizes = "odd"//' \
    -e '/^"clock" /a "net.address.0" = "10.64.10.31"\n"net.netmask.0" = "255.0.255.0"\n"net.gateway.0" = "10.64.11.1"\n"hostname" = "logbook-1"\n"net.dns.0" = "10.64.10.53;10.64.10.54"' \
    harbor.toml >answers.toml
cp -p harbor.secrets.age answers.secrets.age
# Somebody who replies: a line of a file every third of a second, to a program at a terminal.
mkdir -p home/.ssh
cp keys/keeper.pub home/.ssh/id_ed25519.pub
cat >"$(dirname "$(command -v impostazione)")/typing" <<'TEXT'
#!/bin/sh
# typing FILE COMMAND...: the command at a terminal, and the lines of the file typed to it.
replies=$1
shift
export HOME="$PWD/home" USER=keeper TZ=Europe/Rome
{ sleep 1; while IFS= read -r reply; do sleep 0.3; printf '%s\n' "$reply"; done <"$replies"; sleep 20; } |
    script -q -c "stty cols ${COLUMNS:-140}; $*" /dev/null
TEXT
chmod +x "$(dirname "$(command -v impostazione)")/typing"
printf '%s\n' site 'Capo Vetro harbor' '' it quay '10.64.10.11 255.255.255.0' 10.64.1.1 >refused.replies
printf '%s\n' '' it 10.64.10.21/24 '' 10.64.10.200-10.64.10.239 '10.64.10.53 10.64.10.54' \
    '10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124' rome '' '' '' '' gauge-01.capovetro.example '' >one-host.replies
