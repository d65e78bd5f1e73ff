//! Places an output on a root filesystem and takes it back, again and again, and tells what memory it has in between:
//! `place-often OUTPUT MACHINE ROOTFS COUNT`.

use std::error::Error;
use std::path::Path;
use std::{env, fs};

use impostazione_core::output::TreeOnDisk;
use impostazione_core::placing::{Placing, Request, take_back};
use impostazione_rootfs::Rootfs;

fn main() -> Result<(), Box<dyn Error>> {
    let arguments: Vec<String> = env::args().skip(1).collect();
    let [output, machine, root, count] = arguments.as_slice() else {
        return Err("place-often OUTPUT MACHINE ROOTFS COUNT".into());
    };
    let count: usize = count.parse()?;
    for number in 1..=count {
        let (tree, _) = TreeOnDisk::open(Path::new(output))?;
        let host = tree.host(machine)?;
        let rootfs = Rootfs::open(Path::new(root))?;
        let placing = Placing::new(&rootfs, &host, Request::default(), "")?;
        let record = placing.carry_out(&rootfs)?;
        take_back(&rootfs, &record)?;
        if number % (count / 10).max(1) == 0 {
            println!("{number:6} placements  {}", resident()?);
        }
    }
    Ok(())
}

/// The memory of this process that is in use (`proc_pid_status(5)`, `VmRSS`).
fn resident() -> Result<String, Box<dyn Error>> {
    let status = fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:"));
    Ok(line.unwrap_or_default().trim().to_owned())
}
