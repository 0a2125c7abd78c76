//! Every picture has a fingerprint: what shares one is made once, what differs never meets.

use crate::support;

use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use support::{
    Server, outside, run_fails, run_ok, scene_in, small_picture, text, wait_for, with_room,
};

fn strips_in(files: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = std::fs::read_dir(files.join("strips"))
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| e.path())
        .filter(|p| p.extension().is_some_and(|e| e == "strip"))
        .collect();
    found.sort();
    found
}

/// The picture of a command as `inspect` tells it.
fn inspected(path: &Path) -> Value {
    serde_json::from_str(&run_ok(&["inspect", "--json", text(path)])).unwrap()
}

/// The file says what determined the picture; its SHA-256, made by coreutils' `sha256sum`, is the fingerprint.
#[test]
fn a_master_says_what_determined_it() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let at = |name: &str| folder.path().join(name);
    let (one, two, other) = (at("one.exr"), at("two.exr"), at("other.exr"));
    let usual = ["--width", "32", "--samples", "2", "--at", "0.5,1.2,0.25"];
    for (out, more) in [
        (&one, vec![]),
        (&two, vec!["--threads", "1"]),
        (&other, vec!["--seed", "7"]),
    ] {
        let args = [
            &["render", text(&scene), "-o", text(out)][..],
            &usual,
            &more,
        ]
        .concat();
        run_ok(&args);
    }
    let found = inspected(&one);
    let lines: Vec<(String, String)> =
        serde_json::from_value(found["description"].clone()).unwrap();
    let value = |name: &str| {
        let line = lines.iter().find(|l| l.0 == name);
        line.unwrap_or_else(|| panic!("{name} in {lines:?}"))
            .1
            .clone()
    };
    assert_eq!(value("eye"), "0.5, 1.2, 0.25 m");
    assert_eq!(value("size"), "32 x 16 px");
    assert_eq!(value("quality"), "2 samples");
    assert_eq!(
        (value("seed"), value("passes")),
        ("0".into(), "beauty".into())
    );
    let text_of: String = (lines.iter())
        .map(|(name, value)| format!("{name}: {value}\n"))
        .collect();
    std::fs::write(at("picture.txt"), text_of).unwrap();
    let sum = outside("sha256sum", &[text(&at("picture.txt"))]);
    assert_eq!(sum.split_whitespace().next(), found["fingerprint"].as_str());
    // OpenEXR's own tool finds the attribute.
    let header = outside("exrheader", &[text(&one)]);
    assert!(
        header.contains("pictureDescription") && header.contains("eye: 0.5, 1.2, 0.25 m"),
        "{header}"
    );
    // Threads change nothing, another seed does.
    assert_eq!(inspected(&two)["fingerprint"], found["fingerprint"]);
    assert_eq!(std::fs::read(&one).unwrap(), std::fs::read(&two).unwrap());
    assert_ne!(inspected(&other)["fingerprint"], found["fingerprint"]);
}

/// Parts of different pictures are refused, with what differs.
#[test]
fn join_refuses_parts_of_different_pictures() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let at = |name: &str| folder.path().join(name);
    let part = |name: &str, rows: &str, more: &[&str]| {
        let out = at(name);
        let args = [
            &["render", text(&scene), "-o", text(&out), "--rows", rows][..],
            &["--width", "32", "--at", "0,1.2,0"],
            more,
        ];
        run_ok(&args.concat());
        out
    };
    let top = part("top.exr", "0-7", &["--samples", "2"]);
    let join = |other: &Path| {
        run_fails(
            &[
                "join",
                text(&top),
                text(other),
                "-o",
                text(&at("whole.exr")),
            ],
            1,
        )
    };
    for (name, more, differs) in [
        (
            "samples.exr",
            vec!["--samples", "3"],
            "quality (2 samples, not 3 samples)",
        ),
        (
            "seed.exr",
            vec!["--samples", "2", "--seed", "4"],
            "seed (0, not 4)",
        ),
        ("unit.exr", vec!["--samples", "2", "--unit", "cm"], "scene"),
        (
            "sky.exr",
            vec!["--samples", "2", "--sky", "plain:1,1,1"],
            "surroundings",
        ),
    ] {
        let said = join(&part(name, "8-15", &more));
        assert!(
            said.contains("different pictures") && said.contains(differs),
            "{name}: {said}"
        );
    }
    assert!(!at("whole.exr").exists());
    let bottom = part("bottom.exr", "8-15", &["--samples", "2"]);
    run_ok(&[
        "join",
        text(&top),
        text(&bottom),
        "-o",
        text(&at("whole.exr")),
    ]);
    let fingerprint = |path: &Path| inspected(path)["fingerprint"].clone();
    assert_eq!(fingerprint(&at("whole.exr")), fingerprint(&top));
}

