//! The command line.

use std::path::{Path, PathBuf};

use clap::{Args, Parser, Subcommand, ValueEnum};
use impostazione_core::machine::NetplanVersion;

/// Checks one build sheet, and turns it into first-boot settings for headless hosts and virtual appliances.
#[derive(Debug, Parser)]
#[command(name = "impostazione", version, max_term_width = 100, disable_help_subcommand = true)]
#[command(
    after_help = "Start with `impostazione demo`: it writes a sample site and runs every step on it.\n\nExit codes: \
    0 done, or nothing found; 1 an error was found, the compared things differ, or you answered no; 2 the command \
    line is wrong; 3 something could not be read or written."
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,

    /// When to use color; the variable `NO_COLOR` switches it off too
    #[arg(long, global = true, value_enum, default_value = "auto", value_name = "WHEN")]
    pub(crate) color: Color,

    /// Show results only, without notes and progress
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,

    /// Show more, where a command has more to show
    #[arg(short, long, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Writes a build sheet, or goes on with one, by asking one question after another
    Draft(DraftArguments),
    /// Checks a build sheet: what is wrong, where, and what to write instead
    Check(CheckArguments),
    /// Explains a rule with a wrong and a right example; lists or searches rules
    Explain(ExplainArguments),
    /// Shows what each machine will get
    Review(ReviewArguments),
    /// Writes the files for each machine, if the sheet has no errors
    Render(RenderArguments),
    /// Puts one host's output on a mounted card or a disk image; shows the change and asks first
    Place(PlaceArguments),
    /// Takes a placement back
    Undo(UndoArguments),
    /// Shows what differs between two sheets, two outputs, or an output and a root filesystem
    Compare(CompareArguments),
    /// Shows what is in a package, an image, a root filesystem, netplan files or an output
    Inspect(InspectArguments),
    /// Manages the encrypted store of secrets next to a sheet
    Secret(SecretArguments),
    /// Shows a prefix in every notation, and what a sheet uses its addresses for
    Subnet(SubnetArguments),
    /// Moves a subnet to another prefix, in the sheet itself; shows the change and asks first
    Renumber(RenumberArguments),
    /// Asks the real network whether it is as the sheet says
    Probe(ProbeArguments),
    /// Plays the network of a sheet's site on this computer, to practice probe
    MockSite(MockSiteArguments),
    /// Prints the JSON Schema of the sheet, for editors
    Schema,
    /// Prints the script that completes commands, options and names in a shell
    Completions(CompletionsArguments),
    /// Prints or writes manual pages
    Man(ManArguments),
    /// Writes a sample site and runs every step on it
    Demo(DemoArguments),
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct DraftArguments {
    /// The build sheet, new or begun
    pub(crate) sheet: PathBuf,

    /// Begin with what is there: a root filesystem, an image, netplan files, an output, a CSV file with a row for each host, or a
    /// package. May be repeated
    #[arg(long, value_name = "PATH")]
    pub(crate) from: Vec<PathBuf>,

    /// On a sheet that is there: add one of these
    #[arg(id = "part", long = "only", value_enum, value_name = "PART")]
    pub(crate) only: Option<DraftPart>,

    /// Ask nothing: write what is known, and what is open as remarks
    #[arg(long)]
    pub(crate) no_questions: bool,

    /// Take replies from this file, as --save-replies writes it; what it does not reply to is asked
    #[arg(long, value_name = "FILE")]
    pub(crate) replies: Option<PathBuf>,

    /// Write the replies to this new file, to be repeated or changed
    #[arg(long, value_name = "FILE")]
    pub(crate) save_replies: Option<PathBuf>,

    /// Ask line by line, without redrawing anything, as for screen readers
    #[arg(long)]
    pub(crate) plain: bool,

    /// Form of the questions: text for a person; json for another front end, a question a line on stdout, a reply a line on
    /// stdin
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

/// A part of a sheet to add to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum DraftPart {
    /// Hosts
    Hosts,
    /// Appliances
    Appliances,
    /// Subnets
    Subnets,
    /// Logins
    Accounts,
    /// The values of secrets, in the store
    Secrets,
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct CheckArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Only findings about these machines and about the whole sheet. In a pattern, * is any text, ? any character, [a-c] one
    /// of these characters, {a,b} one of these words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Output format: text for people, json for programs, sarif for tools that collect findings
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: CheckFormat,

    /// End with 1 for warnings too, or for warnings and notes; without this only errors do that
    #[arg(long, value_enum, value_name = "SEVERITY")]
    pub(crate) reject: Option<Rejected>,

    /// Correct, in the sheet itself, the mistakes that have one certain fix; shows them and asks first
    #[arg(long)]
    pub(crate) fix: bool,

    /// With --fix: do not ask
    #[arg(long, requires = "fix", conflicts_with = "dry_run")]
    pub(crate) yes: bool,

    /// With --fix: only show what would be corrected
    #[arg(long, requires = "fix")]
    pub(crate) dry_run: bool,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

/// The least severe findings, beside errors, that make `check` end with 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Rejected {
    /// Warnings
    Warning,
    /// Warnings and notes
    Note,
}

