//! Kills at random places of films and of a farm's tasks: nothing finished is lost, nothing half is taken for whole, and what comes out in
//! the end has the bytes of an undisturbed run. `OWL_DOME_KILLS` says how often, `OWL_DOME_KILL_SEED` where.

use crate::support;

use serde_json::json;
use std::collections::BTreeMap;
use std::os::unix::process::ExitStatusExt;
use std::path::Path;
use std::process::Stdio;
use std::time::Duration;
use support::choices::{Choices, told};
use support::decoded::hash;
use support::sound::wav;
use support::walk::{PROJECT, frames, wish, with_walk};
use support::{Server, owl_dome, run_ok, text};

/// How often, and the choices of where.
fn kills(usual: u64) -> (u64, Choices) {
    let (most, seed) = (
        told("OWL_DOME_KILLS", usual),
        told("OWL_DOME_KILL_SEED", 20_261_129),
    );
    eprintln!("OWL_DOME_KILLS={most} OWL_DOME_KILL_SEED={seed}");
    (most, Choices(seed))
}

/// Starts a command and kills it after so long; whether it was quicker. Killed is only what the kill ended.
fn killed(args: &[&str], after: Duration) -> bool {
    let mut child = owl_dome()
        .args(args)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(after);
    if let Some(status) = child.try_wait().unwrap() {
        assert!(status.success(), "{args:?}");
        return true;
    }
    child.kill().unwrap();
    let status = child.wait().unwrap();
    let hit = status.signal() == Some(9);
    assert!(hit || status.success(), "{args:?}: {status}");
    !hit
}

fn names(folder: &Path) -> Vec<String> {
    let name = |e: std::fs::DirEntry| e.file_name().to_str().unwrap().to_owned();
    let mut names: Vec<String> = (std::fs::read_dir(folder).unwrap().flatten())
        .map(name)
        .collect();
    names.sort();
    names
}

/// A film is there whole or not at all, whenever its maker is killed; what lies about of it is cleared away by the next one.
#[test]
fn a_killed_film_is_whole_or_not_there() {
    let (most, mut choices) = kills(50);
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::create_dir(at("frames")).unwrap();
    std::fs::create_dir(at("films")).unwrap();
    for i in 0..24u32 {
        image::RgbImage::from_fn(256, 128, |x, y| {
            image::Rgb([(x + 9 * i) as u8, y as u8, 90])
        })
        .save(at(&format!("frames/f-{i:03}.png")))
        .unwrap();
    }
    std::fs::write(at("sound.wav"), wav(2, 1.0)).unwrap();
    let (frames, sound) = (at("frames"), at("sound.wav"));
    let made = |out: &Path| -> Vec<String> {
        let all = [
            "film",
            text(&frames),
            "-o",
            text(out),
            "--rate",
            "24",
            "--stereo",
            "mono",
            "--sound",
            text(&sound),
        ];
        all.map(String::from).to_vec()
    };
    let calm = at("calm.mp4");
    run_ok(&made(&calm).iter().map(String::as_str).collect::<Vec<_>>());
    let (calm_hash, calm_bytes) = (hash(&calm), std::fs::read(&calm).unwrap());
    let out = at("films/wild.mp4");
    let args = made(&out);
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let (mut kill, mut tries) = (0, 0);
    while kill < most {
        tries += 1;
        assert!(tries <= 10 * most, "{kill} of {tries} kills hit");
        let quick = killed(&args, Duration::from_millis(2 + choices.below(700)));
        kill += u64::from(!quick);
        let there = names(&at("films"));
        if out.exists() {
            assert!(hash(&out) == calm_hash, "kill {kill} left half a film");
            if !quick {
                std::fs::remove_file(&out).unwrap();
            }
        }
        // At most the folder of the one that was killed just now: the encoder itself may still be at its end there.
        assert!(
            there.iter().filter(|n| n.starts_with('.')).count() <= 2,
            "{there:?}"
        );
    }
    run_ok(&args);
    assert!(std::fs::read(&out).unwrap() == calm_bytes);
    assert_eq!(names(&at("films")), ["wild.mp4"]);
}

