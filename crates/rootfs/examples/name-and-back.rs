//! Gives a root filesystem another host name, says what that changed, and takes it back:
//! `cargo run -p impostazione-rootfs --example name-and-back -- FOLDER NAME`. The folder needs a `var/lib`.

use std::error::Error;

use impostazione_rootfs::{
    Change, Owner, PlacementFacts, Remains, Rootfs, RootfsPath, Since, Subject, View, Want, journal,
    own_identity,
};
use impostazione_text::FileBytes;

fn main() -> Result<(), Box<dyn Error>> {
    let mut words = std::env::args_os().skip(1);
    let (Some(folder), Some(name)) = (words.next(), words.next()) else {
        return Err("name a folder, and a host name".into());
    };
    let rootfs = Rootfs::open(folder.as_ref())?;
    let _lock = rootfs.lock()?;
    let path = RootfsPath::new("etc/hostname")?;
    let bytes = FileBytes::new(format!("{}\n", name.display()));
    // Files are the user's own where root does not run this.
    let owner = own_identity().unwrap_or(Owner::ROOT);
    let change = Change {
        before: View::of(&rootfs).state("etc/hostname")?,
        ..Change::new(path, Subject::Names, Want::File { bytes, mode: 0o644, owner })
    };
    println!("{} /{}", change.word(&change.before), change.path);
    let facts = PlacementFacts {
        machine: name.display().to_string(),
        output: String::new(),
        placed: "just now".to_owned(),
        accounts: Vec::new(),
        image_users: Vec::new(),
        fresh_identity: false,
    };
    let record = journal::place(&rootfs, &[change], &facts, None)?;
    let kept = journal::since(&rootfs, &record)?.iter().filter(|since| **since == Since::AsPlaced).count();
    println!("{kept} of {} steps stand as placed", record.steps.len());
    let undone = journal::undo(&rootfs, &record, &Remains::default())?;
    println!("{} put back", undone.restored);
    Ok(())
}