/// Whether a command that changes something asks first, or only shows what it would do.
#[derive(Clone, Copy, Debug, Args)]
pub(crate) struct ChangeArguments {
    /// Do not ask
    #[arg(long, conflicts_with = "dry_run")]
    pub(crate) yes: bool,

    /// Only show what would change
    #[arg(long)]
    pub(crate) dry_run: bool,
}

/// What opens the encrypted store next to a sheet.
#[derive(Clone, Debug, Default, Args)]
#[command(next_help_heading = "Opening the store of secrets")]
pub(crate) struct UnlockArguments {
    /// File with a private key: AGE-SECRET-KEY-1… or an SSH key [default: the file in the variable `IMPOSTAZIONE_KEY`]
    #[arg(long, value_name = "FILE")]
    pub(crate) key: Vec<PathBuf>,

    /// File with the passphrase on its first line; /dev/fd/3 is file descriptor 3
    #[arg(long, value_name = "FILE")]
    pub(crate) passphrase_from: Option<PathBuf>,

    /// The store's identity, for computers that do not remember stores, such as CI jobs; `secret check` shows it
    #[arg(long, value_name = "ID")]
    pub(crate) store_identity: Option<String>,
}

#[derive(Debug, Args)]
pub(crate) struct SecretArguments {
    #[command(subcommand)]
    pub(crate) command: SecretCommand,
}

#[derive(Debug, Subcommand)]
#[command(disable_help_subcommand = true)]
pub(crate) enum SecretCommand {
    /// Puts a value into the store: typed on the terminal without echo, or from stdin
    Enter(SecretEnterArguments),
    /// Generates missing values and host keys
    Generate(SecretGenerateArguments),
    /// Lists the secrets of the sheet: where they come from and what uses them; never a value
    List(SecretListArguments),
    /// Checks the secrets only: whether the store opens, and which entries are no longer used
    Check(SecretCheckArguments),
    /// Lists or changes who can open the store; makes a new store if there is none
    Recipients(SecretRecipientsArguments),
    /// Writes a value to a new file that only you can read, or shows it on the terminal
    Export(SecretExportArguments),
    /// Removes values from the store
    Remove(SecretRemoveArguments),
}

