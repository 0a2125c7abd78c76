//! What is finished survives: lost and damaged databases, full disks, rows that cannot be read.

use crate::support;

use rusqlite::Connection;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;
use support::{Server, run_fails, run_ok, small_picture, text, wait_for, with_room};

fn orders(server: &Server, project: i64) -> Vec<Value> {
    let project = server
        .json("GET", &format!("/api/projects/{project}"), None)
        .1;
    project["orders"].as_array().unwrap().clone()
}

/// Everything in a folder with its size, but for what changes whenever it is opened.
fn listing(folder: &Path) -> Vec<(PathBuf, u64)> {
    let mut found = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(at) = folders.pop() {
        for entry in std::fs::read_dir(at).unwrap().flatten() {
            if entry.file_type().unwrap().is_dir() {
                folders.push(entry.path());
            } else {
                found.push((entry.path(), entry.metadata().unwrap().len()));
            }
        }
    }
    found.sort();
    found
}

/// One row that cannot be read neither stops the queue nor hides its project or its neighbours; it is told, and can be removed.
#[test]
fn an_unreadable_row_is_set_aside_and_told() {
    let (folder, server, id) = with_room();
    let good = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(good, "done");
    let bad = server.order(id, json!({"width": 32, "samples": 2}));
    server.wait_for_order(bad, "done");
    let waiting = server.order(id, json!({"width": 32, "samples": 3}));
    server.wait_for_order(waiting, "done");
    let picture = |name: &str| {
        let (status, picture) =
            server.bring(&format!("/api/pictures?file={name}"), &small_picture());
        assert_eq!(status, 200, "{picture}");
        picture["id"].as_i64().unwrap()
    };
    let (lost, kept) = (picture("lost.png"), picture("kept.png"));
    let data = server.data.clone();
    server.kill();
    let database = Connection::open(data.join("owl-dome.db")).unwrap();
    database
        .execute(
            "UPDATE picture SET record = 'no record' WHERE id = ?1",
            [lost],
        )
        .unwrap();
    database
        .execute(
            "UPDATE render_order SET spec = '{\"width\": 3' WHERE id = ?1",
            [bad],
        )
        .unwrap();
    database
        .execute(
            "UPDATE render_order SET picture = NULL WHERE id = ?1",
            [waiting],
        )
        .unwrap();
    database
        .execute(
            "UPDATE job SET state = 'waiting' WHERE kind = 'order' AND makes IN (?1, ?2)",
            [bad, waiting],
        )
        .unwrap();
    drop(database);
    let server = Server::start(&folder.path().join("data"), false);
    // The one behind it has its turn.
    server.wait_for_order(waiting, "done");
    let all = orders(&server, id);
    assert_eq!(all.len(), 3);
    let told = all.iter().find(|o| o["id"] == bad).unwrap();
    assert_eq!(told["state"], "failed");
    assert!(
        told["problem"].as_str().unwrap().contains("cannot be read"),
        "{told}"
    );
    assert_eq!(
        server.json("DELETE", &format!("/api/orders/{bad}"), None).0,
        204
    );
    assert_eq!(orders(&server, id).len(), 2);
    // Pictures likewise.
    let all = server.json("GET", "/api/pictures", None).1;
    assert_eq!(
        (&all["unreadable"], &all["pictures"][0]["id"]),
        (&json!([lost]), &json!(kept))
    );
    assert_eq!(
        server
            .json("DELETE", &format!("/api/pictures/{lost}"), None)
            .0,
        204
    );
    assert_eq!(
        server.json("GET", "/api/pictures", None).1["unreadable"],
        json!([])
    );
    assert!(!data.join(format!("pictures/{lost}")).exists());
}

