//! The database's versions. A step is never changed once released; new ones are added at the end.

use super::{Result, StoreError};
use rusqlite::Connection;
use std::cmp::Ordering;
use std::path::Path;

/// Each step brings the database from the version of its index to the next.
const STEPS: [&str; 14] = [
    "CREATE TABLE project (
        id INTEGER PRIMARY KEY,
        name TEXT NOT NULL,
        created INTEGER NOT NULL,
        scene_file TEXT NOT NULL,
        summary TEXT NOT NULL
    ) STRICT;
    CREATE TABLE viewpoint (
        id INTEGER PRIMARY KEY,
        project INTEGER NOT NULL REFERENCES project(id) ON DELETE CASCADE,
        name TEXT NOT NULL,
        pose TEXT NOT NULL
    ) STRICT;
    CREATE TABLE render_order (
        id INTEGER PRIMARY KEY,
        project INTEGER NOT NULL REFERENCES project(id) ON DELETE CASCADE,
        spec TEXT NOT NULL,
        state TEXT NOT NULL,
        spent_s REAL NOT NULL DEFAULT 0,
        problem TEXT
    ) STRICT;
    CREATE TABLE package (
        id INTEGER PRIMARY KEY,
        render_order INTEGER NOT NULL REFERENCES render_order(id) ON DELETE CASCADE,
        record TEXT NOT NULL
    ) STRICT;",
    // Surroundings of one's own choice, and viewpoints that may be tilted.
    "ALTER TABLE project ADD COLUMN sky TEXT NOT NULL DEFAULT
        '{\"kind\":\"two-colour\",\"zenith\":[0.42,0.56,0.82],\"horizon\":[0.92,0.93,0.95]}';
    ALTER TABLE viewpoint ADD COLUMN unlocked INTEGER NOT NULL DEFAULT 0;",
    // Surroundings, lights, unit and moment together; orders keep a copy of them.
    "ALTER TABLE project ADD COLUMN settings TEXT NOT NULL DEFAULT '{}';
    UPDATE project SET settings = json_object('surroundings', json_object('sky', json(sky)));
    ALTER TABLE project DROP COLUMN sky;
    UPDATE render_order SET spec = json_set(json_remove(spec, '$.sky'), '$.settings',
        json_object('surroundings', json_object('sky', json_extract(spec, '$.sky'))))
        WHERE json_extract(spec, '$.sky') IS NOT NULL;
    ALTER TABLE render_order ADD COLUMN noise_percent REAL;
    ALTER TABLE render_order ADD COLUMN mean_samples REAL;",
    // Pictures made elsewhere, and what is made from them.
    "CREATE TABLE picture (
        id INTEGER PRIMARY KEY,
        record TEXT NOT NULL
    ) STRICT;",
    // Viewpoints in an order of their own, with an opening view and what they ride on; changes to undo.
    "ALTER TABLE viewpoint ADD COLUMN place INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE viewpoint ADD COLUMN more TEXT NOT NULL DEFAULT '{}';
    UPDATE viewpoint SET place = id;
    CREATE TABLE history (
        id INTEGER PRIMARY KEY,
        project INTEGER NOT NULL REFERENCES project(id) ON DELETE CASCADE,
        label TEXT NOT NULL,
        made REAL NOT NULL,
        undone INTEGER NOT NULL DEFAULT 0,
        before TEXT NOT NULL,
        after TEXT NOT NULL
    ) STRICT;
    CREATE INDEX history_of_project ON history(project, id);",
    // Which way is up can be told now. What came in before was read with Y up, and stays so.
    "UPDATE project SET settings = json_set(settings, '$.up', 'y');
    UPDATE render_order SET spec = json_set(spec, '$.settings.up', 'y')
        WHERE json_type(spec, '$.settings') = 'object';
    UPDATE history SET before = json_set(before, '$.settings.up', 'y'),
        after = json_set(after, '$.settings.up', 'y');",
    // Numbers are never used twice, and orders know their picture's fingerprint.
    concat!(
        "CREATE TABLE new_project (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            name TEXT NOT NULL,
            created INTEGER NOT NULL,
            scene_file TEXT NOT NULL,
            summary TEXT NOT NULL,
            settings TEXT NOT NULL DEFAULT '{}',
            version INTEGER NOT NULL DEFAULT 0
        ) STRICT;
        INSERT INTO new_project (id, name, created, scene_file, summary, settings)
            SELECT id, name, created, scene_file, summary, settings FROM project;
        CREATE TABLE new_viewpoint (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            project INTEGER NOT NULL REFERENCES project(id) ON DELETE CASCADE,
            name TEXT NOT NULL,
            pose TEXT NOT NULL,
            unlocked INTEGER NOT NULL DEFAULT 0,
            place INTEGER NOT NULL DEFAULT 0,
            more TEXT NOT NULL DEFAULT '{}',
            version INTEGER NOT NULL DEFAULT 0
        ) STRICT;
        INSERT INTO new_viewpoint (id, project, name, pose, unlocked, place, more)
            SELECT id, project, name, pose, unlocked, place, more FROM viewpoint;
        CREATE TABLE new_render_order (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            project INTEGER NOT NULL REFERENCES project(id) ON DELETE CASCADE,
            spec TEXT NOT NULL,
            state TEXT NOT NULL,
            spent_s REAL NOT NULL DEFAULT 0,
            problem TEXT,
            noise_percent REAL,
            mean_samples REAL,
            picture TEXT
        ) STRICT;
        INSERT INTO new_render_order
            (id, project, spec, state, spent_s, problem, noise_percent, mean_samples, picture)
            SELECT id, project, spec, state, spent_s, problem, noise_percent, mean_samples,
                'order-' || id FROM render_order;
        CREATE TABLE new_package (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            render_order INTEGER NOT NULL REFERENCES render_order(id) ON DELETE CASCADE,
            record TEXT NOT NULL
        ) STRICT;
        INSERT INTO new_package (id, render_order, record)
            SELECT id, render_order, record FROM package;
        CREATE TABLE new_picture (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            record TEXT NOT NULL
        ) STRICT;
        INSERT INTO new_picture (id, record) SELECT id, record FROM picture;
        CREATE TABLE new_history (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            project INTEGER NOT NULL REFERENCES project(id) ON DELETE CASCADE,
            label TEXT NOT NULL,
            made REAL NOT NULL,
            undone INTEGER NOT NULL DEFAULT 0,
            before TEXT NOT NULL,
            after TEXT NOT NULL
        ) STRICT;
        INSERT INTO new_history (id, project, label, made, undone, before, after)
            SELECT id, project, label, made, undone, before, after FROM history;",
        "DROP TABLE history; DROP TABLE package; DROP TABLE render_order; DROP TABLE viewpoint;
        DROP TABLE picture; DROP TABLE project;
        ALTER TABLE new_project RENAME TO project;
        ALTER TABLE new_viewpoint RENAME TO viewpoint;
        ALTER TABLE new_render_order RENAME TO render_order;
        ALTER TABLE new_package RENAME TO package;
        ALTER TABLE new_picture RENAME TO picture;
        ALTER TABLE new_history RENAME TO history;
        CREATE INDEX history_of_project ON history(project, id);
        CREATE TABLE leftover (path TEXT PRIMARY KEY) STRICT;"
    ),
    // All long work are jobs of one kind.
    "CREATE TABLE job (
        id INTEGER PRIMARY KEY AUTOINCREMENT,
        kind TEXT NOT NULL,
        project INTEGER REFERENCES project(id) ON DELETE CASCADE,
        makes INTEGER NOT NULL,
        asked TEXT NOT NULL DEFAULT '',
        what TEXT NOT NULL DEFAULT '',
        state TEXT NOT NULL CHECK (state IN ('held', 'waiting', 'running', 'stopped', 'failed', 'done')),
        place INTEGER NOT NULL,
        not_before INTEGER,
        attempts INTEGER NOT NULL DEFAULT 0,
        worker TEXT,
        lease INTEGER,
        memory INTEGER NOT NULL DEFAULT 0,
        disk INTEGER NOT NULL DEFAULT 0,
        spent_s REAL NOT NULL DEFAULT 0,
        problem TEXT,
        UNIQUE (kind, makes)
    ) STRICT;
    CREATE INDEX job_turn ON job(state, place);
    INSERT INTO job (kind, project, makes, what, state, place, spent_s, problem)
        SELECT 'order', project, id,
            CASE WHEN json_valid(spec) THEN coalesce(json_extract(spec, '$.viewpoint'), '') ELSE '' END,
            CASE state WHEN '\"done\"' THEN 'done' WHEN '\"stopped\"' THEN 'stopped'
                WHEN '\"failed\"' THEN 'failed' ELSE 'waiting' END,
            id, spent_s, problem FROM render_order;
    ALTER TABLE render_order DROP COLUMN state;
    ALTER TABLE render_order DROP COLUMN spent_s;
    ALTER TABLE render_order DROP COLUMN problem;
    CREATE TRIGGER order_gone AFTER DELETE ON render_order BEGIN
        DELETE FROM job WHERE kind = 'order' AND makes = OLD.id; END;
    CREATE TRIGGER package_gone AFTER DELETE ON package BEGIN
        DELETE FROM job WHERE kind = 'package' AND makes = OLD.id; END;
    CREATE TRIGGER picture_gone AFTER DELETE ON picture BEGIN
        DELETE FROM job WHERE kind IN ('conversion', 'assembly', 'mending') AND makes = OLD.id; END;",
    // Orders know their viewpoint by its number, not by its name alone.
    "UPDATE render_order SET spec = json_set(spec, '$.viewpoint_number',
        (SELECT min(v.id) FROM viewpoint v
            WHERE v.project = render_order.project AND v.name = json_extract(spec, '$.viewpoint')))
        WHERE json_valid(spec);",
    // Pairs: the fingerprint of each eye's own picture, so that an eye that is there is not made again.
    "ALTER TABLE render_order ADD COLUMN left_eye TEXT;
    ALTER TABLE render_order ADD COLUMN right_eye TEXT;",
    // What denoising left of the noise.
    "ALTER TABLE render_order ADD COLUMN noise_left_percent REAL;",
    // When a job ended, and how far one is that another program does.
    "ALTER TABLE job ADD COLUMN ended INTEGER;
    ALTER TABLE job ADD COLUMN progress REAL;
    ALTER TABLE job ADD COLUMN remaining_s REAL;",
    // Orders that a farm makes have turns of their own.
    "ALTER TABLE job ADD COLUMN on_farm INTEGER NOT NULL DEFAULT 0;",
    // How a project was before the change that is being made: one that a kill cuts off is put back.
    "CREATE TABLE change_begun (
        project INTEGER PRIMARY KEY REFERENCES project(id) ON DELETE CASCADE,
        before TEXT NOT NULL,
        scene_file TEXT,
        summary TEXT
    ) STRICT;",
];

