//! The front end is part of the program, so the program is built again when it changes.

fn main() {
    println!("cargo::rerun-if-changed=../../web/dist");
    println!("cargo::rerun-if-changed=migrations");
}
