//! Light in true units over HTTP and by command: exposure and its middle grey, the meter, pictures of the sky, what files say.

use crate::support;

use dome_files::exr_picture::ExrStrips;
use dome_trace::photometry::DAYLIGHT_WHITE_CD_M2;
use serde_json::{Value, json};
use std::path::Path;
use support::{Server, outside, run, run_ok, text, with_room};

const DAYLIGHT: f64 = DAYLIGHT_WHITE_CD_M2 as f64;

fn near(found: &Value, wanted: f64, share: f64) {
    let value = found.as_f64().unwrap_or(f64::NAN);
    assert!(
        (value / wanted - 1.0).abs() < share,
        "{value}, not {wanted}"
    );
}

/// An open square of one material, which a picture of even light surrounds.
const SQUARE: &[u8] = b"v -5 0 -5\nv -5 0 5\nv 5 0 5\nv 5 0 -5\nvn 0 1 0\nf 1//1 2//1 3//1 4//1\n";

/// The exposure makes a luminance white, tells its middle grey, is proposed and never changes by itself; the master's 1 is that
/// white and handing over begins with nothing more to do.
#[test]
fn an_exposure_is_told_in_light_and_kept_by_orders() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let (status, project) = server.upload("square.obj", SQUARE);
    assert_eq!(status, 200, "{project}");
    let path = format!("/api/projects/{}", project["id"]);
    let ask = |method: &str, tail: &str, body| server.json(method, &format!("{path}{tail}"), body);
    near(&project["exposure"]["white_cd_m2"], DAYLIGHT, 1e-4);
    near(&project["exposure"]["grey_cd_m2"], 0.18 * DAYLIGHT, 1e-4);
    // A photographer's exposure value: log2(luminance x 100 / 12.5), ISO 2720.
    near(
        &project["exposure"]["value_iso_100"],
        (0.18 * DAYLIGHT * 8.0).log2(),
        1e-4,
    );

    let mut settings = project["settings"].clone();
    settings["surroundings"]["sky"] = json!({"kind": "plain", "colour": [1.0, 1.0, 1.0]});
    settings["surroundings"]["unit_cd_m2"] = json!(200.0);
    let (status, changed) = ask("PATCH", "", Some(json!({"settings": settings})));
    assert_eq!(status, 200, "{changed}");
    assert_eq!(
        changed["settings"]["exposure_stops"], 0.0,
        "never by itself"
    );
    let viewpoint = changed["viewpoints"][0]["id"].as_i64().unwrap();
    let get = |tail: &str| ask("GET", tail, None);
    let above = get(&format!("/meter?viewpoint={viewpoint}&u=0.5&v=0.1")).1;
    near(&above["luminance_cd_m2"], 200.0, 1e-3);
    assert!(above["illuminance_lx"].is_null() && above["object"].is_null());
    // Even light of 200 cd/m² all round gives 200 pi lux on level ground.
    let below = get(&format!("/meter?viewpoint={viewpoint}&u=0.5&v=0.97")).1;
    near(&below["illuminance_lx"], 628.3, 0.01);
    let (status, refused) = get(&format!("/meter?viewpoint={viewpoint}&u=1.5&v=0.5"));
    assert!(status == 422 && refused["error"].as_str().unwrap().contains("0 to 1"));

    let proposed = get(&format!("/exposure?viewpoint={viewpoint}")).1;
    let grey = proposed["grey_cd_m2"].as_f64().unwrap();
    assert!((100.0..210.0).contains(&grey), "{proposed}");
    let mut settings = changed["settings"].clone();
    settings["exposure_stops"] = proposed["exposure_stops"].clone();
    let (_, exposed) = ask("PATCH", "", Some(json!({"settings": settings})));
    near(&exposed["exposure"]["grey_cd_m2"], grey, 1e-3);

    // Live pictures of any exposure are the same light: 200 cd/m² of sky shows as its share of white.
    let white = exposed["exposure"]["white_cd_m2"].as_f64().unwrap();
    let order = json!({"viewpoint": viewpoint, "width": 32, "samples": 2});
    let (status, order) = ask("POST", "/orders", Some(order));
    assert_eq!(status, 200, "{order}");
    near(&order["spec"]["white_cd_m2"], white, 1e-5);
    let id = order["id"].as_i64().unwrap();
    server.wait_for_order(id, "done");
    let mut strips = ExrStrips::open(&server.files_of(id).join("master.exr")).unwrap();
    near(&json!(strips.header.white_cd_m2), white, 1e-6);
    let first = strips.next().unwrap().unwrap().samples[0];
    near(&json!(first), 200.0 / white, 1e-3);
    // Out of all limits.
    for (field, value) in [("file_cd_m2", 0.0), ("exposure_stops", 21.0)] {
        let mut settings = exposed["settings"].clone();
        settings[field] = json!(value);
        let (status, refused) = ask("PATCH", "", Some(json!({"settings": settings})));
        assert!(status == 422 && refused["error"].as_str().unwrap().contains("correct it"));
    }
    let mut dark = exposed["settings"].clone();
    dark["surroundings"]["sky"]["colour"] = json!([0.0, 0.0, 0.0]);
    ask("PATCH", "", Some(json!({"settings": dark})));
    let (status, refused) = get(&format!("/exposure?viewpoint={viewpoint}"));
    assert!(
        status == 422
            && refused["error"]
                .as_str()
                .unwrap()
                .contains("switch a light on")
    );
    let (status, refused) = get("/sky-unit");
    assert!(
        status == 422
            && refused["error"]
                .as_str()
                .unwrap()
                .contains("Only a picture")
    );
}

