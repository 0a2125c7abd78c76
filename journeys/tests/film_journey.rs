//! From a path to a film that plays, in a real browser: frames ordered, one looked at before the rest, a film made, marked and seen.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, wait_for};
use serde_json::Value;

fn project(server: &Server) -> Value {
    server.json("GET", "/api/projects/1", None).1
}

#[test]
fn from_a_path_to_a_playing_film() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client
            .goto(&format!("{base}/project/1/stand"))
            .await
            .unwrap();
        b.until(
            "the plan",
            "return !!document.querySelector('[data-testid=plan-distance]');",
        )
        .await;
        b.press_tab("Path").await;
        b.press("Start a path here").await;
        wait_for("the path", || {
            let path = project(&server)["viewpoints"][0]["path"].clone();
            (path["keys"].as_array()?.len() == 2).then_some(())
        });
        frames(&server, &b).await;
        film(&server, &b).await;
        b.close().await;
    });
}

/// Orders frames with everything as it is offered but their size, their end and their samples.
async fn frames(server: &Server, b: &Browser) {
    b.press("Order a render").await;
    b.choose("Pictures", "many").await;
    // The whole of the path, thirty a second, is offered.
    let seconds = project(server)["viewpoints"][0]["path"]["keys"][1]["time_s"]
        .as_f64()
        .unwrap();
    let offered = format!("{} frames", (seconds * 30.0).round() as u32 + 1);
    b.until(
        "what is offered",
        &format!("return document.querySelector('[data-testid=frames-estimate]')?.innerText.startsWith({offered:?});"),
    )
    .await;
    b.check_accessibility("ordering frames").await;
    b.fill("Last frame", "5").await;
    b.fill("Width", "64").await;
    b.choose("Quality", "samples").await;
    b.fill("Samples per pixel", "1").await;
    b.press_switch_label("Stop after the first frame, to look at it")
        .await;
    b.until(
        "fewer frames",
        "return document.querySelector('[data-testid=frames-estimate]').innerText.startsWith('6 frames, 0.20 s');",
    )
    .await;
    b.press("Order the frames").await;
    // The test frame is looked at, and the rest let go.
    b.until(
        "the test frame",
        "return document.querySelector('[data-testid=order]')?.dataset.state === 'held' && document.querySelectorAll('[data-testid=frame-strip] img').length === 1;",
    )
    .await;
    b.press("Release").await;
    b.until(
        "all frames",
        "return document.querySelector('[data-testid=order]').dataset.state === 'done' && document.querySelectorAll('[data-testid=frame-strip] img').length === 6;",
    )
    .await;
    let out = server.data.join("out/Merlow Observatory/Under the dome 1");
    let count = std::fs::read_dir(&out).unwrap().count();
    assert_eq!(count, 6, "{}", out.display());
    b.press_labelled("Frame 2").await;
    b.until(
        "frame 2 large",
        "return document.querySelector('[data-testid=frames-told]').innerText.startsWith('Frame 2 of') && [...document.images].some((i) => i.src.includes('/frames/2/picture.jpg') && i.complete && i.naturalWidth > 0);",
    )
    .await;
    b.check_accessibility("finished frames").await;
    b.screenshot("render-frames").await;
}

/// Makes the film with everything as it is offered, and plays it.
async fn film(server: &Server, b: &Browser) {
    b.press("Make a film").await;
    b.until(
        "a frame to choose the opening view in",
        "return [...document.images].some((i) => i.src.includes('/frames/') && i.naturalWidth > 0);",
    )
    .await;
    b.check_accessibility("a film").await;
    b.press("Make the film").await;
    b.until(
        "the film",
        "return document.querySelector('[data-testid=package]')?.innerText.includes('says what was asked');",
    )
    .await;
    let made = project(server)["packages"][0].clone();
    assert_eq!(made["film"]["frames"], 6, "{made}");
    b.press("Look at it").await;
    b.until(
        "its first picture",
        "return document.querySelector('[data-testid=film-viewer]')?.dataset.width === '64';",
    )
    .await;
    b.press("Play").await;
    b.until(
        "its frames",
        "return Number(document.querySelector('[data-testid=film-viewer]').dataset.shown) > 2 && document.querySelector('[data-testid=film]').currentTime > 0;",
    )
    .await;
    b.press("Pause").await;
    b.until(
        "a rest",
        "return document.querySelector('[data-testid=film]').paused;",
    )
    .await;
    // What is seen is the middle of the frames: their mean light there, though the film is small and the canvas large.
    let canvas = b.find("[data-testid=lookout]").await;
    let seen = image::load_from_memory(&canvas.screenshot().await.unwrap())
        .unwrap()
        .to_rgb8();
    let file = server
        .data
        .join("out/Merlow Observatory/Under the dome 1/00003.png");
    let frame = image::open(file).unwrap().to_rgb8();
    // 75 of 360 degrees across the middle, and as much lower as the canvas is.
    let across = 64.0 * 75.0 / 360.0;
    let down = across * f64::from(seen.height()) / f64::from(seen.width());
    let (x, y) = (32.0 - across / 2.0, 16.0 - down / 2.0);
    let middle = image::imageops::crop_imm(
        &frame,
        x.round() as u32,
        y.round() as u32,
        across.round() as u32,
        down.round() as u32,
    )
    .to_image();
    let far = mean(&seen).abs_diff(mean(&middle));
    assert!(far < 30, "{} and {} of 255", mean(&seen), mean(&middle));
    b.check_accessibility("a film that is looked at").await;
    b.screenshot("look-film").await;
    // It is looked round in by keys, and goes back to its opening view.
    let view = "return document.querySelector('[data-testid=lookout]').dataset.lon;";
    let before = b.script(view).await;
    let sphere = b.find("[data-testid=lookout]").await;
    sphere.send_keys("\u{e014}").await.unwrap(); // Right
    b.until(
        "another view",
        &format!(
            "return document.querySelector('[data-testid=lookout]').dataset.lon !== {before};"
        ),
    )
    .await;
    b.press("Opening view").await;
    b.until(
        "the opening view",
        &format!(
            "return document.querySelector('[data-testid=lookout]').dataset.lon === {before};"
        ),
    )
    .await;
}

/// Mean of all values.
fn mean(picture: &image::RgbImage) -> u64 {
    let values = picture.as_raw();
    values.iter().map(|v| u64::from(*v)).sum::<u64>() / values.len().max(1) as u64
}