#[derive(Debug, Args)]
pub(crate) struct SecretEnterArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Name of the secret in the sheet
    pub(crate) name: String,

    /// The machine or cluster, if each has its own value
    #[arg(long = "for", value_name = "NAME")]
    pub(crate) holder: Option<String>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretGenerateArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Name of the secret in the sheet [default: all that are missing, and host keys]
    pub(crate) name: Option<String>,

    /// Only the value of this machine or cluster, if each has its own
    #[arg(long = "for", value_name = "NAME")]
    pub(crate) holder: Option<String>,

    /// Only host keys, for the hosts that ask for one
    #[arg(long, conflicts_with = "name")]
    pub(crate) host_keys: bool,

    /// Replace values that already exist
    #[arg(long)]
    pub(crate) renew: bool,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretListArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretCheckArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Accept this store, although this computer has seen another or a later one
    #[arg(long, conflicts_with = "store_identity")]
    pub(crate) accept_store: bool,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretRecipientsArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Add this recipient: age1…, an SSH public key, or a file of them
    #[arg(long, value_name = "KEY", conflicts_with = "passphrase")]
    pub(crate) add: Vec<String>,

    /// Remove this recipient: the key, or its comment
    #[arg(long, value_name = "KEY", conflicts_with = "passphrase")]
    pub(crate) remove: Vec<String>,

    /// Make a new key pair, write the private key to this new file, and add the public key as a recipient
    #[arg(long, value_name = "FILE", conflicts_with = "passphrase")]
    pub(crate) new_key: Option<PathBuf>,

    /// Use a passphrase instead of keys
    #[arg(long)]
    pub(crate) passphrase: bool,

    /// File with the new passphrase on its first line
    #[arg(long, value_name = "FILE", requires = "passphrase")]
    pub(crate) new_passphrase_from: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
#[command(group = clap::ArgGroup::new("destination").required(true).args(["to", "show_on_terminal"]))]
pub(crate) struct SecretExportArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Name of the secret in the sheet
    pub(crate) name: String,

    /// Only the value of this machine or cluster, if each has its own
    #[arg(long = "for", value_name = "NAME")]
    pub(crate) holder: Option<String>,

    /// The new file; only you can read it
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,

    /// Show the value on this terminal, where others may see it
    #[arg(long)]
    pub(crate) show_on_terminal: bool,

    /// In groups of four characters, for reading aloud; the spaces are not part of the value
    #[arg(long)]
    pub(crate) grouped: bool,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
