//! Lamps that shine as measured (.ies), over HTTP and by command.

use crate::support;

use serde_json::{Value, json};
use support::{Bench, with_room};

/// Nothing to the sides: a narrow beam straight down.
const NARROW: &str = "IESNA:LM-63-1995\r\n[LUMCAT] Narrow beam\r\nTILT=NONE\r\n1 900 1 4 1 1 2 0 0 0\r\n1 1 8\r\n0 10 12 90\r\n0\r\n5000 5000 0 0\r\n";

fn unit<'a>(light: &'a Value, unit: &str) -> &'a Value {
    let measures = light["measures"].as_array().unwrap();
    &measures.iter().find(|m| m["unit"] == unit).unwrap()["value"]
}

#[test]
fn a_lamp_is_given_the_light_that_was_measured() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let project = server.json("GET", &path, None).1;
    let viewpoint = project["viewpoints"][0]["id"].as_i64().unwrap();
    let list = || {
        let tail = format!("{path}/lights?viewpoint={viewpoint}");
        let all = server.json("GET", &tail, None).1;
        let found = all.as_array().unwrap().iter().find(|l| l["name"] == "Lamp");
        found.unwrap().clone()
    };
    let key = list()["key"].as_str().unwrap().to_owned();
    let bring = |name: &str, text: &str| {
        server.bring(
            &format!("{path}/distributions?file={name}"),
            text.as_bytes(),
        )
    };
    let (status, found) = bring("narrow.ies", NARROW);
    assert_eq!(status, 200, "{found}");
    assert_eq!(
        (&found["name"], &found["told"]),
        (&json!("narrow"), &json!("Narrow beam"))
    );
    assert_eq!(
        bring("again.ies", NARROW).1["file"],
        found["file"],
        "kept by what it holds"
    );
    // Up to 10 degrees all, then straight to nothing at 12: about 5000 cd times the cone's 2 pi (1 - cos 11).
    let cone = 5000.0 * std::f64::consts::TAU * (1.0 - 11f64.to_radians().cos());
    assert!(
        (found["lumen"].as_f64().unwrap() / cone - 1.0).abs() < 0.01,
        "{found}"
    );

    let set = |key: &str, file: &Value, tilt: f64| {
        let mut settings = server.json("GET", &path, None).1["settings"].clone();
        settings["lights"] = json!({key: {"on": true, "stops": 0.0, "unseen": false, "distribution":
            {"file": file, "name": "narrow", "heading_deg": 0.0, "tilt_deg": tilt}}});
        server.json("PATCH", &path, Some(json!({"settings": settings})))
    };
    let (status, changed) = set(&key, &found["file"], 0.0);
    assert_eq!(status, 200, "{changed}");
    assert_eq!(unit(&list(), "cd").as_f64().unwrap(), 5000.0);
    // The floor below the lamp (1.35 m under its lower face) is lit; a wall at its height is not but by what comes back.
    let meter = |at: [f64; 3], v: f64| {
        let mut place = server.json("GET", &path, None).1["viewpoints"][0].clone();
        place["pose"] =
            json!({"position": at, "heading_deg": 0.0, "pitch_deg": 0.0, "roll_deg": 0.0});
        let to = format!("{path}/viewpoints/{viewpoint}");
        assert_eq!(server.json("PUT", &to, Some(place)).0, 200);
        let tail = format!("{path}/meter?viewpoint={viewpoint}&u=0.5&v={v}");
        server.json("GET", &tail, None).1["illuminance_lx"]
            .as_f64()
            .unwrap()
    };
    let [x, _, z] = support::scene::LAMP;
    let below = meter([x, 0.5, z], 0.99);
    let aside = meter([x, 1.4, z - 1.0], 0.5);
    assert!(
        (2400.0..2900.0).contains(&below),
        "{below} lx: 5000 cd from 1.35 to 1.4 m and the room"
    );
    assert!(aside < below / 20.0, "{aside} lx");

    for (name, text, told) in [
        ("lamp.txt", NARROW, "add an .ies file"),
        (
            "cut.ies",
            &NARROW[..NARROW.len() - 12],
            "cut.ies is damaged or cut short",
        ),
        ("b.ies", &NARROW.replace("4 1 1 2", "4 1 2 2"), "type B"),
    ] {
        let (status, refused) = bring(name, text);
        let said = refused["error"].as_str().unwrap_or_default();
        assert!(status == 422 && said.contains(told), "{status} {refused}");
    }
    let (status, refused) = bring("large.ies", &"0 ".repeat(9 << 20));
    let said = refused["error"].as_str().unwrap_or_default();
    assert!(
        status == 413 && said.starts_with("large.ies is larger than 17 MB"),
        "{refused}"
    );
    for (key, file, tilt, told) in [
        (
            "sky",
            &found["file"],
            0.0,
            "glowing objects, point and spot lamps",
        ),
        (key.as_str(), &json!("../x.ies"), 0.0, "add it first"),
        (key.as_str(), &found["file"], 200.0, "correct them"),
    ] {
        let (status, refused) = set(key, file, tilt);
        let said = refused["error"].as_str().unwrap_or_default();
        assert!(status == 422 && said.contains(told), "{status} {refused}");
    }
}

#[test]
fn commands_let_lamps_shine_as_measured() {
    let bench = Bench::new();
    std::fs::write(bench.at("narrow.ies"), NARROW).unwrap();
    let ies = bench.at("narrow.ies");
    let with = |light: &str| {
        format!(
            "--width 64 --samples 16 --white 300 --at 0,1.5,0 --ies {light}={}",
            ies.display()
        )
    };
    let brightest = |name: &str, options: &str| {
        let file = bench.render(name, options);
        let strips = dome_files::exr_picture::ExrStrips::open(&file).unwrap();
        let mut most = 0.0f32;
        for strip in strips {
            most = strip.unwrap().samples.iter().copied().fold(most, f32::max);
        }
        most
    };
    let beam = brightest("beam.exr", &with("Lamp"));
    assert_eq!(
        beam,
        brightest("same.exr", &with("object:1")),
        "by name and by key"
    );
    // About 2,550 lx on a floor of albedo 0.5 are 406 cd/m², 1.35 of white; the lamp's sides are dark.
    // Its colour has 1.1 of its luminance in red, and the room gives some back.
    assert!((1.3..1.9).contains(&beam), "{beam}");
    assert!(bench.refused("x.exr", &with("Door")).contains("Door"));
    assert!(bench.refused("x.exr", "--ies Lamp").contains("LIGHT=FILE"));
}
