//! `owl-dome scene`.

use super::Outcome;
use super::render::options::{unit, up};
use clap::Args;
use dome_trace::{ImportOptions, Unit, Up};
use glam::DVec3;
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct SceneArgs {
    /// The scene: .glb, .gltf, .obj or .zip
    file: PathBuf,
    /// The unit that it was made in: m, cm, mm, in or ft
    #[arg(long, value_name = "UNIT", default_value = "m", value_parser = unit)]
    unit: Unit,
    /// The axis that points up in the file: y or z; by default what the format says or the triangles tell
    #[arg(long, value_name = "AXIS", value_parser = up)]
    up: Option<Up>,
    /// Which scene of a .zip that holds several
    #[arg(long, value_name = "NAME")]
    inside: Option<String>,
    /// Print JSON
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &SceneArgs) -> Outcome {
    let options = ImportOptions {
        unit: args.unit,
        up: args.up,
        inside: args.inside.clone(),
        ..ImportOptions::default()
    };
    let imported = dome_trace::load(&args.file, &options)?;
    let (scene, report) = (&imported.scene, &imported.report);
    let (low, high) = scene.bounds();
    let size = (high - low).to_array();
    // Places are told in the file's coordinates, as they are typed.
    let offset = imported.document.offset();
    let (low, high) = (low.as_dvec3() + offset, high.as_dvec3() + offset);
    let objects = scene.objects().iter().filter(|o| o.triangles > 0).count();
    // The last material is the plain grey for meshes that name none.
    let materials = scene.materials().len() - 1;
    let up = &report.up;
    if args.json {
        let left_out: Vec<_> = (report.left_out.iter())
            .map(|l| json!({"what": l.what, "why": l.why}))
            .collect();
        let lamps: Vec<_> = (scene.lamps().iter())
            .map(|l| {
                json!({
                    "name": l.name, "kind": l.kind_name(), "position_m": (l.position.as_dvec3() + offset).to_array(),
                    "direction": l.direction.to_array(), "intensity": l.intensity, "range_m": l.range,
                })
            })
            .collect();
        let cameras: Vec<_> = (scene.cameras().iter())
            .map(|c| {
                json!({
                    "name": c.name, "position_m": (DVec3::from(c.position) + offset).to_array(),
                    "heading_deg": c.orientation.heading_deg, "pitch_deg": c.orientation.pitch_deg,
                })
            })
            .collect();
        let all = json!({
            "format": report.format, "objects": objects, "triangles": scene.triangle_count(),
            "materials": materials, "textures": scene.pictures().len(),
            "up": {
                "axis": up.used, "told": up.told,
                "guess": {"axis": up.guess.up, "sure": up.guess.sure, "why": up.guess.why},
            },
            "unit": report.unit.as_ref().map(|guess| json!({
                "read_as": args.unit,
                "guess": {"unit": guess.unit, "sure": guess.sure, "why": guess.why},
            })),
            // In the file's own axes and unit.
            "origin": report.origin,
            "triangles_kept": scene.kept_triangles(),
            "size_m": size, "min_m": low.to_array(), "max_m": high.to_array(),
            "lights": report.lights, "lamps": lamps, "cameras": cameras,
            "animation_clips": report.motion.clips, "animation_s": report.motion.length_s,
            "understood": report.understood, "left_out": left_out, "notices": report.notices,
        });
        println!("{all:#}");
        return Ok(());
    }
    println!(
        "{}: {objects} objects, {} triangles, {materials} materials, {} pictures on them",
        report.format,
        scene.triangle_count(),
        scene.pictures().len()
    );
    let [x, y, z] = size;
    println!("Size: {x:.2} m along x, {y:.2} m high, {z:.2} m along z");
    let known = match (up.told, up.guess.sure) {
        (true, _) => "told",
        (false, true) => "guessed",
        (false, false) => "a rough guess",
    };
    println!("Up: {} ({known})", up.used.name());
    if report.motion.clips > 0 {
        println!("Motion: {:.2} s", report.motion.length_s);
    }
    for (title, lines) in [
        ("Understood", &report.understood),
        ("Light", &report.lights),
        ("Note", &report.notices),
    ] {
        for line in lines {
            println!("{title}: {line}");
        }
    }
    for left_out in &report.left_out {
        println!("Left out: {} - {}.", left_out.what, left_out.why);
    }
    Ok(())
}