/// A film in the queue comes to its end however often the server is killed, and is checked like any other.
#[test]
fn kills_of_the_server_cost_no_film() {
    let (most, mut choices) = kills(6);
    let (_folder, mut server) = with_walk();
    let data = server.data.clone();
    let order = server.order(1, wish(frames(15, "{frame:02}", json!({"format": "png"}))));
    server.wait_for_order(order, "done");
    let request = json!({
        "exposure_stops": 0, "soft": false, "quality": 92, "opening_heading_deg": 0, "opening_pitch_deg": 0, "opening_hfov_deg": 90,
        "film": {"codec": "h264"},
    });
    let path = format!("/api/orders/{order}/packages");
    let (status, job) = server.json("POST", &path, Some(request));
    assert_eq!(status, 202, "{job}");
    let mut hit = 0;
    for _ in 0..most {
        std::thread::sleep(Duration::from_millis(5 + choices.below(400)));
        hit += u64::from(server.jobs().iter().any(|j| j["state"] == "running"));
        server.kill();
        server = Server::start(&data, false);
    }
    assert!(hit > 0, "no kill met the film while it was made");
    let done = server.wait_for_job(&job["id"]);
    assert_eq!(done["state"], "done", "{done}");
    let package = server.json("GET", PROJECT, None).1["packages"][0].clone();
    let fine = |c: &serde_json::Value| c["fine"] == true;
    assert!(
        package["checks"].as_array().unwrap().iter().all(fine),
        "{package}"
    );
    let kept = data.join("packages").join(package["id"].to_string());
    assert_eq!(names(&kept), [package["file"].as_str().unwrap()]);
}

/// The tasks of a farm, each killed again and again, go on from what they finished: the frames and the still are those of one machine.
#[test]
fn killed_tasks_of_a_farm_go_on() {
    let (most, mut choices) = kills(50);
    let (folder, server) = with_walk();
    let data = server.data.clone();
    let ask = |name: &str| {
        wish(frames(
            5,
            &format!("{name}/{{frame}}"),
            json!({"format": "png16"}),
        ))
    };
    let still = || json!({"width": 96, "samples": 64, "seed": 3});
    let calm = [server.order(1, ask("calm")), server.order(1, still())];
    let calm = calm.map(|o| server.wait_for_order(o, "done"));
    let held = |mut wish: serde_json::Value, seed: u32| {
        wish["held"] = json!(true);
        wish["seed"] = json!(seed);
        server.order(1, wish)
    };
    // The still has another seed than the calm one: that would be there already.
    let wild = [held(ask("wild"), 5), held(still(), 4)];
    let mut count = 0;
    for (i, order) in wild.iter().enumerate() {
        let bundle = folder.path().join(format!("bundle-{i}"));
        let number = order.to_string();
        run_ok(&[
            "bundle",
            "--data",
            text(&data),
            "--order",
            &number,
            "-o",
            text(&bundle),
            "--parts",
            "3",
        ]);
        let status = || -> serde_json::Value {
            serde_json::from_str(&run_ok(&["farm", "status", text(&bundle), "--json"])).unwrap()
        };
        let chunks = status()["total"].as_u64().unwrap();
        for chunk in 0..chunks {
            let chunk = chunk.to_string();
            let task = ["farm", "run", text(&bundle), "--chunk", &chunk];
            while count < most * (i as u64 + 1) / 2 {
                let before = status()["done"].as_u64();
                let quick = killed(&task, Duration::from_millis(2 + choices.below(300)));
                assert!(status()["done"].as_u64() >= before, "a kill lost a chunk");
                if quick {
                    break;
                }
                count += 1;
            }
            run_ok(&task);
        }
        run_ok(&["farm", "join", text(&bundle)]);
        run_ok(&["farm", "collect", text(&bundle), "--data", text(&data)]);
        server.wait_for_order(*order, "done");
    }
    eprintln!("{count} kills");
    assert!(count >= most / 4, "only {count} kills met a task");
    let all = |name: &str| -> BTreeMap<String, Vec<u8>> {
        let folder = data.join("out").join(name);
        let read = |n: String| (n.clone(), std::fs::read(folder.join(n)).unwrap());
        names(&folder).into_iter().map(read).collect()
    };
    assert_eq!(all("calm").len(), 6);
    assert!(
        all("calm") == all("wild"),
        "other frames after {count} kills"
    );
    // The still once more, by one machine that knows nothing of the farm's.
    let told = server.told(wild[1]);
    let master = |picture: &serde_json::Value| {
        let folder = data.join("renders").join(picture.as_str().unwrap());
        std::fs::read(folder.join("master.exr")).unwrap()
    };
    let by_farm = master(&told["picture"]);
    assert_ne!(told["picture"], calm[1]["picture"]);
    let path = format!("/api/orders/{}", wild[1]);
    assert_eq!(server.json("DELETE", &path, None).0, 204);
    let mut again = still();
    again["seed"] = json!(4);
    let again = server.wait_for_order(server.order(1, again), "done");
    assert_eq!(again["picture"], told["picture"]);
    assert!(master(&again["picture"]) == by_farm);
}
