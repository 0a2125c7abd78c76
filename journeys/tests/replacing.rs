//! Light setups in the page, and another export in the place of a project's scene file.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, scene, wait_for, with_room};
use serde_json::{Value, json};

/// The room exported again: a table is new and comes first, and the lamp is called so again or is gone.
fn exported_again(with_lamp: bool) -> Vec<u8> {
    let (mut document, binary) = scene::room();
    let (room, lamp) = (document["nodes"][0].clone(), document["nodes"][1].clone());
    let table = json!({"name": "Table", "mesh": 0, "scale": [1.0, 0.7, 1.0], "translation": [-1.5, 0.35, 1.5]});
    let mut nodes = vec![table, room];
    if with_lamp {
        nodes.insert(0, lamp);
    }
    document["scenes"][0]["nodes"] = json!((0..nodes.len()).collect::<Vec<_>>());
    document["nodes"] = Value::Array(nodes);
    scene::pack(&document, &binary)
}

/// What was set follows its things by name; what matches nothing is kept and comes back; undo brings the old file back;
/// orders made from it stay what they are.
#[test]
fn another_export_keeps_what_was_set() {
    let (_folder, server, project) = with_room();
    let path = format!("/api/projects/{project}");
    let get = || server.json("GET", &path, None).1;
    let mut settings = get()["settings"].clone();
    settings["lights"] = json!({"object:1": {"on": true, "stops": -2.0, "unseen": true}});
    settings["moves"] = json!([{"name": "Lamp", "objects": [1], "about": [1.5, -1.0], "turn_deg": 0.0,
        "by": [-1.0, 0.0, 0.0], "on": true}]);
    let (status, before) = server.json("PATCH", &path, Some(json!({"settings": settings})));
    assert_eq!(status, 200, "{before}");
    let order = || server.order(project, json!({"width": 32, "samples": 4}));
    let master = |id: i64| {
        server.wait_for_order(id, "done");
        server.get(&format!("/api/orders/{id}/master.exr"))
    };
    let first = master(order());

    let replace = |bytes: &[u8]| server.bring(&format!("{path}/scene?file=room-2.glb"), bytes);
    let (status, after) = replace(&exported_again(true));
    assert_eq!(status, 200, "{after}");
    assert_eq!(after["scene"]["file"], "room-2.glb");
    assert_eq!(after["scene"]["objects"].as_array().unwrap().len(), 3);
    let s = &after["settings"];
    assert_eq!(
        s["lights"],
        json!({"object:0": settings["lights"]["object:1"]})
    );
    assert_eq!(s["moves"][0]["objects"], json!([0]));
    assert_eq!(s["unmatched"], json!([]));
    assert_eq!(
        after["viewpoints"][0]["pose"],
        before["viewpoints"][0]["pose"]
    );
    // The table is in the new picture; a lamp that stands where it stood lights it.
    let second = order();
    assert_ne!(master(second), first);

    // Without the lamp: what was set for it is kept, and told.
    let (_, without) = replace(&exported_again(false));
    assert_eq!(
        (
            &without["settings"]["lights"],
            &without["settings"]["moves"]
        ),
        (&json!({}), &json!([]))
    );
    let kept = without["settings"]["unmatched"].as_array().unwrap();
    assert_eq!(kept.len(), 2, "{kept:?}");
    assert!(
        kept.iter()
            .all(|k| k["path"] == "Lamp" && k["lamp"] == false)
    );

    // What cannot be read changes nothing, in one sentence.
    for (bytes, said) in [(&b"glTF nothing"[..], "room-2.glb"), (b"", "empty")] {
        let (status, answer) = replace(bytes);
        let sentence = answer["error"].as_str().unwrap();
        assert!(
            (400..500).contains(&status) && sentence.contains(said),
            "{status} {sentence}"
        );
        assert_eq!(get()["settings"], without["settings"]);
    }

    // With the lamp again: all is as it was.
    let (_, back) = replace(&exported_again(true));
    for key in ["lights", "moves", "unmatched"] {
        assert_eq!(back["settings"][key], s[key], "{key}");
    }
    // Undone step by step to the first file, whose picture is what it was: made once, it is not made again.
    for _ in 0..3 {
        assert_eq!(server.json("POST", &format!("{path}/undo"), None).0, 200);
    }
    let undone = get();
    assert_eq!(undone["settings"], before["settings"]);
    assert_eq!(undone["scene"]["objects"], before["scene"]["objects"]);
    assert_eq!(undone["scene"]["file"], "room.glb");
    assert_eq!(master(order()), first);
}

