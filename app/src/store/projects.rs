//! Projects and their viewpoints.

use super::leftovers::{give_up, give_up_orders};
use super::{NEXT_VERSION, Result, Store, changed, found};
use crate::model::kept;
use crate::model::scenes::{ProjectCard, SceneSummary};
use crate::model::settings::SceneSettings;
use rusqlite::{TransactionBehavior, params};

/// A project as it is kept.
#[derive(Clone, Debug)]
pub struct ProjectRow {
    /// Number.
    pub id: i64,
    /// Version of the settings.
    pub version: i64,
    /// Name.
    pub name: String,
    /// The scene file, relative to the project's scene folder.
    pub scene_file: String,
    /// What came in.
    pub summary: SceneSummary,
    /// Surroundings, lights, unit and moment.
    pub settings: SceneSettings,
}

impl Store {
    /// Adds a project; gives its number.
    pub fn add_project(&self, name: &str, created: i64) -> Result<i64> {
        let db = self.lock();
        // The scene is told by `set_scene` once it lies in the project's folder.
        db.execute(
            "INSERT INTO project (name, created, scene_file, summary) VALUES (?1, ?2, '', 'null')",
            params![name, created],
        )?;
        Ok(db.last_insert_rowid())
    }

    /// Tells where a project's scene lies and what it holds.
    pub fn set_scene(
        &self,
        id: i64,
        scene_file: &str,
        summary: &SceneSummary,
        settings: &SceneSettings,
    ) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        // A change that does not come to its end puts back the scene too.
        transaction.execute(
            "UPDATE change_begun SET (scene_file, summary) = (SELECT scene_file, summary FROM project WHERE id = ?1)
             WHERE project = ?1 AND summary IS NULL",
            [id],
        )?;
        let rows = transaction.execute(
            &format!(
                "UPDATE project SET scene_file = ?2, summary = ?3, settings = ?4, version = {NEXT_VERSION} WHERE id = ?1"
            ),
            params![
                id,
                scene_file,
                kept::write(summary)?,
                kept::write(settings)?
            ],
        )?;
        changed(rows, "project", id)?;
        Ok(transaction.commit()?)
    }

    /// The cards of all projects, newest first; `has_picture` is for the caller to fill.
    pub fn project_cards(&self) -> Result<Vec<ProjectCard>> {
        let db = self.lock();
        let mut statement = db.prepare(
            "SELECT p.id, p.name, p.created,
                (SELECT count(*) FROM viewpoint v WHERE v.project = p.id),
                (SELECT count(*) FROM job j WHERE j.project = p.id AND j.kind = 'order' AND j.state = 'done')
             FROM project p WHERE p.scene_file <> '' ORDER BY p.created DESC, p.id DESC",
        )?;
        let cards = statement
            .query_map([], |r| {
                Ok(ProjectCard {
                    id: r.get(0)?,
                    name: r.get(1)?,
                    created: r.get(2)?,
                    viewpoints: r.get(3)?,
                    masters: r.get(4)?,
                    has_picture: false,
                })
            })?
            .collect::<rusqlite::Result<_>>()?;
        Ok(cards)
    }

    /// The settings of a project alone: a scene of many objects has a summary of megabytes, which few need.
    pub fn settings(&self, id: i64) -> Result<SceneSettings> {
        let row = self.lock().query_row(
            "SELECT settings FROM project WHERE id = ?1 AND scene_file <> ''",
            [id],
            |r| r.get::<_, String>(0),
        );
        Ok(kept::read(&found(row, "project", id)?).unwrap_or_default())
    }

    /// The name of a project alone.
    pub fn project_name(&self, id: i64) -> Result<String> {
        let row = self.lock().query_row(
            "SELECT name FROM project WHERE id = ?1 AND scene_file <> ''",
            [id],
            |r| r.get(0),
        );
        found(row, "project", id)
    }

    /// One project.
    pub fn project(&self, id: i64) -> Result<ProjectRow> {
        let row = self.lock().query_row(
            "SELECT name, scene_file, summary, settings, version FROM project WHERE id = ?1 AND scene_file <> ''",
            [id],
            |r| {
                Ok((
                    r.get(0)?,
                    r.get::<_, String>(1)?,
                    r.get::<_, String>(2)?,
                    r.get::<_, String>(3)?,
                    r.get(4)?,
                ))
            },
        );
        let (name, scene_file, summary, settings, version) = found(row, "project", id)?;
        // What cannot be read is said, and hides nothing else; a file that is brought in its place tells it anew.
        let mut summary = kept::read(&summary)
            .unwrap_or_else(|e| SceneSummary::unreadable(&scene_file, &e.to_string()));
        let settings = kept::read(&settings).unwrap_or_else(|e| {
            summary.notices.push(format!(
                "The settings of this scene could not be read ({e}), so they are those that a scene begins with. Set them anew, or stop the server and take a copy from backups/ in the data folder."
            ));
            SceneSettings::default()
        });
        Ok(ProjectRow {
            id,
            name,
            scene_file,
            summary,
            settings,
            version,
        })
    }

    /// Renames a project.
    pub fn rename_project(&self, id: i64, name: &str) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE project SET name = ?2 WHERE id = ?1",
            params![id, name],
        )?;
        changed(rows, "project", id)
    }

    /// Changes a project's surroundings, lights, unit or moment.
    pub fn set_settings(&self, id: i64, settings: &SceneSettings) -> Result<()> {
        let rows = self.lock().execute(
            &format!("UPDATE project SET settings = ?2, version = {NEXT_VERSION} WHERE id = ?1"),
            params![id, kept::write(settings)?],
        )?;
        changed(rows, "project", id)
    }

    /// Removes a project with everything that belongs to it; all its files are given up.
    pub fn remove_project(&self, id: i64) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        give_up(&transaction, &format!("projects/{id}"))?;
        give_up_orders(&transaction, "render_order.project = ?1", id)?;
        let rows = transaction.execute("DELETE FROM project WHERE id = ?1", [id])?;
        changed(rows, "project", id)?;
        Ok(transaction.commit()?)
    }
}
