//! `owl-dome inspect`.

use super::Outcome;
use clap::Args;
use dome_files::inspect::{Findings, inspect};
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct InspectArgs {
    /// The picture file
    file: PathBuf,
    /// Print JSON
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &InspectArgs) -> Outcome {
    let f = inspect(&args.file)?;
    if args.json {
        println!("{}", to_json(&f));
        return Ok(());
    }
    let p = &f.properties;
    let unknown = || "not told".to_owned();
    let degrees = |v: Option<f64>| v.map_or_else(unknown, |v| format!("{v} degrees"));
    println!("{}, {} x {} px", f.format.name(), f.width, f.height);
    println!(
        "Projection: {}",
        f.projection.clone().unwrap_or_else(unknown)
    );
    if let (Some(w), Some(h)) = (p.full_width, p.full_height) {
        let (left, top) = (p.cropped_left.unwrap_or(0), p.cropped_top.unwrap_or(0));
        println!("Full sphere: {w} x {h} px, the picture at {left},{top}");
    }
    println!("Heading of the middle: {}", degrees(p.pose_heading_deg));
    if p.pose_pitch_deg.is_some() || p.pose_roll_deg.is_some() {
        println!(
            "Pitch and roll of the middle: {}, {}",
            degrees(p.pose_pitch_deg),
            degrees(p.pose_roll_deg)
        );
    }
    println!(
        "Opening view: heading {}, pitch {}, field of view {}",
        degrees(p.opening_heading_deg),
        degrees(p.opening_pitch_deg),
        degrees(p.opening_hfov_deg)
    );
    println!(
        "{}: {}",
        if f.sphere { "A sphere" } else { "Not a sphere" },
        f.reason
    );
    if let Some(colours) = &f.colours {
        println!("Colours: {colours}; converted to those of Rec. 709 when it is read");
    }
    for notice in &f.notices {
        println!("Note: {notice}");
    }
    if let Some(description) = &f.description {
        println!("Picture {}:", description.fingerprint());
        for (name, value) in description.lines() {
            println!("  {name}: {value}");
        }
    }
    Ok(())
}

fn to_json(f: &Findings) -> serde_json::Value {
    let p = &f.properties;
    json!({
        "format": f.format.name(),
        "width": f.width,
        "height": f.height,
        "projection": f.projection,
        "full_width": p.full_width,
        "full_height": p.full_height,
        "cropped_left": p.cropped_left,
        "cropped_top": p.cropped_top,
        "pose_heading_deg": p.pose_heading_deg,
        "pose_pitch_deg": p.pose_pitch_deg,
        "pose_roll_deg": p.pose_roll_deg,
        "opening_heading_deg": p.opening_heading_deg,
        "opening_pitch_deg": p.opening_pitch_deg,
        "opening_hfov_deg": p.opening_hfov_deg,
        "sphere": f.sphere,
        "reason": f.reason,
        "colours": f.colours.as_deref().unwrap_or("Rec. 709"),
        "notices": f.notices,
        "fingerprint": f.description.as_ref().map(|d| d.fingerprint().to_string()),
        "description": f.description.as_ref().map(|d| d.lines()),
    })
}
