//! Finished pictures in the folder for outputs: each where its name says, nothing overwritten, nothing outside of it.

use crate::support;

use serde_json::{Value, json};
use std::path::Path;
use support::{Server, with_room};

const PROJECT: &str = "/api/projects/1";

fn wish(seed: u32, out: &str) -> Value {
    json!({"width": 32, "samples": 1, "seed": seed, "out": out})
}

fn read(server: &Server, name: &str) -> Vec<u8> {
    let file = server.data.join("out").join(name);
    std::fs::read(&file).unwrap_or_else(|e| panic!("{}: {e}", file.display()))
}

fn master(server: &Server, order: &Value) -> Vec<u8> {
    let picture = order["picture"].as_str().unwrap();
    std::fs::read(server.data.join("renders").join(picture).join("master.exr")).unwrap()
}

fn done(server: &Server, wish: Value) -> Value {
    let order = server.order(1, wish);
    server.wait_for_order(order, "done")
}

#[test]
fn a_finished_picture_goes_where_its_name_says() {
    let (_folder, server, _) = with_room();
    let viewpoint = server.json("GET", PROJECT, None).1["viewpoints"][0]["name"].clone();
    let viewpoint = viewpoint.as_str().unwrap();
    let first = done(&server, wish(1, "{viewpoint}/{shape} {width}"));
    let name = format!("{viewpoint}/equirect 32.exr");
    assert!(read(&server, &name) == master(&server, &first));
    let told = first["out_file"].as_str().unwrap();
    assert_eq!(Path::new(told), server.data.join("out").join(&name));
    // The same picture once more is there already; it is not written a second time.
    let same = done(&server, wish(1, "{viewpoint}/{shape} {width}"));
    assert_eq!(same["picture"], first["picture"]);
    assert_eq!(same["problem"], Value::Null);
    let folder = server.data.join("out").join(viewpoint);
    assert_eq!(std::fs::read_dir(&folder).unwrap().count(), 1);
    // Another one of that name leaves it, and is told.
    let other = done(&server, wish(2, "{viewpoint}/{shape} {width}"));
    assert!(
        other["problem"]
            .as_str()
            .unwrap()
            .contains("equirect 32 2.exr"),
        "{other}"
    );
    assert!(read(&server, &name) == master(&server, &first));
    let second = format!("{viewpoint}/equirect 32 2.exr");
    assert!(read(&server, &second) == master(&server, &other));
    // It is a file of its own: whoever paints in it leaves the master alone, and removing the order leaves it.
    std::fs::write(folder.join("equirect 32.exr"), b"painted").unwrap();
    let before = master(&server, &first);
    assert!(before.len() > 100);
    for order in [&first, &same] {
        let path = format!("/api/orders/{}", order["id"]);
        assert_eq!(server.json("DELETE", &path, None).0, 204);
    }
    assert_eq!(read(&server, &name), b"painted");
    // A project that gets another name keeps its pictures' places.
    let named = done(&server, wish(3, "{project} {order}"));
    let file = named["out_file"].clone();
    let version = server.json("GET", PROJECT, None).1["version"].clone();
    let change = json!({"name": "Another name", "version": version});
    assert_eq!(server.json("PATCH", PROJECT, Some(change)).0, 200);
    assert_eq!(server.told(named["id"].as_i64().unwrap())["out_file"], file);
    assert!(Path::new(file.as_str().unwrap()).is_file());
}

#[test]
fn names_lead_nowhere_else() {
    let (_folder, server, _) = with_room();
    let viewpoint = server.json("GET", PROJECT, None).1["viewpoints"][0]["id"].clone();
    for (out, sentence) in [
        ("../outside", "leads out of the folder"),
        ("/tmp/outside", "leads out of the folder"),
        (".hidden/one", "leads out of the folder"),
        ("{viewpoint}/{frame:05}", "only frames over time have"),
        ("{eye}", "only frames over time have"),
        ("{camera}", "is no word for a name"),
        ("", "leads out of the folder"),
    ] {
        let mut body = wish(1, out);
        body["viewpoint"] = viewpoint.clone();
        let (status, told) = server.json("POST", &format!("{PROJECT}/orders"), Some(body));
        assert_eq!(status, 422, "{out}: {told}");
        assert!(
            told["error"].as_str().unwrap().contains(sentence),
            "{out}: {told}"
        );
    }
    // Several orders in one go must not have one name.
    let together = |out: &str| {
        let body = json!({
            "order": {"viewpoint": viewpoint, "width": 32, "samples": 1, "held": true, "out": out},
            "viewpoints": [viewpoint], "shapes": ["equirect", "octahedral"], "setups": [1],
        });
        server.json("POST", &format!("{PROJECT}/orders/all"), Some(body))
    };
    let (status, told) = together("{project}/{viewpoint}");
    assert_eq!(status, 422, "{told}");
    assert!(
        told["error"]
            .as_str()
            .unwrap()
            .contains("files of the same names"),
        "{told}"
    );
    assert_eq!(together("{project}/{shape}").0, 200);
}