#[command(group = clap::ArgGroup::new("what").required(true).args(["name", "unused"]))]
pub(crate) struct SecretRemoveArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Name of the secret in the store
    pub(crate) name: Option<String>,

    /// Only the value of this machine or cluster, if each has its own
    #[arg(long = "for", value_name = "NAME", requires = "name")]
    pub(crate) holder: Option<String>,

    /// All entries that the sheet no longer uses
    #[arg(long)]
    pub(crate) unused: bool,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct ExplainArguments {
    /// Name of a rule, a part of it, or a word in its text [default: all rules]
    pub(crate) rule: Option<String>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
pub(crate) struct ReviewArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Only these machines. In a pattern, * is any text, ? any character, [a-c] one of these characters, {a,b} one of
    /// these words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct RenderArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// The folder for the output: a new one, an empty one, or one from an earlier run
    #[arg(long, value_name = "DIR")]
    pub(crate) into: PathBuf,

    /// Only the files of these machines; the whole sheet must still be right. In a pattern, * is any text, ? any
    /// character, [a-c] one of these characters, {a,b} one of these words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Remove files of machines that are no longer in the sheet, and packages from an earlier run
    #[arg(long)]
    pub(crate) prune: bool,

    /// Overwrite files that were changed after they were rendered
    #[arg(long)]
    pub(crate) discard_changes: bool,

    /// Also make a new package (.ova) for each appliance, with its settings in the descriptor
    #[arg(long)]
    pub(crate) packages: bool,

    /// Leave secrets out of the descriptor and properties.json; the environment document and the ISO volume still have
    /// them
    #[arg(long)]
    pub(crate) without_secrets: bool,

    /// Make new packages of signed ones without their signature, which would no longer be valid
    #[arg(long, requires = "packages")]
    pub(crate) drop_signature: bool,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct PlaceArguments {
    /// An output, or the folder of one machine in it
    pub(crate) output: PathBuf,

    /// The folder where the root filesystem is mounted, or a raw disk image (needs root), whose root partition is used
    pub(crate) target: PathBuf,

    /// The host, if the output has several: its name, or a pattern that matches only one. In a pattern, * is any text, ?
    /// any character, [a-c] one of these characters, {a,b} one of these words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// Output format: text for people, json for programs (with --yes or --dry-run)
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    /// Give the host a new machine id (created at its first boot) and new SSH host keys, instead of those that all copies
    /// of the image share
    #[arg(long)]
    pub(crate) fresh_identity: bool,

    /// First take back the placement of another machine
    #[arg(long)]
    pub(crate) replace: bool,

    /// Keep what was changed since an earlier placement, such as a password, where possible
    #[arg(long)]
    pub(crate) keep_changes: bool,

    /// Overwrite what was changed since an earlier placement; with --keep-changes, only what cannot be kept
    #[arg(long)]
    pub(crate) discard_changes: bool,
}

#[derive(Debug, Args)]
pub(crate) struct UndoArguments {
    /// The folder where the root filesystem is mounted, or a raw disk image (needs root)
    pub(crate) target: PathBuf,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// Output format: text for people, json for programs (with --yes or --dry-run)
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    /// Overwrite what was changed since it was placed
    #[arg(long)]
    pub(crate) discard_changes: bool,
}

#[derive(Debug, Args)]
pub(crate) struct CompareArguments {
    /// A sheet, an output, the folder of one machine in it, or a report of probe
    pub(crate) first: PathBuf,

    /// What to compare it with: another sheet, another output or one machine of it, a root filesystem or a disk image, another report
    pub(crate) second: PathBuf,

    /// Only these machines. In a pattern, * is any text, ? any character, [a-c] one of these characters, {a,b} one of
    /// these words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

/// Headings in the help of `inspect`.
const PACKAGES: &str = "Packages";
const IMAGES: &str = "Images";
const NETPLAN: &str = "Netplan files and root filesystems";

#[derive(Debug, Args)]
pub(crate) struct InspectArguments {
    /// A package (.ova, .ovf), an image, a netplan file or a folder of them, a root filesystem or a disk image, or an output
    #[arg(required_unless_present = "save_meanings")]
    pub(crate) path: Option<PathBuf>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    /// The netplan version that will read the files, such as 0.106 [default: that of the root filesystem, or the newest
    /// known]
    #[arg(long, help_heading = NETPLAN, value_name = "VERSION", value_parser = netplan_version)]
    pub(crate) netplan: Option<NetplanVersion>,

    /// Answer at once, without reading large files
    #[arg(long, help_heading = PACKAGES)]
    pub(crate) no_digests: bool,

    /// Show its licenses in full
    #[arg(long, help_heading = PACKAGES)]
    pub(crate) licenses: bool,

    /// Show the reasons for the meaning of a property
    #[arg(long, help_heading = PACKAGES, value_name = "ID")]
    pub(crate) why: Option<String>,

    /// Use the meanings in this file, and show what has changed since it was made; also for an appliance's output
    #[arg(long, help_heading = PACKAGES, value_name = "FILE")]
    pub(crate) meanings: Option<PathBuf>,

    /// Write what its properties mean to this new file, for a person to review; without a package, the usual questions of a
    /// console
    #[arg(long, help_heading = PACKAGES, value_name = "FILE")]
    pub(crate) save_meanings: Option<PathBuf>,

    /// Use more signs of what properties mean, from a table as in docs/meanings.md
    #[arg(long, help_heading = PACKAGES, value_name = "FILE")]
    pub(crate) signs: Option<PathBuf>,

    /// Trusted certificates (PEM), for a signed package
    #[arg(long, help_heading = PACKAGES, value_name = "FILE")]
    pub(crate) trust: Option<PathBuf>,

    /// The SHA-256 or SHA-512 that the image should have [default: from a digest file next to it]
    #[arg(long, help_heading = IMAGES, value_name = "VALUE")]
    pub(crate) digest: Option<String>,
}

impl InspectArguments {
    /// What is inspected.
    pub(crate) fn path(&self) -> &Path {
        self.path.as_deref().unwrap_or_else(|| Path::new(""))
    }

    /// Netplan files, root filesystems and outputs take none of the options of packages and images, but for these.
    pub(crate) fn refuse_options_of_packages(&self, taken: &[&str]) -> Result<(), crate::exit::Failure> {
        let given = [
            ("--no-digests", self.no_digests),
            ("--licenses", self.licenses),
            ("--why", self.why.is_some()),
            ("--meanings", self.meanings.is_some()),
            ("--save-meanings", self.save_meanings.is_some()),
            ("--signs", self.signs.is_some()),
            ("--trust", self.trust.is_some()),
            ("--digest", self.digest.is_some()),
        ];
        match given.iter().find(|(option, is_given)| *is_given && !taken.contains(option)) {
            None if self.netplan.is_some() && !taken.contains(&"--netplan") => {
                Err(crate::exit::Failure::CommandLine(format!(
                    "--netplan is for netplan files and root filesystems, and {} is neither",
                    self.path().display()
                )))
            }
            None => Ok(()),
            Some((option, _)) => Err(crate::exit::Failure::CommandLine(format!(
                "{option} is for packages and images, and {} is neither",
                self.path().display()
            ))),
        }
    }
}

fn netplan_version(text: &str) -> Result<NetplanVersion, String> {
    NetplanVersion::parse(text).ok_or_else(|| "write two numbers with a dot, as in 0.106".to_owned())
}

#[derive(Debug, Args)]
pub(crate) struct SubnetArguments {
    /// An address and a mask in any notation, as one or two words; with --sheet also the name of a subnet
    #[arg(required = true, num_args = 1..=2, value_name = "ADDRESS/MASK")]
    pub(crate) prefix: Vec<String>,

    /// Show what this build sheet uses the addresses for
    #[arg(long, value_name = "SHEET")]
    pub(crate) sheet: Option<PathBuf>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
pub(crate) struct RenumberArguments {
    /// The build sheet; the files that it includes and its rows are changed too
    #[arg(index = 1)]
    pub(crate) sheet: PathBuf,

    /// The name of the subnet
    #[arg(index = 2)]
    pub(crate) subnet: String,

    /// Its new prefix: an address and a mask in any notation. Addresses keep their host numbers
    #[arg(index = 3, value_name = "PREFIX")]
    pub(crate) to: String,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,
}

#[derive(Debug, Args)]
pub(crate) struct ProbeArguments {
    #[command(subcommand)]
    pub(crate) command: ProbeCommand,
}

#[derive(Debug, Subcommand)]
pub(crate) enum ProbeCommand {
    /// Before the machines start for the first time: are addresses free, do gateways, DNS, time and other servers answer?
    Before(BeforeArguments),
    /// After they have started: has each come up as the sheet says?
    After(AfterArguments),
}

#[derive(Debug, Args)]
pub(crate) struct BeforeArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Only about these machines and the servers that they use. In a pattern, * is any text, ? any character, [a-c] one of these
    /// characters, {a,b} one of these words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Output format: text for people, json for programs, sarif for tools that collect findings
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: CheckFormat,

    /// Only show what would be asked, and send nothing
    #[arg(long)]
    pub(crate) dry_run: bool,

    /// A name outside the site, such as an update server's, that the DNS servers have to find
    #[arg(long, value_name = "NAME")]
    pub(crate) outside_name: Option<String>,

    /// Ask DHCP servers what they would lease, without accepting it (as root, on a computer in the subnet)
    #[arg(long)]
    pub(crate) ask_dhcp: bool,

    /// Keep the report in a new file, for the hand-over and for `compare`
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,

    /// Ask a simulated network instead, by the map that `mock-site` has written; nothing leaves this computer
    #[arg(long, value_name = "MAP")]
    pub(crate) through: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct AfterArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Ask again until every machine is as meant, so long at the most, such as 90s or 15m
    #[arg(long, value_name = "DURATION")]
    pub(crate) wait: Option<String>,

    /// Only about these machines. In a pattern, * is any text, ? any character, [a-c] one of these characters, {a,b} one of these
    /// words
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Output format: text for people, json for programs, sarif for tools that collect findings
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: CheckFormat,

    /// Only show what would be asked, and send nothing
    #[arg(long)]
    pub(crate) dry_run: bool,

    /// Also log in on each host by SSH and compare what it is like inside with the sheet; reads, and changes nothing
    #[arg(long)]
    pub(crate) inside: bool,

    /// The account of the sheet that logs in [default: the first administrator with SSH keys]
    #[arg(long = "as", value_name = "ACCOUNT", requires = "inside")]
    pub(crate) as_: Option<String>,

    /// Keep the certificates of appliances that have none yet in a file beside the sheet, so that another one is noticed
    #[arg(long)]
    pub(crate) remember: bool,

    /// Take host keys from this list, as `render` writes it, instead of the store
    #[arg(long, value_name = "FILE")]
    pub(crate) known_hosts: Option<PathBuf>,

    /// Keep the report in a new file, for the hand-over and for `compare`
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,

    /// Ask a simulated network instead, by the map that `mock-site` has written; nothing leaves this computer
    #[arg(long, value_name = "MAP")]
    pub(crate) through: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct MockSiteArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// The file for the map that `probe --through` reads; it is removed at the end
    #[arg(long, value_name = "FILE")]
    pub(crate) map: PathBuf,

    /// Something that is wrong with the network; may be repeated. About a machine: taken=NAME, already-up=NAME,
    /// old-address=NAME, no-name=NAME, other-name=NAME, no-reverse=NAME, other-reverse=NAME. About one that has started:
    /// silent=NAME, slow=NAME,40s, not-ready=NAME, no-member=NAME, no-virtual-address=CLUSTER, other-service=NAME,
    /// serves-nothing=NAME, other-key=NAME, unproved-key=NAME, other-certificate=NAME, certificate-of-another=NAME, expired=NAME, old-tls=NAME,
    /// plain-http=NAME. About a server or gateway: silent=ADDRESS, no-tcp=ADDRESS, refuses=ADDRESS, no-outside=ADDRESS,
    /// unsynchronized=ADDRESS, other-time-key=ADDRESS, clock-off=90s or clock-off=ADDRESS,90s. Also no-domain=DOMAIN,
    /// lease=ADDRESS, behind-router=SUBNET
    #[arg(long, value_name = "FAULT")]
    pub(crate) fault: Vec<String>,

    /// End after so long, such as 90s or 15m [default: at Ctrl-C]
    #[arg(long = "for", value_name = "DURATION")]
    pub(crate) for_: Option<String>,

    /// Output format: text for people, json for programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct CompletionsArguments {
    /// The shell
    #[arg(value_enum)]
    pub(crate) shell: Shell,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Shell {
    Bash,
    Zsh,
    Fish,
}

#[derive(Debug, Args)]
pub(crate) struct ManArguments {
    /// The command whose page is printed, as in secret enter; or sheet, for the page about the build sheet
    pub(crate) command: Vec<String>,

    /// Write all pages to man1 and man5 in this folder
    #[arg(long, value_name = "DIR", conflicts_with = "command")]
    pub(crate) into: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct DemoArguments {
    /// The folder for the sample site: a new or an empty one [default: a new temporary folder]
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    Text,
    Json,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum CheckFormat {
    Text,
    Json,
    Sarif,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Color {
    Auto,
    Always,
    Never,
}

impl Color {
    pub(crate) fn choice(self) -> anstream::ColorChoice {
        match self {
            Self::Auto => anstream::ColorChoice::Auto,
            Self::Always => anstream::ColorChoice::Always,
            Self::Never => anstream::ColorChoice::Never,
        }
    }

    /// The word on the command line.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Auto => "auto",
            Self::Always => "always",
            Self::Never => "never",
        }
    }
}
