//! What a package asks for, and what each property means: `cargo run -p impostazione-ovf --example asks-for -- FILE.ovf`.

use std::process::ExitCode;

use impostazione_ovf::{Descriptor, Signs, read_properties};

fn main() -> ExitCode {
    let Some(path) = std::env::args_os().nth(1) else {
        eprintln!("name a descriptor, a file that ends in .ovf");
        return ExitCode::from(2);
    };
    let descriptor = match std::fs::read(&path) {
        Ok(bytes) => Descriptor::parse(&bytes),
        Err(error) => {
            eprintln!("{}: {error}", path.display());
            return ExitCode::from(3);
        }
    };
    let descriptor = match descriptor {
        Ok(descriptor) => descriptor,
        Err(fault) => {
            eprintln!("{}: {fault}", path.display());
            return ExitCode::FAILURE;
        }
    };
    for system in &descriptor.systems {
        println!("{}", system.id);
        for (property, reading) in system.properties.iter().zip(read_properties(system, Signs::own())) {
            println!("  {:30} {:20} {:.2}", property.id(), reading.meaning.word(), reading.confidence);
        }
    }
    ExitCode::SUCCESS
}
