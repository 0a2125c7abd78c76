//! The whole journey in a real browser: from a scene to a picture that a viewer can look around in.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, exiftool, wait_for};
use serde_json::Value;
use std::path::{Path, PathBuf};

/// Width and samples of the order; the pictures for the documentation are larger and calmer.
fn order_size() -> (u32, u32) {
    let told = std::env::var("OWL_DOME_SCREENSHOT_SAMPLES").ok();
    match told.and_then(|v| v.parse().ok()) {
        Some(samples) => (2048, samples),
        None => (1024, 1),
    }
}

fn downloaded(folder: &Path) -> PathBuf {
    wait_for("the download", || {
        std::fs::read_dir(folder)
            .unwrap()
            .flatten()
            .map(|e| e.path())
            .find(|p| p.extension().is_some_and(|e| e == "jpg"))
    })
}

/// The median column of places that are blown out, within a window round an expected one.
fn bright_column(picture: &image::RgbImage, expected: (f64, f64), reach: f64) -> f64 {
    let mut columns: Vec<u32> = Vec::new();
    for y in (expected.1 - reach) as u32..(expected.1 + reach) as u32 {
        for x in (expected.0 - reach) as u32..(expected.0 + reach) as u32 {
            // The lamp is white as a whole; its glow on the wall, at one sample, is white here and there.
            let sum: u32 = (0..25)
                .flat_map(|i| picture.get_pixel(x + i % 5 - 2, y + i / 5 - 2).0)
                .map(u32::from)
                .sum();
            if sum >= 235 * 75 {
                columns.push(x);
            }
        }
    }
    columns.sort_unstable();
    assert!(columns.len() > 8, "no lamp near {expected:?}");
    f64::from(columns[columns.len() / 2]) + 0.5
}

/// Heading and pitch of a direction, degrees.
fn heading_pitch(from: [f64; 3], to: [f64; 3]) -> (f64, f64) {
    let d: [f64; 3] = std::array::from_fn(|i| to[i] - from[i]);
    (
        d[0].atan2(-d[2]).to_degrees().rem_euclid(360.0),
        d[1].atan2(d[0].hypot(d[2])).to_degrees(),
    )
}