/// A folder whose database is gone or empty is never begun anew: that is told, and a copy from `backups/` brings all back.
#[test]
fn a_lost_database_is_told_and_comes_back_from_its_copy() {
    let (_folder, server, id) = with_room();
    let data = server.data.clone();
    let done = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(done, "done");
    assert!(server.end().success());
    let latest = data.join("backups/latest.db");
    assert!(latest.exists(), "a clean end leaves a copy");
    let server = Server::start(&data, false);
    let before = orders(&server, id);
    assert!(server.end().success());
    // After a clean end everything is in the one file.
    let log = data.join("owl-dome.db-wal");
    assert!(std::fs::metadata(&log).map_or(0, |m| m.len()) == 0);
    for empty in [false, true] {
        for part in ["", "-wal", "-shm"] {
            let _ = std::fs::remove_file(data.join(format!("owl-dome.db{part}")));
        }
        if empty {
            std::fs::write(data.join("owl-dome.db"), "").unwrap();
        }
        let was = listing(&data);
        let said = run_fails(&["serve", "--port", "0", "--data", text(&data)], 1);
        assert!(
            said.contains("missing or empty") && said.contains("--recover"),
            "{said}"
        );
        assert_eq!(listing(&data), was, "something was changed");
    }
    std::fs::copy(latest, data.join("owl-dome.db")).unwrap();
    let server = Server::start(&data, false);
    assert_eq!(orders(&server, id), before);
    assert!(
        !server
            .get(&format!("/api/orders/{done}/picture.jpg"))
            .is_empty()
    );
}

/// A lost database is brought back by the newest whole copy; where there is none, scenes, pictures and masters are read in
/// again, and nothing that lay there is lost.
#[test]
fn a_lost_database_is_recovered() {
    let (folder, server, id) = with_room();
    let data = server.data.clone();
    let done = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(done, "done");
    let master = server.get(&format!("/api/orders/{done}/master.exr"));
    let (status, kept) = server.bring("/api/pictures?file=kept.png", &small_picture());
    assert_eq!(status, 200, "{kept}");
    let before = orders(&server, id);
    assert!(server.end().success());
    let recover = ["serve", "--port", "0", "--data", text(&data), "--recover"];
    let said = run_fails(&recover, 1);
    assert!(said.contains("without --recover"), "{said}");
    let lose = || {
        for part in ["", "-wal", "-shm"] {
            let _ = std::fs::remove_file(data.join(format!("owl-dome.db{part}")));
        }
    };
    lose();
    // A damaged copy is passed over, be it ever so new.
    std::fs::write(data.join("backups/owl-dome-9999-01-01.db"), "no database").unwrap();
    let server = Server::start_with(&data, &["--recover"]);
    assert_eq!(orders(&server, id), before);
    assert!(server.end().success());

    lose();
    std::fs::remove_dir_all(data.join("backups")).unwrap();
    let server = Server::start_with(&data, &["--recover"]);
    let cards = server.json("GET", "/api/projects", None).1;
    let cards = cards.as_array().unwrap();
    assert_eq!((cards.len(), &cards[0]["name"]), (1, &json!("room")));
    let again = server
        .json("GET", &format!("/api/projects/{}", cards[0]["id"]), None)
        .1;
    assert_eq!(again["scene"]["triangles"], before_triangles(folder.path()));
    let pictures = server.json("GET", "/api/pictures", None).1["pictures"].clone();
    let files: Vec<&str> = (pictures.as_array().unwrap().iter())
        .map(|p| p["file"].as_str().unwrap())
        .collect();
    assert!(
        files.len() == 2 && files.contains(&"kept.png") && files[0].starts_with("Master "),
        "{files:?}"
    );
    let found = server.get(&format!("/api/pictures/{}/download", pictures[0]["id"]));
    assert!(found == master, "the master has other bytes");
    // It is a project like any other: what is ordered now is made.
    let order = server.order(
        cards[0]["id"].as_i64().unwrap(),
        json!({"width": 32, "samples": 1}),
    );
    server.wait_for_order(order, "done");
}

