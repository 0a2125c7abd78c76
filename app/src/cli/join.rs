//! `owl-dome join`.

use super::Outcome;
use crate::work::joining::joined;
use clap::Args;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct JoinArgs {
    /// The parts, in any order
    #[arg(required = true)]
    parts: Vec<PathBuf>,
    /// The whole picture to write
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
}

pub(super) fn run(args: &JoinArgs) -> Outcome {
    let exr = args
        .output
        .extension()
        .is_some_and(|e| e.eq_ignore_ascii_case("exr"));
    if !exr {
        return Err("The whole picture is an OpenEXR like its parts; name the output .exr.".into());
    }
    for sentence in joined(&args.parts, &args.output)? {
        eprintln!("{sentence}");
    }
    println!("{}", args.output.display());
    Ok(())
}