/// Two orders that need the same picture make it once, and it stays for as long as one of them does.
#[test]
fn the_same_picture_is_made_once() {
    let (_folder, server, id) = with_room();
    let wish = json!({"width": 128, "samples": 16});
    let first = server.order(id, wish.clone());
    let made = server.wait_for_order(first, "done");
    let master = server.files_of(first).join("master.exr");
    let stamp = || std::fs::metadata(&master).unwrap().modified().unwrap();
    let before = stamp();
    let second = server.order(id, wish.clone());
    let again = server.wait_for_order(second, "done");
    assert_eq!(made["picture"], again["picture"]);
    assert_eq!(made["noise_percent"], again["noise_percent"]);
    assert_eq!(made["mean_samples"], again["mean_samples"]);
    assert_eq!(stamp(), before, "the master was written again");
    let other = server.order(id, json!({"width": 128, "samples": 16, "seed": 5}));
    assert_ne!(
        server.wait_for_order(other, "done")["picture"],
        made["picture"]
    );
    // The file itself says which picture it is.
    let picture = made["picture"].as_str().unwrap();
    assert_eq!(inspected(&master)["fingerprint"], picture);
    // Removed is the picture with the last order that wants it.
    let remove = |order: i64| {
        assert_eq!(
            server
                .json("DELETE", &format!("/api/orders/{order}"), None)
                .0,
            204
        );
    };
    remove(first);
    assert!(master.exists());
    assert!(
        !server
            .get(&format!("/api/orders/{second}/picture.jpg"))
            .is_empty()
    );
    remove(second);
    assert!(!master.exists());
    assert_eq!(server.told(other)["state"], "done");
}

/// Strips of another engine, or of a scene that was corrected meanwhile, never get into a picture: it is begun anew, and the
/// order says why.
#[test]
fn what_was_begun_otherwise_is_begun_anew() {
    let (folder, server, id) = with_room();
    let wish = json!({"width": 256, "samples": 20});
    let undisturbed = {
        let (_folder, server, id) = with_room();
        let order = server.order(id, wish.clone());
        server.wait_for_order(order, "done");
        std::fs::read(server.files_of(order).join("master.exr")).unwrap()
    };
    let cut = server.order(id, wish);
    let files = server.files_of(cut);
    wait_for("two strips", || {
        (strips_in(&files).len() >= 2).then_some(())
    });
    server.ask_job(cut, "stop");
    server.wait_for_order(cut, "stopped");
    let data = server.data.clone();
    assert!(server.end().success());
    // As if another engine had begun it: its strips lie under another fingerprint, with other light in them.
    let text = std::fs::read_to_string(files.join("picture.txt")).unwrap();
    let engine = text.lines().next().unwrap().to_owned();
    assert!(engine.starts_with("engine: "), "{engine}");
    let old = "ab".repeat(32);
    let old_files = data.join("renders").join(&old);
    std::fs::rename(&files, &old_files).unwrap();
    std::fs::write(
        old_files.join("picture.txt"),
        text.replacen(&engine, "engine: 0.0.1 of long ago", 1),
    )
    .unwrap();
    let database = rusqlite::Connection::open(data.join("owl-dome.db")).unwrap();
    database
        .execute("UPDATE render_order SET picture = ?1", [&old])
        .unwrap();
    drop(database);
    let server = Server::start(&folder.path().join("data"), false);
    assert_eq!(server.ask_job(cut, "resume"), 202);
    // While it looks at light and noise first, that is said of it.
    let said = wait_for("what is said of it", || {
        let told = server.told(cut)["problem"].as_str()?.to_owned();
        told.contains("Begun anew").then_some(told)
    });
    assert!(
        said.contains("engine") && said.contains("0.0.1 of long ago"),
        "{said}"
    );
    let done = server.wait_for_order(cut, "done");
    assert_eq!(done["problem"], said, "it is still said when it is done");
    let master = std::fs::read(server.files_of(cut).join("master.exr")).unwrap();
    assert!(master == undisturbed, "strips of before are in the master");
    wait_for("what nobody needs any more to be swept", || {
        (!old_files.exists()).then_some(())
    });
}

