//! The command line.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use impostazione_core::machine::NetplanVersion;

/// Turns one build sheet into proved first-boot settings for headless hosts and virtual appliances.
#[derive(Debug, Parser)]
#[command(name = "impostazione", version, max_term_width = 100, disable_help_subcommand = true)]
#[command(
    after_help = "Start with `impostazione demo`: it writes a sample site and goes the whole way through it.\n\n\
    Exit codes: 0 done, or nothing found; 1 an error finding remains, what was compared differs, or a question was \
    declined; 2 the command line is wrong; 3 something could not be read or written."
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,

    /// Whether to color what is shown; the variable `NO_COLOR` is heeded too
    #[arg(long, global = true, value_enum, default_value = "auto", value_name = "WHEN")]
    pub(crate) color: Color,

    /// Show results only
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,

    /// Show more: each file that is written, findings that are waived, and what placing takes care of
    #[arg(short, long, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Judges a build sheet and says what is wrong with it, where, and what to write instead
    Check(CheckArguments),
    /// Explains a rule with a wrong and a right example, or lists all rules
    Explain(ExplainArguments),
    /// Shows what each machine will be; judges nothing
    Review(ReviewArguments),
    /// Writes the files that each machine needs, while no error remains in the sheet
    Render(RenderArguments),
    /// Puts one machine's output onto a root filesystem that is not running; shows the change and asks first
    Place(PlaceArguments),
    /// Takes a placement back, so that the root filesystem is as it was
    Undo(UndoArguments),
    /// Says what differs between two sheets, two outputs, or an output and a root filesystem
    Compare(CompareArguments),
    /// Shows what a package asks for, whether an image is the right one, or what a root filesystem, netplan files or an output
    /// hold
    Inspect(InspectArguments),
    /// The encrypted store of secrets beside a sheet
    Secret(SecretArguments),
    /// Says what a prefix is in all spellings, and what a sheet uses its addresses for
    Subnet(SubnetArguments),
    /// Prints the JSON Schema of the sheet, for editors that complete keys
    Schema,
    /// Writes a sample site and goes the whole way through it
    Demo(DemoArguments),
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct CheckArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Only findings about these machines, and those about the whole sheet; patterns have * ? [a-c] {a,b}
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// text for people, json for other programs, sarif for those that collect findings
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: CheckFormat,

    /// Correct, in the sheet itself, the slips for which only one value can have been meant; shows them and asks first
    #[arg(long)]
    pub(crate) fix: bool,

    /// With --fix: do not ask
    #[arg(long, requires = "fix", conflicts_with = "dry_run")]
    pub(crate) yes: bool,

    /// With --fix: show what would be corrected, and change nothing
    #[arg(long, requires = "fix")]
    pub(crate) dry_run: bool,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

/// Whether a command that changes something asks first, or only shows what it would do.
#[derive(Clone, Copy, Debug, Args)]
pub(crate) struct ChangeArguments {
    /// Do not ask
    #[arg(long, conflicts_with = "dry_run")]
    pub(crate) yes: bool,

    /// Show the change, and make none
    #[arg(long)]
    pub(crate) dry_run: bool,
}

/// What opens the encrypted store beside a sheet.
#[derive(Clone, Debug, Default, Args)]
#[command(next_help_heading = "To open the store of secrets")]
pub(crate) struct UnlockArguments {
    /// A file with a private key that opens the store, AGE-SECRET-KEY-1… or an SSH key; without it, the file that the variable
    /// `IMPOSTAZIONE_KEY` names
    #[arg(long, value_name = "FILE")]
    pub(crate) key: Vec<PathBuf>,

    /// A file with the passphrase that opens the store, on its first line; /dev/fd/3 is an open file by its number
    #[arg(long, value_name = "FILE")]
    pub(crate) passphrase_from: Option<PathBuf>,

    /// The store's identity, for computers that are new each time and remember none; `secret check` tells it
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
    /// Puts a value into the store: typed on the terminal without being shown, or from stdin
    Enter(SecretEnterArguments),
    /// Makes values up that keep to all that is asked of them, and host keys
    Generate(SecretGenerateArguments),
    /// Shows which secrets the sheet wants, where they come from and what uses them; never a value
    List(SecretListArguments),
    /// Judges the secrets alone, and says whether the store opens and what in it is no longer wanted
    Check(SecretCheckArguments),
    /// Shows who can open the store, or changes it; makes the store where there is none
    Recipients(SecretRecipientsArguments),
    /// Hands a value over: into a new file for its owner alone, or onto the terminal
    Export(SecretExportArguments),
    /// Takes values out of the store
    Remove(SecretRemoveArguments),
}