#[test]
fn from_the_observatory_to_a_picture_to_look_around_in() {
    let folder = tempfile::tempdir().unwrap();
    let downloads = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    let (width, samples) = order_size();
    runtime().block_on(async {
        let b = Browser::open(downloads.path()).await;

        // Library: the project as a card with its picture.
        b.client.goto(&base).await.unwrap();
        b.until("the card's picture", "const i = document.querySelector('main img'); return !!i && i.naturalWidth > 0;").await;
        b.check_accessibility("library").await;
        b.screenshot("library").await;

        // Scene: what came in.
        b.client.goto(&format!("{base}/project/1/scene")).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        let facts = b.script("return document.querySelector('main').innerText;").await;
        let facts = facts.as_str().unwrap();
        assert!(facts.contains("merlow.glb") && facts.contains("glTF 2.0") && facts.contains("Wall lamp 1"), "{facts}");
        b.check_accessibility("scene").await;
        b.screenshot("scene").await;
        // The lights in one list: one is switched off and on again.
        b.press_tab("Lights").await;
        b.until("the lights", "return document.querySelectorAll('[data-testid=light]').length >= 9;").await;
        b.check_accessibility("lights").await;
        b.screenshot("lights").await;
        let lights = || server.json("GET", "/api/projects/1", None).1["settings"]["lights"].as_object().unwrap().len();
        b.press_labelled("Switch Wall lamp 1 off").await;
        wait_for("the lamp switched off", || (lights() == 1).then_some(()));
        // One shines as it was measured.
        b.press_labelled("Choose Wall lamp 2").await;
        let measured = folder.path().join("stair.ies");
        std::fs::write(&measured, "IESNA:LM-63-2002\n[LUMCAT] Stair lamp\nTILT=NONE\n1 -1 1 2 1 1 2 0 0 0\n1 1 9\n0 90\n0\n300 0\n").unwrap();
        b.find("[data-testid=ies-file]").await.send_keys(measured.to_str().unwrap()).await.unwrap();
        b.until("the measured light", "return document.querySelector('[data-testid=measured-told]')?.innerText.includes('stair was measured: ');").await;
        b.until("its strength", "return [...document.querySelectorAll('[data-testid=light]')].some(l => l.innerText.includes('as measured: stair') && l.innerText.includes(' lm'));").await;
        b.fill("Tilted by", "30").await;
        let tilt = || server.json("GET", "/api/projects/1", None).1["settings"]["lights"].as_object().unwrap().values().find_map(|l| l["distribution"]["tilt_deg"].as_f64());
        wait_for("the tilted lamp", || (tilt() == Some(30.0)).then_some(()));
        b.check_accessibility("a measured light").await;
        // Hidden, shown, switched off and on, it shines as measured still.
        let lamp = || server.json("GET", "/api/projects/1", None).1["settings"]["lights"].as_object().unwrap().values().find(|l| l["distribution"]["tilt_deg"] == 30.0).cloned();
        for (press, field, value) in [("Hide bodies", "unseen", true), ("Show bodies", "unseen", false)] {
            b.press(press).await;
            wait_for(press, || (lamp()?[field] == value).then_some(()));
        }
        for (press, on) in [("Switch Wall lamp 2 off", false), ("Switch Wall lamp 2 on", true)] {
            b.press_labelled(press).await;
            wait_for(press, || (lamp()?["on"] == on).then_some(()));
        }
        b.press("Reset").await;
        wait_for("the lamps as they came", || (lights() == 0).then_some(()));
        // Sun and sky by place and date.
        b.choose("Sky", "sun").await;
        b.press_switch_label("By date").await;
        b.press("Put the sun there").await;
        let sky = || server.json("GET", "/api/projects/1", None).1["settings"]["surroundings"]["sky"].clone();
        wait_for("the evening sun", || (sky()["kind"] == "sun" && sky()["heading_deg"].as_f64().unwrap() > 270.0).then_some(()));
        b.check_accessibility("sun and sky").await;
        b.choose("Sky", "two-colour").await;
        wait_for("the old sky", || (sky()["kind"] == "two-colour").then_some(()));
        let mut settings = server.json("GET", "/api/projects/1", None).1["settings"].clone();
        settings["surroundings"]["sky"] = serde_json::json!({"kind": "two-colour",
            "zenith": [0.42, 0.62, 1.05], "horizon": [1.75, 1.28, 0.92]});
        let came = serde_json::json!({"settings": settings});
        assert_eq!(server.json("PATCH", "/api/projects/1", Some(came)).0, 200);

        // Stand: plan, live Horizon, Lookout.
        b.press("Choose where to stand").await;
        b.until("the plan's solids", "const p = document.querySelector('[data-testid=plan]'); return !!p && Number(p.dataset.solids) > 20;").await;
        b.find("[data-testid=horizon-picture]").await;
        b.calm_for_a_screenshot(60).await;
        b.check_accessibility("stand").await;
        b.screenshot("stand").await;

        // Render: the height follows, the disk is told, strips appear.
        b.client.goto(&format!("{base}/project/1/render")).await.unwrap();
        // The shape is chosen by what it is for; the width keeps its detail and the height follows.
        let says = |what: String| format!("return document.querySelector('[data-testid=height]')?.innerText === '{what}';");
        b.find("[data-testid=shape]").await.click().await.unwrap();
        b.check_accessibility("shapes").await;
        b.screenshot("shapes").await;
        b.find("button[data-shape='cube-3x2']").await.click().await.unwrap();
        b.until("the height of a cube", &says("1024 px".into())).await;
        b.find("[data-testid=shape]").await.click().await.unwrap();
        b.find("button[data-shape='equirect']").await.click().await.unwrap();
        b.fill("Width", &width.to_string()).await;
        b.choose("Quality", "samples").await;
        b.fill("Samples per pixel", &samples.to_string()).await;
        b.press_switch("Passes", &["Depth", "Object mask"]).await;
        b.set_switch("Denoise", samples > 1).await;
        b.until("the height", &says(format!("{} px", width / 2))).await;
        assert!(b.find("[data-testid=disk]").await.text().await.unwrap().contains("MB"));
        b.press("Order render").await;
        b.find("[data-testid=order][data-state=running]").await;
        b.until("the first strips", "return document.querySelectorAll('[data-testid=strip]').length > 8;").await;
        b.check_accessibility("render").await;
        b.screenshot("render").await;
        b.until("the master", "return !!document.querySelector('[data-testid=order][data-state=done]');").await;

        // Passes: the mask tells names under the pointer.
        b.press("Object mask").await;
        b.until("the mask", "const i = document.querySelector('[data-testid=horizon-picture]'); return !!i && i.src.includes('object-mask') && i.naturalWidth > 0;").await;
        let (x, y) = b.middle("[data-testid=horizon-picture]").await;
        // Half way down from the horizon to straight down, wherever the window puts that.
        let quarter = b.script("return document.querySelector('[data-testid=horizon-picture]').getBoundingClientRect().height / 4;").await;
        b.drag((x, y + quarter.as_f64().unwrap() as i64), (2, 0)).await;
        b.until("a name", "return document.querySelector('[data-testid=pass-value]').innerText.includes('Object mask here:');").await;
        b.press("Depth").await;
        b.until("the bands", "const i = document.querySelector('[data-testid=horizon-picture]'); return !!i && i.src.includes('depth') && i.naturalWidth > 0;").await;
        b.check_accessibility("passes").await;
        b.screenshot("passes").await;
        // Hand over: an opening view, the file read back, the download.
        b.press("Hand it over").await;
        b.fill("Opening heading", "118.5").await;
        b.fill("Opening pitch", "6").await;
        b.press("Make the JPEG").await;
        b.find("[data-testid=package]").await;
        let found = b.find("[data-testid='found-Opening heading']").await.text().await.unwrap();
        assert_eq!(found, "118.5°");
        b.check_accessibility("hand over").await;
        b.screenshot("hand-over").await;
        b.find("[data-testid=download]").await.click().await.unwrap();

        // Look: the picture opens at its opening view, and turns.
        b.press("Look at it").await;
        b.until("the picture", &format!("return document.querySelector('[data-testid=viewer]')?.dataset.shown === '{width}';")).await;
        let view = "const d = document.querySelector('[data-testid=lookout]').dataset; return [d.lon, d.lat, d.hfov].map(Number);";
        let opened = b.script(view).await;
        // Heading 118.5 seen from a picture whose middle is 315.
        assert!((opened[0].as_f64().unwrap() - 163.5).abs() < 0.01 && opened[1] == 6.0 && opened[2] == 75.0, "{opened}");
        b.check_accessibility("look").await;
        b.screenshot("look").await;
        let viewer = b.middle("[data-testid=lookout]").await;
        b.drag(viewer, (200, 0)).await;
        let after: Value = b.script(view).await;
        assert!(after[0].as_f64().unwrap() < 160.0, "{after}");
        let canvas = b.find("[data-testid=lookout]").await;
        let shot = image::load_from_memory(&canvas.screenshot().await.unwrap()).unwrap().to_rgb8();
        let tones: std::collections::BTreeSet<u8> = shot.pixels().map(|p| p.0[1]).collect();
        assert!(tones.len() > 60, "the viewer shows {} tones only", tones.len());
        canvas.send_keys("+").await.unwrap();
        assert!(b.script(view).await[2].as_f64().unwrap() < 75.0);
        b.client.goto(&base).await.unwrap();
        b.press("Dusk").await;
        // Colours change within a fifth of a second.
        std::thread::sleep(std::time::Duration::from_millis(600));
        b.screenshot("library-dusk").await;
        b.check_accessibility("library at dusk").await;
        b.close().await;
    });

    // The downloaded file against an outside reader and the scene itself.
    let file = downloaded(downloads.path());
    let tags = exiftool(&file);
    assert_eq!(
        (&tags["ImageWidth"], &tags["ImageHeight"]),
        (&width.into(), &(width / 2).into())
    );
    assert_eq!(tags["ProjectionType"], "equirectangular");
    assert_eq!(tags["FullPanoWidthPixels"], width);
    assert_eq!(tags["InitialViewHeadingDegrees"], 118.5);
    assert_eq!(tags["PoseHeadingDegrees"], 315);
    let picture = image::open(&file).unwrap().to_rgb8();
    assert_eq!(picture.width(), 2 * picture.height());
    let place = merlow::PLACES[0];
    let (heading, pitch) = heading_pitch(place.position, merlow::wall_lamp().map(f64::from));
    let column = ((heading - place.heading_deg).rem_euclid(360.0) / 360.0 + 0.5).rem_euclid(1.0)
        * f64::from(width);
    let row = (0.5 - pitch / 180.0) * f64::from(width / 2);
    let seen = bright_column(&picture, (column, row), f64::from(width) / 68.0);
    // In the calm pictures of the documentation the glow on the wall behind is white as well, and the wall lies to one side.
    let tolerance = if samples > 1 { 12.0 } else { 2.0 };
    assert!(
        (seen - column).abs() <= tolerance,
        "the lamp stands at {seen}, not at {column}"
    );
}

