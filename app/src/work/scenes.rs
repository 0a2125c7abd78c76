//! Scenes in memory: loaded when first needed, the last few kept.

use super::{App, Result};
use dome_trace::Scene;
use std::sync::{Arc, Mutex, PoisonError};

/// Scenes kept in memory.
const KEPT: usize = 3;

/// The scenes that are in memory, most recently used last.
#[derive(Default)]
pub struct Scenes {
    kept: Mutex<Vec<(i64, Arc<Scene>)>>,
}

impl Scenes {
    /// A project's scene with the project's own sky as the file brought it.
    pub fn get(&self, app: &App, project: i64) -> Result<Arc<Scene>> {
        // Held while loading, so that two requests do not load the same scene twice.
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(i) = kept.iter().position(|(id, _)| *id == project) {
            let entry = kept.remove(i);
            kept.push(entry);
        } else {
            let row = app.store.project(project)?;
            let imported = dome_trace::load(&app.folder.scene(project).join(&row.scene_file))?;
            if kept.len() == KEPT {
                kept.remove(0);
            }
            kept.push((project, Arc::new(imported.scene)));
        }
        Ok(Arc::clone(&kept[kept.len() - 1].1))
    }

    /// Puts a scene that was just brought in, so that it need not be loaded again.
    pub fn put(&self, project: i64, scene: Arc<Scene>) {
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(id, _)| *id != project);
        if kept.len() == KEPT {
            kept.remove(0);
        }
        kept.push((project, scene));
    }

    /// Forgets a scene.
    pub fn forget(&self, project: i64) {
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(id, _)| *id != project);
    }
}
