//! A path in a real browser: started, drawn, looked at over time, played, and taken from the scene.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, wait_for};
use serde_json::Value;

const PROJECT: &str = "/api/projects/1";
/// Pixels of a metre at the plan's first scale.
const SCALE: f64 = 26.0;

fn project(server: &Server) -> Value {
    server.json("GET", PROJECT, None).1
}

fn path(server: &Server) -> Value {
    project(server)["viewpoints"][0]["path"].clone()
}

fn place(v: &Value) -> [f64; 3] {
    serde_json::from_value(v.clone()).unwrap()
}

fn apart(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|i| (a[i] - b[i]).powi(2)).sum::<f64>().sqrt()
}

/// The path once it has so many keys, and the page shows them.
async fn with_keys(server: &Server, b: &Browser, count: usize) -> Value {
    let found = wait_for("the keys", || {
        let path = path(server);
        (path["keys"].as_array().map_or(0, Vec::len) == count).then_some(path)
    });
    b.until("the keys in the plan", &format!("return document.querySelectorAll('[data-testid=plan] [data-testid=path-key]').length === {count};")).await;
    found
}

#[test]
fn a_path_from_the_first_key_to_playing() {
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
            "the nearest thing",
            "return !!document.querySelector('[data-testid=plan-distance]');",
        )
        .await;
        drawing(&server, &b).await;
        over_time(&server, &b).await;
        from_the_scene(&server, &b).await;
        b.close().await;
    });
}

async fn drawing(server: &Server, b: &Browser) {
    let stood = place(&project(server)["viewpoints"][0]["pose"]["position"]);
    b.press_tab("Path").await;
    b.press("Start a path here").await;
    let first = with_keys(server, b, 2).await;
    assert!(apart(place(&first["keys"][0]["position"]), stood) < 1e-9);
    b.until(
        "the strip",
        "return !!document.querySelector('[data-testid=time-strip] [role=slider]');",
    )
    .await;
    b.check_accessibility("a path").await;
    // The last key two metres to the west; the viewer goes along, and the moment becomes the key's.
    let from = place(&first["keys"][1]["position"]);
    let key = b
        .middle("[data-testid=plan] [data-testid=path-key]:nth-of-type(n+1)[aria-label^='Key 2']")
        .await;
    b.hold_and_move(key, (-52, 0), 12).await;
    b.until(
        "the key's number while it moves",
        "return document.querySelector('[data-testid=live]').innerText.includes('Moving');",
    )
    .await;
    b.let_go().await;
    let moved = wait_for("the moved key", || {
        let path = path(server);
        (path["keys"] != first["keys"]).then_some(path)
    });
    let to = place(&moved["keys"][1]["position"]);
    assert!(
        (to[0] - from[0] + 52.0 / SCALE).abs() < 0.1 && (to[2] - from[2]).abs() < 0.1,
        "{moved}"
    );
    assert_eq!(moved["keys"][0], first["keys"][0]);
    let end = moved["keys"][1]["time_s"].as_f64().unwrap();
    wait_for("the moment of the key", || {
        let now = project(server);
        let there = (now["settings"]["time_s"].as_f64()? - end).abs() < 2e-3;
        let pose = place(&now["viewpoints"][0]["pose"]["position"]);
        (there && apart(pose, to) < 1e-3).then_some(())
    });
    // A click on the line adds a key, Delete takes one away, and undo brings it back.
    let middle = {
        let a = b.middle("[data-testid=plan] [aria-label^='Key 1']").await;
        let c = b.middle("[data-testid=plan] [aria-label^='Key 2']").await;
        ((a.0 + c.0) / 2, (a.1 + c.1) / 2)
    };
    b.click(middle).await;
    with_keys(server, b, 3).await;
    b.script("document.querySelector('[data-testid=plan] [aria-label^=\"Key 2\"]').focus(); return true;").await;
    let handle = b.find("[data-testid=plan] [aria-label^='Key 2']").await;
    handle.send_keys("\u{e017}").await.unwrap(); // Delete
    with_keys(server, b, 2).await;
    b.until(
        "something to undo",
        "return !document.querySelector('[data-testid=undo]').disabled;",
    )
    .await;
    b.control("z").await;
    with_keys(server, b, 3).await;
    // In numbers.
    b.fill("Moment of key 3", "4").await;
    wait_for("the later key", || {
        (path(server)["keys"][2]["time_s"] == 4.0).then_some(())
    });
}

