//! The Stand stage in a real browser: drag, read, pick, square up, move a thing, compare, level, undo, preflight.

use dome_optics::angle::wrap_signed_deg;
use journeys::browser::{Browser, runtime};
use journeys::support::{Server, wait_for};
use serde_json::{Value, json};

const PROJECT: &str = "/api/projects/1";

/// A viewpoint without its version, which is another one after every change.
fn viewpoint(server: &Server, index: usize) -> Value {
    let mut found = server.json("GET", PROJECT, None).1["viewpoints"][index].clone();
    found["version"] = Value::Null;
    found
}

fn at(v: &Value, i: usize) -> f64 {
    v["pose"]["position"][i].as_f64().unwrap()
}

fn heading(v: &Value) -> f64 {
    v["pose"]["heading_deg"].as_f64().unwrap()
}

fn settings(server: &Server) -> Value {
    server.json("GET", PROJECT, None).1["settings"].clone()
}

/// One step back by the keyboard, once the page is ready for it.
async fn undo(b: &Browser) {
    b.until(
        "something to undo",
        "return !document.querySelector('[data-testid=undo]').disabled;",
    )
    .await;
    b.control("z").await;
}

/// Keeps changes of viewpoints back in the page, as a slow line would.
async fn hold_changes(b: &Browser) {
    b.script(
        "window.held = []; window.asked = window.fetch;
        window.fetch = (path, init) => init?.method === 'PUT' && /viewpoints\\/\\d+$/.test(path)
            ? new Promise((go) => window.held.push(() => go(window.asked(path, init))))
            : window.asked(path, init);
        return true;",
    )
    .await;
}

/// Sends the first of the changes that are kept back.
async fn let_one_go(b: &Browser) {
    b.until("a change", "return window.held.length > 0;").await;
    b.script("window.held.shift()(); return true;").await;
}

/// What is seen from the first viewpoint at a heading and pitch.
fn look(server: &Server, v: &Value, heading: f64, pitch: f64) -> Value {
    let path = format!(
        "{PROJECT}/look?x={}&y={}&z={}&heading={heading}&pitch={pitch}",
        at(v, 0),
        at(v, 1),
        at(v, 2)
    );
    server.json("GET", &path, None).1
}

/// Where a heading and pitch lie on the Horizon of a level viewpoint, pixels of the page.
async fn on_horizon(b: &Browser, v: &Value, to: f64, pitch: f64) -> (i64, i64) {
    let frame = b
        .script("const r = document.querySelector('[data-testid=horizon] [role=application]').getBoundingClientRect(); return [r.left, r.top, r.width, r.height];")
        .await;
    let n = |i: usize| frame[i].as_f64().unwrap();
    let lon = wrap_signed_deg(to - heading(v));
    (
        (n(0) + (lon / 360.0 + 0.5) * n(2)).round() as i64,
        (n(1) + (0.5 - pitch / 180.0) * n(3)).round() as i64,
    )
}

#[test]
fn standing_in_the_observatory() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{base}/project/1/stand")).await.unwrap();
        b.until("the plan's solids", "const p = document.querySelector('[data-testid=plan]'); return !!p && Number(p.dataset.solids) > 20;").await;
        b.until("the section", "return Number(document.querySelector('[data-testid=section]').dataset.points) > 50;").await;
        b.until("the nearest thing", "return !!document.querySelector('[data-testid=plan-distance]');").await;
        moving(&server, &b).await;
        picking(&server, &b).await;
        moving_a_thing(&server, &b).await;
        several(&server, &b).await;
        preflight(&server, &b).await;
        b.close().await;
    });
}

