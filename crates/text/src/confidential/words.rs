//! Words that speak of secrets, in English, Italian, German, French and Spanish.

/// Parts of keys whose values are taken for secrets, wherever in a word they stand.
const PARTS: [&str; 12] = [
    "passw",
    "passphrase",
    "secret",
    "token",
    "credential",
    "private",
    "segret",
    "kennwort",
    "geheim",
    "motdepasse",
    "contrase",
    "secreto",
];

/// The same where they are words of their own, being short enough to stand inside others.
const WORDS: [&str; 37] = [
    "pass",
    "passwd",
    "passcode",
    "pw",
    "pwd",
    "psk",
    "pin",
    "puk",
    "otp",
    "key",
    "apikey",
    "auth",
    "bearer",
    "salt",
    "seed",
    "wep",
    "community",
    "cred",
    "creds",
    "parola",
    "chiave",
    "chiavi",
    "codice",
    "schluessel",
    "schlüssel",
    "losung",
    "zugangscode",
    "mdp",
    "passe",
    "cle",
    "clé",
    "clef",
    "jeton",
    "clave",
    "claves",
    "llave",
    "ficha",
];

/// Keys of a sheet that hold such a word and name a secret without holding it, or say something else about one.
const NAMES: [&str; 8] = [
    "take",
    "password_login",
    "password_cost",
    "password_hashing",
    "refused_passwords",
    "ssh_keys",
    "host_key",
    "time_key",
];

/// Whether a key mentions a secret, and is none that only names one.
pub fn is_secret(key: &str) -> bool {
    let key = key.trim().trim_matches(['"', '\'']);
    let small = key.to_lowercase();
    if NAMES.contains(&small.as_str()) {
        return false;
    }
    // `value` is what people write into a table of a secret, where it does not belong.
    small == "value"
        || PARTS.iter().any(|part| small.contains(part))
        || words_of(key).any(|word| WORDS.contains(&word.as_str()) || is_mistyped(&word))
}

/// The words of a key, which begin behind a sign or with a capital letter.
fn words_of(key: &str) -> impl Iterator<Item = String> {
    let mut words = vec![String::new()];
    let mut was_small = false;
    for character in key.chars() {
        let begins = character.is_uppercase() && was_small;
        if begins || !character.is_alphanumeric() {
            words.push(String::new());
        }
        if character.is_alphanumeric()
            && let Some(word) = words.last_mut()
        {
            word.extend(character.to_lowercase());
        }
        was_small = character.is_lowercase() || character.is_ascii_digit();
    }
    words.into_iter().filter(|word| !word.is_empty())
}

fn is_mistyped(word: &str) -> bool {
    const LONG: [&str; 3] = ["password", "passphrase", "credential"];
    LONG.iter().any(|known| strsim::osa_distance(word, known) <= 2)
        || strsim::osa_distance(word, "secret") == 1
}

#[cfg(test)]
mod tests {
    use super::is_secret;

    #[test]
    fn words_of_five_languages_and_of_several_spellings() {
        for key in [
            "password",
            "adminPassword",
            "admin.Password.0",
            "pass",
            "db_pass",
            "userPw",
            "pw",
            "apiKey",
            "auth",
            "auth-token",
            "pin",
            "parola",
            "chiave_wifi",
            "segreto",
            "Kennwort",
            "schlüssel",
            "geheimnis",
            "mdp",
            "mot_de_passe",
            "clé",
            "contraseña",
            "clave",
            "llave.privada",
            "pasword",
            "sercet",
            "\"psk\"",
            "value",
        ] {
            assert!(is_secret(key), "{key}");
        }
        for key in [
            "address",
            "keyboard",
            "keeper",
            "passage",
            "compass",
            "author",
            "ssh_keys",
            "host_key",
            "password_login",
            "pinnace0",
            "monkey",
            "spinner",
            "server",
            "clef0",
            "domain",
        ] {
            assert!(!is_secret(key), "{key}");
        }
    }
}
