//! A meanings file to begin with, for a product whose console asks and that has no package to tell what.

/// What consoles usually ask. A person puts in the product's own words and order.
pub const CONSOLE_MEANINGS: &str = r#"# What the console of a product asks when it is set up, for its typing card. Write the words and the order of this product;
# remove what it does not ask, and copy a block for what is missing.
format = 1
product = "name of the product"
vendor = "who makes it"
version = "version that was reviewed"

# [default_login]                     # the login that it comes with, as its documentation has it
# account = "admin"
# public_password = "changeme"        # so that no answer is this one

# [password_rules]
# min_length = 10
# require = ["upper", "lower", "digit"]

[[question]]
id = "hostname"                       # what an answer in the sheet calls it
ask = "Host name"                     # the words on the screen
take = "hostname"                     # the value of the sheet that it wants

[[question]]
id = "address"
ask = "IP address"
take = "address"

[[question]]
id = "netmask"
ask = "Netmask"
take = "netmask"                      # or prefix-length

[[question]]
id = "gateway"
ask = "Default gateway"
take = "gateway"
when_missing = "none"                 # what is typed where the sheet has no value

[[question]]
id = "dns-1"
ask = "DNS server 1"
take = "dns-1"
when_missing = "none"

[[question]]
id = "dns-2"
ask = "DNS server 2"
take = "dns-2"
when_missing = "none"

[[question]]
id = "ntp"
ask = "Time servers"
take = "ntp"
join = " "                            # what it wants between several values

[[question]]
id = "timezone"
ask = "Time zone"
take = "timezone"

[[question]]
id = "password"                       # answered in the sheet: "password" = { secret = "..." }
ask = "Password of the administrator"
is_password = true
"#;

#[cfg(test)]
mod tests {
    use super::super::MeaningsFile;
    use super::*;

    #[test]
    fn it_can_be_used_as_it_is() {
        let file = MeaningsFile::parse(CONSOLE_MEANINGS.as_bytes()).unwrap();
        assert_eq!(file.question.len(), 9);
        assert!(file.question.iter().all(|question| question.is_password != question.take.is_some()));
    }
}