/// The version this program writes.
pub(super) const LATEST: usize = STEPS.len();

/// Brings a database to version `to`. Foreign keys must be off: tables are made anew.
pub(super) fn run(connection: &mut Connection, path: &Path, to: usize) -> Result<()> {
    let version: i64 = connection.query_row("PRAGMA user_version", [], |r| r.get(0))?;
    let found = usize::try_from(version).unwrap_or(usize::MAX);
    if found > LATEST {
        return Err(StoreError::Newer {
            found: version,
            known: LATEST as i64,
        });
    }
    if found > 0 && found < to {
        // A second try after a failed upgrade must not put its half-way state over the copy of the first.
        let copy = path.with_extension(format!("before-version-{to}.db"));
        if !copy.exists() {
            super::backups::copy_to(connection, &copy)?;
        }
    }
    for (index, step) in STEPS.iter().enumerate().take(to).skip(found) {
        let transaction = connection.transaction()?;
        transaction.execute_batch(step)?;
        transaction.pragma_update(None, "user_version", index as i64 + 1)?;
        transaction.commit()?;
    }
    Ok(())
}

/// Refuses a database of another version than this program's.
pub(super) fn check(connection: &Connection) -> Result<()> {
    let found: i64 = connection.query_row("PRAGMA user_version", [], |r| r.get(0))?;
    let known = LATEST as i64;
    match found.cmp(&known) {
        Ordering::Less => Err(StoreError::Older { found, known }),
        Ordering::Equal => Ok(()),
        Ordering::Greater => Err(StoreError::Newer { found, known }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::jobs::{JobKind, JobState, Lane, NewJob};
    use crate::store::Store;

    fn new_job(kind: JobKind) -> NewJob {
        NewJob {
            kind,
            project: None,
            asked: String::new(),
            what: String::new(),
            held: false,
            memory: 0,
            disk: 0,
            on_farm: false,
        }
    }

    #[test]
    fn data_survive_an_upgrade() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("owl-dome.db");
        let mut old = Connection::open(&path).unwrap();
        run(&mut old, &path, 1).unwrap();
        old.execute_batch(
            r#"INSERT INTO project VALUES (7, 'Merlow', 5, 'scene.glb',
                '{"file":"m.glb","format":"glTF","triangles":1,"materials":1,"textures":0,"objects":[],
                  "min":[0,0,0],"max":[1,1,1],"left_out":[],"notices":[]}');
            INSERT INTO viewpoint VALUES (3, 7, 'Desk',
                '{"position":[1,2,3],"heading_deg":4,"pitch_deg":0,"roll_deg":0}');
            INSERT INTO render_order VALUES (2, 7, '{"viewpoint":"Desk","pose":{"position":[1,2,3],
                "heading_deg":4,"pitch_deg":0,"roll_deg":0},"width":64,"height":32,"samples":5,"seed":0,
                "sky":{"kind":"plain","colour":[1.0,0.5,0.25]}}', '"done"', 3.0, NULL);"#,
        )
        .unwrap();
        drop(old);
        let store = Store::open(&path).unwrap();
        assert_eq!(store.project(7).unwrap().name, "Merlow");
        let viewpoints = store.viewpoints(7).unwrap();
        assert_eq!(
            (viewpoints[0].name.as_str(), viewpoints[0].unlocked),
            ("Desk", false)
        );
        assert_eq!(viewpoints[0].pose.position, [1.0, 2.0, 3.0]);
        let order = store.order(2).unwrap().spec;
        assert_eq!((order.samples, order.noise_percent), (5, None));
        assert_eq!(
            order.settings.surroundings.sky,
            dome_trace::Sky::Plain {
                colour: [1.0, 0.5, 0.25]
            }
        );
        assert!(matches!(
            store.project(7).unwrap().settings.surroundings.sky,
            dome_trace::Sky::TwoColour { .. }
        ));
        // What came in long ago was read with Y up, and stays so.
        let up = store.project(7).unwrap().settings.up;
        assert_eq!(
            (up, order.settings.up),
            (Some(dome_trace::Up::Y), Some(dome_trace::Up::Y))
        );
        // The state before the upgrade was kept.
        let kept = Connection::open(
            folder
                .path()
                .join(format!("owl-dome.before-version-{LATEST}.db")),
        )
        .unwrap();
        let version: i64 = kept
            .query_row("PRAGMA user_version", [], |r| r.get(0))
            .unwrap();
        assert_eq!(version, 1);
    }

    /// A data folder of the version before fingerprints, made by its own SQL, opens with everything in it.
    #[test]
    fn numbers_links_and_history_stay_when_tables_are_made_anew() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("owl-dome.db");
        let mut old = Connection::open(&path).unwrap();
        run(&mut old, &path, 6).unwrap();
        old.execute_batch(
            r#"INSERT INTO project (id, name, created, scene_file, summary, settings) VALUES
                (7, 'Merlow', 5, 'scene.glb', '{"file":"m.glb","format":"glTF","triangles":1,"materials":1,
                "textures":0,"objects":[],"min":[0,0,0],"max":[1,1,1],"left_out":[],"notices":[]}',
                '{"up":"z","time_s":1.5}');
            INSERT INTO viewpoint (id, project, name, pose, unlocked, place, more) VALUES (3, 7, 'Desk',
                '{"position":[1,2,3],"heading_deg":4,"pitch_deg":0,"roll_deg":0}', 1, 9,
                '{"opening":{"heading_deg":10,"pitch_deg":2,"hfov_deg":70}}');
            INSERT INTO render_order (id, project, spec, state, spent_s, problem, noise_percent, mean_samples)
                VALUES (12, 7, '{"viewpoint":"Desk","pose":{"position":[1,2,3],"heading_deg":4,"pitch_deg":0,
                "roll_deg":0},"width":64,"height":32,"samples":5,"seed":0}', '"done"', 3.0, 'note', 4.5, 80.0);
            INSERT INTO render_order (id, project, spec, state) VALUES
                (13, 7, '{"viewpoint":"Hall","pose":{"position":[1,2,3],"heading_deg":4,"pitch_deg":0,
                "roll_deg":0},"width":64,"height":32,"samples":5,"seed":0}', '"running"'),
                (14, 7, '{"viewpoint":"Hall","pose":{"position":[1,2,3],"heading_deg":4,"pitch_deg":0,
                "roll_deg":0},"width":64,"height":32,"samples":6,"seed":0}', '"stopped"');
            INSERT INTO package (id, render_order, record) VALUES (4, 12, '');
            INSERT INTO picture (id, record) VALUES (9, '{"bad":1}');
            INSERT INTO history (id, project, label, made, undone, before, after)
                VALUES (20, 7, 'Move Desk', 5.0, 0, '{}', '{"a":1}');"#,
        )
        .unwrap();
        drop(old);
        let store = Store::open(&path).unwrap();
        let project = store.project(7).unwrap();
        assert_eq!(
            (project.name.as_str(), project.settings.time_s),
            ("Merlow", 1.5)
        );
        let viewpoint = &store.viewpoints(7).unwrap()[0];
        assert!(viewpoint.unlocked && viewpoint.opening.is_some() && viewpoint.id == 3);
        let order = store.order(12).unwrap();
        assert_eq!(
            (
                order.picture.as_deref(),
                order.noise_percent,
                order.problem.as_deref()
            ),
            (Some("order-12"), Some(4.5), Some("note"))
        );
        // Orders became jobs, each where it was.
        let states = [12, 13, 14].map(|id| store.order(id).unwrap().state);
        assert_eq!(
            states,
            [JobState::Done, JobState::Waiting, JobState::Stopped]
        );
        let numbers = [12, 13].map(|id| store.order(id).unwrap().spec.viewpoint_number);
        assert_eq!(numbers, [Some(3), None], "found by their names");
        let next = store.next_jobs(Lane::Renders, 0).unwrap().remove(0);
        assert_eq!(
            (next.kind, next.makes, next.what.as_str(), next.project),
            (JobKind::Order, 13, "Hall", Some(7))
        );
        assert_eq!(store.to_undo(7).unwrap().unwrap().label, "Move Desk");
        // A picture that cannot be read hides no other.
        let (readable, unreadable) = store.pictures().unwrap();
        assert_eq!((readable.len(), unreadable), (0, vec![9]));
        // What was removed before and what is removed now: no number comes again.
        store.remove_order(12).unwrap();
        let again = (store.add_order(7, &order.spec, &new_job(JobKind::Order))).unwrap();
        assert!(again > 14);
        store.remove_picture(9).unwrap();
        let again = store.add_picture(&new_job(JobKind::Conversion)).unwrap();
        assert!(again.0 > 9);
        let mut given_up = store.leftovers().unwrap();
        given_up.sort();
        assert_eq!(given_up, ["packages/4", "pictures/9", "renders/order-12"]);
        // Projects still take their own along.
        store.remove_project(7).unwrap();
        assert!(store.viewpoints(7).unwrap().is_empty());
        let links: i64 = Connection::open(&path)
            .unwrap()
            .query_row("SELECT count(*) FROM pragma_foreign_key_check", [], |r| {
                r.get(0)
            })
            .unwrap();
        assert_eq!(links, 0);
    }

    #[test]
    fn a_newer_database_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("owl-dome.db");
        drop(Store::open(&path).unwrap());
        Connection::open(&path)
            .unwrap()
            .pragma_update(None, "user_version", 99)
            .unwrap();
        let message = Store::open(&path).err().unwrap().to_string();
        assert!(
            message.contains("newer Owl Dome") && message.contains("99"),
            "{message}"
        );
    }
}
