//! Tables and keys of secrets, logins and SSH.

use super::spec::{Shape, TableSpec, key, table};

/// `ssh`
pub(crate) static SSH: TableSpec = table(
    "ssh = { … }",
    "`ssh`",
    "The SSH service of the hosts, in [common] or on a host.",
    &[
        key(
            "enabled",
            "true or false",
            "enabled = true",
            "Whether it is switched on. Left out: true.",
            Shape::Flag,
        ),
        key(
            "password_login",
            "true or false",
            "password_login = false",
            "Whether a password opens a login. Left out: false.",
            Shape::Flag,
        ),
        key(
            "root_login",
            "true or false",
            "root_login = false",
            "Whether root may log in. Left out: false.",
            Shape::Flag,
        ),
        key(
            "host_key",
            "true or false",
            "host_key = true",
            "Whether the host gets an SSH host key that was made beforehand and is kept in the store, so that `known_hosts` knows it before it is there. Left out: false.",
            Shape::Flag,
        ),
    ],
);

/// `{ secret = … }`
pub(crate) static SECRET_VALUE: TableSpec = table(
    "{ secret = … }",
    "a secret value",
    "A value that does not stand in the sheet.",
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
    "Where a confidential value comes from. The value itself never stands in a sheet.",
    &[
        key(
            "from",
            "\"store\", \"env\", \"file\" or \"prompt\"",
            r#"from = "store""#,
            "Where the value comes from: the encrypted store beside the sheet, an environment variable, a file of its own, or a person who is asked in every run. Required.",
            Shape::Word(&["store", "env", "file", "prompt"]),
        )
        .required(),
        key(
            "path",
            "the path of a file",
            r#"path = "breakwater-wifi.secret""#,
            "With `from = \"file\"`: the file that holds the value on its only line, from the folder of the sheet on. Nobody but its owner may read it. `{machine}` or `{cluster}` in it stands for the name, where `per` says so.",
            Shape::Text,
        ),
        key(
            "variable",
            "the name of an environment variable",
            r#"variable = "LOGBOOK_ADMIN""#,
            "With `from = \"env\"`: the variable that holds the value. `{machine}` or `{cluster}` in it stands for the name in capitals with underscores, where `per` says so.",
            Shape::Text,
        ),
        key(
            "per",
            "\"site\", \"cluster\" or \"machine\"",
            r#"per = "machine""#,
            "Whether one value serves all that use the secret, or each cluster or each machine has its own. Left out: site.",
            Shape::Word(&["site", "cluster", "machine"]),
        ),
        key(
            "min_length",
            "a number from 1 to 1000",
            "min_length = 14",
            "The fewest characters. Left out: 12 for passwords of logins and appliances, 8 in a lab.",
            Shape::Number(1, 1000),
        ),
        key(
            "max_length",
            "a number from 1 to 1000",
            "max_length = 20",
            "The most characters. Left out: as many as what uses it takes.",
            Shape::Number(1, 1000),
        ),
        key(
            "require",
            "a list of \"upper\", \"lower\", \"digit\" and \"symbol\"",
            r#"require = ["upper", "lower", "digit"]"#,
            "Kinds of characters of which it must hold one. Left out: none.",
            Shape::Words(&["upper", "lower", "digit", "symbol"]),
        ),
        key(
            "forbid",
            "a text of characters",
            r#"forbid = "'\"""#,
            "Characters that it must not hold. Left out: none.",
            Shape::Text,
        ),
        key(
            "typed_on",
            "a list of keyboard layouts",
            r#"typed_on = ["it", "gb"]"#,
            "The layouts that a console may assume, or that a keyboard may have, where it is typed: us, gb, de, at, fr, be, it, es, pt, ch, se, dk, no. Its characters then sit on the same key in all of them. Left out: nobody types it.",
            Shape::TextList,
        ),
        key(
            "generated",
            "true or false",
            "generated = false",
            "Whether `secret generate` may make its value up. Left out: true, but for what exists already and has one: Wi-Fi passphrases, time keys, license keys, and secrets that join others.",
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
            "What the server calls the key. Required.",
            Shape::Number(1, 4_294_967_295),
        )
        .required(),
        key(
            "algorithm",
            "\"SHA256\", \"SHA384\", \"SHA512\", \"SHA1\" or \"AES128\"",
            r#"algorithm = "SHA256""#,
            "How the key is used. Left out: SHA256.",
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
    "A login on hosts, which is entered with an SSH key, with a password, or with either. `[account.root]` opens root, which is locked otherwise.",
    &[
        key(
            "full_name",
            "a text",
            r#"full_name = "Harbor keeper""#,
            "Whose login it is. Left out: empty.",
            Shape::Text,
        ),
        key(
            "admin",
            "true or false",
            "admin = true",
            "Whether the login may act as root. Left out: false.",
            Shape::Flag,
        ),
        key(
            "ssh_keys",
            "a list of public key files, or public keys",
            r#"ssh_keys = ["keys/keeper.pub"]"#,
            "SSH public keys that open the login: paths of files, from the folder of the sheet on, or the keys themselves, with their options before them if they have any. A file may hold several, a line each. Left out: none, and there must be a password.",
            Shape::TextList,
        ),
        key(
            "password",
            "a secret, or \"none\"",
            r#"password = { secret = "keeper-login" }"#,
            "The password, from a `[secret.NAME]`; hosts get its hash. Left out, or `\"none\"`: none, and the login is entered with a key alone.",
            Shape::Secret,
        ),
        key(
            "change_at_first_login",
            "true or false",
            "change_at_first_login = true",
            "Whether the password has to be changed at the first login, by key too. Left out: false.",
            Shape::Flag,
        ),
        key(
            "groups",
            "a list of groups",
            r#"groups = ["dialout"]"#,
            "Groups of the host that the login is a member of, beside its own and that of the administrators. Left out: none.",
            Shape::TextList,
        ),
        key(
            "shell",
            "an absolute path",
            r#"shell = "/bin/bash""#,
            "The program that a login starts. Left out: /bin/bash.",
            Shape::Text,
        ),
        key(
            "hosts",
            "a list of host names, with * and ? as wildcards",
            r#"hosts = ["gauge-*", "signal-tower"]"#,
            "The hosts that get the login. Left out: every host.",
            Shape::TextList,
        ),
    ],
);