/// Dragging in plan, section and Horizon; live pictures while it lasts; level and undo across a reload.
async fn moving(server: &Server, b: &Browser) {
    let before = viewpoint(server, 0);
    let shown = "return Number(document.querySelector('[data-testid=live]').dataset.shown);";
    let first = b.script(shown).await.as_i64().unwrap();
    let handle = b.middle("[data-testid=viewpoint-handle]").await;
    b.hold_and_move(handle, (-52, 26), 12).await;
    // Pictures and distances follow while the button is still down.
    b.until(
        "pictures while dragging",
        &format!("{} > {};", shown.trim_end_matches(';'), first + 1),
    )
    .await;
    b.until("the way so far", "return document.querySelector('[data-testid=plan-distance]').innerText.includes('moved 2.2');").await;
    assert!(b.text("[data-testid=live]").await.contains("Moving"));
    assert_eq!(
        viewpoint(server, 0)["pose"],
        before["pose"],
        "it is not saved before it is let go"
    );
    b.let_go().await;
    let moved = wait_for("the moved viewpoint", || {
        let v = viewpoint(server, 0);
        (v["pose"] != before["pose"]).then_some(v)
    });
    // 26 px are a metre at the plan's first scale; the height above the floor is kept.
    let step = |i: usize| at(&moved, i) - at(&before, i);
    assert!(
        (step(0) + 2.0).abs() < 0.1 && (step(2) - 1.0).abs() < 0.1 && step(1).abs() < 1e-3,
        "{moved}"
    );

    // The section: the eye a metre up, told as too high, and back by one click.
    let eye = b.middle("[data-testid=eye-handle]").await;
    b.drag(eye, (0, -26)).await;
    let raised = wait_for("the raised eye", || {
        let v = viewpoint(server, 0);
        (at(&v, 1) > 2.4).then_some(v)
    });
    assert!((at(&raised, 1) - 2.6).abs() < 0.05);
    b.press_tab("Clearance").await;
    b.find("[data-testid=finding][data-rule=height]").await;
    b.press_tab("Place").await;
    b.press("Seated").await;
    wait_for("the seated height", || {
        ((at(&viewpoint(server, 0), 1) - 1.2).abs() < 1e-3).then_some(())
    });

    // A drag that is taken away in the middle counts as far as it came.
    let seated = viewpoint(server, 0);
    let handle = b.middle("[data-testid=viewpoint-handle]").await;
    b.hold_and_move(handle, (30, 0), 6).await;
    b.script("document.querySelector('[data-testid=plan]').dispatchEvent(new PointerEvent('pointercancel', {bubbles: true, pointerId: 1})); return true;").await;
    wait_for("the drag that was taken away", || {
        (at(&viewpoint(server, 0), 0) > at(&seated, 0) + 0.5).then_some(())
    });
    b.until(
        "no more moving",
        "return !document.querySelector('[data-testid=live]').innerText.includes('Moving');",
    )
    .await;
    b.let_go().await;

    // Horizon: dragging turns. All the while its lit picture goes with the hand, and none in own colours takes its place.
    b.until(
        "a lit picture",
        "return document.querySelector('[data-testid=live]').innerText.startsWith('Live');",
    )
    .await;
    let turned_from = heading(&viewpoint(server, 0));
    let horizon = b.middle("[data-testid=horizon] [role=application]").await;
    b.hold_and_move(horizon, (-100, 0), 4).await;
    b.until(
        "the picture moved by as much as the hand",
        "const picture = document.querySelector('[data-testid=horizon-picture]');
        const moved = new DOMMatrix(getComputedStyle(picture).transform).m41;
        return Math.abs(moved + 100) < 1.5
            && document.querySelector('[data-testid=live]').innerText.startsWith('Turning');",
    )
    .await;
    b.let_go().await;
    b.until(
        "a picture of the new heading",
        "return document.querySelector('[data-testid=horizon-picture]').style.transform === '';",
    )
    .await;
    wait_for("the turned viewpoint", || {
        (heading(&viewpoint(server, 0)) != turned_from).then_some(())
    });
    let width = b.script("return document.querySelector('[data-testid=horizon] [role=application]').clientWidth;").await;
    let turned = wrap_signed_deg(heading(&viewpoint(server, 0)) - turned_from);
    let wanted = 100.0 / width.as_f64().unwrap() * 360.0;
    assert!(
        (turned - wanted).abs() < 1.0,
        "{turned} instead of {wanted}"
    );

    // An opening view of its own: the Lookout a little to the right; the heading stays.
    b.find("[data-testid=lookout]")
        .await
        .send_keys("\u{e014}\u{e014}")
        .await
        .unwrap(); // right, right
    // The next change is begun before the answer to this one has come.
    hold_changes(b).await;
    b.press("Open as the Lookout").await;
    b.press("Unlock pitch and roll").await;
    let_one_go(b).await;
    let open = wait_for("the opening view", || {
        let v = viewpoint(server, 0);
        v["opening"].is_object().then_some(v)
    });
    assert!(
        (wrap_signed_deg(open["opening"]["heading_deg"].as_f64().unwrap() - heading(&open)) - 10.0)
            .abs()
            < 0.1,
        "{open}"
    );
    b.find("[data-testid=opening-frame]").await;

    // Its turn has come now, so the first answer has been read: what was begun meanwhile is still shown.
    b.until("the second change", "return window.held.length === 1;")
        .await;
    b.settled().await;
    assert!(
        !viewpoint(server, 0)["unlocked"].as_bool().unwrap(),
        "the second change is still held"
    );
    assert!(
        b.text("main").await.contains("Level and lock"),
        "the answer to one change took back another"
    );
    let_one_go(b).await;
    b.script("window.fetch = window.asked; return true;").await;
    wait_for("the second change", || {
        (viewpoint(server, 0)["unlocked"] == true).then_some(())
    });

    // Level: unlocking warns, a tilt is drawn and told, one click levels.
    b.until(
        "the warning",
        "return document.querySelector('main').innerText.includes('bend the whole horizon');",
    )
    .await;
    b.fill("Pitch", "14").await;
    b.until(
        "the wave",
        "return document.querySelector('main').innerText.includes('wavy');",
    )
    .await;
    wait_for("the tilt", || {
        (viewpoint(server, 0)["pose"]["pitch_deg"] == 14.0).then_some(())
    });
    b.calm_for_a_screenshot(4).await;
    b.check_accessibility("stand, tilted").await;
    b.screenshot("stand-level").await;
    b.press("Level and lock").await;
    wait_for("the level viewpoint", || {
        (viewpoint(server, 0)["pose"]["pitch_deg"] == 0.0).then_some(())
    });

    // Back to the very beginning, across a reload, by keys and by button.
    b.client.refresh().await.unwrap();
    b.find("[data-testid=horizon-picture]").await;
    for _ in 0..20 {
        let project = server.json("GET", PROJECT, None).1;
        if project["undo"].is_null() {
            break;
        }
        // A key is heard when the page knows of the last step.
        let label = format!("Undo: {}", project["undo"].as_str().unwrap());
        b.until("the step to undo", &format!("const u = document.querySelector('[data-testid=undo]'); return u.title === '{label}' && !u.disabled;")).await;
        undo(b).await;
        wait_for("a step back", || {
            let now = server.json("GET", PROJECT, None).1;
            (now["viewpoints"] != project["viewpoints"]).then_some(())
        });
    }
    assert_eq!(viewpoint(server, 0), before);
    b.until(
        "nothing to undo",
        "return document.querySelector('[data-testid=undo]').disabled;",
    )
    .await;
    b.find("[data-testid=redo]").await.click().await.unwrap();
    wait_for("the first step again", || {
        (viewpoint(server, 0)["pose"] == moved["pose"]).then_some(())
    });
    undo(b).await;
    wait_for("and back", || {
        (viewpoint(server, 0) == before).then_some(())
    });

    // What was changed in the scene is taken back there too, and at any other stage.
    let stops = || settings(server)["draft_stops"].as_f64().unwrap();
    let mut brighter = settings(server);
    brighter["draft_stops"] = serde_json::json!(2.0);
    for stage in ["scene", "render"] {
        b.client
            .goto(&format!("{}/project/1/{stage}", server.address))
            .await
            .unwrap();
        let change = serde_json::json!({"settings": brighter});
        assert_eq!(server.json("PATCH", PROJECT, Some(change)).0, 200);
        undo(b).await;
        wait_for("the scene as it was", || (stops() == 0.0).then_some(()));
    }
    b.client
        .goto(&format!("{}/project/1/stand", server.address))
        .await
        .unwrap();
    b.find("[data-testid=horizon-picture]").await;
}