#[derive(Debug, Args)]
pub(crate) struct SecretEnterArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Name of the secret in the sheet
    pub(crate) name: String,

    /// The machine or cluster whose value it is, where each has its own
    #[arg(long = "for", value_name = "NAME")]
    pub(crate) holder: Option<String>,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretGenerateArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Name of the secret in the sheet; without it, all that the store lacks, host keys too
    pub(crate) name: Option<String>,

    /// Only the value of this machine or cluster, where each has its own
    #[arg(long = "for", value_name = "NAME")]
    pub(crate) holder: Option<String>,

    /// Host keys only, of the hosts that ask for one
    #[arg(long, conflicts_with = "name")]
    pub(crate) host_keys: bool,

    /// Make anew what is there already
    #[arg(long)]
    pub(crate) renew: bool,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretListArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretCheckArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Take the store that is there for the right one, though this computer knows another or a later one
    #[arg(long, conflicts_with = "store_identity")]
    pub(crate) accept_store: bool,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct SecretRecipientsArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Let this key open it too: age1…, an SSH public key, or a file of them
    #[arg(long, value_name = "KEY", conflicts_with = "passphrase")]
    pub(crate) add: Vec<String>,

    /// Let this key open it no longer: the key, or the comment behind it
    #[arg(long, value_name = "KEY", conflicts_with = "passphrase")]
    pub(crate) remove: Vec<String>,

    /// Make a pair of keys, write the private half into this new file, and let it open the store
    #[arg(long, value_name = "FILE", conflicts_with = "passphrase")]
    pub(crate) new_key: Option<PathBuf>,

    /// Let a passphrase open it in place of keys
    #[arg(long)]
    pub(crate) passphrase: bool,

    /// A file with the new passphrase on its first line
    #[arg(long, value_name = "FILE", requires = "passphrase")]
    pub(crate) new_passphrase_from: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// text for people, json for other programs
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

    /// Only the value of this machine or cluster, where each has its own
    #[arg(long = "for", value_name = "NAME")]
    pub(crate) holder: Option<String>,

    /// A new file, which only its owner can read
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,

    /// Show the value on this terminal, for everybody to see who looks at it
    #[arg(long)]
    pub(crate) show_on_terminal: bool,

    /// In groups of four characters, for reading aloud; the blanks are no part of the value
    #[arg(long)]
    pub(crate) grouped: bool,

    /// text for people, json for other programs
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

    /// Only the value of this machine or cluster, where each has its own
    #[arg(long = "for", value_name = "NAME", requires = "name")]
    pub(crate) holder: Option<String>,

    /// All that nothing in the sheet uses any more
    #[arg(long)]
    pub(crate) unused: bool,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct ExplainArguments {
    /// Name of the rule, as findings give it; all rules are listed without one
    pub(crate) rule: Option<String>,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
pub(crate) struct ReviewArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// Only these machines; patterns have * ? [a-c] {a,b}
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct RenderArguments {
    /// The build sheet
    pub(crate) sheet: PathBuf,

    /// The folder for the output tree: a new one, an empty one, or an earlier output tree
    #[arg(long, value_name = "DIR")]
    pub(crate) into: PathBuf,

    /// Only the files of these machines; patterns have * ? [a-c] {a,b}. The whole sheet must be right all the same
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// Remove the files of machines that are no longer in the sheet, and packages of an earlier run that are not made this time
    #[arg(long)]
    pub(crate) prune: bool,

    /// Overwrite files of the output that somebody has changed since they were rendered
    #[arg(long)]
    pub(crate) discard_changes: bool,

    /// Make a new package (.ova) for each appliance too, with its settings in the descriptor
    #[arg(long)]
    pub(crate) packages: bool,

    /// Leave the secrets of appliances out of the descriptor and of properties.json; the environment document and the volume
    /// have them all the same
    #[arg(long)]
    pub(crate) without_secrets: bool,

    /// Let new packages of signed ones be without a signature, which their changed descriptor would break
    #[arg(long, requires = "packages")]
    pub(crate) drop_signature: bool,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
#[allow(clippy::struct_excessive_bools, reason = "each is a switch of the command line")]
pub(crate) struct PlaceArguments {
    /// An output tree, or the folder of one machine in it
    pub(crate) output: PathBuf,

    /// The folder in which the root filesystem is mounted or lies, or the raw image of a disk or card, whose root partition is
    /// taken; an image needs root
    pub(crate) target: PathBuf,

    /// The machine, where the output has several: a name, or a pattern that fits one of them; * ? [a-c] {a,b}
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// text for people, json for other programs, which must say --yes or --dry-run
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    /// Give the host a machine id of its own, made at its first boot, and SSH host keys of its own, in place of those that it
    /// shares with other copies of the image
    #[arg(long)]
    pub(crate) fresh_identity: bool,

    /// Take the placement of another machine back first
    #[arg(long)]
    pub(crate) replace: bool,

    /// Have what was changed since an earlier placement stay where it can, such as a password
    #[arg(long)]
    pub(crate) keep_changes: bool,

    /// Go on where something was changed since an earlier placement, and lose that change; with --keep-changes, only where it
    /// cannot stay
    #[arg(long)]
    pub(crate) discard_changes: bool,
}

#[derive(Debug, Args)]
pub(crate) struct UndoArguments {
    /// The folder in which the root filesystem is mounted or lies, or the raw image of a disk or card; an image needs root
    pub(crate) target: PathBuf,

    #[command(flatten)]
    pub(crate) change: ChangeArguments,

    /// text for people, json for other programs, which must say --yes or --dry-run
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    /// Go on where something was changed since it was placed, and lose that change
    #[arg(long)]
    pub(crate) discard_changes: bool,
}

#[derive(Debug, Args)]
pub(crate) struct CompareArguments {
    /// A sheet, an output, or the folder of one machine in it
    pub(crate) first: PathBuf,

    /// What to compare it with: another sheet; another output, or a machine of one; a root filesystem, or the image of a disk with
    /// one
    pub(crate) second: PathBuf,

    /// Only these machines; patterns have * ? [a-c] {a,b}
    #[arg(long, value_name = "GLOB")]
    pub(crate) only: Vec<String>,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    #[command(flatten)]
    pub(crate) unlock: UnlockArguments,
}

#[derive(Debug, Args)]
pub(crate) struct InspectArguments {
    /// A package (.ova, .ovf), an image, a netplan file, a folder of them, a root filesystem or the image of a disk with one, or an
    /// output tree
    pub(crate) path: PathBuf,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,

    /// Of netplan files: the netplan that is to read them, as in 0.106; that of the root filesystem without it, or the
    /// newest known
    #[arg(long, value_name = "VERSION", value_parser = netplan_version)]
    pub(crate) netplan: Option<NetplanVersion>,

    /// Of a package: answer at once, without reading its large files
    #[arg(long)]
    pub(crate) no_digests: bool,

    /// Of a package: show its licenses in full
    #[arg(long)]
    pub(crate) licenses: bool,

    /// Of a package: say what led to the meaning of a property
    #[arg(long, value_name = "ID")]
    pub(crate) why: Option<String>,

    /// Of a package: take meanings from this file, and say what has changed since it was made. Of an appliance's output: take
    /// meanings from this file
    #[arg(long, value_name = "FILE")]
    pub(crate) meanings: Option<PathBuf>,

    /// Of a package: write down what its properties mean, for a person to read over
    #[arg(long, value_name = "FILE")]
    pub(crate) save_meanings: Option<PathBuf>,

    /// Of a package: more signs of what properties mean, in a table of the form that docs/meanings.md gives
    #[arg(long, value_name = "FILE")]
    pub(crate) signs: Option<PathBuf>,

    /// Of a signed package: certificates in PEM form that are trusted
    #[arg(long, value_name = "FILE")]
    pub(crate) trust: Option<PathBuf>,

    /// Of an image: the SHA-256 or SHA-512 that it should have. Without it, a file of digests beside the image is taken
    #[arg(long, value_name = "VALUE")]
    pub(crate) digest: Option<String>,
}

impl InspectArguments {
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
                    self.path.display()
                )))
            }
            None => Ok(()),
            Some((option, _)) => Err(crate::exit::Failure::CommandLine(format!(
                "{option} is for packages and images, and {} is neither",
                self.path.display()
            ))),
        }
    }
}

fn netplan_version(text: &str) -> Result<NetplanVersion, String> {
    NetplanVersion::parse(text).ok_or_else(|| "write two numbers with a dot, as in 0.106".to_owned())
}

#[derive(Debug, Args)]
pub(crate) struct SubnetArguments {
    /// An address and a mask in any spelling, together or as two words; with --sheet also a subnet of the sheet by name
    #[arg(required = true, num_args = 1..=2, value_name = "ADDRESS/MASK")]
    pub(crate) prefix: Vec<String>,

    /// Show what this build sheet uses the addresses for
    #[arg(long, value_name = "SHEET")]
    pub(crate) sheet: Option<PathBuf>,

    /// text for people, json for other programs
    #[arg(long, value_enum, default_value = "text")]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
pub(crate) struct DemoArguments {
    /// The folder for the sample site: a new or an empty one. Without it a new folder is made, and named
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
