//! Tables and keys of secrets, logins and SSH.

use super::spec::{Shape, TableSpec, key, table};

/// `ssh`
pub(crate) static SSH: TableSpec = table(
    "ssh = { … }",
    "`ssh`",
    "The SSH service of the hosts, in [common] or on a host.",
    &[
        key("enabled", "true or false", "enabled = true", "Whether it is on. Default: true.", Shape::Flag),
        key(
            "password_login",
            "true or false",
            "password_login = false",
            "Whether a password opens a login. Default: false.",
            Shape::Flag,
        ),
        key(
            "root_login",
            "true or false",
            "root_login = false",
            "Whether root may log in. Default: false.",
            Shape::Flag,
        ),
        key(
            "host_key",
            "true or false",
            "host_key = true",
            "Whether the host gets a prepared SSH host key, which is kept in the store, so that `known_hosts` has it \
                before the first boot. Default: false.",
            Shape::Flag,
        ),
        key(
            "port",
            "a number from 1 to 65535",
            "port = 2222",
            "The TCP port on which it listens, and no other. `known_hosts` and `site/ssh_config` have it too. Default: 22.",
            Shape::Number(1, 65_535),
        ),
    ],
);

/// `{ secret = … }`
pub(crate) static SECRET_VALUE: TableSpec = table(
    "{ secret = … }",
    "a secret value",
    "A value that is not in the sheet itself.",
    &[key(
        "secret",
        "the name of a secret of the sheet",
        r#"secret = "breakwater-wifi""#,
        "The `[secret.NAME]` that says where the value comes from.",
        Shape::Text,
    )],
);

/// `[secret.NAME]`
pub(crate) static SECRET: TableSpec = table(
    "[secret.NAME]",
    "a secret",
    "Where a confidential value comes from. The value itself is never in a sheet.",
    &[
        key(
            "from",
            "\"store\", \"env\", \"file\" or \"prompt\"",
            r#"from = "store""#,
            "Where the value comes from: the encrypted store next to the sheet, an environment variable, a file, or \
                a person who is asked on every run. Required.",
            Shape::Word(&["store", "env", "file", "prompt"]),
        )
        .required(),
        key(
            "path",
            "the path of a file",
            r#"path = "breakwater-wifi.secret""#,
            "With `from = \"file\"`: the file that holds the value on its only line, relative to the sheet's folder. \
                Only its owner may read it. With `per`, `{machine}` or `{cluster}` in it is replaced by the name.",
            Shape::Text,
        ),
        key(
            "variable",
            "the name of an environment variable",
            r#"variable = "LOGBOOK_ADMIN""#,
            "With `from = \"env\"`: the variable that holds the value. With `per`, `{machine}` or `{cluster}` in it \
                is replaced by the name in upper case with underscores.",
            Shape::Text,
        ),
        key(
            "per",
            "\"site\", \"cluster\" or \"machine\"",
            r#"per = "machine""#,
            "Whether all users of the secret share one value, or each cluster or each machine has its own. Default: \
                site.",
            Shape::Word(&["site", "cluster", "machine"]),
        ),
        key(
            "min_length",
            "a number from 1 to 1000",
            "min_length = 14",
            "The fewest characters. Default: 12 for passwords of logins and appliances, 8 in a lab.",
            Shape::Number(1, 1000),
        ),
        key(
            "max_length",
            "a number from 1 to 1000",
            "max_length = 20",
            "Maximum length. Default: the limit of what uses it.",
            Shape::Number(1, 1000),
        ),
        key(
            "require",
            "a list of \"upper\", \"lower\", \"digit\" and \"symbol\"",
            r#"require = ["upper", "lower", "digit"]"#,
            "Kinds of characters; it must have at least one of each. Default: none.",
            Shape::Words(&["upper", "lower", "digit", "symbol"]),
        ),
        key(
            "forbid",
            "a text of characters",
            r#"forbid = "'\"""#,
            "Characters that it must not have. Default: none.",
            Shape::Text,
        ),
        key(
            "typed_on",
            "a list of keyboard layouts",
            r#"typed_on = ["it", "gb"]"#,
            "The keyboard layouts with which it may be typed: us, gb, de, at, fr, be, it, es, pt, ch, se, dk, no. \
                Its characters must then be on the same key in all of them. Default: it is not typed.",
            Shape::TextList,
        ),
        key(
            "generated",
            "true or false",
            "generated = false",
            "Whether `secret generate` may generate its value. Default: true, except for things that already have \
                one: Wi-Fi passphrases, time keys, license keys, and secrets for joining a cluster.",
            Shape::Flag,
        ),
    ],
);

/// `[time_key.NAME]`
pub(crate) static TIME_KEY: TableSpec = table(
    "[time_key.NAME]",
    "a time key",
    "A key that a time server and its clients share.",
    &[
        key(
            "number",
            "a number from 1 to 4294967295",
            "number = 10",
            "The server's number for the key. Required.",
            Shape::Number(1, 4_294_967_295),
        )
        .required(),
        key(
            "algorithm",
            "\"SHA256\", \"SHA384\", \"SHA512\", \"SHA1\" or \"AES128\"",
            r#"algorithm = "SHA256""#,
            "How the key is used. Default: SHA256.",
            Shape::Word(&["SHA256", "SHA384", "SHA512", "SHA1", "AES128"]),
        ),
        key(
            "value",
            "a secret",
            r#"value = { secret = "harbor-clock" }"#,
            "The key itself, as text or as `HEX:` and hexadecimal digits. Required.",
            Shape::Secret,
        )
        .required(),
    ],
);

/// `[account.NAME]`
pub(crate) static ACCOUNT: TableSpec = table(
    "[account.NAME]",
    "an account",
    "A login on hosts, with an SSH key, a password, or both. `[account.root]` opens root, which is otherwise locked.",
    &[
        key(
            "full_name",
            "a text",
            r#"full_name = "Harbor keeper""#,
            "Whose login it is. Default: empty.",
            Shape::Text,
        ),
        key(
            "admin",
            "true or false",
            "admin = true",
            "Whether the login may become root (sudo). Default: false.",
            Shape::Flag,
        ),
        key(
            "ssh_keys",
            "a list of public key files, or public keys",
            r#"ssh_keys = ["keys/keeper.pub"]"#,
            "SSH public keys that open the login: paths of files, relative to the sheet's folder, or the keys \
                themselves, with their options before them if any. A file may hold several keys, one per line. \
                Default: none; then there must be a password.",
            Shape::TextList,
        ),
        key(
            "password",
            "a secret, or \"none\"",
            r#"password = { secret = "keeper-login" }"#,
            "The password, from a `[secret.NAME]`; hosts get its hash. Default, or `\"none\"`: no password; the \
                login opens with a key only.",
            Shape::Secret,
        ),
        key(
            "change_at_first_login",
            "true or false",
            "change_at_first_login = true",
            "Whether the password must be changed at the first login, even with a key. Default: false.",
            Shape::Flag,
        ),
        key(
            "groups",
            "a list of groups",
            r#"groups = ["dialout"]"#,
            "Groups of the host for the login, in addition to its own and the administrators' group. Default: none.",
            Shape::TextList,
        ),
        key(
            "shell",
            "an absolute path",
            r#"shell = "/bin/bash""#,
            "The shell of the login. Default: /bin/bash.",
            Shape::Text,
        ),
        key(
            "hosts",
            "a list of host names, with * and ? as wildcards",
            r#"hosts = ["gauge-*", "signal-tower"]"#,
            "The hosts that get the login. Default: every host.",
            Shape::TextList,
        ),
    ],
);
