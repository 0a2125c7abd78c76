//! The one binary: commands and server.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

fn main() -> std::process::ExitCode {
    owl_dome::cli::run()
}
