#!/bin/sh
# A thousand appliances with twenty answered properties each: checking their sheet, beside one run of `netplan generate` on one
# rendered host. Needs netplan and GNU time. Prints the medians and their ratio.
set -eu
top=$(cd "$(dirname "$0")/.." && pwd)
cargo build --release --quiet --locked --manifest-path "$top/Cargo.toml"
program="$top/target/release/impostazione"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT INT TERM
cd "$work"
"$program" demo --into site >/dev/null
mkdir -p root/etc/netplan
cp site/output/gauge-01/rootfs/etc/netplan/*.yaml root/etc/netplan/

property() { printf '      <Property ovf:key="%s" ovf:type="string" ovf:userConfigurable="true" ovf:value=""><Label>%s</Label></Property>\n' "$1" "$2"; }
{
    cat <<'TEXT'
<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1" xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">
  <NetworkSection><Info>Networks</Info><Network ovf:name="Management"/></NetworkSection>
  <VirtualSystem ovf:id="box"><Info>A box</Info>
    <ProductSection><Info>Settings</Info><Product>Box</Product><Version>1</Version>
TEXT
    property net.address "IPv4 address"
    property net.netmask "Netmask"
    property net.gateway "Gateway"
    property hostname "Host name"
    property fqdn "Fully qualified domain name"
    property domain "Domain name"
    property dns1 "First DNS server"
    property dns2 "Second DNS server"
    property search "Search domains, separated by commas"
    property ntp "NTP servers, separated by commas"
    property timezone "Time zone"
    property locale "Language"
    property keyboard "Keyboard layout"
    property mtu "MTU"
    property proxy "HTTP proxy"
    property alert_mail "E-mail address for alerts"
    property mail_relay "Mail relay"
    property license_server "License server"
    property use_dhcp "Use DHCP"
    property remark "Remark"
    cat <<'TEXT'
    </ProductSection>
    <VirtualHardwareSection ovf:transport="iso"><Info>Hardware</Info>
      <Item><rasd:Connection>Management</rasd:Connection><rasd:InstanceID>1</rasd:InstanceID><rasd:ResourceType>10</rasd:ResourceType></Item>
    </VirtualHardwareSection>
  </VirtualSystem>
</Envelope>
TEXT
} >box.ovf

# Each appliance has an entry and answers of its own.
awk 'BEGIN {
    print "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.0.53\", \"10.64.0.54\"]"
    print "search = [\"capovetro.example\"]\nntp = [\"10.64.0.121\", \"10.64.0.122\", \"10.64.0.123\"]"
    print "timezone = \"Europe/Rome\"\nlocale = \"it_IT.UTF-8\"\nkeyboard = \"it\""
    print "[subnet.quay]\nprefix = \"10.64.0.0/16\"\ngateway = \"10.64.0.1\"\nmtu = 1500\nhypervisor_network = \"quay\""
    for (n = 0; n < 1000; n++) {
        address = "10.64." (1 + int(n / 200)) "." (10 + n % 200); name = "box-" n
        print "[[appliance]]\nname = \"" name "\"\npackage = \"box.ovf\""
        print "link.lan = { network = \"Management\", subnet = \"quay\", address = \"" address "\" }\n[appliance.answer]"
        print "\"net.address\" = \"" address "\"\n\"net.netmask\" = \"255.255.0.0\"\n\"net.gateway\" = \"10.64.0.1\""
        print "\"hostname\" = \"" name "\"\n\"fqdn\" = \"" name ".capovetro.example\"\n\"domain\" = \"capovetro.example\""
        print "\"dns1\" = \"10.64.0.53\"\n\"dns2\" = \"10.64.0.54\"\n\"search\" = \"capovetro.example\""
        print "\"ntp\" = \"10.64.0.121,10.64.0.122\"\n\"timezone\" = \"Europe/Rome\"\n\"locale\" = \"it_IT.UTF-8\""
        print "\"keyboard\" = \"it\"\n\"mtu\" = \"1500\"\n\"proxy\" = \"http://10.64.0.8:3128\""
        print "\"alert_mail\" = \"watch@capovetro.example\"\n\"mail_relay\" = \"10.64.0.9:25\""
        print "\"license_server\" = \"27000@10.64.0.9\"\n\"use_dhcp\" = \"no\"\n\"remark\" = \"of the quay\""
    }
}' >boxes.toml
"$program" check boxes.toml

# seconds COMMAND...: the median of five runs, in seconds.
seconds() {
    for run in 1 2 3 4 5; do
        rm -rf root/run
        /usr/bin/env time -f %e -o time.txt "$@" >/dev/null 2>&1
        cat time.txt
    done | sort -n | sed -n 3p
}
ours=$(seconds "$program" check boxes.toml)
theirs=$(seconds netplan generate --root-dir root)
echo "check of 1,000 appliances with 20 answers each: $ours s, netplan generate: $theirs s, $(awk "BEGIN { printf \"%.2f\", $ours / $theirs }") of it"
/usr/bin/env time -f %M -o time.txt "$program" check boxes.toml >/dev/null
echo "peak memory: $(($(cat time.txt) / 1024)) MiB"
