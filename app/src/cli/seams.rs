//! `owl-dome seams`.

use super::{Outcome, shape};
use crate::work::convert::load_any;
use clap::Args;
use dome_imaging::seams::measure;
use dome_optics::Shape;
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct SeamsArgs {
    /// The picture, or the six faces of a cube
    #[arg(required = true, num_args = 1..=6, value_name = "FILE")]
    files: Vec<PathBuf>,
    /// Its shape; without it what the file tells, or its size suggests
    #[arg(long, value_name = "SHAPE", value_parser = shape)]
    shape: Option<Shape>,
    /// Print JSON
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &SeamsArgs) -> Outcome {
    let loaded = load_any(&args.files, args.shape, &mut |_| true)?;
    let seams = measure(&loaded.source);
    let heading = loaded.heading_deg.unwrap_or(0.0);
    let compass = |h: f64| dome_optics::angle::wrap_heading_deg(h + heading);
    if args.json {
        let list: Vec<_> = (seams.iter())
            .map(|s| {
                json!({
                    "edge": s.edge, "visible": s.visible, "strength_percent": s.strength,
                    "step_percent": s.step, "explained_percent": s.explained,
                    "heading_deg": compass(s.heading_deg), "pitch_deg": s.pitch_deg,
                })
            })
            .collect();
        let all = json!({ "shape": loaded.source.shape().to_string(), "seams": list });
        println!("{all:#}");
        return Ok(());
    }
    for notice in &loaded.notices {
        eprintln!("Note: {notice}");
    }
    if seams.is_empty() {
        println!(
            "A picture of shape {} has no edges that meet.",
            loaded.source.shape()
        );
        return Ok(());
    }
    let visible: Vec<_> = seams.iter().filter(|s| s.visible).collect();
    if visible.is_empty() {
        println!(
            "No seams: {} edges and poles are as smooth as the picture beside them.",
            seams.len()
        );
        return Ok(());
    }
    println!(
        "{} of {} edges and poles will be seen:",
        visible.len(),
        seams.len()
    );
    for s in visible {
        println!(
            "  {:<16} {:.1} % of white beyond what the picture explains, worst at heading {:.0} deg, pitch {:.0} deg",
            s.edge,
            s.strength,
            compass(s.heading_deg),
            s.pitch_deg
        );
    }
    Ok(())
}
