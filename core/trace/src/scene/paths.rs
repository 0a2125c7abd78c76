//! How a scene's objects and lamps are recognised in a later export: by their paths of names.

use std::collections::HashMap;

/// How a scene's objects and lamps are called: names from the top of the file down to them, each only once. By these a
/// later export of the same scene is recognised.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Paths {
    /// Of the objects, by number.
    pub objects: Vec<String>,
    /// Of the lamps without a body, by number.
    pub lamps: Vec<String>,
}

/// Names of which later ones that were there already get a number: "Chair", "Chair #2".
pub(super) fn unique(names: impl Iterator<Item = String>) -> Vec<String> {
    let mut seen: HashMap<String, usize> = HashMap::new();
    names
        .map(|name| {
            let count = seen.entry(name.clone()).or_default();
            *count += 1;
            match *count {
                1 => name,
                n => format!("{name} #{n}"),
            }
        })
        .collect()
}