/// A damaged database, however it is damaged, is told with the newest whole copy, and recovery puts it aside and the copy in its place.
#[test]
fn a_damaged_database_is_told_and_recovered() {
    let (_folder, server, id) = with_room();
    let data = server.data.clone();
    let done = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(done, "done");
    let before = orders(&server, id);
    assert!(server.end().success());
    let database = data.join("owl-dome.db");
    let whole = std::fs::read(&database).unwrap();
    const PAGE: usize = 4096;
    assert!(whole.len() > 4 * PAGE);
    type Damage = fn(&mut Vec<u8>);
    let damages: [(&str, Damage); 5] = [
        ("no database at all", |b| b.fill(b'x')),
        ("its first words", |b| b[..8].fill(0)),
        ("cut short", |b| b.truncate(b.len() / 2)),
        ("its table of tables", |b| b[100..PAGE].fill(0xa5)),
        ("pages in the middle", |b| {
            for at in (PAGE..b.len()).step_by(PAGE) {
                b[at..at + 64].fill(0x5a);
            }
        }),
    ];
    for (i, (what, damage)) in damages.iter().enumerate() {
        let mut bytes = whole.clone();
        damage(&mut bytes);
        std::fs::write(&database, &bytes).unwrap();
        let said = run_fails(&["serve", "--port", "0", "--data", text(&data)], 1);
        assert!(
            said.contains("is damaged") && said.contains("--recover") && said.contains(".db, in"),
            "{what}: {said}"
        );
        assert!(
            std::fs::read(&database).unwrap() == bytes,
            "{what}: changed by a look"
        );
        let server = Server::start_with(&data, &["--recover"]);
        assert_eq!(orders(&server, id), before, "{what}");
        assert!(server.end().success());
        let aside = data.join(format!("damaged-{}/owl-dome.db", i + 1));
        assert!(std::fs::read(aside).unwrap() == bytes, "{what}: not kept");
    }
}

/// What came after the copy and can still be read of a damaged database is there again: names, viewpoints, orders with their pictures; be
/// it that the list of turns itself is what was damaged.
#[test]
fn what_came_after_the_copy_is_read_from_the_damaged_database() {
    for broken in ["job_turn", "job", "history"] {
        let (_folder, server, id) = with_room();
        let data = server.data.clone();
        let project = format!("/api/projects/{id}");
        let first = server.order(id, json!({"width": 32, "samples": 1}));
        server.wait_for_order(first, "done");
        assert!(server.end().success());
        let server = Server::start(&data, false);
        let (status, told) = server.json("PATCH", &project, Some(json!({"name": "Renamed since"})));
        assert_eq!(status, 200, "{told}");
        let later = server.order(id, json!({"width": 32, "samples": 1, "seed": 7}));
        server.wait_for_order(later, "done");
        let mut pose = told["viewpoints"][0].clone();
        pose["name"] = json!("Later");
        let (status, added) = server.json("POST", &format!("{project}/viewpoints"), Some(pose));
        assert_eq!(status, 200, "{added}");
        let master = std::fs::read(server.files_of(later).join("master.exr")).unwrap();
        server.kill();
        let database = data.join("owl-dome.db");
        let page: usize = {
            let db = Connection::open(&database).unwrap();
            let _: i64 = db
                .query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |r| r.get(0))
                .unwrap();
            let sql = "SELECT rootpage FROM sqlite_master WHERE name = ?1";
            db.query_row(sql, [broken], |r| r.get::<_, u32>(0)).unwrap() as usize
        };
        let mut bytes = std::fs::read(&database).unwrap();
        bytes[(page - 1) * 4096..page * 4096].fill(0x5a);
        std::fs::write(&database, &bytes).unwrap();
        let server = Server::start_with(&data, &["--recover"]);
        let told = server.json("GET", &project, None).1;
        assert_eq!(told["name"], "Renamed since", "{broken}");
        let names: Vec<&str> = (told["viewpoints"].as_array().unwrap().iter())
            .map(|v| v["name"].as_str().unwrap())
            .collect();
        assert!(names.contains(&"Later"), "{broken}: {names:?}");
        if broken == "job" {
            // Where it stood is not known: Resume finds it finished.
            assert_eq!(server.told(later)["state"], "stopped");
            assert_eq!(server.ask_job(later, "resume"), 202);
        }
        server.wait_for_order(later, "done");
        assert!(std::fs::read(server.files_of(later).join("master.exr")).unwrap() == master);
        let next = server.order(id, json!({"width": 32, "samples": 1, "seed": 8}));
        assert!(next > later);
        server.wait_for_order(next, "done");
    }
}