/// What a picture of surroundings says of its own light is taken over (OpenEXR, standard attributes: whiteLuminance), and one
/// that says nothing is proposed for.
#[test]
fn pictures_of_the_sky_have_a_unit() {
    let (folder, server, project) = with_room();
    let path = format!("/api/projects/{project}");
    let at = |name: &str| folder.path().join(name);
    std::fs::write(at("square.obj"), SQUARE).unwrap();
    run_ok(&[
        "render",
        text(&at("square.obj")),
        "-o",
        text(&at("even.exr")),
        "--width",
        "64",
        "--samples",
        "1",
        "--sky",
        "plain:1,1,1",
        "--sky-light",
        "50",
        "--white",
        "100",
        "--at",
        "0,900,0",
    ]);
    let bytes = std::fs::read(at("even.exr")).unwrap();
    let (status, brought) = server.bring(&format!("{path}/surroundings?file=even.exr"), &bytes);
    assert_eq!(status, 200, "{brought}");
    near(&brought["unit_cd_m2"], 100.0, 1e-6);
    let mut settings = server.json("GET", &path, None).1["settings"].clone();
    settings["surroundings"]["sky"] = json!({"kind": "picture", "file": brought["file"]});
    let (status, _) = server.json("PATCH", &path, Some(json!({"settings": settings})));
    assert_eq!(status, 200);
    let proposed = server.json("GET", &format!("{path}/sky-unit"), None).1;
    // 0.5 all round is pi / 2 of the unit on level ground.
    let lux = proposed["illuminance_lx"].as_f64().unwrap();
    assert!(
        (10_000.0..25_000.0).contains(&lux) && proposed["sun_deg"].is_null(),
        "{proposed}"
    );
    near(
        &proposed["unit_cd_m2"],
        lux / std::f64::consts::FRAC_PI_2,
        0.02,
    );
}

/// By command: a lamp of the file in candela, the sky in cd/m², and the file says what its 1 is (checked by OpenEXR's own tool).
#[test]
fn commands_render_in_true_light() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::write(at("square.obj"), SQUARE).unwrap();
    let render = |name: &str, extra: &[&str]| {
        let out = at(name);
        let scene = at("square.obj");
        let usual = [
            "render",
            text(&scene),
            "-o",
            text(&out),
            "--width",
            "32",
            "--samples",
            "1",
        ];
        run_ok(&[&usual[..], extra].concat());
        let samples = ExrStrips::open(&out)
            .unwrap()
            .next()
            .unwrap()
            .unwrap()
            .samples;
        f64::from(samples[0])
    };
    let sky = ["--sky", "plain:1,1,1", "--sky-light", "50"];
    let top = render("a.exr", &[&sky[..], &["--white", "100"]].concat());
    assert!((top - 0.5).abs() < 1e-3, "{top}");
    let header = outside("exrheader", &[text(&at("a.exr"))]);
    assert!(
        header.contains("whiteLuminance (type float): 100"),
        "{header}"
    );
    let top = render("b.exr", &[&sky[..], &["--white", "25"]].concat());
    assert!((top - 2.0).abs() < 1e-3, "{top}");
    // Untold, colours are shares of white, as ever.
    let top = render("c.exr", &["--sky", "plain:0.25,0.25,0.25"]);
    assert!((top - 0.25).abs() < 1e-3, "{top}");
    // A picture that says what its 1 is lights as it was, and tells it on when it is converted.
    let lit = render("e.exr", &["--sky", text(&at("a.exr")), "--white", "25"]);
    assert!((lit - 2.0).abs() < 5e-3, "{lit}");
    run_ok(&[
        "convert",
        text(&at("a.exr")),
        "-o",
        text(&at("cube.exr")),
        "--to",
        "cube-1x6",
    ]);
    let header = outside("exrheader", &[text(&at("cube.exr"))]);
    assert!(
        header.contains("whiteLuminance (type float): 100"),
        "{header}"
    );
    let done = run(&[
        "render",
        text(&at("square.obj")),
        "-o",
        text(&at("d.exr")),
        "--white",
        "0",
    ]);
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(
        !done.status.success() && said.contains("between 0.001 and"),
        "{said}"
    );
    assert!(!Path::new(&at("d.exr")).exists());
}

/// A project of before has no numbers of light: they are shares of white by day, and its orders still get their exposure when
/// they are handed over.
#[test]
fn projects_of_before_look_as_before() {
    let old = json!({"surroundings": {"sky": {"kind": "plain", "colour": [0.5, 0.5, 0.5]}}, "exposure_stops": 1.0});
    let settings: owl_dome::model::settings::SceneSettings = serde_json::from_value(old).unwrap();
    assert_eq!(settings.file_cd_m2, DAYLIGHT_WHITE_CD_M2);
    assert_eq!(settings.surroundings.unit_cd_m2, DAYLIGHT_WHITE_CD_M2);
    // One stop: what was 0.5 is shown as 1.
    assert_eq!(settings.white_cd_m2(), DAYLIGHT_WHITE_CD_M2 / 2.0);
    let other: owl_dome::model::settings::SceneSettings =
        serde_json::from_value(json!({})).unwrap();
    assert_eq!(other, Default::default());
}