/// Reading and picking on the Horizon, and being square to what was picked.
async fn picking(server: &Server, b: &Browser) {
    let v = viewpoint(server, 0);
    // The wall beside the door, which lies in the east.
    let (to, pitch) = (40.0, 8.0);
    let place = on_horizon(b, &v, to, pitch).await;
    b.point(place).await;
    b.until(
        "the reading",
        "const t = document.querySelector('[data-testid=reading]').innerText; return /^(39.[89]|40.[012])° . (7.[789]|8.[0123])°/.test(t);",
    )
    .await;
    let reading = b.text("[data-testid=reading]").await;
    let seen = look(server, &v, to, pitch);
    let (name, material) = (
        seen["name"].as_str().unwrap(),
        seen["material"].as_str().unwrap(),
    );
    assert!(
        reading.contains(name) && reading.contains(material) && reading.contains('°'),
        "{reading} for {seen}"
    );
    b.click(place).await;
    b.until("what was picked", &format!("return document.querySelector('[data-testid=picked]')?.innerText.includes('{name}') ?? false;")).await;
    b.press("Face this surface").await;
    let told = b.text("[data-testid=squared]").await;
    assert!(told.contains(name), "{told}");
    let squared = wait_for("the square view", || {
        let now = viewpoint(server, 0);
        (heading(&now) != heading(&v)).then_some(now)
    });
    // The wall is round, of flat pieces of 3 degrees: its normal lies along the radius to what was picked.
    assert_eq!(at(&squared, 0), at(&v, 0));
    let point = |i: usize| seen["point"][i].as_f64().unwrap();
    let radius = point(0).atan2(-point(2)).to_degrees();
    let off = wrap_signed_deg(heading(&squared) - radius).abs();
    assert!(off < 2.5, "{} for a radius at {radius}", heading(&squared));
    undo(b).await;
    wait_for("the old heading", || {
        (viewpoint(server, 0) == v).then_some(())
    });
    // The plan picks too: a click to the east of the viewpoint means what lies there.
    let handle = b.middle("[data-testid=viewpoint-handle]").await;
    b.click((handle.0 + 30, handle.1 - 60)).await;
    let heading_there = 26.57;
    let seen = look(server, &v, heading_there, 0.0);
    b.until("what was picked in the plan", &format!("return document.querySelector('[data-testid=picked]')?.innerText.includes('{}') ?? false;", seen["name"].as_str().unwrap())).await;
}