async fn over_time(server: &Server, b: &Browser) {
    // What a key sets beside its place, in numbers.
    b.press_labelled("Choose key 2").await;
    b.press_switch_label("separation").await;
    b.fill("Eyes apart", "40").await;
    wait_for("the eyes of the key", || {
        (path(server)["keys"][1]["separation_m"] == 0.04).then_some(())
    });
    b.until(
        "the curve of the eyes",
        "return !!document.querySelector('option[value=separation]');",
    )
    .await;
    b.choose("Curve", "separation").await;
    b.until(
        "the eyes now",
        "return document.querySelector('[data-testid=curve-now]').innerText === '40.0 mm';",
    )
    .await;
    b.press("Look where it travels").await;
    wait_for("headings", || {
        let path = path(server);
        let keys = path["keys"].as_array()?;
        keys.iter()
            .all(|k| k["heading_deg"].is_number())
            .then_some(())
    });
    // The strip by keys: to its start, kept when the key is let go.
    b.until("the whole strip", "return document.querySelector('[data-testid=time-strip] [role=slider]').ariaValueMax === '4';").await;
    b.script(
        "document.querySelector('[data-testid=time-strip] [role=slider]').focus(); return true;",
    )
    .await;
    let strip = b.find("[data-testid=time-strip] [role=slider]").await;
    strip.send_keys("\u{e011}").await.unwrap(); // Home
    wait_for("the first moment", || {
        (project(server)["settings"]["time_s"] == 0.0).then_some(())
    });
    // And by hand: the picture follows while it is held, the project when it is let go.
    let (x, y) = b.middle("[data-testid=time-strip] [role=slider]").await;
    b.hold_and_move((x - 60, y), (60, 0), 8).await;
    b.until(
        "a picture of a moment",
        "return document.querySelector('[data-testid=live]').innerText.includes('Moving');",
    )
    .await;
    assert_eq!(
        project(server)["settings"]["time_s"],
        0.0,
        "it is not kept before it is let go"
    );
    b.let_go().await;
    wait_for("the middle of the way", || {
        let time = project(server)["settings"]["time_s"].as_f64()?;
        ((time - 2.0).abs() < 0.1).then_some(())
    });
    // The key in the middle of the way is there by now: a step on there is none.
    b.script(
        "document.querySelector('[data-testid=time-strip] [role=slider]').focus(); return true;",
    )
    .await;
    strip.send_keys("\u{e014}").await.unwrap(); // Right
    wait_for("a moment without a key", || {
        let time = project(server)["settings"]["time_s"].as_f64()?;
        (time > 2.05).then_some(())
    });
    b.until(
        "the viewpoint there",
        "return document.querySelector('[data-testid=moment]').innerText >= '2.05';",
    )
    .await;
    // Dragged by hand where no key is, slowly and in many steps, the viewpoint leaves one key there and not one for each step.
    let handle = b.middle("[data-testid=viewpoint-handle]").await;
    b.hold_and_move(handle, (10, 24), 40).await;
    b.let_go().await;
    with_keys(server, b, 4).await;
    b.control("z").await;
    with_keys(server, b, 3).await;
    for curve in ["turning", "sideways", "nearest", "floor", "speed"] {
        b.choose("Curve", curve).await;
        b.until(curve, "const t = document.querySelector('[data-testid=curve-now]').innerText; return /(\\/s|°|m|there)$/.test(t);").await;
    }
    b.calm_for_a_screenshot(20).await;
    b.screenshot("stand-path").await;
    // It plays in real time to its end, in pictures, and rests there.
    let shown = "return Number(document.querySelector('[data-testid=live]').dataset.shown);";
    let before = b.script(shown).await.as_i64().unwrap();
    b.press("Play").await;
    b.until("what is shown while it plays", "return document.querySelector('[data-testid=curve-now]').innerText.includes('pictures a second');").await;
    b.until(
        "the end",
        "return document.querySelector('[data-testid=moment]').innerText === '4.00 s';",
    )
    .await;
    wait_for("the end to be kept", || {
        (project(server)["settings"]["time_s"] == 4.0).then_some(())
    });
    // How many there are is the machine's affair, and told; the last one is of the end in any case.
    b.until(
        "a picture of the way",
        &format!("{} > {before};", shown.trim_end_matches(';')),
    )
    .await;
    // Another page, the same path.
    b.client.refresh().await.unwrap();
    with_keys(server, b, 3).await;
}

async fn from_the_scene(server: &Server, b: &Browser) {
    let movers = project(server)["scene"]["movers"].clone();
    let walk = movers
        .as_array()
        .unwrap()
        .iter()
        .find(|m| m["camera"] == true)
        .unwrap();
    b.press_tab("Path").await;
    b.choose("Take the way of", &walk["node"].to_string()).await;
    let taken = wait_for("the camera's way", || {
        let path = path(server);
        let start = place(&path["keys"][0]["position"]);
        (apart(start, place(&walk["points"][0])) < 0.02).then_some(path)
    });
    assert!(taken["keys"].as_array().unwrap().len() > 2, "{taken}");
    b.press("Remove the path").await;
    wait_for("no path", || path(server).is_null().then_some(()));
    b.until(
        "no strip",
        "return !document.querySelector('[data-testid=time-strip]');",
    )
    .await;
}
