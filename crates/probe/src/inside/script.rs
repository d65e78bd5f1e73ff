//! What is asked on the host: a script for any POSIX shell, which reads and changes nothing. No hash of a password leaves the host.

/// What stands for the mark between the parts.
const MARK: &str = "@MARK@";
/// The script.
const TEMPLATE: &str = r#"LC_ALL=C; export LC_ALL
PATH=$PATH:/usr/sbin:/sbin; export PATH
common=$(cat <<'COMMON'
limit=; if command -v timeout >/dev/null 2>&1; then limit='timeout 10'; fi
ask() {
    part=$1; shift
    said=$("$@" 2>/dev/null </dev/null); code=$?
    # What is too long to be said whole is not said at all.
    if [ ${#said} -gt 200000 ]; then said=; code=99; fi
    printf '@MARK@ %s %s\n' "$part" "$code"
    printf '%s\n' "$said"
}
COMMON
)
eval "$common"
network_files() {
    for folder in /etc/netplan /run/netplan /lib/netplan /usr/lib/netplan; do
        for file in "$folder"/*.yaml; do [ -e "$file" ] && printf '%s\n' "$file"; done
    done
    for folder in /etc/systemd/network /run/systemd/network; do
        [ -d "$folder" ] && find "$folder" -name '*.network' -type f -o -name '*.netdev' -type f -o -name '*.link' -type f -o -name '*.conf' -type f
    done
    for file in /etc/NetworkManager/system-connections/* /run/NetworkManager/system-connections/* /etc/network/interfaces.d/*; do
        [ -f "$file" ] && printf '%s\n' "$file"
    done
    grep -q '^[[:space:]]*iface[[:space:]]*[^l ]' /etc/network/interfaces 2>/dev/null && echo /etc/network/interfaces
    true
}
ask account id -un
ask running $limit systemctl is-system-running
ask container systemd-detect-virt -c
ask addresses $limit ip -j address show
ask routes4 $limit ip -j -4 route show table all
ask routes6 $limit ip -j -6 route show table all
ask rules4 $limit ip -j -4 rule show
ask rules6 $limit ip -j -6 rule show
ask links $limit networkctl list --no-legend --no-pager
ask manager $limit nmcli -t -f DEVICE,STATE,CONNECTION device
ask dns $limit resolvectl dns
ask domains $limit resolvectl domain
ask resolv.conf cat /etc/resolv.conf
ask hostname uname -n
ask full-name $limit hostname -f
ask zone readlink /etc/localtime
ask synchronized $limit timedatectl show -p NTPSynchronized --value
ask timesyncd-state $limit systemctl show systemd-timesyncd -p ActiveState -p ConditionResult
if systemctl is-active -q systemd-timesyncd 2>/dev/null; then
    ask timesyncd $limit timedatectl show-timesync -p SystemNTPServers -p FallbackNTPServers
fi
ask chrony $limit chronyc -c -N sources
ask failed $limit systemctl list-units --failed --plain --no-legend --no-pager
ask network-files network_files
ask passwd cat /etc/passwd
ask group cat /etc/group
ask own-keys sh -c 'cat ~/.ssh/authorized_keys ~/.ssh/authorized_keys2 2>/dev/null; true'
in_one=$(cat <<'ROOT'
keys() {
    while IFS=: read -r user x number group name home shell; do
        for file in "$home/.ssh/authorized_keys" "$home/.ssh/authorized_keys2"; do
            [ -f "$file" ] || continue
            while IFS= read -r line || [ -n "$line" ]; do printf '%s %s\n' "$user" "$line"; done <"$file"
        done
    done </etc/passwd
    true
}
PATH=$PATH:/usr/sbin:/sbin
ask shadow awk -F: '{ kind = "password"; if ($2 == "") kind = "empty"; else if ($2 ~ /^[!*]/) kind = "locked"; print $1 " " kind }' /etc/shadow
ask keys keys
ask sshd $limit sshd -T
ask sshd-root $limit sshd -T -C user=root,host=localhost,addr=127.0.0.1
ask netplan sha256sum /etc/netplan/60-impostazione.yaml
ROOT
)
in_one="$common
$in_one"
# Asked once: where the name of the host is found nowhere, sudo takes its time.
if [ "$(id -u)" = 0 ]; then sh -c "$in_one"
elif command -v sudo >/dev/null 2>&1 && sudo -n sh -c "$in_one" 2>/dev/null </dev/null; then :
else for part in shadow keys sshd sshd-root netplan; do printf '@MARK@ %s root\n' "$part"; done; fi
printf '@MARK@ end 0\n'
"#;

/// The script, with a mark that nothing on the host knows beforehand.
pub(super) fn script(mark: &str) -> String {
    TEMPLATE.replace(MARK, mark)
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use std::io::Write as _;
    use std::process::{Command, Stdio};

    use super::*;
    use crate::inside::said::Said;

    /// On whatever computer runs this: the script reads, and a shell takes it from its input as on a host.
    #[test]
    fn a_shell_answers_every_part() {
        let mut shell = Command::new("sh")
            .arg("-s")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        shell.stdin.take().unwrap().write_all(script("M1").as_bytes()).unwrap();
        let output = shell.wait_with_output().unwrap();
        assert_eq!(String::from_utf8_lossy(&output.stderr), "");
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let said = Said::read(&text, "M1");
        assert!(said.is_whole, "{text}");
        for part in ["account", "hostname", "passwd", "group", "network-files"] {
            assert!(said.of(part).is_ok(), "{part}: {text}");
        }
        let kinds = said.anyway("shadow").lines().filter_map(|line| line.split_once(' '));
        assert!(
            kinds.clone().all(|(_, kind)| ["password", "empty", "locked"].contains(&kind)),
            "no hash leaves the host"
        );
    }
}