/// Moving an object to a heading, and finding it there on a render.
async fn moving_a_thing(server: &Server, b: &Browser) {
    let v = viewpoint(server, 0);
    let globe = (0..360)
        .flat_map(|h| [(f64::from(h), -10.0), (f64::from(h), -20.0)])
        .find(|(h, p)| look(server, &v, *h, *p)["name"] == "Observing steps")
        .expect("the steps are seen");
    b.click(on_horizon(b, &v, globe.0, globe.1).await).await;
    b.until("the steps", "return document.querySelector('[data-testid=picked]')?.innerText.includes('Observing steps') ?? false;").await;
    b.press("Move it").await;
    // Aimed by a drag on the Horizon, then told exactly.
    b.drag(on_horizon(b, &v, 270.0, -12.0).await, (20, 6)).await;
    b.until("the aim", "return [...document.querySelectorAll('[data-testid=horizon-mark]')].some(m => m.dataset.look === 'aim');").await;
    b.check_accessibility("moving a thing").await;
    b.screenshot("stand-move").await;
    b.fill("To heading", "262").await;
    b.fill("Distance", "3").await;
    b.press_switch_label("Keep facing the viewpoint").await;
    b.press("Move it here").await;
    b.find("[data-testid=moved]").await;
    let moves = settings(server)["moves"].clone();
    assert_eq!(moves.as_array().unwrap().len(), 1, "{moves}");
    assert_eq!(moves[0]["name"], "Observing steps");
    // A small render with the mask of objects; where do the steps begin and end? On another page, since live
    // pictures come before renders.
    let stand = b.client.current_url().await.unwrap();
    b.client.goto(&server.address).await.unwrap();
    let order =
        json!({"viewpoint": v["id"], "width": 512, "samples": 1, "passes": ["object-mask"]});
    let (status, order) = server.json("POST", &format!("{PROJECT}/orders"), Some(order));
    assert_eq!(status, 200, "{order}");
    let order = order["id"].as_i64().unwrap();
    wait_for("the render", || {
        (server.json("GET", &format!("/api/orders/{order}"), None).1["state"] == "done")
            .then_some(())
    });
    let is_steps = |to: f64, pitch: f64| {
        let u = (wrap_signed_deg(to - heading(&v)) / 360.0 + 0.5).rem_euclid(1.0);
        let path = format!(
            "/api/orders/{order}/passes/object-mask/at?u={u}&v={}",
            0.5 - pitch / 180.0
        );
        server.json("GET", &path, None).1 == "Observing steps"
    };
    let mut seen: Vec<f64> = Vec::new();
    for pitch in [-8, -14, -20, -26] {
        let row = (-60..=60).map(|k| 262.0 + f64::from(k) * 0.5);
        seen.extend(row.filter(|to| is_steps(*to, f64::from(pitch))));
    }
    let (low, high) = seen
        .iter()
        .fold((1e9f64, -1e9f64), |(l, h), x| (l.min(*x), h.max(*x)));
    let middle = (low + high) / 2.0;
    assert!(
        seen.len() > 10 && (middle - 262.0).abs() < 1.0,
        "the steps stand at {middle}, from {low} to {high}"
    );
    // Switched off it stands where it stood; undone it is off the list.
    b.client.goto(stand.as_str()).await.unwrap();
    b.find("[data-testid=horizon-picture]").await;
    b.press_tab("Moved").await;
    b.find("[data-testid=moved] input")
        .await
        .click()
        .await
        .unwrap();
    wait_for("the move switched off", || {
        (settings(server)["moves"][0]["on"] == false).then_some(())
    });
    undo(b).await;
    wait_for("the move again", || {
        (settings(server)["moves"][0]["on"] == true).then_some(())
    });
    b.press("Undo this move Observing steps").await;
    wait_for("no move", || {
        (settings(server)["moves"] == json!([])).then_some(())
    });
}

