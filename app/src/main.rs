//! The one binary: commands and server.

fn main() -> std::process::ExitCode {
    owl_dome::cli::run()
}
