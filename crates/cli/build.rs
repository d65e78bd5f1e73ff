//! Has the embedded sample site built in again when it changes, which the compiler does not see by itself.

fn main() {
    println!("cargo:rerun-if-changed=../../demo");
    println!("cargo:rerun-if-changed=build.rs");
}