/// Adding by a click, copying, order, a camera with its path, comparison, units.
async fn several(server: &Server, b: &Browser) {
    let count = || {
        server.json("GET", PROJECT, None).1["viewpoints"]
            .as_array()
            .unwrap()
            .len()
    };
    b.press("Add viewpoint").await;
    let handle = b.middle("[data-testid=viewpoint-handle]").await;
    b.click((handle.0 - 120, handle.1 + 10)).await;
    wait_for("the added viewpoint", || (count() == 6).then_some(()));
    let added = viewpoint(server, 5);
    let first = viewpoint(server, 0);
    assert!(
        (at(&added, 0) - at(&first, 0) + 120.0 / 26.0).abs() < 0.1
            && (at(&added, 1) - 1.6).abs() < 1e-3,
        "{added}"
    );
    b.press_tab("Place").await;
    let pressed =
        "return document.querySelector('[aria-label=Viewpoints] [aria-pressed=true]')?.innerText";
    b.until(
        "the new one to be chosen",
        &format!("{pressed} === 'Viewpoint 6';"),
    )
    .await;
    b.fill("Name", "By the stair").await;
    wait_for("the name", || {
        (viewpoint(server, 5)["name"] == "By the stair").then_some(())
    });
    b.until("the new name", &format!("{pressed} === 'By the stair';"))
        .await;
    b.press_labelled("Earlier in the order").await;
    wait_for("the new order", || {
        (viewpoint(server, 4)["name"] == "By the stair").then_some(())
    });
    b.press("Copy").await;
    wait_for("the copy", || (count() == 7).then_some(()));
    b.until(
        "the copy to be chosen",
        &format!("{pressed} === 'By the stair 2';"),
    )
    .await;
    b.press("Remove").await;
    wait_for("the removal", || (count() == 6).then_some(()));
    assert_eq!(viewpoint(server, 4)["name"], "By the stair");
    // The scene's camera takes its path along.
    let list = b
        .find("[aria-label='Take a camera of the scene as a viewpoint']")
        .await;
    list.select_by_value("0").await.unwrap();
    wait_for("the camera's viewpoint", || {
        (viewpoint(server, 6)["ride"]["name"] == "Visitor's walk").then_some(())
    });
    b.find("[data-testid=path]").await;
    assert!(b.text("[data-testid=ride]").await.contains("does not turn"));
    b.find("[data-testid=sight-line]").await;
    // Two Horizons one above the other, with the same heading in the middle.
    b.press("Under the dome").await;
    let compare = b
        .find("[aria-label='Compare with another viewpoint']")
        .await;
    compare.select_by_label("Gallery").await.unwrap();
    b.find("[data-testid=compared] [data-testid=horizon-picture]")
        .await;
    let middles = b.script("return [...document.querySelectorAll('[data-testid=horizon] figcaption')].map(f => f.innerText.match(/Centre ([0-9]+)/)[1]);").await;
    assert!(middles[0] == middles[1] && middles[0] == "315", "{middles}");
    b.calm_for_a_screenshot(6).await;
    b.check_accessibility("compared").await;
    b.screenshot("stand-compare").await;
    b.press("End the comparison").await;
    b.press("Use feet").await;
    b.until(
        "feet and inches",
        "return document.querySelector('[data-testid=plan-distance]').innerText.includes(' ft');",
    )
    .await;
    b.press("Use metres").await;
    b.press_tab("Suggestions").await;
    b.until("the starts' pictures", "const i = [...document.querySelectorAll('[data-testid=start] img')]; return i.length > 1 && i.every(p => p.naturalWidth === 256);").await;
    b.check_accessibility("starts").await;
    b.screenshot("stand-starts").await;
    b.press("Stand here, place 1").await;
    wait_for("the middle of the room", || {
        ((at(&viewpoint(server, 0), 0) - at(&first, 0)).abs() > 1.0).then_some(())
    });
    undo(b).await;
    wait_for("back under the dome", || {
        (viewpoint(server, 0)["pose"] == first["pose"]).then_some(())
    });
}

