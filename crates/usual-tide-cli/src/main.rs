//! c
fn main() {}
