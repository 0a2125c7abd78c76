//! `owl-dome inspect`.

use super::Outcome;
use clap::Args;
use dome_files::film::{self, FilmFindings, FilmProjection, Sphere};
use dome_files::inspect::{Findings, inspect};
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct InspectArgs {
    /// The picture or film
    file: PathBuf,
    /// Print JSON
    #[arg(long)]
    json: bool,
}

fn wrapped(sphere: &Sphere) -> String {
    match sphere.projection {
        FilmProjection::Equirect { bounds } if bounds == [0.0; 4] => "unrolled sphere".into(),
        FilmProjection::Equirect { bounds } => {
            let [top, bottom, left, right] = bounds.map(|b| 100.0 * b);
            format!(
                "part of an unrolled sphere; missing {top:.1} % at the top, {bottom:.1} % at the bottom, {left:.1} % left, {right:.1} % right"
            )
        }
        FilmProjection::Cube { layout, padding } => {
            format!("cube, layout {layout}, faces padded by {padding} px")
        }
    }
}

fn film_json(sphere: Option<Sphere>) -> serde_json::Value {
    sphere.map_or(serde_json::Value::Null, |s| {
        json!({
            "projection": match s.projection {
                FilmProjection::Equirect { .. } => "equirect",
                FilmProjection::Cube { .. } => "cube",
            },
            "bounds": match s.projection {
                FilmProjection::Equirect { bounds } => Some(bounds),
                FilmProjection::Cube { .. } => None,
            },
            "stereo": s.stereo.name(),
            "pose_deg": s.pose_deg,
            "opening_deg": s.opening_deg,
        })
    })
}

fn tell_film(f: &FilmFindings, as_json: bool) {
    if as_json {
        let told = json!({
            "format": "film",
            "width": f.width,
            "height": f.height,
            "codec": f.codec,
            "lasts_s": f.lasts_s,
            "sphere": f.sphere().is_some(),
            "newer": film_json(f.newer),
            "older": film_json(f.older),
            "sound": f.sound.map(|s| json!({"channels": s.channels, "ambisonic": s.ambisonic, "channel_map": s.map})),
            "problems": f.problems,
        });
        println!("{told}");
        return;
    }
    let lasts = f
        .lasts_s
        .map_or_else(String::new, |s| format!(", {s:.2} s"));
    println!("Film ({}), {} x {} px{lasts}", f.codec, f.width, f.height);
    match f.sphere() {
        None => println!("Not a sphere: nothing in it says so; mark it with `owl-dome tag`."),
        Some(sphere) => {
            let forms = match (f.newer.is_some(), f.older.is_some()) {
                _ if f.matroska => "Matroska's elements say so",
                (true, true) => "both forms say so",
                (true, false) => "only the newer form says so",
                _ => "only the older form says so",
            };
            println!(
                "A sphere: {}, {} ({forms})",
                wrapped(&sphere),
                sphere.stereo.name()
            );
            let [yaw, pitch, roll] = sphere.pose_deg;
            println!("Its middle: yaw {yaw}, pitch {pitch}, roll {roll} degrees");
            if let Some([heading, pitch, _]) = sphere.opening_deg {
                println!("Opening view: heading {heading}, pitch {pitch} degrees");
            }
        }
    }
    if let Some(sound) = f.sound {
        let order = sound.map.map_or_else(String::new, |map| {
            format!(
                "; W, Y, Z, X are its channels {}",
                map.map(|c| (c + 1).to_string()).join(", ")
            )
        });
        println!(
            "Sound: {} {}{}{order}",
            sound.channels,
            if sound.channels == 1 {
                "channel"
            } else {
                "channels"
            },
            if sound.ambisonic {
                ", first-order ambisonics (ACN, SN3D)"
            } else {
                ""
            }
        );
    }
    for problem in &f.problems {
        println!("Note: {problem}");
    }
}

pub(super) fn run(args: &InspectArgs) -> Outcome {
    if film::is_film(&args.file) {
        tell_film(&film::inspect(&args.file)?, args.json);
        return Ok(());
    }
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
    if let Some(picture) = fingerprint(&f) {
        println!("Picture {picture}");
    }
    for (name, value) in f.description.iter().flat_map(|d| d.lines()) {
        println!("  {name}: {value}");
    }
    Ok(())
}

/// Which picture it is, by what determined it.
fn fingerprint(f: &Findings) -> Option<String> {
    let told = f.description.as_ref().map(|d| d.fingerprint());
    told.or(f.properties.picture).map(|p| p.to_string())
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
        "fingerprint": fingerprint(f),
        "description": f.description.as_ref().map(|d| d.lines()),
    })
}