/// The preflight is in sight on every stage, shows its place and mends with one click.
async fn preflight(server: &Server, b: &Browser) {
    b.find("a[href='/project/1/scene']")
        .await
        .click()
        .await
        .unwrap();
    let pill = b.find("[data-testid=preflight]").await;
    b.until(
        "the preflight of things as they are",
        "const p = document.querySelector('[data-testid=preflight]').dataset; return Number(p.warns) > 0 && p.fresh === 'true';",
    )
    .await;
    pill.click().await.unwrap();
    b.find("[data-testid=preflight-list] [data-rule=over-furniture]")
        .await;
    b.check_accessibility("preflight").await;
    b.screenshot("preflight").await;
    let before = server.json("GET", PROJECT, None).1["viewpoints"][1].clone();
    b.script("document.querySelector('[data-testid=preflight-list] [data-rule=over-furniture] button').click(); return true;").await;
    wait_for("the desk's viewpoint to step away", || {
        (viewpoint(server, 1)["pose"] != before["pose"]).then_some(())
    });
    let rules = || -> Vec<String> {
        let all = server.json("GET", &format!("{PROJECT}/preflight"), None).1;
        all.as_array()
            .unwrap()
            .iter()
            .filter(|f| f["where"] == "At the desk")
            .map(|f| f["rule"].as_str().unwrap().into())
            .collect()
    };
    let found = rules();
    let now = viewpoint(server, 1);
    assert!(
        !found.contains(&"over-furniture".into()),
        "{found:?} at {now}, which was {before}"
    );
    b.until(
        "the preflight of the new place",
        "return document.querySelector('[data-testid=preflight]').dataset.fresh === 'true';",
    )
    .await;
    b.script("document.querySelector('[data-testid=preflight-list] [data-rule=lamp-in-sight] button').click(); return true;").await;
    wait_for("hidden lamps", || {
        let lights = settings(server)["lights"].clone();
        lights
            .as_object()
            .unwrap()
            .values()
            .any(|l| l["unseen"] == true && l["on"] == true)
            .then_some(())
    });
}