fn before_triangles(folder: &Path) -> Value {
    let room = support::scene_in(folder);
    let told: Value = serde_json::from_str(&run_ok(&["scene", text(&room), "--json"])).unwrap();
    told["triangles"].clone()
}

/// Whoever only looks changes nothing, whatever version wrote the folder.
#[test]
fn looking_does_not_carry_a_database_over() {
    let (_folder, server, _) = with_room();
    let data = server.data.clone();
    // Beside a running server.
    run_ok(&["check", "--project", "Test", "--data", text(&data)]);
    assert!(server.end().success());
    let database = Connection::open(data.join("owl-dome.db")).unwrap();
    database.pragma_update(None, "user_version", 6).unwrap();
    drop(database);
    let before = std::fs::read(data.join("owl-dome.db")).unwrap();
    let said = run_fails(&["check", "--project", "Test", "--data", text(&data)], 1);
    assert!(
        said.contains("earlier Owl Dome") && said.contains("start the server"),
        "{said}"
    );
    assert!(std::fs::read(data.join("owl-dome.db")).unwrap() == before);
}

/// A master that somebody took away is told, and made again by Resume with the same bytes.
#[test]
fn a_master_that_is_gone_is_told_and_made_again() {
    let (_folder, server, id) = with_room();
    let done = server.order(id, json!({"width": 64, "samples": 2}));
    server.wait_for_order(done, "done");
    let master = server.files_of(done).join("master.exr");
    let bytes = std::fs::read(&master).unwrap();
    std::fs::remove_file(&master).unwrap();
    let told = server.told(done);
    assert_eq!(told["state"], "failed");
    assert!(
        told["problem"].as_str().unwrap().contains("master is gone"),
        "{told}"
    );
    assert_eq!(server.ask_job(done, "resume"), 202);
    server.wait_for_order(done, "done");
    assert!(std::fs::read(&master).unwrap() == bytes);
}

/// One flipped bit in a master: what is made of it is refused with a sentence, the same picture ordered again is made again, and so it is by
/// Resume; in the middle of a block and in the header alike.
#[test]
fn a_damaged_master_is_told_and_made_again() {
    let (_folder, server, id) = with_room();
    let wish = json!({"width": 64, "samples": 2});
    let done = server.order(id, wish.clone());
    server.wait_for_order(done, "done");
    let master = server.files_of(done).join("master.exr");
    let bytes = std::fs::read(&master).unwrap();
    let damage = |at: usize| {
        let mut other = bytes.clone();
        other[at] ^= 1;
        std::fs::write(&master, other).unwrap();
    };
    // Ordered again.
    damage(bytes.len() / 2);
    let again = server.order(id, wish);
    let told = server.wait_for_order(again, "done");
    assert!(std::fs::read(&master).unwrap() == bytes, "made again");
    assert!(
        told["problem"].to_string().contains("damaged on the disk"),
        "{told}"
    );
    // Handed over: told, and Resume makes it again.
    damage(bytes.len() - 9);
    let request = json!({
        "opening_heading_deg": 0.0, "opening_pitch_deg": 0.0, "opening_hfov_deg": 90.0,
        "exposure_stops": 0.0, "soft": false, "quality": 90,
    });
    let path = format!("/api/orders/{done}/packages");
    let (status, job) = server.json("POST", &path, Some(request));
    assert_eq!(status, 202, "{job}");
    let job = server.wait_for_job(&job["id"]);
    assert_eq!(job["state"], "failed", "{job}");
    assert!(job["problem"].to_string().contains("Resume"), "{job}");
    assert_eq!(server.ask_job(done, "resume"), 202);
    server.wait_for_order(done, "done");
    assert!(std::fs::read(&master).unwrap() == bytes);
    // Resume alone finds it too; a whole one needs none.
    damage(700);
    assert_eq!(server.ask_job(done, "resume"), 202);
    server.wait_for_order(done, "done");
    assert!(std::fs::read(&master).unwrap() == bytes);
    assert_ne!(server.ask_job(done, "resume"), 202, "it is whole");
}