/// A strip of another picture in the right place is found out by its own mark.
#[test]
fn a_strip_of_another_picture_is_made_again() {
    let (folder, server, id) = with_room();
    let one = server.order(id, json!({"width": 256, "samples": 1, "seed": 3}));
    server.wait_for_order(one, "done");
    let whole = std::fs::read(server.files_of(one).join("master.exr")).unwrap();
    // The same, begun again with a strip of another seed among its own.
    let other = server.order(id, json!({"width": 256, "samples": 60, "seed": 4}));
    let other_files = server.files_of(other);
    wait_for("a strip", || {
        (!strips_in(&other_files).is_empty()).then_some(())
    });
    server.ask_job(other, "stop");
    server.wait_for_order(other, "stopped");
    let foreign = strips_in(&other_files)[0].clone();
    let mine = server.files_of(one);
    let data = server.data.clone();
    server.kill();
    std::fs::remove_file(mine.join("master.exr")).unwrap();
    std::fs::create_dir_all(mine.join("strips")).unwrap();
    std::fs::copy(
        &foreign,
        mine.join("strips").join(foreign.file_name().unwrap()),
    )
    .unwrap();
    let database = rusqlite::Connection::open(data.join("owl-dome.db")).unwrap();
    database
        .execute(
            "UPDATE job SET state = 'stopped' WHERE kind = 'order' AND makes = ?1",
            [one],
        )
        .unwrap();
    drop(database);
    let server = Server::start(&folder.path().join("data"), false);
    assert_eq!(server.ask_job(one, "resume"), 202);
    server.wait_for_order(one, "done");
    assert!(std::fs::read(mine.join("master.exr")).unwrap() == whole);
}

/// Numbers are never used twice: what comes after a removal has a number of its own.
#[test]
fn numbers_are_never_used_twice() {
    let (_folder, server, id) = with_room();
    let one = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(one, "done");
    server.json("DELETE", &format!("/api/orders/{one}"), None);
    let two = server.order(id, json!({"width": 64, "samples": 1}));
    assert!(two > one, "{one} was used again");
    let (status, project) = server.json("DELETE", &format!("/api/projects/{id}"), None);
    assert_eq!(status, 204, "{project}");
    let (status, again) = server.upload("room.glb", &support::scene::room_glb());
    assert_eq!(status, 200);
    assert!(again["id"].as_i64().unwrap() > id, "{again}");
    let (_, first) = server.bring("/api/pictures?file=a.png", &small_picture());
    assert_eq!(
        server
            .json("DELETE", &format!("/api/pictures/{}", first["id"]), None)
            .0,
        204
    );
    let (_, second) = server.bring("/api/pictures?file=a.png", &small_picture());
    assert!(
        second["id"].as_i64() > first["id"].as_i64(),
        "{first} {second}"
    );
    // A removed viewpoint comes back under its own number after others were added.
    let path = format!("/api/projects/{}/viewpoints", again["id"]);
    let draft = again["viewpoints"][0].clone();
    let added = server.json("POST", &path, Some(draft.clone())).1;
    assert_eq!(
        server
            .json("DELETE", &format!("{path}/{}", added["id"]), None)
            .0,
        204
    );
    let later = server.json("POST", &path, Some(draft)).1;
    assert!(
        later["id"].as_i64() > added["id"].as_i64(),
        "{added} {later}"
    );
    for _ in 0..2 {
        let undo = format!("/api/projects/{}/undo", again["id"]);
        let (status, answer) = server.json("POST", &undo, None);
        assert_eq!(status, 200, "{answer}");
    }
    let project = server
        .json("GET", &format!("/api/projects/{}", again["id"]), None)
        .1;
    let back = project["viewpoints"].as_array().unwrap().iter();
    assert!(back.clone().any(|v| v["id"] == added["id"]), "{project}");
}