/// An order that waits while the scene file is replaced is made from the scene it was ordered for.
#[test]
fn orders_are_of_the_scene_that_they_were_made_for() {
    let (_folder, server, project) = with_room();
    let path = format!("/api/projects/{project}");
    let wish = || json!({"width": 32, "samples": 4});
    let first = server.order(project, wish());
    server.wait_for_order(first, "done");
    let picture = |id: i64| server.get(&format!("/api/orders/{id}/master.exr"));
    let waiting = server.order(project, json!({"width": 64, "samples": 4}));
    let job = server.told(waiting)["job"].clone();
    server.json(
        "PATCH",
        &format!("/api/jobs/{job}"),
        Some(json!({"held": true})),
    );
    let (status, _) = server.bring(
        &format!("{path}/scene?file=room-2.glb"),
        &exported_again(false),
    );
    assert_eq!(status, 200);
    server.json(
        "PATCH",
        &format!("/api/jobs/{job}"),
        Some(json!({"held": false})),
    );
    server.wait_for_order(waiting, "done");
    // Without its only lamp the room would be dark but for what comes in from nowhere.
    let other = server.order(project, json!({"width": 64, "samples": 4}));
    server.wait_for_order(other, "done");
    assert_ne!(picture(waiting), picture(other));
    let told = |id: i64| server.told(id)["spec"]["settings"]["replaced"].clone();
    assert_eq!(told(waiting), Value::Null);
    assert_eq!(told(other)["name"], "room-2.glb");
}

/// The room with a cart that rolls from x 0 to x 2 within a second, as the node of a number, or without it.
fn with_cart(node: Option<usize>) -> Vec<u8> {
    let (mut document, mut binary) = scene::room();
    let Some(node) = node else {
        return scene::pack(&document, &binary);
    };
    let start = binary.len();
    let numbers = [0.0f32, 1.0, 0.0, 0.3, 0.0, 2.0, 0.3, 0.0];
    binary.extend(numbers.iter().flat_map(|v| v.to_le_bytes()));
    document["buffers"][0]["byteLength"] = json!(binary.len());
    let views = document["bufferViews"].as_array_mut().unwrap();
    for (offset, length) in [(start, 8), (start + 8, 24)] {
        views.push(json!({"buffer": 0, "byteOffset": offset, "byteLength": length}));
    }
    let accessors = document["accessors"].as_array_mut().unwrap();
    accessors.push(
        json!({"bufferView": 2, "componentType": 5126, "count": 2, "type": "SCALAR",
        "min": [0.0], "max": [1.0]}),
    );
    accessors.push(json!({"bufferView": 3, "componentType": 5126, "count": 2, "type": "VEC3"}));
    let cart = json!({"name": "Cart", "mesh": 0, "scale": [0.4, 0.4, 0.4], "translation": [0.0, 0.3, 0.0]});
    document["nodes"].as_array_mut().unwrap().insert(node, cart);
    document["scenes"][0]["nodes"] = json!([0, 1, 2]);
    document["animations"] = json!([{
        "channels": [{"sampler": 0, "target": {"node": node, "path": "translation"}}],
        "samplers": [{"input": 2, "output": 3}]}]);
    scene::pack(&document, &binary)
}

/// A viewpoint that rides on something which a newer export lacks stands still, moves freely, and rides again later.
#[test]
fn rides_are_found_again_by_name() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let (status, project) = server.upload("cart.glb", &with_cart(Some(2)));
    assert_eq!(status, 200, "{project}");
    let path = format!("/api/projects/{}", project["id"]);
    let viewpoint = || server.json("GET", &path, None).1["viewpoints"][0].clone();
    let set = |draft: &Value| {
        let at = format!("{path}/viewpoints/{}", draft["id"]);
        server.json("PUT", &at, Some(draft.clone()))
    };
    let replace = |node| {
        let (status, after) =
            server.bring(&format!("{path}/scene?file=cart.glb"), &with_cart(node));
        assert_eq!(status, 200, "{after}");
    };
    let mut draft = viewpoint();
    draft["ride"] = json!({"node": 2, "name": "Cart", "offset": [0.0, 1.3, 0.0]});
    let (status, rides) = set(&draft);
    assert_eq!(
        (status, &rides["ride"]["name"]),
        (200, &json!("Cart")),
        "{rides}"
    );
    replace(None);
    let mut lost = viewpoint();
    assert_eq!(lost["ride"]["name"], "Cart", "it is kept");
    assert_eq!(lost["pose"], rides["pose"]);
    lost["pose"]["position"][0] = json!(0.5);
    let (status, moved) = set(&lost);
    assert_eq!(
        (status, &moved["pose"]["position"][0]),
        (200, &json!(0.5)),
        "{moved}"
    );
    replace(Some(0));
    let again = viewpoint();
    assert_eq!(
        (&again["ride"]["name"], &again["ride"]["node"]),
        (&json!("Cart"), &json!(0))
    );
    // At another moment it goes along.
    let mut settings = server.json("GET", &path, None).1["settings"].clone();
    settings["time_s"] = json!(1.0);
    assert_eq!(
        server
            .json("PATCH", &path, Some(json!({"settings": settings})))
            .0,
        200
    );
    let x = viewpoint()["pose"]["position"][0].as_f64().unwrap();
    assert!((x - 2.0).abs() < 1e-6, "{x}");
}