/// What frees room works without room: with a kilobyte left an order is removed, and what it held is free.
#[test]
fn orders_are_removed_from_a_full_disk() {
    let Some(disk) = SmallDisk::new(40) else {
        eprintln!("Not tested: nothing may be mounted here.");
        return;
    };
    let data = disk.0.path().join("data");
    let server = Server::start(&data, false);
    let (status, project) = server.upload("room.glb", &support::scene::room_glb());
    assert_eq!(status, 200, "{project}");
    let id = project["id"].as_i64().unwrap();
    let order = server.order(id, json!({"width": 256, "samples": 1}));
    server.wait_for_order(order, "done");
    let filler = disk.0.path().join("filler");
    let mut file = std::fs::File::create(&filler).unwrap();
    for size in [1 << 20, 64 << 10, 4096] {
        use std::io::Write;
        while file.write_all(&vec![1u8; size]).is_ok() {}
    }
    drop(file);
    let free = free_bytes(disk.0.path());
    assert!(free < 4096, "{free}");
    assert_eq!(
        server
            .json("DELETE", &format!("/api/orders/{order}"), None)
            .0,
        204
    );
    let freed = wait_for("room", || {
        Some(free_bytes(disk.0.path())).filter(|f| *f > 50_000)
    });
    println!("{freed} bytes are free again");
}

/// Free bytes of a disk, as `df` says.
pub(crate) fn free_bytes(at: &Path) -> u64 {
    let told = support::outside("df", &["-B1", "--output=avail", text(at)]);
    told.lines().nth(1).unwrap().trim().parse().unwrap()
}

/// A disk of its own of a few megabytes, for as long as this lives. `None` where mounting is not allowed.
pub(crate) struct SmallDisk(pub(crate) tempfile::TempDir);

impl SmallDisk {
    pub(crate) fn new(megabytes: u32) -> Option<Self> {
        let folder = tempfile::tempdir().unwrap();
        let size = format!("size={megabytes}m");
        let mounted = Command::new("mount")
            .args(["-t", "tmpfs", "-o", &size, "tmpfs", text(folder.path())])
            .status();
        mounted
            .is_ok_and(|status| status.success())
            .then(|| Self(folder))
    }
}

impl Drop for SmallDisk {
    fn drop(&mut self) {
        let _ = Command::new("umount")
            .args(["-l", text(self.0.path())])
            .status();
    }
}