#[test]
fn an_uploaded_scene_makes_the_journey_too() {
    let folder = tempfile::tempdir().unwrap();
    let scene = folder.path().join("room.glb");
    std::fs::write(&scene, journeys::support::scene::room_glb()).unwrap();
    let wrong = folder.path().join("holiday.glb");
    std::fs::write(&wrong, b"this is no scene").unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let base = server.address.clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&base).await.unwrap();
        let chooser = b.find("[data-testid=scene-file]").await;
        chooser.send_keys(wrong.to_str().unwrap()).await.unwrap();
        let sentence = b.find("[role=alert]").await.text().await.unwrap();
        assert!(sentence.contains("holiday.glb"), "{sentence}");
        assert_eq!(
            server.json("GET", "/api/projects", None).1,
            serde_json::json!([])
        );
        b.find("[data-testid=scene-file]")
            .await
            .send_keys(scene.to_str().unwrap())
            .await
            .unwrap();
        b.until(
            "the scene",
            "return location.pathname.endsWith('/scene') && !!document.querySelector('[data-testid=horizon-picture]');",
        )
        .await;
        let text = b
            .script("return document.querySelector('main').innerText;")
            .await;
        assert!(text.as_str().unwrap().contains("Lamp"), "{text}");
        b.press("Choose where to stand").await;
        // The first viewpoint is the middle, 1.6 m above the floor.
        b.until(
            "the floor",
            "return document.querySelector('main').innerText.includes('Room');",
        )
        .await;
        b.press("Order a render").await;
        b.fill("Width", "256").await;
        // Denoised, the noise asked for is what is left; what is left is told, and what was taken is shown.
        b.set_switch("Denoise", true).await;
        b.fill("Noise left at most", "6").await;
        b.press("Order render").await;
        b.press("What denoising took").await;
        b.until("what was taken", "const i = document.querySelector('[data-testid=horizon-picture]'); return !!i && i.src.includes('taken-out') && i.naturalWidth > 0;").await;
        let numbers = b.find("[data-testid=order-numbers]").await.text().await.unwrap();
        assert!(numbers.contains("% left after denoising"), "{numbers}");
        b.check_accessibility("what denoising took").await;
        b.press("Hand it over").await;
        b.press("Make the JPEG").await;
        b.find("[data-testid=package]").await;
        b.close().await;
    });
    let project = server.json("GET", "/api/projects", None).1[0]["id"]
        .as_i64()
        .unwrap();
    let project = server
        .json("GET", &format!("/api/projects/{project}"), None)
        .1;
    let eye = &project["viewpoints"][0]["pose"]["position"];
    assert!((eye[1].as_f64().unwrap() - 1.6).abs() < 1e-3, "{eye}");
    assert!(
        project["packages"][0]["checks"]
            .as_array()
            .unwrap()
            .iter()
            .all(|c| c["fine"] == true)
    );
}