/// Both by hand, in the page.
#[test]
fn setups_and_a_new_export_in_the_page() {
    let (folder, server, project) = with_room();
    let again = folder.path().join("room-2.glb");
    std::fs::write(&again, exported_again(false)).unwrap();
    let path = format!("/api/projects/{project}");
    let settings = || server.json("GET", &path, None).1["settings"].clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        let to = |stage: &str| format!("{}/project/{project}/{stage}", server.address);
        b.client.goto(&to("scene")).await.unwrap();
        b.find("[data-testid=setups]").await;
        // A copy is in use at once; its exposure is its own.
        b.press("Copy").await;
        b.press_labelled("Name of the light setup").await;
        let field = b.find("[aria-label='Name of the light setup']").await;
        field.send_keys("\u{e009}a\u{e000}Evening\u{e007}").await.unwrap();
        let in_use = |name: &str| {
            format!(
                "return [...document.querySelectorAll('[data-testid=setups] [aria-pressed=true]')].map(b => b.innerText).join() === '{name}';"
            )
        };
        b.until("the copy in use", &in_use("Evening")).await;
        b.fill("Exposure", "1.5").await;
        wait_for("its exposure", || (settings()["exposure_stops"] == 1.5).then_some(()));
        // Compared on the Horizon, both at once.
        let list = b.find("[aria-label='Compare with another light setup']").await;
        list.select_by_value("1").await.unwrap();
        b.until(
            "the other light",
            "return !!document.querySelector('[data-testid=other-light] img')?.complete;",
        )
        .await;
        b.check_accessibility("light setups").await;
        // One click to the other and back.
        b.press("Setup 1").await;
        b.until("the first in use", &in_use("Setup 1")).await;
        assert_eq!(settings()["exposure_stops"], 0.0);
        b.control("z").await;
        b.until("undone", &in_use("Evening")).await;

        // An order in the setup that is not in use says so.
        b.client.goto(&to("render")).await.unwrap();
        b.choose("Light setup", "1").await;
        b.choose("Kind", "draft").await;
        b.fill("Width", "64").await;
        b.press("Order render").await;
        b.until(
            "the order with its setup",
            "return document.querySelector('[data-testid=order]')?.innerText.includes('Setup 1') ?? false;",
        )
        .await;

        // The lamp is hidden, then the scene comes without it: that is told, and can be forgotten and undone.
        let mut hidden = settings();
        hidden["lights"] = json!({"object:1": {"on": true, "stops": 0.0, "unseen": true}});
        assert_eq!(server.json("PATCH", &path, Some(json!({"settings": hidden}))).0, 200);
        b.client.goto(&to("scene")).await.unwrap();
        b.press_tab("Import").await;
        let file = b.find("[aria-label='Scene file that replaces this one']").await;
        file.send_keys(&again.to_string_lossy()).await.unwrap();
        b.until(
            "what matches nothing",
            "return document.querySelector('[data-testid=unmatched]')?.innerText.includes('Lamp: hidden from view in “Evening”') ?? false;",
        )
        .await;
        b.check_accessibility("a replaced scene").await;
        assert_eq!(b.text("h1").await, "room-2.glb");
        b.press("Forget these").await;
        b.until("forgotten", "return !document.querySelector('[data-testid=unmatched]');").await;
        b.control("z").await;
        b.find("[data-testid=unmatched]").await;
        b.control("z").await;
        b.until("the old file", "return document.querySelector('h1').innerText === 'room.glb';").await;
        b.close().await;
    });
}
