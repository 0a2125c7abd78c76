//! `owl-dome diagnose`.

use super::Outcome;
use crate::work::diagnose;
use clap::Args;
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct DiagnoseArgs {
    /// The picture that is said to be a sphere unrolled
    file: PathBuf,
    /// A picture of the same sphere that is right: quarter turns and mirror images are told against it
    #[arg(long, value_name = "FILE")]
    against: Option<PathBuf>,
    /// Write the picture mended
    #[arg(short, long, value_name = "OUT")]
    output: Option<PathBuf>,
    /// Print JSON
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &DiagnoseArgs) -> Outcome {
    let (picture, depth, _memory) = diagnose::read(&args.file)?;
    let size = (picture.width, picture.height);
    let reference = (args.against.as_deref()).map(diagnose::read).transpose()?;
    let found = diagnose::find(&picture, reference.as_ref().map(|r| &r.0));
    let (name, sentence) = diagnose::told(found.fault, size);
    if args.json {
        println!(
            "{:#}",
            json!({ "fault": name, "confidence": found.confidence, "what": sentence })
        );
    } else {
        println!("{sentence} ({:.0} % sure)", found.confidence * 100.0);
    }
    let Some(output) = &args.output else {
        return Ok(());
    };
    diagnose::write_mended(&picture, depth, found.fault, output, &|| true)?;
    println!("{}", output.display());
    Ok(())
}