/// With a full disk an order waits, says so, and goes on by itself after room is made; the bytes are the same.
#[test]
fn a_full_disk_is_waited_for() {
    let wish = json!({"width": 512, "samples": 8});
    let undisturbed = {
        let (_folder, server, id) = with_room();
        let quiet = server.order(id, wish.clone());
        server.wait_for_order(quiet, "done");
        std::fs::read(server.files_of(quiet).join("master.exr")).unwrap()
    };
    let Some(disk) = SmallDisk::new(16) else {
        eprintln!("This machine does not allow small disks to be made; not tried.");
        return;
    };
    let server = Server::start(&disk.0.path().join("data"), false);
    let (status, project) = server.upload("room.glb", &support::scene::room_glb());
    assert_eq!(status, 200, "{project}");
    let id = project["id"].as_i64().unwrap();
    let cut = server.order(id, wish);
    let strips = server.files_of(cut).join("strips");
    wait_for("a strip", || {
        (support::strips_there(&strips) >= 2).then_some(())
    });
    let ballast = disk.0.path().join("ballast");
    let fill = || {
        // Whatever room there is, to the last block.
        let mut file = std::fs::OpenOptions::new()
            .create(true)
            .append(true)
            .open(&ballast)
            .unwrap();
        while std::io::Write::write(&mut file, &[7; 4096]).is_ok_and(|n| n > 0) {}
    };
    fill();
    let waiting = wait_for("the order to wait for room", || {
        fill();
        let order = server.told(cut);
        order["problem"].as_str()?.contains("disk").then_some(order)
    });
    assert!(
        waiting["problem"]
            .as_str()
            .unwrap()
            .contains("goes on by itself"),
        "{waiting}"
    );
    // Other things that need room say so too, and nothing is half there.
    let (status, answer) = server.upload("room.glb", &support::scene::room_glb());
    assert_eq!(status, 507, "{answer}");
    std::fs::remove_file(&ballast).unwrap();
    server.wait_for_order(cut, "done");
    let master = std::fs::read(server.files_of(cut).join("master.exr")).unwrap();
    assert!(master == undisturbed, "other bytes after the disk was full");
    drop(server);
}

/// A strip that is damaged on the disk before its picture is written is told with its row, and made again on Resume; the
/// bytes are those of an undisturbed order.
#[test]
fn a_damaged_strip_is_told_and_rendered_again() {
    let (_folder, server, id) = with_room();
    let wish = json!({"width": 256, "samples": 24, "seed": 5});
    let hurt = server.order(id, wish.clone());
    let strips = wait_for("a strip", || {
        let strips = server.files_of(hurt).join("strips");
        strips.join("000000.strip").exists().then_some(strips)
    });
    let first = strips.join("000000.strip");
    let mut bytes = std::fs::read(&first).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0x40;
    std::fs::write(&first, &bytes).unwrap();
    let failed = server.wait_for_order(hurt, "failed");
    let said = failed["problem"].as_str().unwrap();
    assert!(said.contains("row 0") && said.contains("Resume"), "{said}");
    assert!(!server.files_of(hurt).join("master.exr").exists());
    assert_eq!(server.ask_job(hurt, "resume"), 202);
    server.wait_for_order(hurt, "done");
    let mended = std::fs::read(server.files_of(hurt).join("master.exr")).unwrap();
    let (_other_folder, other, id) = with_room();
    let quiet = other.order(id, wish);
    other.wait_for_order(quiet, "done");
    let undisturbed = std::fs::read(other.files_of(quiet).join("master.exr")).unwrap();
    assert!(
        mended == undisturbed,
        "other bytes after a strip was damaged"
    );
}

/// Another program that holds the database for longer than the database itself waits does not cost an order its end.
#[test]
fn a_locked_database_is_waited_for() {
    let (_folder, server, id) = with_room();
    let cut = server.order(id, json!({"width": 256, "samples": 8}));
    let master = server.files_of(cut).join("master.exr");
    let mut other = Connection::open(server.data.join("owl-dome.db")).unwrap();
    other.busy_timeout(support::patience()).unwrap();
    let held = other
        .transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)
        .unwrap();
    wait_for("the master", || master.exists().then_some(()));
    // The end cannot be written down yet: 5 s are what the database waits by itself.
    std::thread::sleep(std::time::Duration::from_secs(8));
    let meanwhile = server.told(cut);
    assert_eq!(meanwhile["state"], "running");
    drop(held);
    let done = server.wait_for_order(cut, "done");
    assert!(
        done["mean_samples"] == 8.0 && done["problem"].is_null(),
        "{done}"
    );
}
